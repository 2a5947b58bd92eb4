"""The tasks of the demo that mattes are for: hull band, emblem, lantern, crates; then drawn and joined mattes."""

import re

import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.in_image import ImageTest

BAND, SAIL, LANTERN, CRATES, STONES = (0.55, 0.536), (0.20, 0.36), (0.369, 0.81), (0.74, 0.75), (0.55, 0.95)
CANVAS = """() => { const c = document.querySelector('canvas'), s = document.createElement('canvas');
    s.width = 120; s.height = 80;
    const t = s.getContext('2d'); t.imageSmoothingEnabled = false; t.drawImage(c, 0, 0, 120, 80);
    return [...t.getImageData(0, 0, 120, 80).data] }"""


class MatteTest(ImageTest):
    def shelf_open(self, page: Page) -> None:
        expect(page.get_by_role("region", name="Mattes")).to_be_visible()
        self.at_rest(page)

    def chosen(self, page: Page, name: str) -> None:
        """Wait until a matte of this name is chosen, and its picture is there."""
        expect(page.get_by_role("textbox", name="Matte name")).to_have_value(name)
        self.at_rest(page)

    def done(self, page: Page) -> None:
        page.get_by_role("button", name="Close", exact=True).click()
        self.at_rest(page)


class TaskTest(MatteTest):
    def test_the_hull_band_by_pointing_at_it(self) -> None:
        page = self.page
        self.go(page, "Surface")
        page.get_by_role("button", name="Recolour").click()
        self.shelf_open(page)
        page.get_by_label("Names layer").select_option("CryptoMaterial")
        page.mouse.move(*self.place(page, BAND))
        expect(page.locator(".named")).to_have_text("hull_band")
        expect(page.locator("[data-outline=under]")).to_have_attribute("d", re.compile("^M"))
        before, stones = self.colour_at(page, BAND), self.colour_at(page, STONES)
        self.point(page, BAND)
        self.chosen(page, "hull_band")
        self.type_level(page, "Hue", "150")
        self.type_level(page, "Value", "3")
        self.done(page)
        after = self.colour_at(page, BAND)
        self.assertGreater(before[0], before[2])
        self.assertGreater(after[2], after[0] + 10)
        np.testing.assert_allclose(self.colour_at(page, STONES), stones, atol=3)
        expect(page.get_by_role("region", name="Recolour hull_band")).to_be_visible()

    def test_another_emblem_on_the_sail_and_then_the_second(self) -> None:
        page = self.page
        self.go(page, "Surface")
        page.get_by_role("button", name="Add label").click()
        self.shelf_open(page)
        self.point(page, SAIL)
        self.chosen(page, "sail")
        before = self.colour_at(page, SAIL)
        page.get_by_role("button", name="+ lighthouse.png").click()
        self.at_rest(page)
        lighthouse = self.colour_at(page, SAIL)
        page.get_by_role("button", name="+ gull.png").click()
        self.at_rest(page)
        gull = self.colour_at(page, SAIL)
        self.assertGreater(float(np.abs(lighthouse - before).max()), 8)
        self.assertGreater(float(np.abs(gull - lighthouse).max()), 8)
        page.get_by_role("button", name="lighthouse.png", exact=True).click()
        self.at_rest(page)
        np.testing.assert_allclose(self.colour_at(page, SAIL), lighthouse, atol=2)
        page.get_by_role("button", name="Move", exact=True).click()
        x, y = self.place(page, SAIL)
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 10, y + 6, steps=4)
        expect(page.get_by_role("slider", name="Offset U")).not_to_have_attribute("aria-valuenow", "0")
        page.mouse.up()
        self.at_rest(page)
        expect(page.get_by_role("slider", name="Offset U")).not_to_have_attribute("aria-valuenow", "0")

    def test_the_highlights_of_the_lantern_alone(self) -> None:
        page = self.page
        page.get_by_role("columnheader").get_by_role("button", name=re.compile("^Specular")).click()
        page.get_by_role("button", name="Matte: none").first.click()
        self.shelf_open(page)
        self.point(page, LANTERN)
        expect(page.get_by_role("textbox", name="Matte name")).to_have_value(re.compile("lantern"))
        self.colour_at(page, LANTERN)
        before = np.array(page.evaluate(CANVAS), float)
        self.type_level(page, "Level", "3")
        self.colour_at(page, LANTERN)
        changed = np.abs(np.array(page.evaluate(CANVAS), float) - before).reshape(-1, 4)[:, :3].max(axis=1) > 6
        self.assertGreater(int(changed.sum()), 1)
        self.assertLess(float(changed.mean()), 0.03)

    def test_the_crates_are_removed_and_restored(self) -> None:
        page = self.page
        self.go(page, "Beauty")
        before = self.colour_at(page, CRATES)
        page.get_by_role("button", name="Remove object").click()
        self.shelf_open(page)
        self.point(page, CRATES)
        expect(page.get_by_role("button", name="Restore")).to_be_visible()
        self.done(page)
        self.assertLess(self.colour_at(page, CRATES).sum(), 12)
        path = page.get_by_role("navigation", name="Path")
        expect(path.get_by_role("button", name="Beauty")).to_contain_text("1 removed")
        page.get_by_role("button", name="Restore").click()
        self.at_rest(page)
        np.testing.assert_allclose(self.colour_at(page, CRATES), before, atol=3)


