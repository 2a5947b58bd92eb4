"""The tasks of the demo that Depth and Lens are for: the lantern sharp by one click, mist, glow of the lamps."""

import re

import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.running import BrowserTest
from tests.browser.test_mattes import LANTERN, MatteTest
from tests.engine.depth.camera_shot import depth_passes
from tests.fixtures import write_layers

LAMP, BESIDE_LAMP, WINDOWS, FERRY, FLOOR = (0.078, 0.14), (0.112, 0.14), (0.6, 0.44), (0.55, 0.5), (0.15, 0.95)
MIDDLE, CORNER = (0.5, 0.5), (0.97, 0.96)


class CameraTaskTest(MatteTest):
    def sharpness(self, page: Page, at: tuple[float, float]) -> float:
        """How much neighbours differ around a place of the screen's picture."""
        self.colour_at(page, at)
        places = [self.share_of(page, (at[0] + dx, at[1])) for dx in np.linspace(-0.02, 0.02, 9)]
        values = np.array(self.pixels_at_rest(page, places), float)
        return float(np.abs(np.diff(values, axis=0)).mean())

    def words_of(self, page: Page, station: str) -> str:
        return page.get_by_role("navigation", name="Path").get_by_role("button", name=station).inner_text()

    def test_the_lantern_sharp_and_the_harbour_soft_by_one_click(self) -> None:
        page = self.page
        self.go(page, "Depth")
        expect(page.get_by_role("region", name="Depth pass settings")).to_contain_text("Planar (along camera axis)")
        before = self.sharpness(page, WINDOWS)
        page.mouse.move(*self.place(page, LANTERN))
        expect(page.locator(".named")).to_have_text(re.compile(r"^6\.5\d$"))
        self.point(page, LANTERN)
        expect(page.get_by_role("textbox", name="Focus distance, number")).to_have_value(re.compile(r"^6\.5\d$"))
        # At first sight 1% of the width: 3.2 px here.
        radius = page.get_by_role("textbox", name="Blur radius at infinity, number")
        expect(radius).to_have_value("3.2")
        self.at_rest(page)
        self.assertLess(self.sharpness(page, WINDOWS), 0.95 * before)
        self.type_level(page, "Blur radius at infinity", "9.2")
        self.assertIn("focus 6.5", self.words_of(page, "Depth"))
        self.assertLess(self.sharpness(page, WINDOWS), 0.7 * before)
        page.mouse.move(*self.place(page, FERRY))
        expect(page.locator(".named")).to_contain_text("blur radius")
        self.assertGreater(float(page.locator("[data-mark=circle]").get_attribute("r") or 0), 1.0)
        page.get_by_role("button", name="Undo").click()
        self.at_rest(page)

    def test_mist_deeper_at_the_harbour_mouth_by_pulling_a_line(self) -> None:
        page = self.page
        self.go(page, "Depth")
        page.get_by_role("button", name="Set haze range").click()
        near, far = self.colour_at(page, FLOOR), self.colour_at(page, WINDOWS)
        page.mouse.move(*self.place(page, LANTERN))
        page.mouse.down()
        page.mouse.move(*self.place(page, (0.45, 0.6)), steps=4)
        page.mouse.move(*self.place(page, FERRY), steps=4)
        expect(page.locator(".named")).to_contain_text("→")
        page.mouse.up()
        self.at_rest(page)
        self.assertIn("haze", self.words_of(page, "Depth"))
        expect(page.get_by_role("region", name="Haze")).to_contain_text("50% at")
        self.assertGreater(np.abs(self.colour_at(page, WINDOWS) - far).max(), 15)
        self.assertLess(np.abs(self.colour_at(page, FLOOR) - near).max(), 6)

    def test_the_lamps_glow_and_a_threshold_is_marked_while_it_is_set(self) -> None:
        page = self.page
        self.go(page, "Lens")
        before = self.colour_at(page, BESIDE_LAMP)
        page.get_by_role("button", name="Glow", exact=True).click()
        self.type_level(page, "Amount", "2")
        self.assertGreater((self.colour_at(page, BESIDE_LAMP) - before).sum(), 20)
        self.assertIn("glow", self.words_of(page, "Lens"))
        # Its rim in the picture is its size.
        page.mouse.move(*self.place(page, (0.5 + 64 / 320, 0.5)))
        page.mouse.down()
        page.mouse.move(*self.place(page, (0.5 + 40 / 320, 0.5)), steps=3)
        page.mouse.move(*self.place(page, (0.5 + 32 / 320, 0.5)), steps=3)
        page.mouse.up()
        self.at_rest(page)
        size = float(page.get_by_role("textbox", name="Size, number").input_value())
        self.assertAlmostEqual(size, 32.0, delta=2.0)
        ruler = page.get_by_role("slider", name="Threshold").bounding_box()
        assert ruler
        lamp = self.colour_at(page, LAMP)
        page.mouse.move(ruler["x"] + 90, ruler["y"] + 12)
        page.mouse.down()
        page.mouse.move(ruler["x"] + 60, ruler["y"] + 12, steps=3)
        page.wait_for_function("() => document.querySelector('[aria-label=\"Threshold, number\"]').value !== '0'")
        page.mouse.up()
        self.at_rest(page)
        self.assertLess(np.abs(self.colour_at(page, LAMP) - lamp).max(), 40)

    def test_a_vignette_is_placed_in_the_picture(self) -> None:
        page = self.page
        self.go(page, "Lens")
        corner = self.colour_at(page, CORNER)
        page.get_by_role("button", name="Vignette", exact=True).click()
        self.type_level(page, "Amount at edge", "-3")
        self.assertLess(self.colour_at(page, CORNER).sum(), 0.75 * corner.sum())
        page.mouse.move(*self.place(page, MIDDLE))
        page.mouse.down()
        page.mouse.move(*self.place(page, (0.7, 0.7)), steps=3)
        page.mouse.move(*self.place(page, (0.85, 0.85)), steps=3)
        page.mouse.up()
        self.at_rest(page)
        self.assertGreater(self.colour_at(page, CORNER).sum(), 0.85 * corner.sum())
        self.assertEqual(page.locator("[data-handle=middle]").count(), 1)
        for effect, field, to in (("Grain", "Size", "2.5"), ("Dirt", "Amount", "1.8")):
            page.get_by_role("button", name=effect, exact=True).click()
            self.type_level(page, field, to)
            box = page.locator(f"[data-handle={field.lower()}]").bounding_box()
            assert box
            page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
            page.mouse.down()
            page.mouse.move(box["x"] + 60, box["y"] + 4, steps=3)
            page.mouse.up()
            self.at_rest(page)
            moved = page.get_by_role("textbox", name=f"{field}, number").input_value()
            self.assertGreater(float(moved), float(to))
            page.get_by_role("switch", name=f"{effect} on").click()
        page.get_by_role("switch", name="Vignette on").click()
        self.at_rest(page)
        self.assertLess(np.abs(self.colour_at(page, CORNER) - corner).max(), 3)


