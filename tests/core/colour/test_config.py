import unittest

import numpy as np

from escala.core.colour.baked_view import BakedView
from escala.core.colour.config import ColourConfig, View
from escala.core.errors import ColourError, UnknownChoice
from escala.media.configs import BUILTIN_CONFIGS, colour_config
from tests.fixtures import light


class ConfigTest(unittest.TestCase):
    def setUp(self) -> None:
        self.config = colour_config("ACES 2")

    def test_rec709_to_acescg_is_the_published_matrix(self) -> None:
        # Academy TB-2014-004 with the CAT02-free Bradford adaptation that the ACES configs use.
        found = self.config.matrix_between("Linear Rec.709 (sRGB)", "ACEScg")
        expected = [
            [0.61309732, 0.33952285, 0.04737928],
            [0.07019422, 0.91635557, 0.01345259],
            [0.02061560, 0.10956983, 0.86981512],
        ]
        np.testing.assert_allclose(found, expected, atol=2e-5)

    def test_equal_spaces_give_the_very_array(self) -> None:
        planes = light(1)
        self.assertIs(self.config.convert(planes, "ACEScg", "lin_ap1"), planes)

    def test_bands_and_threads_change_no_bit(self) -> None:
        planes = light(1, 200, 40)
        whole = self.config.display(planes, "ACEScg", self.config.default_view)
        part = self.config.display(np.ascontiguousarray(planes[:, 77:91]), "ACEScg", self.config.default_view)
        np.testing.assert_array_equal(whole[:, 77:91], part)

    def test_unknown_names_list_the_known(self) -> None:
        with self.assertRaisesRegex(UnknownChoice, "ACEScg"):
            self.config.space("nowhere")
        with self.assertRaisesRegex(UnknownChoice, "sRGB"):
            self.config.check_view(View("no display", "x"))
        with self.assertRaises(ColourError):
            colour_config("/no/such/config.ocio")


class BakedViewTest(unittest.TestCase):
    def test_it_stays_near_the_processor(self) -> None:
        rng = np.random.default_rng(4)
        bright = 2.0 ** rng.uniform(-9, 5, (1, 200, 300))
        planes = (bright * rng.uniform(0.25, 1.0, (3, 200, 300))).astype(np.float32)
        for name in BUILTIN_CONFIGS:
            with self.subTest(config=name):
                config = colour_config(name)
                scene = config.convert(planes, "Linear Rec.709 (sRGB)", "ACEScg")
                difference = self.difference(config, BakedView(config, "ACEScg", config.default_view), scene)
                self.assertLess(difference.mean(), 0.35)
                self.assertLess(np.mean(difference > 2), 1e-3)

    def test_refined_it_is_never_more_than_two_off(self) -> None:
        rng = np.random.default_rng(5)
        shape = (200, 1000)
        saturated = 2.0 ** rng.uniform(-8, 7, (1, *shape)) * rng.random((3, *shape)) ** 4
        negative = saturated - 0.01 * rng.random((3, *shape))
        config = colour_config("ACES 2")
        view = BakedView(config, "ACEScg", config.default_view)
        scenes = [scene.astype(np.float32) for scene in (saturated, negative)]
        self.assertGreater(self.difference(config, view, scenes[0]).max(), 10)
        view.refine()
        for name, scene in zip(("saturated", "negative"), scenes, strict=True):
            with self.subTest(colours=name):
                difference = self.difference(config, view, scene)
                self.assertLessEqual(difference.max(), 2)
                self.assertLess(difference.mean(), 0.35)

    @staticmethod
    def difference(config: ColourConfig, view: BakedView, scene: np.ndarray) -> np.ndarray:
        """Against the exact processor, in bytes."""
        exact = np.rint(np.clip(config.display(scene, "ACEScg", config.default_view), 0, 1) * 255)
        return np.abs(view.to_bytes(scene) - exact.transpose(1, 2, 0))

    def test_not_a_number_and_infinity_are_shown(self) -> None:
        config = colour_config("ACES 2")
        planes = np.array([np.nan, np.inf, -np.inf], np.float32).reshape(1, 1, 3).repeat(3, axis=0)
        shown = BakedView(config, "ACEScg", config.default_view).to_bytes(planes)
        np.testing.assert_array_equal(shown[0, :, 0] > 200, [False, True, False])
