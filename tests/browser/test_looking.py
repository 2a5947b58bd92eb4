"""Judging a picture in the browser: comparing, probing, measuring, playing, and seeing by another config."""

import re
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.running import COPY, BrowserTest
from tests.fixture_config import CONFIG, write_config
from tests.fixtures import add_up, light, write_layers

KEY, FILL = light(11, 90, 160, top=0.4), light(12, 90, 160, top=0.4)


class LookingTest(BrowserTest):
    """On a small render of two lights, opened from the media root."""

    def setUp(self) -> None:
        super().setUp()
        passes = {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL}
        self.file = write_layers(self.media / "looked at.exr", passes)
        self.open_file(self.page, self.file)
        self.go(self.page, "Balance")

    def mode(self, name: str) -> None:
        group = self.page.get_by_role("group", name="Compare mode")
        group.get_by_role("button", name=name, exact=True).click()

    def hold_and_darken(self) -> None:
        """Hold the untouched state, then lower one light by three stops."""
        self.page.get_by_role("button", name="hold this state").click()
        self.lower_key("-3")

    def lower_key(self, stops: str) -> None:
        board = self.page.get_by_role("region", name="Board")
        board.get_by_role("button", name=re.compile("^Key")).first.click()
        self.type_level(self.page, "Level", stops)

    def compare_with(self, item: str) -> None:
        self.page.get_by_role("button", name="Compare with").click()
        self.page.get_by_role("menuitem", name=item).click()

    def brightness(self, x: float, y: float, reach: float = 0.08) -> float:
        """The mean of a part of the canvas around a place, given in shares."""
        script = f"""([x, y, r]) => {{ {COPY}
            const d = t.getImageData(c.width*(x-r), c.height*(y-r), c.width*2*r, c.height*2*r).data;
            let s = 0; for (let i = 0; i < d.length; i += 4) s += d[i] + d[i+1] + d[i+2];
            return s / (d.length * .75) }}"""
        return float(self.page.evaluate(script, [x, y, reach]))

    def wait_for_brightness(self, x: float, y: float, wanted: float, slack: float = 2.0) -> None:
        for _ in range(100):
            if abs(self.brightness(x, y) - wanted) <= slack:
                return
            self.page.wait_for_timeout(100)
        self.fail(f"at {x}, {y} it stays at {self.brightness(x, y)}, not {wanted}")


