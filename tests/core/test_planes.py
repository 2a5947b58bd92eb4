import unittest

import numpy as np

from escala.core.errors import PixelTypeError
from escala.core.planes import as_planes, narrow_to_half, widen_half

ALL_HALVES = np.arange(65536, dtype=np.uint16).view(np.float16)


class PixelTypeTest(unittest.TestCase):
    def test_every_half_widens_to_its_own_value(self) -> None:
        found, expected, known = widen_half(ALL_HALVES), ALL_HALVES.astype(np.float32), ~np.isnan(ALL_HALVES)
        np.testing.assert_array_equal(found[known].view(np.uint32), expected[known].view(np.uint32))
        self.assertTrue(np.isnan(found[~known]).all())

    def test_floats_round_to_the_nearest_half(self) -> None:
        bits = np.random.default_rng(1).integers(0, 2**32, 500_000, dtype=np.uint64).astype(np.uint32)
        edges = np.array([65519.9, 65520.0, 2**-24, 2**-25, 2**-14, -0.0, np.inf], np.float32)
        floats = np.concatenate([bits.view(np.float32), edges, ALL_HALVES.astype(np.float32)])
        with np.errstate(all="ignore"):
            expected = floats.astype(np.float16)
        known = ~np.isnan(floats)
        found = narrow_to_half(floats)
        np.testing.assert_array_equal(found[known].view(np.uint16), expected[known].view(np.uint16))
        self.assertTrue(np.isnan(found[~known]).all())

    def test_doubles_narrow_and_integers_are_refused(self) -> None:
        self.assertEqual(as_planes(np.zeros((2, 2))).dtype, np.float32)
        with self.assertRaisesRegex(PixelTypeError, "uint8"):
            as_planes(np.zeros((2, 2), np.uint8))
