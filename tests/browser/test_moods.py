"""Moods: all variants as images with one zoom, a difference taken over, a state of the history, balance presets."""

import json

from playwright.sync_api import Response, expect

from tests.browser.running import BrowserTest
from tests.fixtures import add_up, light, write_layers

KEY, FILL = light(15, 90, 160), light(16, 90, 160)


class MoodsTest(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        passes = {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL}
        self.open_file(self.page, write_layers(self.media / "moods.exr", passes))
        self.go(self.page, "Balance")
        self.at_rest(self.page)

    def set_level(self, value: str) -> None:
        field = self.page.get_by_role("region", name="Fill", exact=True).get_by_role("textbox", name="Level, number")
        field.fill(value)
        field.press("Enter")
        self.at_rest(self.page)

    def test_a_difference_is_taken_over_and_the_history_becomes_a_variant(self) -> None:
        page = self.page
        self.set_level("-2")
        page.get_by_role("button", name="Variants").click()
        page.get_by_role("menuitem", name="Duplicate").click()
        expect(page.get_by_role("button", name="Variant 1 copy")).to_have_attribute("aria-pressed", "true")
        self.set_level("1")
        page.keyboard.press("Escape")
        page.locator("canvas").first.focus()
        answers: list[str] = []

        def note(answer: Response) -> None:
            if '"viewer":"mood' in (answer.request.post_data or ""):
                answers.append(answer.headers["content-type"])

        page.on("response", note)
        page.keyboard.press("v")
        moods = page.get_by_role("region", name="Moods")
        first = moods.get_by_role("article", name="Variant 1", exact=True)
        expect(first).to_contain_text("Fill −2 stops")
        expect(moods.get_by_role("article", name="Variant 1 copy")).to_contain_text("the current variant")
        images, exact = moods.get_by_role("img"), moods.locator(".image[data-settled=true]")
        expect(images).to_have_count(2)
        expect(exact).to_have_count(2)
        page.remove_listener("response", note)
        self.assertEqual(sorted(answers), ["image/jpeg"] * 2 + ["image/png"] * 2)
        self.assertEqual(images.first.evaluate("image => image.naturalWidth"), 160)  # enlarged smoothly
        before = [image.get_attribute("src") or "" for image in images.all()]
        box = first.get_by_role("img").bounding_box()
        assert box
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.wheel(0, -100)
        expect(moods.get_by_role("button", name="Fit")).to_be_enabled()
        for image, source in zip(images.all(), before, strict=True):
            expect(image).not_to_have_attribute("src", source)
        expect(exact).to_have_count(2)
        seen_closely = images.first.evaluate("image => image.naturalWidth")
        self.assertGreater(seen_closely, 160)  # what is looked into shows its pixels
        first.get_by_role("button", name="Fill −2 stops").click()
        expect(first).to_contain_text("the same as the current variant")
        moods.get_by_role("button", name="Close").click()
        field = page.get_by_role("region", name="Fill", exact=True).get_by_role("textbox", name="Level, number")
        expect(field).to_have_value("−2.00")
        page.get_by_role("button", name="History").click()
        history = page.get_by_role("complementary", name="History")
        history.get_by_role("listitem").nth(1).get_by_role("button", name="New variant").click()
        expect(page.get_by_role("group", name="Variants").get_by_role("button")).to_have_count(4)
        expect(field).to_have_value("+1.00")

    def test_levels_are_kept_as_a_preset_and_applied_here_and_on_another_shot(self) -> None:
        page = self.page
        self.set_level("-2")
        page.get_by_role("button", name="Presets…").click()
        presets = page.get_by_role("region", name="Balance presets")
        presets.get_by_role("textbox", name="Balance preset name").fill("Calm fill")
        presets.get_by_role("button", name="Save levels").click()
        expect(presets).to_contain_text("Calm fill")
        self.set_level("1")
        presets.get_by_role("button", name="Apply Calm fill").click()
        expect(presets.get_by_role("status")).to_contain_text("Calm fill: 1 level applied; 1 left as they are.")
        field = page.get_by_role("region", name="Fill", exact=True).get_by_role("textbox", name="Level, number")
        expect(field).to_have_value("−2.00")
        page.get_by_role("button", name="Undo").click()
        expect(field).to_have_value("+1.00")
        with page.expect_download() as download:
            presets.get_by_role("link", name="Save as file").click()
        self.assertEqual(json.loads(download.value.path().read_text())["lights"]["fill"]["stops"], -2)
        self.assert_accessible(page, "balance presets")
        page.locator("canvas").first.focus()
        page.keyboard.press("v")
        moods = page.get_by_role("region", name="Moods")
        moods.get_by_role("button", name="Apply balance to shots…").click()
        moods.get_by_role("combobox", name="Levels of").select_option("Calm fill")
        moods.get_by_role("checkbox", name="Night quay").check()
        moods.get_by_role("button", name="Apply", exact=True).click()
        expect(moods.get_by_role("status")).to_contain_text("Night quay: 0 levels found; unresolved: Fill")
        shot = moods.get_by_role("checkbox", name="Night quay")
        with page.expect_response("**/balance/apply"):
            moods.get_by_role("button", name="Variant 1", exact=True).drag_to(shot)
        expect(moods.get_by_role("status")).to_contain_text("Night quay: 0 levels found; unresolved: Fill")
        moods.get_by_role("button", name="Close").click()
        made = page.evaluate("fetch('/api/shots/1').then((answer) => answer.json())")["variants"]
        self.assertEqual([one["name"] for one in made][-2:], ["Calm fill", "Variant 1 2"])
        presets.get_by_role("button", name="Remove Calm fill").click()
        expect(presets).to_contain_text("none yet")