class CompareTest(LookingTest):
    def test_held_wiped_split_and_side_by_side(self) -> None:
        page = self.page
        bright = self.brightness(0.35, 0.5)
        self.hold_and_darken()
        dark = self.brightness(0.35, 0.5)
        self.assertLess(dark, bright - 10)
        page.keyboard.press("j")
        self.wait_for_brightness(0.35, 0.5, bright)
        page.keyboard.press("j")
        self.wait_for_brightness(0.35, 0.5, dark)
        right = self.brightness(0.65, 0.5)
        self.mode("Wipe")
        self.wait_for_brightness(0.35, 0.5, bright)
        self.wait_for_brightness(0.65, 0.5, right)
        # A line that lies down has the held picture above it.
        upper, lower = self.brightness(0.5, 0.3, 0.02), self.brightness(0.4, 0.8, 0.05)
        page.get_by_label("Angle").fill("90")
        page.get_by_label("Angle").press("Enter")
        self.wait_for_brightness(0.65, 0.3, self.brightness(0.35, 0.3), 8.0)
        self.assertGreater(self.brightness(0.35, 0.3), self.brightness(0.35, 0.7) + 8)
        self.assertNotEqual((upper, lower), (0, 0))
        self.mode("Split")
        self.wait_for_brightness(0.25, 0.5, dark, 6.0)
        self.assertGreater(self.brightness(0.75, 0.5), dark + 8)
        self.mode("Side by side")
        expect(page.locator(".pane-label")).to_have_text(["Current", "Variant 1"])
        page.get_by_role("button", name="Remove Variant 1").click()
        expect(page.get_by_role("group", name="Compare", exact=True)).to_have_count(0)

    def test_the_line_is_dragged_and_leans_being_dragged(self) -> None:
        page = self.page
        self.hold_and_darken()
        self.mode("Wipe")
        box = page.locator("canvas").bounding_box()
        assert box
        middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.move(*middle)
        page.mouse.down()
        page.mouse.move(middle[0] - 120, middle[1] + 5, steps=4)
        page.mouse.up()
        handle = page.locator(".wipe-handle")
        expect(handle).to_have_attribute("style", re.compile(r"left: 3\d\d"))
        page.keyboard.down("Shift")
        page.mouse.down()
        page.mouse.move(middle[0] - 20, middle[1] + 105, steps=4)
        page.mouse.up()
        page.keyboard.up("Shift")
        expect(page.get_by_label("Angle")).not_to_have_value("0")

    def test_differences_are_exact_and_grow_with_the_gain(self) -> None:
        page = self.page
        self.compare_with("Renderer’s beauty")
        self.mode("Difference")
        self.wait_for_brightness(0.5, 0.5, 0, 0.0)
        page.get_by_label("Difference gain").select_option("1024")
        page.get_by_label("Difference of").select_option("linear")
        self.at_rest(page)
        self.assertEqual(self.brightness(0.5, 0.5), 0)
        self.lower_key("-0.01")
        self.assertGreater(self.brightness(0.5, 0.5), 100)

    def test_two_views_of_one_state_follow_every_edit(self) -> None:
        page = self.page
        self.compare_with("Config Soft")
        expect(page.locator(".pane-label")).to_have_text(["Current", "Soft"])
        self.at_rest(page)
        panes = [(0.25, 0.5), (0.75, 0.5)]
        if page.locator(".pane-label").nth(1).bounding_box()["x"] < 100:  # type: ignore[index]
            panes = [(0.5, 0.25), (0.5, 0.75)]
        before = [self.brightness(*pane, 0.03) for pane in panes]
        self.assertGreater(abs(before[0] - before[1]), 3)
        self.lower_key("-4")
        for pane, bright in zip(panes, before, strict=True):
            self.wait_for_brightness(*pane, bright / 2, bright / 2 - 3)

    def test_passes_and_pictures_are_compared_with(self) -> None:
        page = self.page
        picture = self.media / "client's ref.png"
        cv2.imwrite(str(picture), np.full((45, 80, 3), 200, np.uint8))
        page.get_by_label("Image to compare with").set_input_files(picture)
        expect(page.get_by_role("group", name="Compare", exact=True)).to_contain_text("client's ref")
        self.mode("Held")
        self.wait_for_brightness(0.5, 0.5, 200, 0.5)
        self.go(page, "Source")
        page.locator(".tile", has_text="lg_key").click()
        self.compare_with("Pass lg_key")
        self.mode("Held")
        expect(page.locator(".pane-label")).to_have_text(["lg_key"])
        broken = self.media / "broken.png"
        broken.write_bytes(b"not a picture")
        page.get_by_label("Image to compare with").set_input_files(broken)
        expect(page.get_by_text("broken.png")).to_be_visible()

    def test_another_variant_and_an_earlier_state_are_compared_with(self) -> None:
        page = self.page
        bright = self.brightness(0.4, 0.5)
        address = page.url
        page.get_by_role("button", name="Variants").click()
        page.get_by_role("menuitem", name="Duplicate").click()
        page.wait_for_function("(before) => location.href !== before", arg=address)
        self.at_rest(page)
        self.lower_key("-4")
        dark = self.brightness(0.4, 0.5)
        self.assertLess(dark, bright - 10)
        self.compare_with("Variant 1")
        self.mode("Held")
        self.wait_for_brightness(0.4, 0.5, bright)
        page.get_by_role("button", name="Remove Variant 1").click()
        self.wait_for_brightness(0.4, 0.5, dark)
        page.get_by_role("button", name="History").click()
        history = page.get_by_role("complementary", name="History")
        history.get_by_role("listitem").last.get_by_role("button", name="Compare").click()
        self.wait_for_brightness(0.4, 0.5, bright)
        page.keyboard.press("j")
        self.wait_for_brightness(0.4, 0.5, dark)
        # Turning to what is held is at once: its picture is at hand.
        page.keyboard.press("j")
        self.wait_for_brightness(0.4, 0.5, bright)

    def test_a_station_is_held_as_it_is_tapped(self) -> None:
        page = self.page
        self.lower_key("-3")
        dark = self.brightness(0.4, 0.5)
        self.go(page, "Source")
        page.get_by_role("button", name="View at this station").click()
        self.at_rest(page)
        untouched = self.brightness(0.4, 0.5)
        self.assertGreater(untouched, dark + 10)
        page.keyboard.press("k")
        bench = page.get_by_role("complementary", name="Source bench")
        bench.get_by_role("button", name="View at this station").click()
        self.wait_for_brightness(0.4, 0.5, dark)
        self.mode("Held")
        self.wait_for_brightness(0.4, 0.5, untouched)

    def test_a_picture_is_dropped_on_the_viewer(self) -> None:
        page = self.page
        drop = """() => new Promise((done) => {
            const c = document.createElement('canvas'); c.width = 16; c.height = 9;
            const t = c.getContext('2d'); t.fillStyle = 'rgb(60,60,60)'; t.fillRect(0, 0, 16, 9);
            c.toBlob((blob) => {
              const data = new DataTransfer(); data.items.add(new File([blob], 'dropped.png', {type: 'image/png'}));
              const at = document.querySelector('section.picture');
              for (const kind of ['dragover', 'drop'])
                at.dispatchEvent(new DragEvent(kind, {dataTransfer: data, bubbles: true, cancelable: true}));
              done();
            }) })"""
        page.evaluate(drop)
        expect(page.get_by_role("list", name="Held")).to_contain_text("dropped")
        self.mode("Held")
        self.wait_for_brightness(0.5, 0.5, 60, 0.5)
        self.mode("Difference")
        page.get_by_label("Difference of").select_option("linear")
        expect(page.get_by_role("alert")).to_contain_text("compare display values")

    def test_eight_are_kept_and_the_oldest_gives_way(self) -> None:
        for _ in range(10):
            self.page.keyboard.press("k")
        expect(self.page.get_by_role("list", name="Held").get_by_role("listitem")).to_have_count(8)


