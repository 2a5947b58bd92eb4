"""The board: several chosen move together, locked ones stay; with Alt a component, with Ctrl an object is changed."""

import numpy as np
from playwright.sync_api import expect

from tests.browser.in_image import ImageTest

CRATES, STONES = (0.74, 0.75), (0.3, 0.93)


class BoardGestureTest(ImageTest):
    def setUp(self) -> None:
        super().setUp()
        self.go(self.page, "Balance")
        self.at_rest(self.page)

    def head(self, name: str):
        return self.page.locator(".head-cell", has_text=name).first

    def drag(self, name: str, by: float) -> None:
        box = self.head(name).bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + by, y, steps=4)
        self.page.mouse.up()
        self.at_rest(self.page)

    def test_chosen_together_they_move_together_and_a_locked_one_stays(self) -> None:
        self.head("Beacon").click()
        self.head("Moon").click(modifiers=["Control"])
        self.head("Cabin").click(modifiers=["Control"])
        self.drag("Moon", 48)
        for name in ("Beacon", "Moon", "Cabin"):
            expect(self.head(name)).to_contain_text("+1.00")
        expect(self.head("Sky")).not_to_contain_text("+1.00")
        self.page.get_by_role("button", name="Undo").click()
        expect(self.head("Moon")).not_to_contain_text("+1.00")
        self.head("Moon").click()
        self.page.get_by_role("button", name="Lock", exact=True).click()
        self.drag("Moon", 96)
        expect(self.head("Moon")).to_contain_text("locked 0")
        self.page.get_by_role("button", name="Lock", exact=True).click()
        self.drag("Moon", 96)
        expect(self.head("Moon")).to_contain_text("+2.00")
        expect(self.head("Beacon")).not_to_contain_text("+2.00")

    def pull(self, at: tuple[float, float], key: str, up: float) -> None:
        x, y = self.place(self.page, at)
        self.page.mouse.move(x, y)
        self.page.keyboard.down(key)
        self.page.mouse.down()
        self.page.mouse.move(x, y - 10)
        self.page.mouse.move(x, y - up, steps=4)
        self.page.mouse.up()
        self.page.keyboard.up(key)
        expect(self.page.get_by_role("button", name="Undo")).to_be_enabled()
        self.at_rest(self.page)

    def test_with_control_only_the_object_changes(self) -> None:
        crates, stones = (self.colour_at(self.page, at) for at in (CRATES, STONES))
        self.pull(CRATES, "Control", 96)
        self.assertGreater(float((self.colour_at(self.page, CRATES) - crates).mean()), 4)
        np.testing.assert_allclose(self.colour_at(self.page, STONES), stones, atol=2)
        expect(self.page.get_by_role("complementary", name="Balance bench")).to_contain_text("crates")

    def test_with_alt_the_component_changes(self) -> None:
        before = self.colour_at(self.page, STONES)
        self.pull(STONES, "Alt", -96)
        self.assertLess(float((self.colour_at(self.page, STONES) - before).mean()), -4)
        changed = self.page.locator(".head-cell.across.changed")
        expect(changed).to_have_count(1)

    def test_a_light_is_shown_under_another_name(self) -> None:
        self.head("Cabin").click()
        self.page.get_by_role("button", name="Show Cabin under another name").click()
        field = self.page.get_by_role("textbox", name="Show light as")
        field.fill("Bridge windows")
        field.press("Enter")
        expect(self.head("Bridge windows")).to_be_visible()
        self.page.reload()
        self.at_rest(self.page)
        expect(self.head("Bridge windows")).to_be_visible()
        self.head("Bridge windows").click()
        self.page.get_by_role("button", name="Show Bridge windows under another name").click()
        field = self.page.get_by_role("textbox", name="Show light as")
        field.fill("")
        field.press("Enter")
        expect(self.head("Cabin")).to_be_visible()


class TouchTest(ImageTest):
    def test_two_fingers_zoom_the_image_and_one_changes_light(self) -> None:
        page = self.page
        self.go(page, "Balance")
        self.at_rest(page)
        cdp = page.context.new_cdp_session(page)
        x, y = self.place(page, (0.5, 0.5))

        def touch(kind: str, *places: tuple[float, float]) -> None:
            points = [{"x": px, "y": py, "id": index} for index, (px, py) in enumerate(places)]
            cdp.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})

        zoom = page.get_by_role("contentinfo")
        before = int(zoom.inner_text().split("%")[0].split()[-1])
        touch("touchStart", (x - 40, y), (x + 40, y))
        for by in (50, 60, 70, 80):
            touch("touchMove", (x - by, y), (x + by, y))
        touch("touchEnd")
        expect(zoom).not_to_contain_text(f"{before}%")
        after = int(zoom.inner_text().split("%")[0].split()[-1])
        self.assertAlmostEqual(after / before, 2.0, delta=0.1)
        page.get_by_role("button", name="Fit", exact=True).click()
        self.at_rest(page)
        x, y = self.place(page, STONES)
        touch("touchStart", (x, y))
        for by in (10, 40, 70, 96):
            touch("touchMove", (x, y - by))
        touch("touchEnd")
        expect(page.locator(".head-cell.chosen.changed")).to_contain_text("+2.00")
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()
