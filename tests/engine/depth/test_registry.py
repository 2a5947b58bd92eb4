"""Depth and Lens along the path: formulas, proxies against full size, bands to the bit, removals, mattes."""

from dataclasses import replace
from typing import Any
from unittest import mock

import numpy as np

from escala.core.errors import TooLarge
from escala.engine.depth import registry
from escala.engine.request import Quality
from escala.engine.viewer.viewport import Viewport, bands_of, full_viewport, resize_planes
from escala.model.variant import Variant
from tests.engine.depth.camera_shot import HEIGHT, WIDTH, camera_engine, depth_passes
from tests.fixtures import FolderTest

WHOLE = full_viewport(0, 0, WIDTH, HEIGHT)
HALF = Viewport(0, 0, WIDTH, HEIGHT, WIDTH // 2, HEIGHT // 2)
EFFECTS: dict[str, dict[str, Any]] = {
    "haze": {
        "depth": {"haze": {"on": True, "density": 0.15, "start": 3, "colour": [0.2, 0.3, 0.4], "background": True}}
    },
    "defocus": {"depth": {"defocus": {"on": True, "focus": 4, "aperture": 24, "limit_px": 6, "blades": 6}}},
    "motion": {"depth": {"motion": {"on": True, "shutter": 0.8}}},
    "distortion": {"lens": {"distortion": {"on": True, "k1": 0.05}}},
    "aberration": {"lens": {"aberration": {"on": True, "shift_px": 1.5}}},
    "glow": {"lens": {"glow": {"on": True, "threshold": -1, "size_px": 8, "amount": 0.6}}},
    "glare": {"lens": {"glare": {"on": True, "threshold": -1, "length_px": 12}}},
    "vignette": {"lens": {"vignette": {"on": True, "size": 0.3}}},
    "grain": {"lens": {"grain": {"on": True, "amount": 0.3}}},
}


def variant_of(document: dict[str, Any]) -> Variant:
    return Variant.model_validate(document)


class EffectsTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.evaluator = camera_engine(self.folder)
        self.plain = self.at({}, WHOLE)

    def at(self, document: dict[str, Any], viewport: Viewport, quality: Quality = Quality.EXACT) -> np.ndarray:
        return self.evaluator.at("lens", self.evaluator.make_request(variant_of(document), viewport, quality))

    def test_neutral_and_off_are_the_picture_to_the_bit(self) -> None:
        off = {"depth": {"defocus": {"aperture": 90}}, "lens": {"glow": {"amount": 9}}}
        none = {"depth": {"defocus": {"on": True, "aperture": 0}}, "lens": {"glow": {"on": True, "amount": 0}}}
        still = {
            "lens": {
                "distortion": {"on": True},
                "vignette": {"on": True, "stops": 0},
                "grain": {"on": True, "amount": 0},
            }
        }
        for document in (off, none, still):
            np.testing.assert_array_equal(self.at(document, WHOLE), self.plain)
            self.assertTrue(self.evaluator.is_untouched(self.evaluator.make_request(variant_of(document), WHOLE)))

    def test_haze_is_its_formula(self) -> None:
        passes = depth_passes()
        found = self.at(EFFECTS["haze"], WHOLE)
        distance = np.where(passes["depth.Z"] < 1e9, passes["depth.Z"], np.inf)
        through = np.exp(-0.15 * np.maximum(0, distance - 3))
        working = self.plain * through + np.array([0.2, 0.3, 0.4])[:, None, None] * (1 - through)
        np.testing.assert_allclose(found, working, rtol=1e-4, atol=1e-6)
        # Without air in the background the sky is as it was.
        bare = {"depth": {"haze": {"on": True, "density": 0.15, "start": 3}}}
        np.testing.assert_array_equal(self.at(bare, WHOLE)[:, :24], self.plain[:, :24])

    def test_every_effect_changes_the_picture_and_its_station_says_so(self) -> None:
        for name, document in EFFECTS.items():
            with self.subTest(name):
                self.assertGreater(np.abs(self.at(document, WHOLE) - self.plain).max(), 0.01)

    def test_motion_that_would_take_too_long_is_refused_before_it_begins(self) -> None:
        document = EFFECTS["motion"]
        with mock.patch.object(registry, "_MAX_WAYS", 1000.0):
            for viewport, quality in ((WHOLE, Quality.EXACT), (next(bands_of(WHOLE, 16)), Quality.EXPORT)):
                with (
                    mock.patch.object(registry, "motion_blur", side_effect=AssertionError("it began")),
                    self.assertRaisesRegex(TooLarge, "move 1 px on average.*shorten the shutter"),
                ):
                    self.at(document, viewport, quality)
            self.at(document, WHOLE, Quality.PREVIEW)
            self.at({"depth": {"motion": {"on": True, "shutter": 0.05}}}, WHOLE)

    def test_at_a_proxy_it_looks_as_at_full_size(self) -> None:
        small = self.at({}, HALF)
        for name, document in EFFECTS.items():
            with self.subTest(name):
                full = resize_planes(self.at(document, WHOLE), HALF.out_width, HALF.out_height)
                for quality in (Quality.EXACT, Quality.PREVIEW):
                    proxy = self.at(document, HALF, quality)
                    change = np.abs(full - small).mean()
                    self.assertLess(np.abs(proxy - full).mean(), 0.6 * change + 2e-3, quality)

    def test_bands_and_regions_make_the_same_bits(self) -> None:
        everything: dict[str, dict[str, Any]] = {"depth": {}, "lens": {}}
        for document in EFFECTS.values():
            for station, part in document.items():
                everything[station] |= part
        everything["lens"]["distortion"] = {"on": True, "k1": 0.01}
        whole = self.at(everything, WHOLE, Quality.EXPORT)
        bands = [self.at(everything, band, Quality.EXPORT) for band in bands_of(WHOLE, 32)]
        np.testing.assert_array_equal(np.concatenate(bands, axis=1), whole)
        np.testing.assert_array_equal(self.at(everything, full_viewport(20, 30, 50, 40)), whole[:, 30:70, 20:70])

    def test_what_is_removed_is_nothing(self) -> None:
        matte = {"kind": "shape", "points": [[20, 38], [70, 38], [70, 82], [20, 82]], "smooth": False}
        removed = {"mattes": {"board": matte}, "beauty": {"removed": [{"matte": "board"}]}}
        found = self.at(removed | EFFECTS["defocus"], WHOLE)
        # The board was nearer than the focus: its colours would have spread beyond it.
        with_board = self.at(EFFECTS["defocus"], WHOLE)
        ring = (slice(None), slice(34, 37), slice(30, 60))
        self.assertGreater(np.abs(found[ring] - with_board[ring]).mean(), 0.005)

    def test_mattes_limit_where(self) -> None:
        matte = {"kind": "ellipse", "centre": [64, 60], "radii": [20, 12]}
        covered = np.zeros((HEIGHT, WIDTH), bool)
        y, x = np.mgrid[:HEIGHT, :WIDTH] + 0.5
        covered = ((x - 64) / 22) ** 2 + ((y - 60) / 14) ** 2 < 1
        for name in ("haze", "vignette", "grain"):
            station = "depth" if name == "haze" else "lens"
            document = {"mattes": {"here": matte}, station: {name: EFFECTS[name][station][name] | {"matte": "here"}}}
            found = self.at(document, WHOLE)
            np.testing.assert_array_equal(found[:, ~covered], self.plain[:, ~covered])
            self.assertGreater(np.abs(found - self.plain).max(), 0.005)
        for name in ("glow", "glare"):
            document = {"mattes": {"here": matte}, "lens": {name: EFFECTS[name]["lens"][name] | {"matte": "here"}}}
            limited, free = self.at(document, WHOLE) - self.plain, self.at(EFFECTS[name], WHOLE) - self.plain
            self.assertTrue(0.01 * free.sum() < limited.sum() < 0.6 * free.sum())

    def test_the_picture_before_the_effect_being_dragged_is_kept(self) -> None:
        calls = []
        stages = self.evaluator.pipeline.stages
        counted = tuple(
            replace(stage, function=lambda p, a, s, f=stage.function, i=i: (calls.append(i), f(p, a, s))[1])
            for i, stage in enumerate(stages)
        )  # fmt: skip
        object.__setattr__(self.evaluator.pipeline, "stages", counted)
        for stops in (-1.0, -1.1, -1.2):
            both = EFFECTS["glow"]["lens"] | {"vignette": {"on": True, "stops": stops}}
            self.evaluator.at(
                "lens", self.evaluator.make_request(variant_of({"lens": both}), HALF, Quality.PREVIEW, "hand")
            )
        self.assertEqual(len([call for call in calls if call == min(calls)]), 1)
        self.assertEqual(len([call for call in calls if call == max(calls)]), 3)
