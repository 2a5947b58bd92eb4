import numpy as np

from escala.engine.colour_warnings import colour_warnings
from escala.model.variant import DisplayChoice, Variant
from tests.engine.made_shot import engine_for
from tests.made import FolderTest, light, write_layers


class ColourWarningTest(FolderTest):
    def warned(self, planes: np.ndarray, view: str | None = None) -> str:
        name = f"s{len(list(self.folder.iterdir()))}.exr"
        render = engine_for(write_layers(self.folder / name, {"": planes})).render
        display = DisplayChoice(display="sRGB - Display" if view else None, view=view)
        return " ".join(colour_warnings(render, Variant(display=display)))

    def test_a_sound_chain_is_not_warned_of(self) -> None:
        self.assertEqual(self.warned(light(1)), "")

    def test_linear_light_shown_raw(self) -> None:
        self.assertIn("dark and contrasty", self.warned(light(1), "Un-tone-mapped"))
        self.assertIn("dark and contrasty", self.warned(light(1), "Raw"))

    def test_a_display_picture_seen_through_a_view(self) -> None:
        ramp = np.linspace(0.02, 1, 80 * 60).reshape(1, 60, 80) * np.array([1, 0.8, 0.6])[:, None, None]
        self.assertIn("washed out", self.warned((np.rint(ramp * 255) / 255).astype(np.float32)))

    def test_a_clamped_beauty(self) -> None:
        self.assertIn("highlights are gone", self.warned(np.minimum(light(1), 1)))
