import unittest

import numpy as np

from escala.core.balance.mixing import channel_means, mix_planes, mix_stored
from escala.core.errors import ShapeError
from tests.fixtures import light


class MixTest(unittest.TestCase):
    def test_the_sum_has_the_bits_of_the_plain_loop(self) -> None:
        for count in (1, 3, 4, 9):
            with self.subTest(count=count):
                terms = [light(i, 33, 65) for i in range(count)]
                gains = np.random.default_rng(0).random((count, 3)).astype(np.float32)
                expected = np.zeros_like(terms[0])
                for term, gain in zip(terms, gains, strict=True):
                    expected += gain[:, None, None] * term
                np.testing.assert_array_equal(mix_planes(terms, gains), expected)

    def test_a_moved_light_costs_one_multiply_add(self) -> None:
        base, term = light(1), light(2)
        gain = np.array([2.0, 0.5, 0.0], np.float32)
        np.testing.assert_array_equal(mix_planes([term], gain, base), base + gain[:, None, None] * term)

    def test_shapes_must_agree(self) -> None:
        with self.assertRaisesRegex(ShapeError, "24, 32"):
            mix_planes([light(1), light(2, 8, 8)], np.ones((2, 3)))
        with self.assertRaises(ShapeError):
            mix_planes([], np.ones((0, 3)))

    def test_halves_are_summed_as_they_are_stored(self) -> None:
        rng = np.random.default_rng(2)
        for count in (1, 3, 4, 9):
            stored = [light(i, 34, 65).astype(np.float16) for i in range(count)]
            stored[0][0, 0, :3] = (0.0, -6e-8, -1.5)
            views = [planes[:, 3:31, 5:60] for planes in stored]
            gains = rng.normal(size=(count, 3)).astype(np.float32)
            for matrices in (gains[:, :, None] * np.eye(3), rng.normal(size=(count, 3, 3))):
                expected = sum(
                    np.einsum("ab,bhw->ahw", matrix, planes.astype(np.float64))
                    for matrix, planes in zip(matrices, views, strict=True)
                )
                np.testing.assert_allclose(mix_stored(views, matrices), expected, atol=2e-5)
        with self.assertRaisesRegex(ShapeError, "as stored"):
            mix_stored([stored[0], views[0]], np.ones((2, 3, 3)))

    def test_means_leave_out_what_is_not_finite(self) -> None:
        planes = np.ones((3, 2, 2), np.float32)
        planes[0, 0, 0] = np.nan
        np.testing.assert_array_equal(channel_means(planes), [1, 1, 1])
