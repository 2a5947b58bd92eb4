"""Added lights: rows beside the lights of a render, made from its passes, at levels like any other."""

from math import pi
from typing import Any

import numpy as np

from escala.core.errors import BadSource
from escala.engine.balance.added import waiting_added
from escala.engine.balance.board import draw_board
from escala.engine.balance.light_sheet import light_rows
from escala.engine.request import Quality
from escala.engine.viewer.probe import probe_at
from escala.engine.viewer.viewport import Viewport, full_viewport
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for
from tests.fixtures import FolderTest, light, write_layers

WHOLE = full_viewport(0, 0, 32, 24)
REC709 = "Linear Rec.709 (sRGB)"
SIDE = {"kind": "side", "name": "window", "direction": [0, 0, 2], "colour": [1, 0.5, 0.25]}


class AddedTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.key, self.albedo = light(1), light(2, top=1.0)
        rng = np.random.default_rng(5)
        normals = rng.normal(size=(3, 24, 32)).astype(np.float32)
        self.normals = normals / np.linalg.norm(normals, axis=0)
        self.places = rng.normal(size=(3, 24, 32)).astype(np.float32) - np.float32([[[0]], [[0]], [[5]]])
        self.shade, self.mask = light(6, top=1.0)[0], light(7, top=1.0)[0]
        self.passes = {
            "": self.key, "lg_key": self.key, "diffuse_color": self.albedo, "N.X": self.normals[0],
            "N.Y": self.normals[1], "N.Z": self.normals[2], "P.X": self.places[0], "P.Y": self.places[1],
            "P.Z": self.places[2], "shade.Y": self.shade, "mask.Y": self.mask,
        }  # fmt: skip
        self.evaluator = engine_for(write_layers(self.folder / "shot.exr", self.passes, np.float32))

    def variant(self, *added: dict[str, Any], **balance: Any) -> Variant:
        return Variant.model_validate({
            "colour": {"input_space": REC709, "working_space": REC709}, "balance": {"added": added, **balance},
            "mattes": {"half": {"kind": "channel", "pass": "mask"}},
        })  # fmt: skip

    def at(self, *added: dict[str, Any], **balance: Any) -> np.ndarray:
        return self.evaluator.at("beauty", self.evaluator.make_request(self.variant(*added, **balance), WHOLE))

    def test_a_side_light_adds_albedo_over_pi_times_the_cosine(self) -> None:
        own = self.albedo / pi * np.clip(self.normals[2], 0, None) * np.float32([[[1]], [[0.5]], [[0.25]]])
        np.testing.assert_allclose(self.at(SIDE), self.key + own, rtol=1e-5, atol=1e-6)
        np.testing.assert_array_equal(self.at({**SIDE, "on": False}), self.key)
        shaded = self.at({**SIDE, "shadow_pass": "shade"})
        np.testing.assert_allclose(shaded, self.key + own * self.shade, rtol=1e-5, atol=1e-6)

    def test_its_level_matte_mute_and_solo(self) -> None:
        own = self.at(SIDE) - self.key
        for level, expected in (
            ({"stops": 1}, self.key + 2 * own),
            ({"stops": 1, "matte": "half"}, self.key + (1 + self.mask) * own),
            ({"mute": True}, self.key),
            ({"solo": True}, own),
        ):
            with self.subTest(level=level):
                found = self.at(SIDE, lights={"window": level})
                np.testing.assert_allclose(found, expected, rtol=1e-4, atol=1e-5)
        np.testing.assert_allclose(self.at(SIDE, lights={"key": {"solo": True}}), self.key, rtol=1e-5, atol=1e-6)

    def test_the_camera_is_that_of_the_header(self) -> None:
        """A highlight mirrors the light towards the camera: `worldToCamera` places it, else the origin of the pass."""
        turned = np.eye(4, dtype=np.float32)
        turned[3, :3] = (-2.0, 0.5, 3.0)  # row vectors: the camera stands at (2, -0.5, -3)
        path = write_layers(self.folder / "seen.exr", self.passes, np.float32, worldToCamera=turned)
        self.assertEqual(engine_for(path).light_sum.added.seen_from.place, (2.0, -0.5, -3.0))
        self.assertEqual(self.evaluator.light_sum.added.seen_from.place, (0.0, 0.0, 0.0))

    def test_smaller_it_is_the_full_picture_filtered(self) -> None:
        light = {"kind": "point", "name": "lamp", "position": [0, 1, -3], "radius": 2, "specular": 1, "roughness": 0.6}
        small = Viewport(0, 0, 32, 24, 8, 6)
        found = self.evaluator.at("beauty", self.evaluator.make_request(self.variant(light), small, Quality.EXACT))
        full = self.at(light)
        expected = full.reshape(3, 6, 4, 8, 4).mean(axis=(2, 4))
        np.testing.assert_allclose(found, expected, rtol=2e-3, atol=2e-3)

    def test_board_probe_and_sheet_have_its_row(self) -> None:
        variant = self.variant(SIDE, lights={"window": {"stops": 2}})
        board, _ = draw_board(self.evaluator, variant)
        self.assertEqual([cell.light for cell in board.added], ["window"])
        self.assertGreater(board.added[0].share, 0.0)
        probed = {part.name: part.share for part in probe_at(self.evaluator, variant, 10, 10, 9).lights}
        self.assertEqual(set(probed), {"key", "window"})
        self.assertAlmostEqual(sum(probed.values()), 1.0, places=5)
        colour_pipeline = self.evaluator.colour_pipeline(variant)
        times = [(1, self.evaluator.time(variant))]
        rows = light_rows(self.evaluator.render, variant, colour_pipeline, REC709, times)
        self.assertEqual([(row.light, row.effective[0]) for row in rows], [("key", 1.0), ("window", 4.0)])

    def test_what_it_needs_and_lacks_waits(self) -> None:
        passes = {"": self.key, "lg_key": self.key, "diffuse_color": self.albedo}
        bare = engine_for(write_layers(self.folder / "bare.exr", passes, np.float32))
        lamp = {"id": "a", "kind": "point", "name": "lamp", "position": [0, 1, -3], "shadow_pass": "dark"}
        variant = self.variant(lamp)
        np.testing.assert_array_equal(bare.at("beauty", bare.make_request(variant, WHOLE)), self.key)
        self.assertEqual(
            list(waiting_added(bare.render, variant, bare.frame.passes)),
            [("balance/added/a", "normal pass"), ("balance/added/a", "position pass"),
             ("balance/added/a/shadow_pass", "dark")],
        )  # fmt: skip

    def test_a_name_that_a_light_has_is_refused(self) -> None:
        with self.assertRaisesRegex(BadSource, "shot has a light 'key': an added light needs a name of its own"):
            self.at({**SIDE, "name": "key"})
        for wrong in ({**SIDE, "direction": [0, 0, 0]}, {**SIDE, "position": [0, 0, 1]}, {"kind": "rim", "name": ""}):
            with self.subTest(wrong=wrong), self.assertRaises(ValueError):
                self.variant(wrong)
        with self.assertRaisesRegex(ValueError, "two added lights are named 'window'"):
            self.variant(SIDE, SIDE)
