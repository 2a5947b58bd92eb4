"""What holds for any picture and any numbers, tried on many that nobody chose."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from escala.core.balance.levels import stops_to_gain
from escala.core.balance.mixing import mix_planes
from escala.core.beauty.folding import OPERATORS, Folded, fold_terms
from escala.core.beauty.proof import join_proofs, prove
from escala.core.colour.matrix import apply_matrix
from escala.core.colour.soft_view import LIMITS, soft_view
from escala.core.corrections.steps import cdl_step, gain_step
from escala.core.planes import narrow_to_half, widen_half
from escala.core.source.repairs import REPAIRS, repair_planes
from escala.core.surface.recolour import recolour, surface_change
from escala.core.viewer.pyramid import halve_box
from escala.core.viewer.scopes import count_columns
from tests.core.fixture_planes import corrected

LIGHT = st.floats(0, 64, width=32)
SIGNED = st.floats(-64, 64, width=32)
SHAPES = st.tuples(st.just(3), st.integers(1, 9), st.integers(1, 11))


def pictures(count: int, values: st.SearchStrategy[float] = LIGHT) -> st.SearchStrategy[list[np.ndarray]]:
    """So many pictures of one shape."""
    return SHAPES.flatmap(
        lambda shape: st.lists(hnp.arrays(np.float32, shape, elements=values), min_size=count, max_size=count)
    )


class SumTest(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(pictures(5), st.lists(st.floats(0, 8, width=32), min_size=15, max_size=15))
    def test_a_mix_is_the_sum_of_numpy_in_the_same_order(self, terms: list[np.ndarray], gains: list[float]) -> None:
        factors = np.array(gains, np.float32).reshape(5, 3)
        expected = np.zeros_like(terms[0])
        for term, factor in zip(terms, factors, strict=True):
            expected = expected + factor[:, None, None] * term
        np.testing.assert_allclose(mix_planes(terms, factors), expected, rtol=1e-6, atol=1e-6)

    @settings(max_examples=40, deadline=None)
    @given(pictures(3), st.sampled_from(OPERATORS))
    def test_folding_in_steps_is_folding_at_once(self, terms: list[np.ndarray], operator: str) -> None:
        one = np.ones(3, np.float32)
        folded = [Folded(terms[0], "add", one), *(Folded(term, operator, one) for term in terms[1:])]
        steps = fold_terms(folded[1:], fold_terms(folded[:1]))
        np.testing.assert_allclose(fold_terms(folded), steps, rtol=1e-5, atol=1e-4)

    @settings(max_examples=40, deadline=None)
    @given(pictures(2), st.integers(1, 8))
    def test_a_proof_of_bands_is_the_proof_of_the_whole(self, both: list[np.ndarray], rows: int) -> None:
        beauty, rebuilt = both
        bound = np.abs(beauty) * np.float32(2.0**-11)
        whole = prove(beauty, rebuilt, bound)
        tops = range(0, beauty.shape[1], rows)
        cuts = [(top, slice(top, top + rows)) for top in tops]
        parts = [
            (top, prove(*(np.ascontiguousarray(p[:, cut]) for p in (beauty, rebuilt, bound)))) for top, cut in cuts
        ]
        joined = join_proofs(parts)
        self.assertEqual((joined.outside, joined.max_abs, joined.exact), (whole.outside, whole.max_abs, whole.exact))
        expected = (np.abs(beauty.astype(np.float64) - rebuilt) > bound).any(axis=0).sum()
        self.assertEqual(whole.outside, int(expected))


class NumberTest(unittest.TestCase):
    @settings(max_examples=80, deadline=None)
    @given(hnp.arrays(np.uint16, st.integers(1, 400)))
    def test_any_half_survives_widening_and_narrowing(self, bits: np.ndarray) -> None:
        halves = bits.view(np.float16)
        back = narrow_to_half(widen_half(halves))
        known = ~np.isnan(halves)
        np.testing.assert_array_equal(back[known].view(np.uint16), bits[known])
        self.assertTrue(np.isnan(back[~known]).all())

    @settings(max_examples=60, deadline=None)
    @given(hnp.arrays(np.float32, st.integers(1, 300), elements=st.floats(width=32)))
    def test_narrowing_is_that_of_numpy(self, values: np.ndarray) -> None:
        with np.errstate(over="ignore"):
            np.testing.assert_array_equal(narrow_to_half(values), values.astype(np.float16))

    @settings(max_examples=40, deadline=None)
    @given(pictures(1, SIGNED), hnp.arrays(np.float32, (3, 3), elements=st.floats(-4, 4, width=32)))
    def test_a_matrix_acts_pixel_by_pixel(self, planes: list[np.ndarray], matrix: np.ndarray) -> None:
        expected = np.einsum("ij,jhw->ihw", matrix.astype(np.float64), planes[0])
        np.testing.assert_allclose(apply_matrix(planes[0], matrix), expected, rtol=1e-4, atol=1e-3)

    @settings(max_examples=40, deadline=None)
    @given(pictures(1))
    def test_halves_keep_the_mean_of_even_pictures(self, planes: list[np.ndarray]) -> None:
        even = np.repeat(np.repeat(planes[0][0], 2, axis=0), 2, axis=1)
        np.testing.assert_allclose(halve_box(even), planes[0][0], rtol=1e-6)


class CorrectionTest(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(pictures(1, SIGNED), st.floats(-8, 8))
    def test_exposure_there_and_back(self, planes: list[np.ndarray], stops: float) -> None:
        there, back = (gain_step(stops_to_gain(each)) for each in (stops, -stops))
        np.testing.assert_allclose(corrected(corrected(planes[0], there), back), planes[0], rtol=1e-5, atol=1e-5)

    @settings(max_examples=40, deadline=None)
    @given(pictures(1, SIGNED), st.floats(0, 3))
    def test_saturation_keeps_the_luminance(self, planes: list[np.ndarray], saturation: float) -> None:
        weights = np.array([0.2126, 0.7152, 0.0722])
        before = np.tensordot(weights, planes[0], axes=1)
        after = np.tensordot(weights, corrected(planes[0], cdl_step(saturation=saturation)), axes=1)
        np.testing.assert_allclose(after, before, rtol=1e-3, atol=1e-3)

    @settings(max_examples=60, deadline=None)
    @given(pictures(1, st.floats(width=32)), st.sampled_from(sorted(REPAIRS)))
    def test_no_repair_falls_on_any_value(self, planes: list[np.ndarray], how: str) -> None:
        with np.errstate(all="ignore"):
            repaired, changed = repair_planes(planes[0], how, (2.0, 1.0, 0.5))
        self.assertEqual((repaired.shape, repaired.dtype), (planes[0].shape, np.float32))
        self.assertTrue(0 <= changed <= planes[0][0].size)
        if how == "fill":
            self.assertTrue(np.isfinite(repaired).all())


class SurfaceProperty(unittest.TestCase):
    @given(pictures(1), st.floats(-180, 180), st.floats(0, 1), st.floats(0, 8))
    @settings(max_examples=60, deadline=None)
    def test_recolouring_keeps_what_it_does_not_change(
        self, pictures: list[np.ndarray], hue: float, saturation: float, value: float
    ) -> None:
        (planes,) = pictures
        # The largest channel is the value, however hue and saturation go.
        turned = recolour(planes, hue, saturation)
        np.testing.assert_allclose(turned.max(axis=0), planes.max(axis=0), rtol=1e-5, atol=1e-6)
        brighter = recolour(planes, 0, 1, value)
        np.testing.assert_allclose(brighter, planes * np.float32(value), rtol=2e-4, atol=2e-4)
        self.assertTrue(np.all(turned >= -1e-5))

    @given(pictures(1), st.floats(-180, 180))
    @settings(max_examples=60, deadline=None)
    def test_a_turn_and_its_opposite_are_none(self, pictures: list[np.ndarray], hue: float) -> None:
        (planes,) = pictures
        np.testing.assert_allclose(recolour(recolour(planes, hue), -hue), planes, rtol=1e-3, atol=1e-3)

    @given(pictures(3))
    @settings(max_examples=60, deadline=None)
    def test_the_light_that_fell_lights_the_changed_colour(self, pictures: list[np.ndarray]) -> None:
        lit, colour, changed = pictures
        again = lit * (1 + surface_change(colour, changed))
        bright = np.where(colour >= 1e-4, colour, 1.0)
        expected = np.where(colour >= 1e-4, lit.astype(np.float64) / bright * changed, lit)
        np.testing.assert_allclose(again, expected, rtol=1e-4, atol=1e-4 * float(lit.max()))


class ScopeProperty(unittest.TestCase):
    @given(pictures(1, SIGNED), st.integers(1, 12), st.integers(2, 64))
    @settings(max_examples=60, deadline=None)
    def test_every_value_is_counted_once_on_every_scale(
        self, pictures: list[np.ndarray], columns: int, rows: int
    ) -> None:
        (planes,) = pictures
        columns = min(columns, planes.shape[2])
        self.assertEqual(int(count_columns(planes, columns, rows, "display").sum()), planes.size)
        self.assertEqual(int(count_columns(planes, columns, rows, "stops").sum()), int((planes > 0).sum()))


class SoftViewProperty(unittest.TestCase):
    @given(hnp.arrays(np.float64, (7, 3), elements=st.floats(-4, 4096)))
    @settings(max_examples=80, deadline=None)
    def test_any_light_lands_on_the_screen(self, scene: np.ndarray) -> None:
        for gamut in LIMITS:
            shown = soft_view(scene, gamut)
            self.assertTrue(np.all((shown >= 0) & (shown <= 1)))

    @given(st.floats(1e-4, 1000), st.floats(1.01, 4))
    @settings(max_examples=80, deadline=None)
    def test_more_light_of_one_grey_is_lighter(self, level: float, times: float) -> None:
        pair = soft_view(np.array([[level] * 3, [level * times] * 3]), "Rec.709")
        self.assertTrue(np.all(pair[1] > pair[0]))