class MeasureTest(LookingTest):
    def place(self, x: float, y: float, more: bool = False) -> None:
        box = self.page.locator("canvas").bounding_box()
        assert box
        position = {"x": box["width"] * x, "y": box["height"] * y}
        self.page.locator("canvas").click(position=position, modifiers=["Shift"] if more else [])

    def test_several_pins_with_numbers_and_contributions(self) -> None:
        page = self.page
        panel = page.get_by_role("region", name="Probe")
        self.place(0.4, 0.4)
        expect(panel).to_contain_text("Scene-linear")
        panel.get_by_text("Details").click()
        for words in ("By light", "By component", "By pass", "Display (0–255)", "Hue, saturation"):
            if words != "By component":
                expect(panel).to_contain_text(words)
        self.place(0.6, 0.5, more=True)
        expect(page.locator(".pin")).to_have_count(2)
        expect(panel.get_by_role("listitem")).to_have_count(2)
        panel.get_by_role("button", name="1", exact=True).click()
        expect(page.locator(".pin.chosen")).to_contain_text("1")
        panel.get_by_label("Sample size").select_option("21")
        expect(panel).to_have_attribute("aria-busy", "false")
        expect(panel).to_contain_text(re.compile(r"\d+, \d+ ·"))
        page.context.grant_permissions(["clipboard-read", "clipboard-write"])
        panel.get_by_role("button", name="Copy").click()
        expect(panel.get_by_role("button", name="Copied")).to_be_visible()
        text = page.evaluate("navigator.clipboard.readText()")
        self.assertIn("21 × 21 px", text)
        self.assertEqual(text.count("Scene-linear"), 2)
        panel.get_by_role("button", name="Remove pin").click()
        expect(page.locator(".pin")).to_have_count(1)

    def test_a_glance_under_the_pointer(self) -> None:
        page = self.page
        page.locator("canvas").hover(position={"x": 300, "y": 150})
        glance = page.get_by_label("Under the pointer")
        expect(glance).to_contain_text("stops")
        place = [int(number) for number in re.findall(r"\d+", glance.inner_text())[:2]]
        working = add_up(KEY, FILL)[:, place[1], place[0]]
        shown = [float(number) for number in re.findall(r"\d+\.\d+", glance.inner_text())[:3]]
        # Rec.709 green light keeps most of its green in the working space.
        self.assertAlmostEqual(shown[1], float(np.dot([0.0702, 0.9164, 0.0135], working)), delta=0.002)

    def test_numbers_are_drawn_into_large_pixels(self) -> None:
        page = self.page
        page.get_by_role("button", name="1:1").click()
        self.at_rest(page)
        with page.expect_response(re.compile("/values$")) as answer:
            for _ in range(6):
                page.get_by_role("button", name="Zoom in").click()
        channels = np.array(answer.value.json()["channels"])
        self.assertEqual(channels.shape[0], 3)
        self.at_rest(page)
        numbers = page.locator("canvas.values")
        script = """c => { const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
            return d.filter((v, i) => i % 4 === 3 && v > 0).length }"""
        for _ in range(50):
            if (drawn := numbers.evaluate(script)) > 1000:
                break
            page.wait_for_timeout(100)
        self.assertGreater(drawn, 1000)
        page.get_by_role("button", name="Zoom out").click()
        page.get_by_role("button", name="Zoom out").click()
        expect(numbers).to_have_count(0)

    def test_every_scope_of_every_scale_and_part(self) -> None:
        page = self.page
        panel = page.get_by_role("region", name="Scope")
        seen = set()
        for kind in ("waveform", "parade", "histogram", "chromaticity"):
            with page.expect_response(re.compile("/scope$")) as answer:
                panel.get_by_label("Scope", exact=True).select_option("waveform" if kind != "waveform" else "parade")
                panel.get_by_label("Scope", exact=True).select_option(kind)
            self.assertEqual(answer.value.status, 200)
            expect(panel.get_by_alt_text(f"{kind} of the image")).to_be_visible()
            self.at_rest(page)
            seen.add(panel.screenshot())
        self.assertEqual(len(seen), 4)
        panel.get_by_label("Scope", exact=True).select_option("histogram")
        with page.expect_response(re.compile("/scope$")) as answer:
            panel.get_by_label("Scale").select_option("display")
        self.assertEqual(answer.value.status, 200)
        with page.expect_response(re.compile("/scope$")) as answer:
            panel.get_by_label("Area").select_option("view")
        self.assertEqual(answer.value.status, 200)

    def test_the_picture_alone_on_the_screen(self) -> None:
        page = self.page
        before = page.locator("canvas").bounding_box()
        page.keyboard.press("f")
        expect(page.get_by_role("navigation", name="Path")).to_have_count(0)
        self.at_rest(page)
        alone = page.locator("canvas").bounding_box()
        assert before and alone
        self.assertGreater(alone["width"] * alone["height"], 1.5 * before["width"] * before["height"])
        page.keyboard.press("f")
        expect(page.get_by_role("navigation", name="Path")).to_be_visible()


