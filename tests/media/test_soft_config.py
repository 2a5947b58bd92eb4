import tempfile
import unittest
from pathlib import Path

import numpy as np

from escala.core.colour.config import View
from escala.core.colour.gamuts import gamut_matrix
from escala.core.colour.soft_view import LIMITS, respond, soft_view
from escala.core.colour.transfer import srgb_encode
from escala.media.configs import BUILTIN_CONFIGS, SOFT, colour_config
from escala.media.soft_config import write_soft_config

DISPLAYS = {"sRGB": "Rec.709", "Display P3": "P3-D65"}
PRIMARIES = np.array([[1, 0, 0], [0, 1, 0], [0, 0, 1], [1, 1, 0], [0, 1, 1], [1, 0, 1]], float)
# Ottosson 2020: linear Rec.709 to Oklab.
TO_CONES = np.array(
    [[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566],
     [0.0883024619, 0.2817188376, 0.6299787005]]
)  # fmt: skip
TO_LAB = np.array(
    [[0.2104542553, 0.7936177850, -0.0040720468], [1.9779984951, -2.4285922050, 0.4505937099],
     [0.0259040371, 0.7827717662, -0.8086757660]]
)  # fmt: skip


def hue_and_chroma(linear: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Oklab hue in degrees and chroma of linear Rec.709 pixels (..., 3)."""
    lab = np.cbrt(linear @ TO_CONES.T) @ TO_LAB.T
    return np.degrees(np.arctan2(lab[..., 2], lab[..., 1])), np.hypot(lab[..., 1], lab[..., 2])


class ShippedConfigTest(unittest.TestCase):
    def test_the_shipped_files_are_what_the_formula_writes(self) -> None:
        shipped = Path(BUILTIN_CONFIGS[SOFT]).parent
        with tempfile.TemporaryDirectory() as folder:
            write_soft_config(Path(folder))
            for file in Path(folder).iterdir():
                self.assertEqual(file.read_text(), (shipped / file.name).read_text(), file.name)

    def test_it_works_and_is_the_formula(self) -> None:
        config = colour_config(SOFT)
        self.assertEqual(config.faults, ())
        rng = np.random.default_rng(2)
        pixels = (rng.random((3000, 3)) ** 2 * 2.0 ** rng.uniform(-10, 12, (3000, 1))).astype(np.float32)
        for display, gamut in DISPLAYS.items():
            shown = config.display_packed(pixels, "ACEScg", View(display, "Soft"))
            wanted = srgb_encode(soft_view(pixels.astype(float) @ gamut_matrix("AP1", "AP0").T, gamut))
            self.assertLess(float(np.abs(shown - wanted).max()), 3e-5)

    def test_its_spaces_are_those_of_the_aces_config(self) -> None:
        ours, theirs = colour_config(SOFT), colour_config("ACES 2")
        for space in ("ACES2065-1", "Linear Rec.709 (sRGB)", "Linear P3-D65", "Linear Rec.2020"):
            np.testing.assert_allclose(
                ours.matrix_between(space, "ACEScg"), theirs.matrix_between(space, "ACEScg"), atol=2e-5
            )


class SoftViewTest(unittest.TestCase):
    def test_grey_stays_grey_and_is_where_it_was_chosen(self) -> None:
        for gamut in LIMITS:
            shown = soft_view(np.full((1, 3), 0.18), gamut)[0]
            np.testing.assert_allclose(shown, 0.12, atol=2e-4)

    def test_it_has_less_contrast_than_the_aces_view(self) -> None:
        stops = np.array([-1.0, 1.0])
        pixels = np.repeat((0.18 * 2**stops)[:, None], 3, axis=1).astype(np.float32)
        slopes = {}
        for name in ("ACES 2", SOFT):
            config = colour_config(name)
            shown = config.display_packed(pixels, "ACEScg", config.default_view)[:, 1].astype(float)
            slopes[name] = float(np.diff(np.log2(((shown + 0.055) / 1.055) ** 2.4))[0])
        self.assertLess(slopes[SOFT], 0.8 * slopes["ACES 2"])

    def test_brighter_light_is_never_darker(self) -> None:
        ramp = respond(2.0 ** np.linspace(-16, 16, 2000))
        self.assertTrue(np.all(np.diff(ramp) >= 0))
        self.assertLess(float(ramp[-1]), 1.0)
        self.assertGreater(float(ramp[-1]), 0.9999)

    def test_very_bright_saturated_light_pales_without_turning_hue(self) -> None:
        ramp = 2.0 ** np.arange(-5, 12.01, 0.25)
        for gamut in LIMITS:
            to_709 = gamut_matrix(gamut, "Rec.709").T
            for colour in PRIMARIES:
                with self.subTest(gamut=gamut, colour=colour):
                    scene = colour * ramp[:, None] @ gamut_matrix(gamut, "AP0").T
                    hue, chroma = hue_and_chroma(np.maximum(soft_view(scene, gamut) @ to_709, 0))
                    turned = np.abs((hue - hue[0] + 180) % 360 - 180)[chroma > 0.02]
                    self.assertLess(float(turned.max()), 16)
                    self.assertLess(float(np.abs(np.diff(turned)).max()), 3)
                    self.assertLess(float(chroma[-1]), 0.02)

    def test_every_colour_of_the_working_space_lands_on_the_screen_smoothly(self) -> None:
        turn = np.linspace(0, 1, 721)
        ring = np.clip(np.abs((turn[:, None] * 6 + [0, 4, 2]) % 6 - 3) - 1, 0, 1)
        for gamut in LIMITS:
            for level in (0.05, 0.5, 5.0, 50.0):
                shown = soft_view(ring * level @ gamut_matrix("AP1", "AP0").T, gamut)
                self.assertTrue(np.all((shown >= 0) & (shown <= 1)))
                self.assertLess(float(np.abs(np.diff(srgb_encode(shown), axis=0)).max()), 0.04)
