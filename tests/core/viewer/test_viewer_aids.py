import unittest

import numpy as np

from escala.core.viewer.viewer_aids import (
    ABOVE,
    BELOW,
    apply_gamma,
    mark_ends,
    show_channel,
    show_stops,
    stop_colours,
)

WEIGHTS = (0.2722287, 0.6740818, 0.0536895)


class ViewerAidTest(unittest.TestCase):
    def test_each_stop_has_a_band_of_its_own_that_grows_lighter(self) -> None:
        stops = np.arange(-BELOW, ABOVE + 1)
        light = np.repeat((0.18 * 2.0**stops).astype(np.float32)[None, None], 3, axis=0)
        np.testing.assert_array_equal(show_stops(light, WEIGHTS)[0], stop_colours())
        lightness = stop_colours() @ np.array([0.2126, 0.7152, 0.0722])
        self.assertTrue((np.diff(lightness) > 0).all())
        self.assertEqual(len(set(stop_colours()[BELOW].tolist())), 1)

    def test_what_lies_beyond_the_bands_counts_at_their_ends(self) -> None:
        odd = np.array([0.0, -1.0, np.nan, 1e9], np.float32)
        shown = show_stops(np.repeat(odd[None, None], 3, axis=0), WEIGHTS)[0]
        np.testing.assert_array_equal(shown[:3], np.repeat(stop_colours()[:1], 3, axis=0))
        np.testing.assert_array_equal(shown[3], stop_colours()[-1])

    def test_a_channel_alone_is_grey(self) -> None:
        planes = np.arange(12, dtype=np.float32).reshape(3, 2, 2) / 12
        np.testing.assert_array_equal(show_channel(planes, "green"), np.repeat(planes[1:2], 3, axis=0))
        self.assertIs(show_channel(planes, "colour"), planes)

    def test_the_ends_of_the_screen_are_hatched_and_nothing_else(self) -> None:
        shown = np.full((3, 36, 12), 0.5, np.float32)
        shown[0, :12] = 1.2
        shown[:, 24:] = -0.1
        pixels = np.full((36, 12, 3), 128, np.uint8)
        marked = mark_ends(pixels, shown)
        self.assertEqual(set(np.unique(marked[:12])), {0, 255})
        np.testing.assert_array_equal(marked[12:24], pixels[12:24])
        self.assertEqual(set(np.unique(marked[24:])), {128, 160})

    def test_gamma_lifts_the_middle_and_keeps_the_ends(self) -> None:
        values = np.array([-0.5, 0.0, 0.25, 1.0], np.float32)
        np.testing.assert_allclose(apply_gamma(values, 2.0), [-0.5, 0.0, 0.5, 1.0])
        self.assertIs(apply_gamma(values, 1.0), values)