class LayoutTest(LookingTest):
    def test_a_hint_is_read_once_and_comes_again_on_request(self) -> None:
        page = self.page
        hint = page.get_by_role("complementary", name="Hint")
        expect(hint).to_contain_text("Drag in the image")
        hint.get_by_role("button", name="Got it").click()
        expect(hint).to_have_count(0)
        self.go(page, "Finish")
        expect(hint).to_contain_text("Add corrections to the whole image")
        hint.get_by_role("button", name="Turn hints off").click()
        page.reload()
        self.at_rest(page)
        self.go(page, "Source")
        expect(hint).to_have_count(0)
        page.keyboard.press("?")
        page.get_by_role("button", name="Show hints").click()
        expect(hint).to_contain_text("All passes")

    def test_the_light_theme_stays_and_is_as_neutral(self) -> None:
        page = self.page
        page.get_by_role("button", name="Light theme").click()
        page.reload()
        self.at_rest(page)
        expect(page.get_by_role("button", name="Light theme")).to_have_attribute("aria-pressed", "true")
        colours = page.evaluate(
            "() => ['.top', '.foot', '.picture', '.bench'].map((s) => "
            "getComputedStyle(document.querySelector(s)).backgroundColor)"
        )
        for colour in colours:
            red, green, blue = re.findall(r"\d+", colour)[:3]
            self.assertEqual((red, red), (green, blue), colour)

    def test_keys_are_listed_and_do_what_they_say(self) -> None:
        page = self.page
        page.keyboard.press("?")
        expect(page.get_by_role("complementary", name="Keyboard shortcuts")).to_contain_text("Side by side")
        page.keyboard.press("?")
        page.keyboard.press("k")
        for key, words in (("w", "Wipe"), ("s", "Side by side"), ("d", "Difference"), ("j", "Held")):
            page.keyboard.press(key)
            group = page.get_by_role("group", name="Compare mode")
            button = group.get_by_role("button", name=words, exact=True)
            expect(button).to_have_attribute("aria-pressed", "true")
        page.keyboard.press("j")
        expect(group.get_by_role("button", name="Current")).to_have_attribute("aria-pressed", "true")
        for key, station in (("1", "Source"), ("2", "Surface"), ("9", "Display")):
            page.keyboard.press(key)
            expect(page.get_by_role("complementary", name=f"{station} bench")).to_be_visible()


