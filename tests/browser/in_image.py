"""Tests that act at places of the picture on the screen, each on a fresh variant of the demo's still."""

import numpy as np
from playwright.sync_api import Page

from tests.browser.running import TWO_FRAMES, DemoTest

MARGIN = 8


class ImageTest(DemoTest):
    """A page on the demo's still, without hints."""

    def setUp(self) -> None:
        super().setUp()
        for hint in self.page.get_by_role("button", name="Turn hints off").all():
            hint.click()

    def place(self, page: Page, at: tuple[float, float]) -> tuple[float, float]:
        """Where a share of the picture's width and height lies on the page."""
        box = page.locator("canvas").first.bounding_box()
        assert box
        scale = min((box["width"] - 2 * MARGIN) / 16, (box["height"] - 2 * MARGIN) / 9)
        left, top = box["x"] + box["width"] / 2 - 8 * scale, box["y"] + box["height"] / 2 - 4.5 * scale
        return left + at[0] * 16 * scale, top + at[1] * 9 * scale

    def share_of(self, page: Page, at: tuple[float, float]) -> tuple[float, float]:
        """The same as a share of the canvas's width and height."""
        box = page.locator("canvas").first.bounding_box()
        assert box
        x, y = self.place(page, at)
        return (x - box["x"]) / box["width"], (y - box["y"]) / box["height"]

    def colour_at(self, page: Page, at: tuple[float, float]) -> np.ndarray:
        """The colour on the screen, once the picture is drawn at its size and at rest.

        A canvas that grows is black all over, also beside the picture, where nothing else is.
        """
        seen: list[list[int]] = []
        for _ in range(200):
            colour, beside = self.pixels_at_rest(page, [self.share_of(page, at), (0.005, 0.5)])
            seen.append(colour)
            if len(seen) > 1 and seen[-1] == seen[-2] and sum(beside) > 0:
                break
            page.evaluate(TWO_FRAMES)
        return np.array(seen[-1], float)

    def point(self, page: Page, at: tuple[float, float]) -> None:
        page.mouse.click(*self.place(page, at))
