"""Labels and repainted colours through lights and components: explicit products, lit components, by ratio."""

import cv2
import numpy as np

from escala.engine.cache import ByteCache
from escala.engine.evaluator import Evaluator
from escala.engine.request import Quality
from escala.engine.viewer.viewport import Viewport, full_viewport
from escala.media.exr import write_exr
from escala.media.windows import Window
from escala.model.colour import ColourChoice
from escala.model.mattes import EllipseMatte
from escala.model.surface import Label, Repaint, Surface
from escala.model.variant import Variant
from tests.engine.fixture_shot import PreparingImages, engine_for
from tests.fixtures import FolderTest, light, write_layers

WHOLE = full_viewport(0, 0, 32, 24)
OVAL = {"oval": EllipseMatte(centre=(16, 12), radii=(9, 6))}


def linear(encoded: np.ndarray) -> np.ndarray:
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)


class LabelTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.fell, self.colour, self.specular = light(1), light(2, top=0.7) + np.float32(0.05), light(3)
        self.colour[:, :, :6] = 0
        v, u = np.mgrid[0:24, 0:32]
        self.uv = {"uv.U": ((u + 0.5) / 32).astype(np.float32), "uv.V": (1 - (v + 0.5) / 24).astype(np.float32)}
        self.pixels = np.random.default_rng(5).integers(0, 256, (24, 32, 4), np.uint8)
        self.emblem = self.folder / "emblem.png"
        cv2.imwrite(str(self.emblem), self.pixels[:, :, [2, 1, 0, 3]])
        shown = linear(self.pixels.transpose(2, 0, 1)[:3] / 255)
        self.images = PreparingImages(self.folder)
        self.shown, self.alpha = shown, self.pixels[:, :, 3] / 255

    def evaluator(self, name: str, passes: dict[str, np.ndarray]) -> Evaluator:
        made = engine_for(write_layers(self.folder / f"{name}.exr", passes, np.float32))
        return Evaluator(made.render, made.frame, ByteCache(1 << 28), images=self.images)

    def explicit(self) -> Evaluator:
        lit = self.fell * self.colour
        passes = {"": lit + self.specular, "diffuse_direct": self.fell, "diffuse_color": self.colour}
        return self.evaluator("explicit", {**passes, "specular": self.specular, **self.uv})

    def variant(self, *changes: object) -> Variant:
        """All in one space, so that expectations need no conversion."""
        colour = ColourChoice(input_space="Linear Rec.709 (sRGB)", working_space="Linear Rec.709 (sRGB)")
        return Variant(colour=colour, mattes=OVAL, surface=Surface(changes=changes))

    def at(
        self, evaluator: Evaluator, variant: Variant, viewport: Viewport = WHOLE, quality: Quality = Quality.EXACT
    ) -> np.ndarray:
        return evaluator.at("beauty", evaluator.make_request(variant, viewport, quality))

    def label(self, **more: object) -> Label:
        return Label(pictures=(str(self.emblem),), **more)

    def test_a_label_lies_over_the_colour_and_shows_on_black(self) -> None:
        evaluator = self.explicit()
        over = self.shown * self.alpha + self.colour * (1 - self.alpha)
        found = self.at(evaluator, self.variant(self.label()))
        np.testing.assert_allclose(found, self.fell * over + self.specular, rtol=2e-3, atol=2e-3)
        self.assertGreater(float(found[:, :, :6].max()), float(self.specular[:, :, :6].max()) / 2)

    def test_as_far_as_its_matte_and_opacity(self) -> None:
        evaluator = self.explicit()
        variant = self.variant(self.label(matte="oval", opacity=0.5))
        where = 0.5 * evaluator.mattes.at("oval", evaluator.make_request(variant, WHOLE))
        over = self.shown * self.alpha + self.colour * (1 - self.alpha)
        wanted = self.fell * (self.colour + where * (over - self.colour)) + self.specular
        np.testing.assert_allclose(self.at(evaluator, variant), wanted, rtol=2e-3, atol=2e-3)

    def test_a_lit_component_is_divided_and_black_stays(self) -> None:
        lit = self.fell * self.colour
        passes = {"": lit + self.specular, "diffuse": lit, "specular": self.specular, "diffuse_color": self.colour}
        evaluator = self.evaluator("lit", {**passes, **self.uv})
        over = self.shown * self.alpha + self.colour * (1 - self.alpha)
        fell = np.divide(lit, self.colour, out=np.zeros_like(lit), where=self.colour >= 1e-4)
        wanted = np.where(self.colour >= 1e-4, fell * over, lit) + self.specular
        np.testing.assert_allclose(self.at(evaluator, self.variant(self.label())), wanted, rtol=2e-3, atol=2e-3)

    def test_an_exr_is_associated_and_linear(self) -> None:
        alpha = self.alpha.astype(np.float32)
        planes = (self.shown * alpha).astype(np.float32)
        file = self.folder / "emblem.exr"
        window = Window(0, 0, 32, 24)
        write_exr(
            file, {**dict(zip("RGB", map(np.ascontiguousarray, planes), strict=True)), "A": alpha}, window, window
        )
        evaluator = self.explicit()
        one = self.at(evaluator, self.variant(self.label()))
        other = self.at(evaluator, self.variant(Label(pictures=(str(file),))))
        np.testing.assert_allclose(one, other, rtol=2e-3, atol=2e-3)

    def test_several_pictures_are_switched(self) -> None:
        plain = self.folder / "plain.png"
        cv2.imwrite(str(plain), np.full((4, 4, 3), 255, np.uint8))
        evaluator = self.explicit()
        label = Label(pictures=(str(self.emblem), str(plain)), chosen=1)
        np.testing.assert_allclose(
            self.at(evaluator, self.variant(label)), self.fell + self.specular, rtol=2e-3, atol=2e-3
        )

    def test_without_picture_or_uv_it_waits(self) -> None:
        evaluator = self.explicit()
        plain = self.at(evaluator, self.variant())
        for label in (Label(pictures=(str(self.folder / "gone.png"),)), Label(pictures=()), self.label(uv="nothing")):
            np.testing.assert_allclose(self.at(evaluator, self.variant(label)), plain, atol=1e-5)

    def test_parts_and_smaller_pictures_are_those_of_the_whole(self) -> None:
        evaluator, variant = self.explicit(), self.variant(self.label(turn=20, scale=(0.7, 0.8)))
        whole = self.at(evaluator, variant)
        part = self.at(evaluator, variant, full_viewport(8, 5, 15, 11), Quality.EXPORT)
        np.testing.assert_array_equal(part, whole[:, 5:16, 8:23])
        half = self.at(evaluator, variant, Viewport(0, 0, 32, 24, 16, 12))
        np.testing.assert_allclose(half, whole.reshape(3, 12, 2, 16, 2).mean(axis=(2, 4)), rtol=1e-4, atol=1e-4)

    def test_a_picked_colour_becomes_another_and_keeps_its_texture(self) -> None:
        evaluator = self.explicit()
        repaint = Repaint(**{"from": (0.4, 0.2, 0.00001), "to": (0.2, 0.3, 0.4), "amount": 0.5, "matte": "oval"})
        variant = self.variant(repaint)
        where = evaluator.mattes.at("oval", evaluator.make_request(variant, WHOLE))
        ratio = np.array([0.2 / 0.4, 0.3 / 0.2, 0.4 / 1e-4])[:, None, None]
        colour = self.colour + where * 0.5 * (self.colour * ratio - self.colour)
        np.testing.assert_allclose(
            self.at(evaluator, variant), self.fell * colour + self.specular, rtol=2e-3, atol=2e-3
        )
