"""The plate of a small shot against layers put together with plain numpy."""

from typing import Any

import cv2
import numpy as np

from escala.engine.cache import ByteCache
from escala.engine.evaluator import Evaluator
from escala.engine.request import Quality
from escala.engine.viewer.viewport import Viewport, full_viewport
from escala.model.variant import Variant
from tests.engine.fixture_shot import PreparingImages, engine_for
from tests.fixtures import FolderTest, light, write_layers

HIGH, WIDE = 24, 32
WHOLE = full_viewport(0, 0, WIDE, HIGH)
REC709 = "Linear Rec.709 (sRGB)"
COLOUR = {"input_space": REC709, "working_space": REC709}


def linear(encoded: np.ndarray) -> np.ndarray:
    """sRGB's transfer function undone (IEC 61966-2-1)."""
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)


def over(top: np.ndarray, alpha: np.ndarray, below: np.ndarray) -> np.ndarray:
    """Associated colour over what is beneath."""
    return top + below * (1 - alpha)


class PlateTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.alpha = np.linspace(0, 1, HIGH * WIDE, dtype=np.float32).reshape(HIGH, WIDE)
        self.cg = (light(1, HIGH, WIDE) * self.alpha).astype(np.float32)
        self.distance = np.where(self.alpha > 0, 2 + 40 * light(5, HIGH, WIDE, 1)[0], np.inf).astype(np.float32)
        self.shadow, self.mirror = light(2, HIGH, WIDE, 1.0), light(3, HIGH, WIDE, 0.5)
        passes = {"": self.cg, "A": self.alpha, "Z": self.distance, "shadow": self.shadow, "reflection": self.mirror}
        made = engine_for(write_layers(self.folder / "shot.exr", passes, np.float32))
        self.images = PreparingImages(self.folder)
        self.evaluator = Evaluator(made.render, made.frame, ByteCache(1 << 28), images=self.images)
        self.pixels = np.random.default_rng(7).integers(0, 256, (HIGH, WIDE, 4), np.uint8)
        self.png = self.folder / "sky.png"
        cv2.imwrite(str(self.png), self.pixels[:, :, [2, 1, 0, 3]])
        self.sky = linear(self.pixels.transpose(2, 0, 1)[:3] / 255.0)
        self.sky_alpha = self.pixels[:, :, 3] / 255.0

    def variant(self, *layers: dict[str, Any], **more: Any) -> Variant:
        """All in one space, so that expectations need no conversion."""
        return Variant.model_validate({"colour": COLOUR, "plate": {"layers": layers}, **more})

    def at(
        self, variant: Variant, viewport: Viewport = WHOLE, quality: Quality = Quality.EXACT, viewer: str = ""
    ) -> Any:
        return self.evaluator.picture(self.evaluator.make_request(variant, viewport, quality, viewer), "plate")

    def assert_picture(self, layers: list[dict[str, Any]], colour: np.ndarray, alpha: np.ndarray, **more: Any) -> None:
        found = self.at(self.variant(*layers, **more))
        np.testing.assert_allclose(found.colour, colour, rtol=3e-5, atol=3e-6)
        np.testing.assert_allclose(found.alpha, np.broadcast_to(alpha, (HIGH, WIDE)), rtol=1e-5, atol=1e-6)

    def test_without_layers_it_is_the_same_array(self) -> None:
        for layers in ((), ({"kind": "cg"},), ({"kind": "solid", "on": False},), ({"kind": "solid", "opacity": 0},)):
            request = self.evaluator.make_request(self.variant(*layers), WHOLE)
            before = self.evaluator.picture(request, "depth")
            self.assertIs(self.evaluator.picture(request, "plate").colour, before.colour)

    def test_the_cg_is_on_top_unless_it_is_named(self) -> None:
        solid = {"kind": "solid", "colour": [0.1, 0.2, 0.3]}
        below = np.array([0.1, 0.2, 0.3])[:, None, None]
        self.assert_picture([solid], over(self.cg, self.alpha, below), 1.0)
        self.assert_picture([{"kind": "cg"}, {**solid, "opacity": 0.25}], 0.25 * below + 0.75 * self.cg,
                            0.25 + 0.75 * self.alpha)  # fmt: skip

    def test_a_picture_is_decoded_and_multiplied_by_its_alpha(self) -> None:
        picture = {"kind": "picture", "path": str(self.png)}
        top, alpha = self.sky * self.sky_alpha, self.sky_alpha
        self.assert_picture([picture], over(self.cg, self.alpha, top), over(self.alpha, self.alpha, alpha))
        self.assert_picture([{**picture, "alpha": "none"}], over(self.cg, self.alpha, self.sky), 1.0)
        held = np.where(alpha > 0, alpha, 1)
        as_is = linear(np.clip(self.pixels.transpose(2, 0, 1)[:3] / 255.0 / held, 0, None)) * held
        found = self.at(self.variant({**picture, "alpha": "associated"}, {"kind": "cg", "on": False}))
        faint = alpha > 0.5  # far above 1 an encoded value means nothing
        np.testing.assert_allclose(found.colour[:, faint], as_is[:, faint], rtol=2e-4, atol=1e-5)

    def test_a_space_that_is_chosen(self) -> None:
        picture = {"kind": "picture", "path": str(self.png), "alpha": "none", "space": REC709}
        plain = self.pixels.transpose(2, 0, 1)[:3] / 255.0
        self.assert_picture([picture], over(self.cg, self.alpha, plain), 1.0)

    def test_a_float_picture_is_associated_and_linear(self) -> None:
        colour, alpha = light(11, HIGH, WIDE), light(12, HIGH, WIDE, 1)[0]
        file = write_layers(self.folder / "mist.exr", {"": np.stack([*(colour * alpha), alpha])}, np.float32)
        self.assert_picture(
            [{"kind": "picture", "path": str(file)}],
            over(self.cg, self.alpha, colour * alpha),
            over(self.alpha, self.alpha, alpha),
        )

    def test_every_operator(self) -> None:
        picture = {"kind": "picture", "path": str(self.png), "opacity": 0.5, "matte": "left"}
        mattes = {"left": {"kind": "channel", "pass": "shadow", "channel": 1}}
        share = 0.5 * self.shadow[1]
        top, a = self.sky * self.sky_alpha * share, self.sky_alpha * share
        below, b = self.cg, self.alpha
        expected = {
            "over": (over(top, a, below), over(a, a, b)),
            "under": (over(below, b, top), over(b, b, a)),
            "add": (below + top, b),
            "multiply": (below * (1 - a + top), b),
            "screen": (below + top - below * top, b),
            "hold_out": (below * (1 - a), b * (1 - a)),
        }
        for operator, (colour, alpha) in expected.items():
            with self.subTest(operator=operator):
                self.assert_picture([{"kind": "cg"}, {**picture, "operator": operator}], colour, alpha, mattes=mattes)

    def test_shadow_and_reflection(self) -> None:
        solid, below = {"kind": "solid", "colour": [0.8, 0.6, 0.4]}, np.array([0.8, 0.6, 0.4])[:, None, None]
        tint = np.array([0.0, 0.2, 0.1])[:, None, None]
        shadow = {"kind": "shadow", "pass": "shadow", "strength": 0.7, "colour": [0.0, 0.2, 0.1]}
        lit = below * (1 - 0.7 * (1 - self.shadow) * (1 - tint))
        self.assert_picture([solid, shadow], over(self.cg, self.alpha, lit), 1.0)
        dark = below * (1 - 0.7 * self.shadow * (1 - tint))
        self.assert_picture([solid, {**shadow, "holds": "dark"}], over(self.cg, self.alpha, dark), 1.0)
        reflection = {"kind": "reflection", "pass": "reflection", "level": 1.0}
        self.assert_picture([solid, reflection], over(self.cg, self.alpha, below + 2 * self.mirror), 1.0)

    def test_a_soft_shadow_is_blurred(self) -> None:
        solid = {"kind": "solid", "colour": [1, 1, 1]}
        found = self.at(
            self.variant(solid, {"kind": "shadow", "pass": "shadow", "soft_px": 2}, {"kind": "cg", "on": False})
        )
        blurred = np.stack([
            cv2.GaussianBlur(plane, (17, 17), 2, borderType=cv2.BORDER_REPLICATE) for plane in 1 - self.shadow
        ])  # fmt: skip
        np.testing.assert_allclose(found.colour, 1 - blurred, atol=2e-4)

    def test_corrections_of_a_layer_touch_that_layer_alone(self) -> None:
        picture = {"kind": "picture", "path": str(self.png), "corrections": [{"kind": "exposure", "stops": 1}]}
        top, alpha = self.sky * self.sky_alpha, self.sky_alpha
        self.assert_picture([picture], over(self.cg, self.alpha, 2 * top), over(self.alpha, self.alpha, alpha))
        cg = {"kind": "cg", "corrections": [{"kind": "exposure", "stops": -1}]}
        self.assert_picture([{"kind": "solid", "colour": [1, 1, 1]}, cg], over(self.cg / 2, self.alpha, 1.0), 1.0)

    def test_the_backing_is_taken_out_of_the_cg(self) -> None:
        solid = {"kind": "solid", "colour": [0, 0, 0]}
        cg = {"kind": "cg", "clean_colour": [0.1, 0.0, 0.2]}
        backing = np.array([0.1, 0.0, 0.2])[:, None, None]
        self.assert_picture([solid, cg], self.cg - (1 - self.alpha) * backing, 1.0)

    def test_haze_on_a_picture_at_a_distance(self) -> None:
        picture = {"kind": "picture", "path": str(self.png), "alpha": "none", "distance": 30}
        haze = {"haze": {"on": True, "density": 0.02, "colour": [0.3, 0.3, 0.4]}}
        through, tint = np.exp(-0.02 * 30), np.array([0.3, 0.3, 0.4])[:, None, None]
        sky = self.sky * through + tint * (1 - through)
        passed = np.exp(-0.02 * np.where(self.alpha > 0, self.distance, 0))
        cg = self.cg * passed + self.alpha * tint * (1 - passed)
        self.assert_picture([picture], over(cg, self.alpha, sky), 1.0, depth=haze)
        flat = {key: value for key, value in picture.items() if key != "distance"}
        self.assert_picture([flat], over(cg, self.alpha, self.sky), 1.0, depth=haze)

    def test_a_picture_at_a_distance_is_hidden_by_what_is_nearer(self) -> None:
        mist = {"kind": "solid", "colour": [0.5, 0.5, 0.5], "distance": 20, "operator": "depth", "opacity": 0.4}
        found = self.at(self.variant({"kind": "cg"}, mist)).colour
        behind = self.cg + 0.2 * (1 - self.alpha)
        before = 0.2 + 0.6 * self.cg
        expected = np.where(self.distance < 20, behind, before)
        difference = np.abs(found - expected).max(axis=0)
        # Distances of this pass are noise: pixels that are parted as edges are few, the others are exact.
        self.assertGreater(float((difference < 1e-4).mean()), 0.5)
        smooth = self.evaluator_with(np.where(np.arange(WIDE) < 16, 5.0, 50.0) + np.zeros((HIGH, WIDE)))
        found = smooth.picture(smooth.make_request(self.variant({"kind": "cg"}, mist), WHOLE), "plate").colour
        np.testing.assert_allclose(found[:, :, :14], behind[:, :, :14], rtol=1e-5, atol=1e-6)
        np.testing.assert_allclose(found[:, :, 18:], before[:, :, 18:], rtol=1e-5, atol=1e-6)

    def evaluator_with(self, distance: np.ndarray) -> Evaluator:
        """The shot with other distances."""
        passes = {"": self.cg, "A": self.alpha, "Z": distance.astype(np.float32)}
        made = engine_for(write_layers(self.folder / "flat.exr", passes, np.float32))
        return Evaluator(made.render, made.frame, ByteCache(1 << 28), images=self.images)

    def test_a_missing_picture_is_left_out(self) -> None:
        gone = {"kind": "picture", "path": str(self.folder / "gone.png")}
        self.assert_picture([gone, {"kind": "shadow", "pass": "none"}], self.cg, self.alpha)

    def test_bands_and_parts_are_the_whole(self) -> None:
        variant = self.variant(
            {"kind": "picture", "path": str(self.png), "turn": 20, "scale": 1.5, "distance": 30, "operator": "depth",
             "corrections": [{"kind": "blur", "radius_px": [1, 1]}]},
            {"kind": "cg", "edges": {"grow_px": -1, "soften_px": 0.7}},
            {"kind": "shadow", "pass": "shadow", "soft_px": 1},
        )  # fmt: skip
        whole = self.at(variant)
        for part in (full_viewport(0, 8, 32, 8), full_viewport(9, 3, 14, 11)):
            found = self.at(variant, part, Quality.EXPORT)
            rows, columns = slice(part.y, part.y + part.height), slice(part.x, part.x + part.width)
            np.testing.assert_allclose(found.colour, whole.colour[:, rows, columns], atol=2e-6)
            np.testing.assert_allclose(found.alpha, whole.alpha[rows, columns], atol=2e-6)

    def test_a_drag_of_the_cg_keeps_what_lies_beneath(self) -> None:
        layers = [{"kind": "picture", "path": str(self.png)}, {"kind": "cg"}]
        for stops in (0.0, 0.5, 1.0):
            beauty = {"corrections": [{"kind": "exposure", "stops": stops}]}
            variant = self.variant(*layers, beauty=beauty)
            found = self.at(variant, quality=Quality.PREVIEW, viewer="me")
            expected = over(self.cg * 2**stops, self.alpha, self.sky * self.sky_alpha)
            np.testing.assert_allclose(found.colour, expected, rtol=3e-5, atol=3e-6)
        key = self.evaluator.keys.for_interpretation("plate", "beneath", WHOLE, True, "me")
        self.assertIsNotNone(self.evaluator.cache.peek(key))

    def test_documents_that_cannot_be(self) -> None:
        for layers, words in (
            ([{"kind": "cg"}, {"kind": "cg"}], "the CG is one layer"),
            ([{"kind": "solid", "operator": "depth"}], "give it one"),
            ([{"kind": "shadow", "pass": "shadow", "operator": "depth"}], "no depth"),
            ([{"kind": "picture", "path": "x.png", "scale": 0}], "thousandth"),
            ([{"kind": "solid", "matte": "gone"}], "no matte 'gone'"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(ValueError, words):
                self.variant(*layers)
