import unittest

import numpy as np

from escala.core.errors import ShapeError
from escala.core.source.diagnostics import join_figures
from escala.core.source.intake_rows import FIGURES, split_band, split_plane
from escala.core.viewer.pyramid import halve_box, halve_nearest, level_count
from tests.core.fixture_planes import plane_figures
from tests.fixtures import light


class SplitBandTest(unittest.TestCase):
    def split(self, planes: np.ndarray, target: type, nearest: bool = False) -> tuple[np.ndarray, ...]:
        """Planes (C, H, W) interleaved, and split again with the channels in reverse."""
        count, rows, columns = planes.shape
        band = np.ascontiguousarray(planes.transpose(1, 2, 0))
        bits = np.uint16 if target == np.float16 else target
        full = np.zeros((count, rows, columns), bits)
        small = np.zeros((count, (rows + 1) // 2, (columns + 1) // 2), bits)
        figures = np.zeros((count, (rows + 1) // 2, FIGURES))
        given = band.view(np.uint16) if band.dtype == np.float16 else band
        order = np.arange(count, dtype=np.int32)[::-1].copy()
        split_band(given, order, np.full(count, nearest), 0, full, small, figures)
        return full.view(target)[::-1], small.view(target)[::-1], figures[::-1]

    def test_planes_and_halves_are_those_of_the_plain_way(self) -> None:
        for source, target in ((np.float16, np.float16), (np.float32, np.float32), (np.float32, np.float16)):
            for nearest in (False, True):
                with self.subTest(source=source, target=target, nearest=nearest):
                    planes = light(1, 7, 9).astype(source)
                    full, small, _ = self.split(planes, target, nearest)
                    np.testing.assert_array_equal(full, planes.astype(target))
                    halve = halve_nearest if nearest else halve_box
                    np.testing.assert_array_equal(small, [halve(plane) for plane in planes.astype(target)])

    def test_figures_leave_out_what_is_not_finite(self) -> None:
        planes = light(1, 6, 8).astype(np.float16) - np.float16(0.5)
        planes[0, 1, 1:3] = [np.nan, np.inf]
        _, _, figures = self.split(planes, np.float16)
        finite = planes[0][np.isfinite(planes[0])].astype(np.float64)
        low, high, mean, not_finite, negative = plane_figures(planes[0])
        self.assertEqual((low, high, not_finite, negative), (finite.min(), finite.max(), 2, (finite < 0).sum()))
        self.assertAlmostEqual(mean, finite.mean(), places=5)
        self.assertEqual(figures[0][:, 3].sum(), finite.size)

    def test_a_band_begins_at_an_even_row(self) -> None:
        none = np.zeros((0, 0, 0), np.float32)
        with self.assertRaisesRegex(ShapeError, "not at 3"):
            split_band(none, np.zeros(0, np.int32), np.zeros(0, np.bool_), 3, none, none, np.zeros((0, 0, FIGURES)))


class SplitPlaneTest(unittest.TestCase):
    """A whole plane gets the levels and figures of the plain way."""

    def split(self, plane: np.ndarray, nearest: bool) -> tuple[list[np.ndarray], np.ndarray]:
        bits = plane.view(np.uint16) if plane.dtype == np.float16 else plane
        shapes, (rows, columns) = [], plane.shape
        for _ in range(level_count(*plane.shape) - 1):
            rows, columns = (rows + 1) // 2, (columns + 1) // 2
            shapes.append((rows, columns))
        smaller = np.zeros(sum(r * c for r, c in shapes), bits.dtype)
        figures = np.zeros(((plane.shape[0] + 1) // 2, FIGURES))
        split_plane(bits, nearest, smaller, figures)
        ends = np.cumsum([r * c for r, c in shapes])
        parts = np.split(smaller.view(plane.dtype), ends[:-1]) if shapes else []
        return [part.reshape(shape) for part, shape in zip(parts, shapes, strict=True)], figures

    def test_levels_are_halves_of_halves(self) -> None:
        for kind in (np.float16, np.float32):
            for size in ((217, 385), (131, 2), (64, 64), (1, 300)):
                for nearest in (False, True):
                    with self.subTest(kind=kind, size=size, nearest=nearest):
                        plane = light(3, *size)[0].astype(kind)
                        levels, figures = self.split(plane, nearest)
                        self.assertEqual(len(levels), level_count(*size) - 1)
                        self.assertEqual(join_figures(figures[None], plane.size)[0][:2], plane_figures(plane)[:2])
                        for level in levels:
                            plane = halve_nearest(plane) if nearest else halve_box(plane)
                            np.testing.assert_array_equal(level, plane)

    def test_integers_keep_their_values(self) -> None:
        plane = np.random.default_rng(4).integers(0, 2**32, (77, 131), dtype=np.uint32)
        levels, figures = self.split(plane, False)
        for level, step in zip(levels, (2, 4), strict=True):
            np.testing.assert_array_equal(level, plane[::step, ::step])
        low, high, mean, not_finite, negative = join_figures(figures[None], plane.size)[0]
        self.assertEqual((low, high, not_finite, negative), (plane.min(), plane.max(), 0, 0))
        self.assertAlmostEqual(mean, plane.mean(), delta=1e-3)

    def test_planes_of_nothing_finite_have_no_range(self) -> None:
        plane = np.full((70, 65), np.nan, np.float32)
        plane[0, 0] = np.inf
        _, figures = self.split(plane, False)
        self.assertEqual(join_figures(figures[None], plane.size), [(0.0, 0.0, 0.0, plane.size, 0)])
