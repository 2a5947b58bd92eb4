"""Source, Balance and Beauty in the browser: light dragged in the picture, frames, roles, repairs, newer renders."""

import re
import subprocess
import sys

import numpy as np
from playwright.sync_api import expect

from tests.browser.running import BrowserTest
from tests.fixtures import add_up, light, write_layers

KEY, FILL, RIM = (light(seed, 90, 160) for seed in (1, 2, 3))


# Until so many frames more have been shown.
FRAMES_PLAYED = """(count) => new Promise((done) => {
    const slider = document.querySelector('[role=slider][aria-label=Frame]')
    new MutationObserver((changes) => (count -= changes.length) <= 0 && done())
      .observe(slider, { attributes: true, attributeFilter: ['aria-valuenow'] })
})"""


class PictureTest(BrowserTest):
    def test_light_is_dragged_in_the_picture_itself(self) -> None:
        page = self.page
        self.enter_demo(page)
        before = self.mean_colour(page)
        box = page.locator("canvas").bounding_box()
        assert box
        x, y = box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.75
        page.mouse.click(x, y)
        bubble = page.locator(".bubble")
        expect(bubble).to_contain_text("Drag up/down")
        name = (bubble.inner_text().split("%")[0]).rsplit(" ", 1)[0].strip().replace("\u00a0", " ")
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x, y + 40)
        page.mouse.move(x, y + 96)
        expect(bubble).to_contain_text("−2.00 stops")
        page.mouse.up()
        self.assertLess(sum(self.mean_colour(page)), sum(before) - 0.5)
        expect(page.locator(".head-cell.chosen")).to_contain_text("−2.00")
        self.assertIn(page.locator(".head-cell.chosen .name").inner_text(), name)
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 30, y)
        page.mouse.move(x + 120, y)
        page.mouse.up()
        self.at_rest(page)
        # The drag is kept once the server has answered which light it holds.
        slider = page.get_by_role("slider", name="Temperature")
        expect(slider).to_have_attribute("aria-valuetext", re.compile(r"^[1-5]?\d{3} K|^6[0-4]\d\d K"))
        page.get_by_role("button", name="Undo").click()
        page.get_by_role("button", name="Undo").click()
        np.testing.assert_allclose(self.mean_colour(page), before, atol=0.6)

    def test_frames_of_a_sequence(self) -> None:
        page = self.page
        page.locator("button.shot", has_text="Night arrival").click()
        self.at_rest(page)
        strip = page.get_by_role("slider", name="Frame")
        expect(strip).to_have_attribute("aria-valuenow", "7")
        expect(page.locator(".strip")).to_contain_text("1 missing")
        first = page.locator("canvas").screenshot()
        strip.focus()
        strip.press("End")
        expect(strip).to_have_attribute("aria-valuenow", "10")
        self.at_rest(page)
        self.assertNotEqual(page.locator("canvas").screenshot(), first)
        strip.press("ArrowLeft")
        expect(strip).to_have_attribute("aria-valuenow", "8")
        requests: list[str] = []
        page.on("request", lambda request: requests.append(request.url))
        page.get_by_role("button", name="Play", exact=True).click()
        expect(page.locator(".strip b")).to_have_attribute("style", re.compile("100%"))
        expect(page.locator(".rate")).to_contain_text(re.compile(r"\d+\.\d / 24 fps"))
        # From the pictures that were made ahead, it comes to its rate, and goes no faster.
        page.wait_for_function(
            "() => { const r = parseFloat(document.querySelector('.rate').textContent); return r > 12 && r < 26 }"
        )
        self.go(page, "Finish")
        seen = page.get_by_role("group", name="Kinds of correction").locator(".small").first
        seen.wait_for()
        page.evaluate(FRAMES_PLAYED, 24)
        self.assertNotIn("blob:", seen.get_attribute("style") or "")
        self.assertEqual([url for url in requests if "/mattes/layers" in url], [])
        page.get_by_role("button", name="Play", exact=True).click()
        expect(page.locator(".rate")).to_contain_text("3 frames")
        expect(seen).to_have_attribute("style", re.compile("blob:"))
        self.at_rest(page)
        self.assertTrue([url for url in requests if "/mattes/layers" in url], "they follow once it rests")


