from typing import Any

import numpy as np

from escala.core.colour.gamuts import GAMUTS
from escala.engine.colour.warnings import ColourWarning, colour_warnings
from escala.model.colour import ColourChoice
from escala.model.display import DisplayChoice
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for
from tests.fixtures import FolderTest, light, write_layers


class ColourWarningTest(FolderTest):
    def warned(self, planes: np.ndarray, view: str | None = None, space: str | None = None, **header: Any) -> str:
        return " ".join(warning.message for warning in self.found(planes, view, space, **header))

    def found(
        self, planes: np.ndarray, view: str | None = None, space: str | None = None, **header: Any
    ) -> list[ColourWarning]:
        name = f"s{len(list(self.folder.iterdir()))}.exr"
        evaluator = engine_for(write_layers(self.folder / name, {"": planes}, **header))
        display = DisplayChoice(display="sRGB - Display" if view else None, view=view)
        return colour_warnings(evaluator, Variant(display=display, colour=ColourChoice(input_space=space)))

    def test_a_sound_chain_is_not_warned_of(self) -> None:
        self.assertEqual(self.warned(light(1)), "")

    def test_linear_light_shown_raw(self) -> None:
        planes = light(1)
        (warning,) = self.found(planes, "Un-tone-mapped", "ACEScg")
        self.assertIn("looks dark", warning.message)
        self.assertAlmostEqual(warning.share or 0, float((planes.max(axis=0) > 1).mean()), places=6)
        self.assertIn("looks dark", self.warned(planes, "Raw"))

    def test_a_display_picture_seen_through_a_view(self) -> None:
        ramp = np.linspace(0.02, 1, 80 * 60).reshape(1, 60, 80) * np.array([1, 0.8, 0.6])[:, None, None]
        self.assertIn("washed out", self.warned((np.rint(ramp * 255) / 255).astype(np.float32)))

    def test_a_clamped_beauty(self) -> None:
        planes = np.minimum(light(1), 1)
        (warning,) = self.found(planes)
        self.assertIn("highlights stay grey", warning.message)
        self.assertAlmostEqual(warning.share or 0, float((planes.max(axis=0) == 1).mean()), places=6)

    def test_primaries_other_than_the_headers(self) -> None:
        sound = self.found(light(1), chromaticities=GAMUTS["AP1"])
        self.assertEqual(sound, [])
        (warning,) = self.found(light(1), space="Linear Rec.709 (sRGB)", chromaticities=GAMUTS["AP1"])
        self.assertEqual(warning.code, "wrong_gamut")
        self.assertIn("AP1", warning.message)
        self.assertGreater(warning.share or 0, 0.5)
        grey = np.full((3, 24, 32), 0.3, np.float32)
        grey[0, :, :8] = 0.9
        (warning,) = self.found(grey, space="Linear Rec.709 (sRGB)", chromaticities=GAMUTS["AP1"])
        self.assertAlmostEqual(warning.share or 0, 0.25, places=6)

    def test_light_beyond_the_working_space_is_counted(self) -> None:
        # Half of the picture is a green that no light of the narrower gamut can be when it is read as the widest.
        planes = np.full((3, 40, 60), 0.5, np.float32)
        planes[:, :, :30] = np.array([0.0, 0.5, 0.0], np.float32)[:, None, None]
        (warning,) = self.found(planes, space="ACES2065-1")
        self.assertEqual(warning.code, "outside_gamut")
        self.assertAlmostEqual(warning.share or 0, 0.5, places=6)
        self.assertEqual(self.found(planes, space="Linear Rec.709 (sRGB)"), [])
