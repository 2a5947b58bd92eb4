"""A light added from normals and positions: placed in the image, levelled on the board, removed."""

import numpy as np
from playwright.sync_api import expect

from tests.browser.in_image import ImageTest

STONES = (0.3, 0.93)


class AddedLightTest(ImageTest):
    def test_a_point_light_is_placed_levelled_and_removed(self) -> None:
        page = self.page
        self.go(page, "Balance")
        before = self.colour_at(page, STONES)
        page.get_by_role("button", name="Point", exact=True).click()
        row = page.get_by_role("button", name="Point 1", exact=False).first
        expect(row).to_be_visible()
        page.get_by_role("button", name="Place in the image").click()
        ruler = page.get_by_role("textbox", name="Position Y")
        at_first = ruler.input_value()
        x, y = self.place(page, STONES)
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x, y - 20, steps=4)
        page.mouse.up()
        expect(ruler).not_to_have_value(at_first)
        self.at_rest(page)
        lit = self.colour_at(page, STONES)
        self.assertGreater(float((lit - before).mean()), 6)
        page.get_by_role("button", name="Mute", exact=True).click()
        self.at_rest(page)
        np.testing.assert_allclose(self.colour_at(page, STONES), before, atol=3)
        page.get_by_role("button", name="Mute", exact=True).click()
        page.get_by_role("region", name="Added light").get_by_role("button", name="Remove").click()
        self.at_rest(page)
        np.testing.assert_allclose(self.colour_at(page, STONES), before, atol=3)
        self.assertEqual(page.get_by_role("button", name="Point 1").count(), 0)