class OwnConfigTest(LookingTest):
    def bring(self, page: Page, folder: Path) -> None:
        self.go(page, "Display")
        page.get_by_text("Load config").click()
        page.get_by_label("Config folder").set_input_files(folder)

    def test_a_studios_config_is_imported_and_its_variable_set(self) -> None:
        page = self.page
        folder = self.media / "studio colour"
        write_config(folder)
        self.bring(page, folder)
        chain = page.locator(".chain")
        expect(chain).to_contain_text("Print")
        expect(chain).to_contain_text("Bridge")
        page.get_by_label("Look", exact=True).click()
        page.get_by_role("option", name="Dawn").click()
        expect(chain).to_contain_text("look Dawn")
        self.at_rest(page)
        day = self.brightness(0.5, 0.5)
        page.get_by_label("MOOD").fill("night")
        page.get_by_label("MOOD").press("Enter")
        self.wait_for_brightness(0.5, 0.5, day / 2, day / 2 - 8)
        self.go(page, "Finish")
        page.get_by_label("Add look or named transform").click()
        page.get_by_role("option", name="Halve").click()
        expect(page.get_by_role("region", name="Corrections")).to_contain_text("Halve")
        expect(page.get_by_role("navigation", name="Path")).to_contain_text("Halve")

    def test_what_does_not_work_in_it_is_reported_where(self) -> None:
        page = self.page
        folder = self.media / "torn colour"
        write_config(folder, CONFIG.replace("src: print.cube", "src: lost.cube"))
        self.bring(page, folder)
        expect(page.get_by_text("view Print of Bridge")).to_contain_text("lost.cube")

    def test_a_config_that_is_none_is_refused_with_a_sentence(self) -> None:
        page = self.page
        folder = self.media / "no colour"
        folder.mkdir(exist_ok=True)
        (folder / "config.ocio").write_text("ocio_profile_version: [")
        self.bring(page, folder)
        expect(page.get_by_role("alert").or_(page.locator(".trouble")).first).to_be_visible()


class AlphaTest(BrowserTest):
    def test_alpha_is_read_as_it_was_stored_and_something_lies_behind(self) -> None:
        page = self.page
        alpha = np.zeros((90, 160), np.float32)
        alpha[:, 80:] = 0.5
        colour = np.full((3, 90, 160), 0.4, np.float32)
        self.open_file(page, write_layers(self.media / "cut out.exr", {"": colour, "A": alpha}))
        self.go(page, "Source")
        full = self.pixel(page, 0.75, 0.5)
        page.get_by_role("group", name="Alpha").get_by_role("button", name="unassociated").click()
        half = self.pixel(page, 0.75, 0.5)
        self.assertLess(sum(half), sum(full) - 60)
        self.assertEqual(self.pixel(page, 0.25, 0.5), [0, 0, 0])
        page.get_by_role("button", name="Viewer settings").click()
        page.get_by_label("Background", exact=True).click()
        page.get_by_role("option", name="Background: checkerboard").click()
        self.at_rest(page)
        seen = {tuple(self.pixel(page, x, 0.5)) for x in np.linspace(0.15, 0.4, 24)}
        self.assertGreaterEqual(len(seen), 2)
        self.assertNotIn((0, 0, 0), seen)
