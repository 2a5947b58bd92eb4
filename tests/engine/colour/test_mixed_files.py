from pathlib import Path

import cv2
import numpy as np

from escala.core.colour.transfer import srgb_decode
from escala.engine.cache import ByteCache
from escala.engine.evaluator import Evaluator
from escala.engine.source.intake import recognise_render
from escala.engine.viewer.viewport import full_viewport
from escala.media.configs import colour_config
from escala.media.decode import decode_frame_here
from escala.media.sources import find_render
from escala.media.store import StoredFrame
from escala.model.colour import ColourChoice
from escala.model.variant import Variant
from tests.fixtures import FolderTest, light, write_layers

WHOLE = full_viewport(0, 0, 32, 24)
CONFIG = colour_config("ACES 2")


def working(planes: np.ndarray, space: str = "Linear Rec.709 (sRGB)") -> np.ndarray:
    return CONFIG.convert(planes.astype(np.float32), space, "ACEScg")


class MixedFilesTest(FolderTest):
    """Renders of files that are coded differently: each counts for what it is."""

    def still(self, name: str, linear: np.ndarray) -> np.ndarray:
        """A 16-bit PNG of light, and the light that it holds."""
        encoded = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 0) ** (1 / 2.4) - 0.055)
        whole = np.rint(np.clip(encoded, 0, 1) * 65535).astype(np.uint16)
        cv2.imwrite(str(self.folder / name), whole.transpose(1, 2, 0)[..., ::-1])
        return srgb_decode(whole / 65535.0)

    def evaluator(self) -> Evaluator:
        source = find_render([self.folder])
        folder = Path(self.folder.parent) / f"{self.folder.name}-store"
        decode_frame_here(source.first, folder, lambda share: None)
        frame = StoredFrame(folder)
        return Evaluator(recognise_render(source, frame), frame, ByteCache(1 << 26))

    def test_a_picture_file_among_float_files_is_decoded_and_they_are_not(self) -> None:
        key = light(1, top=0.5)
        fill = self.still("quay.lg_fill.png", light(2, top=0.4).astype(np.float64))
        write_layers(self.folder / "quay.lg_key.exr", {"": key}, np.float32)
        write_layers(self.folder / "quay.beauty.exr", {"": (key + fill).astype(np.float32)}, np.float32)
        evaluator = self.evaluator()
        encoded = {p.colour.name: p.colour.encoded for p in evaluator.render.passes}
        self.assertTrue(encoded["quay.lg_fill.png"])
        self.assertFalse(encoded["quay.lg_key.exr"])
        found = evaluator.render.recipes[0]
        self.assertLess(found.max_abs, 1e-4)
        np.testing.assert_allclose(
            evaluator.at("balance", evaluator.make_request(Variant(), WHOLE)), working(key + fill), atol=2e-4
        )

    def test_products_of_picture_files_are_made_of_light(self) -> None:
        colour = self.still("quay.diffuse_color.png", light(3, top=0.8).astype(np.float64))
        fell = light(4, top=2)
        write_layers(self.folder / "quay.diffuse_direct.exr", {"": fell}, np.float32)
        write_layers(self.folder / "quay.beauty.exr", {"": (fell * colour).astype(np.float32)}, np.float32)
        evaluator = self.evaluator()
        term = next(t for r in evaluator.render.recipes for t in r.recipe.terms if len(t.factors) > 1)
        self.assertEqual(set(term.passes), {"diffuse_direct", "diffuse_color"})
        same = ColourChoice(working_space="Linear Rec.709 (sRGB)")
        np.testing.assert_allclose(
            evaluator.at("balance", evaluator.make_request(Variant(colour=same), WHOLE)),
            fell * colour,
            rtol=1e-3,
            atol=3e-4,
        )

    def test_each_file_is_read_in_its_own_space(self) -> None:
        key, fill = light(1), light(2)
        write_layers(self.folder / "quay.lg_key.exr", {"": key}, np.float32)
        write_layers(self.folder / "quay.lg_fill.exr", {"": fill}, np.float32)
        evaluator = self.evaluator()
        variant = Variant(colour=ColourChoice(file_spaces={"quay.lg_key.exr": "ACEScg"}))
        np.testing.assert_allclose(
            evaluator.at("balance", evaluator.make_request(variant, WHOLE)), key + working(fill), atol=1e-5
        )