class MatteListTest(MatteTest):
    def test_mattes_are_drawn_joined_renamed_and_removed(self) -> None:
        page = self.page
        page.get_by_role("button", name="Mattes", exact=True).click()
        self.shelf_open(page)
        page.get_by_role("button", name="Ellipse").click()
        x, y = self.place(page, (0.5, 0.5))
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 60, y + 40, steps=4)
        page.mouse.up()
        self.chosen(page, "ellipse")
        page.get_by_role("button", name="Shape").click()
        for corner in ((0.2, 0.2), (0.6, 0.2), (0.6, 0.8), (0.2, 0.8), (0.2, 0.2)):
            self.point(page, corner)
        self.chosen(page, "shape")
        page.get_by_role("group", name="Matte view").get_by_role("button", name="Matte only").click()
        self.at_rest(page)
        self.assertGreater(self.colour_at(page, (0.4, 0.4)).min(), 240)
        self.assertLess(self.colour_at(page, (0.9, 0.5)).max(), 15)
        tiles = page.get_by_role("region", name="Mattes").locator(".tile")
        expect(tiles).to_have_count(2)
        tiles.filter(has_text="ellipse").drag_to(tiles.filter(has_text="shape"))
        page.get_by_role("button", name="Subtract").click()
        self.chosen(page, "ellipse minus shape")
        self.assertLess(self.colour_at(page, (0.5, 0.5)).max(), 15)
        name = page.get_by_role("textbox", name="Matte name")
        name.fill("rest")
        name.press("Enter")
        self.chosen(page, "rest")
        tiles.filter(has_text="shape").click()
        page.get_by_role("button", name="Remove", exact=True).click()
        expect(page.locator(".warning")).to_contain_text("1 use: rest")
        page.get_by_role("button", name="Remove anyway").click()
        expect(tiles).to_have_count(2)
        tiles.filter(has_text="rest").click()
        self.at_rest(page)
        self.assertGreater(self.colour_at(page, (0.52, 0.52)).min(), 240)

    def test_names_are_typed_and_correction_kinds_are_seen(self) -> None:
        page = self.page
        self.go(page, "Finish")
        corrections = page.get_by_role("region", name="Corrections")
        expect(corrections.locator(".small").first).to_have_css("background-image", re.compile("blob:"))
        corrections.get_by_role("button", name="Tint", exact=True).click()
        self.at_rest(page)
        corrections.get_by_role("button", name="Matte: none").click()
        self.shelf_open(page)
        names = page.get_by_role("textbox", name="Names")
        names.fill("crat*")
        names.press("Enter")
        self.chosen(page, "crat*")
        expect(corrections.get_by_role("button", name=re.compile("^tint .* matte crat"))).to_be_visible()
        page.get_by_role("button", name="None (whole image)", exact=True).click()
        expect(corrections.get_by_role("button", name="Matte: none")).to_be_visible()
        corrections.get_by_role("textbox", name="Preset name").fill("evening")
        corrections.get_by_role("button", name="Save preset", exact=True).click()
        self.go(page, "Beauty")
        corrections.get_by_role("button", name="evening").click()
        expect(corrections.get_by_role("button", name=re.compile("^tint"))).to_be_visible()
