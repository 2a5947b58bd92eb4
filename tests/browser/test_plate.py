"""The tasks of the demo that the plate is for: another sky, its light matched, ropes merged, crates removed over it."""

import numpy as np
from playwright.sync_api import Locator, Page, expect

from tests.browser.in_image import ImageTest

SKY, HULL, CRATES, GULL = (0.45, 0.08), (0.55, 0.52), (0.74, 0.75), (0.302, 0.19)


class PlateTest(ImageTest):
    def setUp(self) -> None:
        super().setUp()
        self.go(self.page, "Plate")
        expect(self.page.get_by_role("region", name="CG")).to_be_visible()
        self.at_rest(self.page)

    def layer(self, name: str) -> None:
        """Add a layer by the name of its file, pass or render."""
        page = self.page
        page.get_by_role("button", name="Add a layer").click()
        page.get_by_role("button", name=name, exact=True).click()
        expect(page.get_by_role("group", name="Layers, seen from above")).to_contain_text("camera")
        self.at_rest(page)

    def summary(self) -> str:
        return self.page.get_by_role("navigation", name="Path").get_by_role("button", name="Plate").inner_text()

    def test_another_sky_and_its_light_matched_by_levels(self) -> None:
        page = self.page
        before, hull = self.colour_at(page, SKY), self.colour_at(page, HULL)
        page.get_by_role("button", name="Mute environment").click()
        self.layer("dawn_sky.exr")
        expect(page.get_by_role("region", name="dawn_sky.exr")).to_contain_text("2048 × 1024 · fill")
        expect(page.get_by_role("region", name="dawn_sky.exr")).to_contain_text("ACEScg")
        self.assertIn("2 layers", self.summary())
        sky = self.colour_at(page, SKY)
        self.assertGreater(float(np.abs(sky - before).max()), 12)
        self.assertLess(float(np.abs(self.colour_at(page, HULL) - hull).max()), 12)
        self.go(page, "Balance")
        self.light_head(page, "Sky").click()
        self.type_level(page, "Level", "3")
        brighter = self.colour_at(page, HULL)
        self.assertGreater(float((brighter - hull).mean()), 10)
        self.assertLess(float(np.abs(self.colour_at(page, SKY) - sky).max()), 6)

    def test_ropes_are_merged_by_depth(self) -> None:
        page = self.page
        before = self.colour_at(page, GULL)
        self.layer("Ropes and gulls")
        region = page.get_by_role("region", name="Ropes and gulls")
        expect(region).to_contain_text("merged by depth")
        expect(region).to_contain_text("are those of Balance")
        self.assertGreater(float(np.abs(self.colour_at(page, GULL) - before).max()), 12)
        page.get_by_role("switch", name="Ropes and gulls on").click()
        self.at_rest(page)
        np.testing.assert_allclose(self.colour_at(page, GULL), before, atol=2)
        expect(page.get_by_role("group", name="Layers, seen from above")).to_contain_text("off · render")

    def test_the_role_of_a_pass_of_the_further_render_is_corrected(self) -> None:
        page = self.page
        self.layer("Ropes and gulls")
        region = page.get_by_role("region", name="Ropes and gulls")
        expect(region).to_contain_text("matches")
        self.choose(region, "Pass of the further render", "depth · depth")
        self.choose(region, "Role of the pass", "other")
        expect(region).to_contain_text("It has no depth pass")
        region.get_by_role("button", name="Reset to detected").click()
        expect(region).not_to_contain_text("It has no depth pass")

    def choose(self, region: Locator, select: str, option: str) -> None:
        region.get_by_role("combobox", name=select).click()
        self.page.get_by_role("option", name=option, exact=True).click()

    def test_crates_are_removed_over_the_sky(self) -> None:
        page = self.page
        page.get_by_role("button", name="Mute environment").click()
        self.layer("dawn_sky.exr")
        before = self.colour_at(page, CRATES)
        self.go(page, "Beauty")
        page.get_by_role("button", name="Remove object").click()
        self.point(page, CRATES)
        expect(page.get_by_role("button", name="Restore")).to_be_visible()
        self.at_rest(page)
        after = self.colour_at(page, CRATES)
        self.assertGreater(float(np.abs(after - before).max()), 12)

    def test_a_picture_is_dragged_in_the_image_and_turned_by_number(self) -> None:
        page = self.page
        page.get_by_role("button", name="Mute environment").click()
        self.layer("dawn_sky.exr")
        page.get_by_label("Fit").select_option("actual")
        self.at_rest(page)
        x, y = self.place(page, (0.5, 0.5))
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 60, y + 25, steps=6)
        page.mouse.up()
        self.at_rest(page)
        moved = float(page.get_by_role("textbox", name="Position X, number").input_value().replace("+", ""))
        self.assertGreater(moved, 5)
        self.type_level(page, "Rotation", "20")
        page.get_by_role("button", name="Undo").click()
        self.at_rest(page)
        expect(page.get_by_role("textbox", name="Rotation, number")).to_have_value("0")

    def test_layers_go_nearer_and_farther(self) -> None:
        page = self.page
        self.layer("Solid")
        cg = self.colour_at(page, HULL)
        page.get_by_role("button", name="Nearer", exact=True).click()
        self.at_rest(page)
        grey = self.colour_at(page, HULL)
        self.assertLess(float(np.ptp(grey)), 4)
        self.assertGreater(float(np.abs(grey - cg).max()), 8)
        page.get_by_role("button", name="Remove", exact=True).click()
        self.at_rest(page)
        np.testing.assert_allclose(self.colour_at(page, HULL), cg, atol=2)
        self.assertIn("none", self.summary())

    def test_a_shadow_of_the_render_on_a_solid(self) -> None:
        page = self.page
        self.layer("Solid")
        self.layer("Shadow: shadow")
        region = page.get_by_role("region", name="Shadow")
        expect(region).to_contain_text("holds light, strength 1.00")
        self.type_level(page, "Strength", "40")
        expect(region).to_contain_text("strength 0.40")

    def test_keyboard_alone_adds_and_weakens_a_layer(self) -> None:
        page: Page = self.page
        page.get_by_role("button", name="Add a layer").focus()
        page.keyboard.press("Enter")
        page.get_by_role("button", name="Gradient", exact=True).focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("region", name="Gradient")).to_be_visible()
        self.at_rest(page)
        page.get_by_role("slider", name="Opacity").press("ArrowDown")
        self.at_rest(page)
        expect(page.get_by_role("textbox", name="Opacity, number")).to_have_value("95")