class FinishBenchTest(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.open_file(self.page, write_layers(self.media / "finish.exr", {"": add_up(KEY, FILL), "lg_key": KEY}))
        self.go(self.page, "Finish")
        self.at_rest(self.page)
        self.bench = self.page.get_by_role("complementary", name="Finish bench")

    def add(self, kind: str) -> None:
        """Add a correction of a kind; an empty list shows the kinds at once."""
        corrections = self.bench.get_by_role("region", name="Corrections")
        if corrections.locator(".sentence").count():
            corrections.get_by_role("button", name="Add correction").click()
        corrections.get_by_role("button", name=kind, exact=True).click()

    def values(self, label: str) -> list[float]:
        """What the rulers of a triple say: of all three, then of each channel."""
        rulers = self.bench.get_by_role("group", name=label, exact=True).get_by_role("slider")
        return [float(ruler.get_attribute("aria-valuenow") or "nan") for ruler in rulers.all()]

    def test_one_ruler_moves_three_channels_and_each_can_be_moved_alone(self) -> None:
        self.add("CDL")
        self.type_level(self.page, "Slope", "1.2")
        expect(self.page.get_by_role("navigation", name="Path")).to_contain_text("CDL")
        self.bench.get_by_role("button", name="Slope per channel").click()
        self.type_level(self.page, "Slope red", "0.6")
        self.assertEqual(self.values("Slope"), [1.0, 0.6, 1.2, 1.2])
        before = self.pixel(self.page, 0.5, 0.5)
        self.type_level(self.page, "Slope", "2")
        self.assertEqual(self.values("Slope"), [2.0, 1.2, 2.4, 2.4])
        self.assertGreater(sum(self.pixel(self.page, 0.5, 0.5)), sum(before) + 20)
        self.type_level(self.page, "Offset", "-0.05")
        self.page.get_by_role("button", name="Undo").click()
        self.at_rest(self.page)
        self.assertEqual(self.values("Slope"), [2.0, 1.2, 2.4, 2.4])
        self.assertEqual(self.values("Offset"), [0.0])

    def test_corrections_are_sentences_that_are_opened_weakened_moved_and_removed(self) -> None:
        page, bench = self.page, self.bench
        list_ = bench.get_by_role("region", name="Corrections")
        before = self.pixel(page, 0.5, 0.5)
        self.add("Contrast")
        list_.get_by_role("button", name="contrast 1.20 about grey").wait_for()
        self.type_level(page, "Amount", "2")
        list_.get_by_role("button", name="contrast 2.00 about grey").wait_for()
        strong = self.pixel(page, 0.5, 0.5)
        self.assertNotEqual(strong, before)
        self.type_level(page, "Opacity", "0")
        expect(list_).to_contain_text("contrast 2.00 about grey · 0%")
        self.assertEqual(self.pixel(page, 0.5, 0.5), before)
        self.type_level(page, "Opacity", "100")
        self.add("Tint")
        expect(list_.get_by_role("button", name="tint 30%")).to_be_visible()
        list_.get_by_role("button", name="contrast 2.00 about grey").click()
        list_.get_by_role("group", name="Contrast", exact=True).get_by_role("button", name="Move down").click()
        expect(list_.locator(".sentence")).to_have_text(["tint 30%", "contrast 2.00 about grey"])
        expect(page.get_by_role("navigation", name="Path")).to_contain_text("tint, contrast")
        list_.locator(".handle").first.drag_to(list_.locator(".sentence").last)
        expect(list_.locator(".sentence")).to_have_text(["contrast 2.00 about grey", "tint 30%"])
        list_.get_by_role("switch", name="Contrast on").click()
        expect(list_.get_by_role("switch", name="Contrast on")).to_have_attribute("aria-checked", "false")
        for _ in range(2):
            inside = list_.locator(".sentence").first
            if inside.get_attribute("aria-expanded") == "false":
                inside.click()
            list_.get_by_role("button", name="Remove").click()
            self.at_rest(page)
        self.assertEqual(self.pixel(page, 0.5, 0.5), before)

    def test_a_curve_is_drawn_by_its_points(self) -> None:
        page = self.page
        list_ = self.bench.get_by_role("region", name="Corrections")
        self.add("Curves")
        expect(list_.get_by_role("button", name="curves: master")).to_have_attribute("aria-expanded", "true")
        curve = list_.get_by_role("img", name="master curve in stops (0 = 0.18), 3 points")
        before = sum(self.mean_colour(page))
        curve.scroll_into_view_if_needed()
        box = curve.bounding_box()
        assert box
        middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] * (0.5 - 0.3 / 16))
        page.mouse.move(*middle)
        page.mouse.down()
        page.mouse.move(middle[0], middle[1] + box["height"] / 8, steps=4)
        page.mouse.up()
        self.assertLess(sum(self.mean_colour(page)), before - 10)
        curve.dblclick(position={"x": box["width"] / 4, "y": box["height"] * 3 / 4})
        expect(list_.get_by_role("img", name="master curve in stops (0 = 0.18), 2 points")).to_be_visible()
        list_.get_by_role("button", name="red", exact=True).click()
        expect(list_.get_by_role("img", name="red curve in stops (0 = 0.18), 0 points")).to_be_visible()

    def test_scrolling_past_a_ruler_changes_nothing(self) -> None:
        page = self.page
        self.add("CDL")
        ruler = self.bench.get_by_role("slider", name="Saturation")
        ruler.hover()
        page.mouse.wheel(0, 120)
        page.mouse.wheel(0, -60)
        self.at_rest(page)
        expect(ruler).to_have_attribute("aria-valuenow", "1")
        expect(page.get_by_role("button", name="Redo")).to_be_disabled()
        ruler.focus()
        ruler.hover()
        page.mouse.wheel(0, -120)
        expect(ruler).to_have_attribute("aria-valuenow", "1.05")
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()


