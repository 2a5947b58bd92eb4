"""Match: a reference is solved for, seen before it is applied, one edit; a pin becomes brighter with a light locked."""

import numpy as np
from playwright.sync_api import expect

from tests.browser.running import BrowserTest
from tests.fixtures import add_up, light, write_layers

KEY, FILL = light(25, 90, 160), light(26, 90, 160)


class MatchTest(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        passes = {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL}
        self.open_file(self.page, write_layers(self.media / "match.exr", passes))
        self.go(self.page, "Balance")
        self.at_rest(self.page)
        self.match = self.page.get_by_role("region", name="Match")
        self.match.get_by_role("button", name="To a reference, or to pins…").click()

    def test_a_reference_is_matched_in_one_edit(self) -> None:
        page, match = self.page, self.match
        reference = write_layers(self.media / "wanted.exr", {"": 2 * KEY + 0.25 * FILL}, np.float32)
        match.get_by_label("Reference picture", exact=True).set_input_files(reference)
        expect(match).to_contain_text("wanted")
        match.get_by_role("button", name="Solve").click()
        found = match.get_by_role("status")
        expect(found).to_contain_text("Key +1.00 stops")
        expect(found).to_contain_text("Fill −2.00 stops")
        expect(found).to_contain_text("100% nearer")
        # It is seen before it is applied, and not kept yet.
        expect(page.locator(".head-cell", has_text="Key")).to_contain_text("+1.00")
        expect(page.get_by_role("button", name="Undo")).to_be_disabled()
        found.get_by_role("button", name="Apply").click()
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()
        expect(page.locator(".head-cell", has_text="Fill")).to_contain_text("−2.00")
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("button", name="Undo")).to_be_disabled()

    def test_a_pin_becomes_brighter_with_a_light_locked(self) -> None:
        page, match = self.page, self.match
        box = page.locator("canvas").first.bounding_box()
        assert box
        page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        wish = match.get_by_role("group", name="Pin 1").get_by_role("textbox", name="Pin 1, number")
        wish.fill("0.5")
        wish.press("Enter")
        match.get_by_role("group", name="Locked lights").get_by_role("button", name="Fill").click()
        match.get_by_role("button", name="Solve").click()
        found = match.get_by_role("status")
        expect(found).to_contain_text("Key +")
        expect(found).not_to_contain_text("Fill")
        found.get_by_role("button", name="Discard").click()
        expect(page.locator(".head-cell", has_text="Key")).not_to_contain_text("+")