# An edit of another client: a lens that blurs everything as far as can be.
WIDE_OPEN = """() => fetch(`/api/variants/${location.pathname.split('/')[3]}/edits`, {
    method: 'POST', headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ base: 0, label: 'wide open', patch: [{ op: 'add', path: '/depth/defocus',
      value: { on: true, aperture: 4000, limit_px: 512 } }] }) })"""


class LongPictureTest(BrowserTest):
    def test_an_exact_picture_that_takes_long_is_reported_stopped_and_requested_again(self) -> None:
        page = self.page
        self.open_file(page, write_layers(self.media / "wide.exr", depth_passes(1800, 3000), np.float32))
        canvas, foot = page.locator("canvas").first, page.get_by_role("contentinfo")
        self.go(page, "Depth")
        page.evaluate(WIDE_OPEN)
        expect(page.get_by_role("textbox", name="Max blur radius, number")).to_have_value("512")
        before = canvas.bounding_box()
        page.get_by_role("button", name="1:1").click()
        expect(foot).to_contain_text(re.compile(r"Exact image, \w+, \d+"))
        self.assertEqual(canvas.bounding_box(), before)  # what is told takes no room of the picture
        foot.get_by_role("button", name="Stop").click()
        expect(foot).to_contain_text("Exact image stopped")
        foot.get_by_role("button", name="Render exact image").click()
        expect(foot).to_contain_text("Exact image")
        page.get_by_role("button", name="fit").click()
        self.at_rest(page)
        expect(foot).to_contain_text(re.compile(r"Exact, \d+ ms"))