class SourceBenchTest(BrowserTest):
    def test_roles_are_filtered_corrected_and_undone(self) -> None:
        page = self.page
        file = write_layers(
            self.media / "roles.exr", {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL, "notes": RIM}
        )
        self.open_file(page, file)
        self.go(page, "Source")
        page.get_by_role("button", name="light 2").click()
        expect(page.locator(".tile")).to_have_count(2)
        page.get_by_role("button", name="All", exact=True).click()
        page.locator(".tile", has_text="notes").click()
        page.get_by_role("combobox", name="Role of the pass").click()
        page.get_by_role("option", name="mask").click()
        expect(page.locator(".tile", has_text="notes")).to_contain_text("mask")
        expect(page.get_by_text("set manually")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(page.locator(".tile", has_text="notes")).to_contain_text("other")
        page.locator(".tile", has_text="lg_key").click()
        page.locator(".tile", has_text="lg_fill").click(modifiers=["Control"])
        expect(page.get_by_role("heading", name="2 passes")).to_be_visible()
        page.locator(".tile", has_text="lg_key").drag_to(page.get_by_role("button", name="other 1"))
        expect(page.locator(".tile", has_text="lg_fill")).to_contain_text("other")

    def test_broken_pixels_are_repaired_by_a_click(self) -> None:
        page = self.page
        hole = KEY.copy()
        hole[:, 10:14, 20:24] = np.nan
        self.open_file(
            page, write_layers(self.media / "hole.exr", {"": add_up(KEY, FILL), "lg_key": hole, "lg_fill": FILL})
        )
        self.go(page, "Source")
        page.locator(".tile", has_text="lg_key").click()
        page.get_by_role("button", name="Fill NaN/Inf pixels").click()
        expect(page.locator(".tile", has_text="lg_key")).not_to_contain_text("warning")
        expect(page.get_by_text("from their neighbours, 16 pixels")).to_be_visible()
        expect(page.get_by_role("button", name="Remove repair")).to_be_visible()

    def test_a_newer_render_is_taken_over_and_levels_follow_the_new_name(self) -> None:
        page = self.page
        old = {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL}
        new = {"": add_up(KEY, FILL, RIM), "lg_sunlight": KEY, "lg_fill": FILL, "lg_rim": RIM}
        self.open_file(page, write_layers(self.media / "old.exr", old))
        newer = write_layers(self.media / "new.exr", new)
        page.locator(".board").get_by_role("button", name=re.compile("^Key")).first.click()
        field = page.get_by_role("textbox", name="Level, number")
        field.fill("-1")
        field.press("Enter")
        self.at_rest(page)
        self.go(page, "Source")
        page.get_by_role("textbox", name="Newer render").fill(str(newer))
        page.get_by_role("button", name="Replace render").click()
        news = page.get_by_role("status", name="Render updated")
        expect(news).to_contain_text("key is now named sunlight.")
        expect(news).to_contain_text("The light rim is new.")
        news.get_by_role("button", name="Move levels").click()
        self.go(page, "Balance")
        expect(page.locator(".board")).to_contain_text("−1.00")


class TallyTest(BrowserTest):
    def test_a_tinted_beauty_is_explained_and_repaired(self) -> None:
        page = self.page
        beauty = (add_up(KEY, FILL) * np.array([1.5, 1, 0.5], np.float32)[:, None, None]).astype(np.float32)
        self.open_file(page, write_layers(self.media / "tinted.exr", {"": beauty, "lg_key": KEY, "lg_fill": FILL}))
        untouched = self.mean_colour(page)
        self.go(page, "Beauty")
        expect(page.get_by_text("a white balance was baked into the beauty")).to_be_visible()
        page.get_by_role("button", name="Multiply the sum by it").click()
        expect(page.get_by_text("Whole sum × 1.5")).to_be_visible()
        np.testing.assert_allclose(self.mean_colour(page), untouched, atol=0.6)
        page.get_by_role("button", name="Fill", exact=True).click()
        page.get_by_role("group", name="Term fill").get_by_role("button", name="Mute").click()
        self.assertLess(sum(self.mean_colour(page)), sum(untouched) - 5)
        page.get_by_role("button", name="Reset to detected").click()
        np.testing.assert_allclose(self.mean_colour(page), untouched, atol=0.6)

    def test_the_whole_is_corrected_before_everything_that_follows(self) -> None:
        page = self.page
        self.open_file(page, write_layers(self.media / "whole.exr", {"": add_up(KEY, FILL), "lg_key": KEY}))
        self.go(page, "Beauty")
        untouched = self.mean_colour(page)
        corrections = page.get_by_role("region", name="Corrections")
        corrections.get_by_role("button", name="Exposure", exact=True).click()
        self.type_level(page, "Exposure", "-2")
        self.assertLess(sum(self.mean_colour(page)), sum(untouched) - 20)
        expect(page.get_by_role("navigation", name="Path")).to_contain_text("exposure")
        page.get_by_role("button", name="View at this station").click()
        self.assertLess(sum(self.mean_colour(page)), sum(untouched) - 20)


class RunningRenderTest(BrowserTest):
    # Its shot has the name of the demo's.
    alone = True

    def test_samples_improve_on_screen_while_levels_change(self) -> None:
        page = self.page
        folder = self.media / "running"
        command = ["stage", "--size", "160x90", "--samples", "12", "--frames", "3", "--noisy", "--out", str(folder)]
        with subprocess.Popen([sys.executable, "-m", "escala.cli", *command], stdout=subprocess.DEVNULL) as renderer:
            file = folder / "night_quay.0003.exr"
            while not file.exists():
                self.assertIsNone(renderer.poll())
            self.open_file(page, file)
            first = page.locator("canvas").screenshot()
            page.get_by_role("rowheader").get_by_role("button", name=re.compile("^Moon")).click()
            field = page.get_by_role("textbox", name="Level, number")
            field.fill("1")
            field.press("Enter")
            expect(page.locator("header")).not_to_contain_text("samples", timeout=90_000)
        self.at_rest(page)
        self.assertNotEqual(page.locator("canvas").screenshot(), first)
        expect(page.get_by_role("rowheader").get_by_role("button", name=re.compile("^Moon"))).to_contain_text("+1.00")
