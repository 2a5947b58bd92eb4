"""Values over time: the beacon timed by a pulse, converted to keys; a key set by a ruler, moved on the frame strip."""

import re

import numpy as np
from playwright.sync_api import Locator, expect

from tests.browser.running import BrowserTest
from tests.fixtures import add_up, light, write_layers

KEY, FILL = light(5, 48, 64), light(6, 48, 64)


class TimeTest(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        for number in range(1, 9):
            passes = {"": add_up(KEY, FILL), "lg_beacon": KEY, "lg_cabin": FILL}
            write_layers(self.media / f"timed.{number:04d}.exr", passes)
        self.open_file(self.page, self.media / "timed.####.exr")
        self.go(self.page, "Balance")
        self.at_rest(self.page)

    def look_at(self, frame: int) -> np.ndarray:
        """The picture at a frame, as values of the screen in the middle."""
        strip = self.page.get_by_role("slider", name="Frame")
        strip.focus()
        strip.press("Home")
        for _ in range(frame - 1):
            strip.press("ArrowRight")
        expect(strip).to_have_attribute("aria-valuenow", str(frame))
        places = [(x, y) for x in (0.4, 0.5, 0.6) for y in (0.4, 0.6)]
        return np.array(self.pixels_at_rest(self.page, places), float)

    def test_the_beacon_is_timed_and_its_keys_are_moved(self) -> None:
        page = self.page
        plain = self.look_at(1)
        page.get_by_role("button", name="Over time", exact=True).click()
        page.get_by_role("combobox", name="Add a moving value").click()
        page.get_by_role("option", name="Beacon, level", exact=True).click()
        curve = page.get_by_role("region", name="Beacon, level, over time")
        expect(curve).to_be_visible()
        curve.get_by_role("button", name="Pulse").click()
        for label, number in (("Low", "-8"), ("Period", "4"), ("Phase", "1"), ("Soft", "0")):
            field = curve.get_by_role("textbox", name=f"{label}, number")
            field.fill(number)
            field.press("Enter")
        lane = page.get_by_role("region", name="Lanes").get_by_role("button", name="Beacon, level")
        expect(lane).to_contain_text("pulse: 50% of 4 frames")
        lit, dark = self.look_at(2), self.look_at(3)
        np.testing.assert_allclose(lit, plain, atol=3)
        self.assertGreater(float((lit - dark).mean()), 20)
        expect(lane).to_contain_text("−8")
        expect(page.get_by_role("button", name="Beacon", exact=False).first).to_contain_text("−8")
        curve.get_by_role("button", name="Convert to keys").click()
        expect(lane).to_contain_text("keys")
        np.testing.assert_allclose(self.look_at(3), dark, atol=2)

    def test_a_ruler_sets_keys_and_the_strip_moves_them(self) -> None:
        page = self.page
        self.look_at(2)
        page.get_by_role("button", name="Level over time").focus()
        page.get_by_role("button", name="Level over time").press("Enter")
        curve = page.get_by_role("region", name="Beacon, level, over time")
        expect(curve.get_by_role("textbox", name="Frame of key 1")).to_have_value("2")
        self.look_at(6)
        level = page.get_by_role("region", name="Beacon", exact=True).get_by_role("textbox", name="Level, number")
        level.fill("-6")
        level.press("Enter")
        expect(curve.get_by_role("textbox", name="Frame of key 2")).to_have_value("6")
        expect(curve.get_by_role("textbox", name="Value of key 2")).to_have_value("−6.00")
        dark = self.look_at(6)
        self.assertGreater(float((self.look_at(2) - dark).mean()), 20)
        expect(level).to_have_value("0")
        handle = page.get_by_title("Key at frame 6: drag to another frame")
        box, ticks = handle.bounding_box(), page.locator(".ticks").bounding_box()
        assert box and ticks
        y = box["y"] + box["height"] / 2
        page.mouse.move(box["x"] + box["width"] / 2, y)
        page.mouse.down()
        page.mouse.move(ticks["x"] + ticks["width"] * 3 / 7, y, steps=5)
        page.mouse.up()
        expect(curve.get_by_role("textbox", name="Frame of key 2")).to_have_value("4")
        np.testing.assert_allclose(self.look_at(4), dark, atol=2)
        curve.get_by_role("button", name="Stop moving").click()
        expect(curve).to_have_count(0)

    def test_keys_of_several_lanes_are_boxed_moved_and_removed_together(self) -> None:
        page = self.page
        variant = int(re.search(r"/shots/\d+/(\d+)", page.url)[1])
        keys = [{"frame": frame, "value": value} for frame, value in ((2, 0), (5, -4))]
        curves = {f"balance/lights/{light}/stops": {"kind": "keys", "keys": keys} for light in ("beacon", "cabin")}
        edit = {"base": 0, "patch": [{"op": "add", "path": "/curves", "value": curves}], "label": "keys"}
        self.api(f"/api/variants/{variant}/edits", edit)

        def frames() -> list[list[float]]:
            document = self.api(f"/api/variants/{variant}")["document"]
            return [[key["frame"] for key in document["curves"][name]["keys"]] for name in curves]

        page.get_by_role("button", name="Over time", exact=True).click()
        chart = page.get_by_role("img", name="Curves of the lanes")
        handles = chart.locator(".key")
        expect(handles).to_have_count(4)
        page.get_by_role("button", name="Select keys").click()
        self.drag_box(handles.nth(1), handles.nth(3))
        expect(chart.locator(".key.selected")).to_have_count(2)
        first, one = handles.nth(0).bounding_box(), handles.nth(1).bounding_box()
        assert first and one
        middle = one["x"] + one["width"] / 2, one["y"] + one["height"] / 2
        frame = (one["x"] - first["x"]) / 3
        page.mouse.move(*middle)
        page.mouse.down()
        page.mouse.move(middle[0] + 2 * frame, middle[1], steps=4)
        page.mouse.up()
        self.at_rest(page)
        self.assertEqual(frames(), [[2, 7], [2, 7]])
        expect(chart.locator(".key.selected")).to_have_count(2)
        chart.focus()
        chart.press("ArrowLeft")
        self.at_rest(page)
        self.assertEqual(frames(), [[2, 6], [2, 6]])
        page.get_by_role("button", name="Undo").click()
        self.at_rest(page)
        self.assertEqual(frames(), [[2, 7], [2, 7]])
        head = self.api(f"/api/variants/{variant}")["head"]
        chart.press("ArrowLeft")  # what was selected is not there any more
        handles.nth(1).click()
        self.at_rest(page)
        self.assertEqual(self.api(f"/api/variants/{variant}")["head"], head)
        page.get_by_role("button", name="Overlay").click()
        box = chart.bounding_box()
        assert box and box["height"] >= 120
        self.drag_box(handles.nth(1), handles.nth(3))  # they lie over each other
        expect(chart.locator(".key.selected")).to_have_count(2)
        chart.focus()
        chart.press("Delete")
        self.at_rest(page)
        self.assertEqual(frames(), [[2], [2]])

    def drag_box(self, first: Locator, last: Locator) -> None:
        """A box from above the one to below the other."""
        begin, end = first.bounding_box(), last.bounding_box()
        assert begin and end
        self.page.mouse.move(begin["x"] - 8, begin["y"] - 4)
        self.page.mouse.down()
        self.page.mouse.move(end["x"] + end["width"] + 8, end["y"] + end["height"] + 4, steps=4)
        self.page.mouse.up()
