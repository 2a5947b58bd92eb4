import unittest

import numpy as np
import PyOpenColorIO as ocio

from escala.core.beauty.residual_causes import Cause, find_causes
from escala.core.colour.gamuts import gamut_matrix
from escala.core.colour.transfer import srgb_decode, srgb_encode
from tests.fixtures import add_up, light

PASSES = {name: light(seed) for seed, name in enumerate(("key", "fill", "rim", "glow"))}


def causes_of(beauty: np.ndarray, terms: list[str], unused: list[str] | None = None) -> list[Cause]:
    rebuilt = add_up(*(PASSES[name] for name in terms))
    left = {name: PASSES[name] for name in unused or [] if name not in terms}
    return find_causes(beauty, rebuilt, left, {name: PASSES[name] for name in terms})


class CauseTest(unittest.TestCase):
    def test_a_pass_left_out_is_named(self) -> None:
        beauty = add_up(*PASSES.values())
        first = causes_of(beauty, ["key", "fill", "rim"], ["glow"])[0]
        self.assertEqual((first.code, first.subject), ("missing_term", "glow"))
        self.assertGreater(first.explained, 0.999)

    def test_a_part_of_a_pass_is_reported_as_such(self) -> None:
        beauty = add_up(PASSES["key"], PASSES["fill"] * np.float32(0.5))
        first = causes_of(beauty, ["key"], ["fill"])[0]
        self.assertEqual((first.code, first.subject, first.is_whole), ("missing_term", "fill", False))
        self.assertIn("times 0.5", first.message)

    def test_a_pass_counted_twice_is_named(self) -> None:
        beauty = add_up(PASSES["key"], PASSES["fill"])
        first = causes_of(beauty, ["key", "fill", "rim"])[0]
        self.assertEqual((first.code, first.subject), ("counted_twice", "rim"))

    def test_an_exposure_and_a_white_balance_are_distinguished(self) -> None:
        total = add_up(PASSES["key"], PASSES["fill"])
        exposed = causes_of(total * np.float32(1.3), ["key", "fill"])[0]
        self.assertEqual(exposed.code, "constant_factor")
        self.assertIn("exposure", exposed.message)
        balanced = causes_of(total * np.array([1.2, 1.0, 0.7], np.float32)[:, None, None], ["key", "fill"])[0]
        np.testing.assert_allclose(balanced.numbers, [1.2, 1.0, 0.7], rtol=1e-3)
        self.assertIn("white balance", balanced.message)

    def test_beside_a_cause_that_explains_all_no_weaker_one_is_offered(self) -> None:
        total = add_up(PASSES["key"], PASSES["fill"])
        for factor in ((1.15, 1.0, 0.85), (1.02, 1.0, 0.97), (1.6, 1.0, 0.6)):
            causes = causes_of(total * np.array(factor, np.float32)[:, None, None], ["key", "fill"])
            self.assertEqual([cause.code for cause in causes], ["constant_factor"])

    def test_a_wrong_gamut_is_named(self) -> None:
        total = add_up(PASSES["key"], PASSES["fill"])
        beauty = np.einsum("ij,jhw->ihw", gamut_matrix("Rec.709", "AP1"), total).astype(np.float32)
        first = causes_of(beauty, ["key", "fill"])[0]
        self.assertEqual((first.code, first.subject), ("wrong_colour_space", "Rec.709 to AP1"))

    def test_an_encoded_beauty_and_a_clamped_one_are_named(self) -> None:
        total = add_up(PASSES["key"], PASSES["fill"])
        self.assertEqual(causes_of(srgb_encode(total).astype(np.float32), ["key", "fill"])[0].code, "encoded_beauty")
        bright = np.where(total > np.quantile(total, 0.9), total * 4, total * np.float32(0.2)).astype(np.float32)
        codes = [c.code for c in find_causes(np.minimum(bright, 1), bright, {}, {})]
        self.assertIn("clamped_beauty", codes)

    def test_encoded_passes_and_screen_are_named(self) -> None:
        small = [light(seed, top=0.9) for seed in (1, 2)]
        encoded = {str(i): srgb_encode(p).astype(np.float32) for i, p in enumerate(small)}
        first = find_causes(add_up(*small), add_up(*encoded.values()), {}, encoded)[0]
        self.assertEqual(first.code, "encoded_passes")
        terms = {str(i): p for i, p in enumerate(small)}
        screened = small[0] + small[1] - small[0] * small[1]
        self.assertEqual(find_causes(screened, add_up(*small), {}, terms)[0].code, "screened")

    def test_an_unexplained_difference_names_nothing(self) -> None:
        rng = np.random.default_rng(5)
        beauty = add_up(PASSES["key"]) + rng.normal(0, 1, PASSES["key"].shape).astype(np.float32)
        self.assertEqual(causes_of(beauty, ["key"], ["glow"]), [])


class CurveTest(unittest.TestCase):
    def test_gamut_matrices_are_those_of_opencolorio(self) -> None:
        config = ocio.Config.CreateFromBuiltinConfig("cg-config-v2.1.0_aces-v1.3_ocio-v2.3")
        processor = config.getProcessor("Linear Rec.709 (sRGB)", "ACEScg").getDefaultCPUProcessor()
        for colour in np.eye(3):
            expected = np.array(processor.applyRGB(list(colour)))
            np.testing.assert_allclose(gamut_matrix("Rec.709", "AP1") @ colour, expected, atol=2e-4)

    def test_the_srgb_curve_goes_there_and_back(self) -> None:
        values = np.linspace(0, 1, 101)
        np.testing.assert_allclose(srgb_decode(srgb_encode(values)), values, atol=1e-6)
        self.assertAlmostEqual(float(srgb_encode(np.array(0.18))), 0.46135613, places=6)
