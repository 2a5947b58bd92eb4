"""Every field of every layer, and every file behind one, makes a new picture."""

from typing import Any

import cv2
import numpy as np

from escala.engine.cache import ByteCache
from escala.engine.evaluator import Evaluator
from escala.engine.plate.further import reading_variant
from escala.engine.request import Quality
from escala.engine.source.reading import interpreted_evaluator
from escala.engine.viewer.viewport import full_viewport
from escala.model.plate import RenderLayer
from escala.model.variant import Variant
from tests.engine.fixture_shot import PreparingImages, engine_for
from tests.engine.test_keys import leaves, with_change
from tests.fixtures import FolderTest, light, sampled, write_layers

WHOLE = full_viewport(0, 0, 32, 24)
OTHERWISE: dict[str, Any] = {
    "source.alpha": "unassociated", "lg_key.light": "fill", ".role": "other",
    ".operator": "multiply", ".matte": "round", ".pass": "glint", ".holds": "dark", ".render": "other",
    ".alpha": "none", ".fit": "actual", ".space": "Linear Rec.709 (sRGB)", ".scale": 0.7, ".first_frame": 2,
    ".after_end": "none", ".frame_rate": 5, ".clean_colour": [0.02, 0.1, 0.05], ".grow_px": -1.5, ".opacity": 0.3,
    ".distance": 7.0, "gradient.from": [20, 0], "gradient.to": [0, 20], ".strength": 0.2, ".level": -1.0,
}  # fmt: skip
# What says nothing of the pixels.
SILENT = (".name", ".id", ".kind", ".of")


class PlateKeysTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        alpha = light(8, 24, 32, 1)[0]
        vectors = 4 * light(12, 24, 32) - np.float32(1)
        passes = {"": light(1, 24, 32) * alpha, "lg_key": light(1, 24, 32) * alpha, "A": alpha}
        passes |= {"Z": 2 + 9 * light(2, 24, 32, 1)[0], "shade": light(3, 24, 32, 1), "glint": light(4, 24, 32)}
        passes |= {"motion.X": vectors[0], "motion.Y": vectors[1]}
        made = engine_for(write_layers(self.folder / "shot.exr", passes, np.float32))
        self.render, self.frame = made.render, made.frame
        others = {}
        for seed, name in enumerate(("near", "other"), 20):
            share = light(seed, 24, 32, 1)[0]
            layers = {"": light(seed + 5, 24, 32) * share, "lg_key": light(seed + 5, 24, 32) * share, "A": share}
            layers["Z"] = 2 + 9 * light(seed + 9, 24, 32, 1)[0]
            others[name] = engine_for(write_layers(self.folder / f"{name}.exr", layers, np.float32))
        self.others = others
        for number in (1, 2, 3):
            pixels = np.random.default_rng(number).integers(0, 255, (30, 36, 4), np.uint8)
            cv2.imwrite(str(self.folder / f"sky.{number}.png"), pixels)
            cv2.imwrite(str(self.folder / f"fog.{number}.png"), 255 - pixels)
        self.images = PreparingImages(self.folder)
        self.variant = Variant.model_validate({
            "mattes": {"oval": {"kind": "ellipse", "centre": [15, 11], "radii": [12, 9]},
                       "round": {"kind": "ellipse", "centre": [9, 9], "radii": [5, 5], "feather_px": 3}},
            "depth": {"haze": {"on": True, "density": 0.05, "matte": "oval"},
                      "motion": {"on": True, "shutter": 0.5}},
            "plate": {"layers": [
                {"kind": "solid", "gradient": {"from": [0, 0], "to": [30, 9], "colours": [[1, 0.2, 0], [0.1, 0.3, 1]]},
                 "opacity": 0.9},
                {"kind": "solid", "colour": [0.3, 0.2, 0.1], "opacity": 0.4, "distance": 30, "operator": "screen"},
                {"kind": "picture", "path": str(self.folder / "sky.#.png"), "opacity": 0.8, "matte": "oval",
                 "distance": 20, "scale": [0.9, 1.1], "turn": 8, "move": [2, 1], "frame_rate": 24, "first_frame": 1,
                 "alpha": "associated", "space": "ACEScg",
                 "corrections": [{"kind": "exposure", "stops": 0.3}, {"kind": "blur", "radius_px": [1, 1]}]},
                {"kind": "cg", "opacity": 0.9, "edges": {"grow_px": -1, "soften_px": 0.8},
                 "clean_colour": [0.1, 0, 0.1],
                 "corrections": [{"kind": "contrast", "amount": 1.2}]},
                {"kind": "shadow", "pass": "shade", "strength": 0.6, "colour": [0, 0.1, 0.2], "soft_px": 1,
                 "opacity": 0.9, "corrections": [{"kind": "exposure", "stops": -0.3}]},
                {"kind": "reflection", "pass": "shade", "level": -2, "opacity": 0.5},
                {"kind": "render", "render": "near", "opacity": 0.7, "lights": {"key": {"stops": 0.5}},
                 "source": {"roles": {"lg_key": {"role": "light_group", "light": "key"}}},
                 "edges": {"grow_px": 1, "soften_px": 0.5}, "clean_colour": [0, 0.1, 0],
                 "corrections": [{"kind": "exposure", "stops": 0.2}]},
                {"kind": "render", "render": "other", "operator": "depth", "opacity": 0.6},
            ]},
        })  # fmt: skip

    def evaluator(self, cache: ByteCache) -> Evaluator:
        """The shot at its sixth frame, of which its clips show others."""
        found = Evaluator(self.render.model_copy(update={"frames": dict.fromkeys((1, 2), self.render.frames[1])}),
                          self.frame, cache, number=2, images=self.images, find_render=self.find_render)  # fmt: skip
        self.assertEqual(found.frame_offset, 1)
        return found

    def find_render(self, layer: RenderLayer) -> Evaluator | None:
        other = self.others.get(layer.render)
        return other and interpreted_evaluator(
            other, other.number, other, reading_variant(layer), self.folder / "store"
        )

    def at(self, evaluator: Evaluator, variant: Variant, quality: Quality) -> np.ndarray:
        return evaluator.picture(evaluator.make_request(variant, WHOLE, quality, "me"), "plate").colour

    def assert_new(self, variant: Variant, cache: ByteCache, before: dict[Quality, np.ndarray]) -> None:
        for quality, old in before.items():
            found = self.at(self.evaluator(cache), variant, quality)
            expected = self.at(self.evaluator(ByteCache(1 << 27)), variant, quality)
            np.testing.assert_allclose(found, expected, rtol=1e-5, atol=1e-6)
            self.assertGreater(float(np.abs(found - old).max()), 1e-5)

    def test_every_field(self) -> None:
        cache = ByteCache(1 << 28)
        before = {q: self.at(self.evaluator(cache), self.variant, q) for q in (Quality.PREVIEW, Quality.EXACT)}
        places = [(p, v) for p, v in leaves(self.variant) if p.startswith("plate.") and not p.endswith(SILENT)]
        wanted = [(place, value) for place, value in places if self.counts(place)]
        self.assertGreater(len(wanted), 60)
        for place, value in sampled(wanted, 3):
            with self.subTest(place=place):
                self.assert_new(with_change(self.variant, place, self.other(place, value)), cache, before)

    def counts(self, place: str) -> bool:
        """Whether a field of a layer says anything of this plate."""
        fields = place.split(".")
        layer = self.variant.plate.layers[int(fields[2])]
        beside = {
            "solid": ("matte", "colour" if getattr(layer, "gradient", None) else "gradient"),
            "cg": ("operator",), "render": ("operator",) if layer.operator == "depth" else (),
            "shadow": ("operator",), "picture": ("operator", "after_end"),
        }.get(layer.kind, ())  # fmt: skip
        is_level = "lights" in fields and fields[-1] != "stops"
        in_list = "corrections" in fields and fields[-1] not in ("stops", "amount", "on", "radius_px")
        in_source = "source" in fields and fields[-1] not in ("alpha", "role", "light")
        return fields[3] not in beside and not is_level and not in_list and not in_source

    def other(self, place: str, value: Any) -> Any:
        """Another value of a field."""
        if place.endswith(".path"):
            return str(self.folder / "fog.#.png")
        if place.endswith(".corrections"):
            return [{"kind": "exposure", "stops": 0.7}]
        if place.endswith(".lights"):
            return {"key": {"stops": 1}}
        for ending, found in OTHERWISE.items():
            if place.endswith(ending):
                return found if found != value else "over"
        if isinstance(value, bool):
            return not value
        if isinstance(value, tuple):
            return [v * 0.6 + 0.11 if isinstance(v, float) else [c * 0.6 + 0.11 for c in v] for v in value]
        return value * 0.7 + 0.11

    def test_another_file_under_the_name_of_a_picture(self) -> None:
        cache = ByteCache(1 << 28)
        before = {q: self.at(self.evaluator(cache), self.variant, q) for q in (Quality.PREVIEW, Quality.EXACT)}
        cv2.imwrite(str(self.folder / "sky.2.png"), np.full((30, 36, 4), 180, np.uint8))
        self.assert_new(self.variant, cache, before)
