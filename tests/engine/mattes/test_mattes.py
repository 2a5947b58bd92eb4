"""Mattes of a variant on a frame with every kind of data pass, against plain numpy and scipy."""

import json

import numpy as np
from scipy import ndimage

from escala.core.errors import UnknownChoice
from escala.core.mattes.cryptomatte import encode_ranks, layer_key, name_to_id_bits
from escala.engine.mattes.mattes import absent_in
from escala.engine.request import Quality
from escala.engine.viewer.viewport import Viewport, full_viewport
from escala.model.colour import ColourChoice
from escala.model.mattes import ChannelMatte, DepthMatte, EllipseMatte, IdMatte, JoinMatte, ObjectMatte, ShapeMatte
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for
from tests.fixtures import FolderTest, light, write_layers

HIGH, WIDE = 48, 64
WHOLE = full_viewport(0, 0, WIDE, HIGH)
RANDOM = np.random.default_rng(3)


class MadeFrame(FolderTest):
    """A frame with two cryptomatte layers and all data passes."""

    def setUp(self) -> None:
        super().setUp()
        shares = RANDOM.random((3, HIGH, WIDE)).astype(np.float32)
        shares[:, :, :20] = np.array([1, 0, 0])[:, None, None]
        self.shares = dict(zip(("hull", "crate.1", "crate.2"), shares / shares.sum(axis=0), strict=True))
        self.wood = self.shares["crate.1"] + self.shares["crate.2"]
        layers = {"objects": self.shares, "stuff": {"wood": self.wood, "hull": 1 - self.wood}}
        self.beauty, self.depth = light(1, HIGH, WIDE), 1 + 9 * RANDOM.random((HIGH, WIDE)).astype(np.float32)
        self.numbers = RANDOM.integers(0, 5, (HIGH, WIDE)).astype(np.float32)
        passes = {"": self.beauty, "lg_key": self.beauty, "depth.Z": self.depth, "object_id.Y": self.numbers}
        passes |= {"A": np.ones((HIGH, WIDE), np.float32), "mask.Y": shares[1]}
        header = {}
        for layer, named in layers.items():
            ids = {name_to_id_bits(name): share for name, share in named.items()}
            passes |= {f"{layer}00.{c}": p for c, p in zip("RGBA", encode_ranks(ids, 4)[:4], strict=True)}
            passes |= {f"{layer}01.{c}": p for c, p in zip("RGBA", encode_ranks(ids, 4)[4:], strict=True)}
            key = f"cryptomatte/{layer_key(layer)}"
            manifest = json.dumps({name: f"{name_to_id_bits(name):08x}" for name in named})
            header |= {f"{key}/name": layer, f"{key}/hash": "MurmurHash3_32", f"{key}/manifest": manifest}
        self.mask = shares[1]
        self.evaluator = engine_for(write_layers(self.folder / "made.exr", passes, np.float32, **header))

    def matte(
        self, matte: object, viewport: Viewport = WHOLE, quality: Quality = Quality.EXACT, **more: object
    ) -> np.ndarray:
        variant = Variant(colour=ColourChoice(input_space="ACEScg"), mattes={"m": matte, **more})
        return self.evaluator.mattes.at("m", self.evaluator.make_request(variant, viewport, quality))


class KindsTest(MadeFrame):
    def test_objects_are_summed_each_in_the_first_layer_that_knows_it(self) -> None:
        wanted = self.shares["crate.1"] + self.shares["crate.2"]
        for names in (("crate.1", "crate.2"), ("crate.*",), ("crate.?", "crate.1"), ("wood",), ("wood", "ghost")):
            np.testing.assert_allclose(self.matte(ObjectMatte(names=names)), wanted, atol=1e-6)
        np.testing.assert_allclose(self.matte(ObjectMatte(names=("hull",))), self.shares["hull"], atol=1e-6)
        np.testing.assert_allclose(self.matte(ObjectMatte(names=("hull",), layer="stuff")), 1 - self.wood, atol=1e-6)
        twice = self.matte(ObjectMatte(names=("wood", "crate.1")))
        np.testing.assert_allclose(twice, np.minimum(self.wood + self.shares["crate.1"], 1), atol=1e-6)

    def test_ids_channels_and_depths(self) -> None:
        ids = IdMatte(**{"pass": "object_id", "values": (1.0, 4.0)})
        np.testing.assert_array_equal(self.matte(ids), np.isin(self.numbers, (1, 4)))
        share = ChannelMatte(**{"pass": "mask", "low": 0.2, "high": 0.6})
        np.testing.assert_allclose(self.matte(share), np.clip((self.mask - 0.2) / 0.4, 0, 1), atol=1e-6)
        away = np.maximum(np.maximum(3 - self.depth, self.depth - 6), 0)
        found = self.matte(DepthMatte(near=3, far=6, soft=2))
        np.testing.assert_allclose(found, np.clip(1 - away / 2, 0, 1), atol=1e-6)

    def test_shaping_comes_in_order(self) -> None:
        y, x = np.mgrid[-3:4, -3:4]
        grown = ndimage.grey_dilation(self.shares["hull"], footprint=x * x + y * y <= 9, mode="nearest")
        soft = ndimage.gaussian_filter(grown.astype(np.float64), 1.5, mode="nearest")
        wanted = 1 - np.clip(soft * 1.7, 0, 1)
        found = self.matte(ObjectMatte(names=("hull",), grow_px=3, soften_px=1.5, gain=1.7, invert=True))
        np.testing.assert_allclose(found, wanted, atol=1e-5)

    def test_joins_take_finished_members(self) -> None:
        hull = ObjectMatte(names=("hull",), invert=True)
        near = DepthMatte(near=0, far=5, soft=1)
        found = self.matte(JoinMatte(how="minus", of=("h", "n"), gain=0.5), h=hull, n=near)
        wanted = 0.5 * (1 - self.shares["hull"]) * (1 - np.clip(1 - np.maximum(self.depth - 5, 0), 0, 1))
        np.testing.assert_allclose(found, wanted, atol=1e-6)

    def test_keys_of_a_shape_move_with_the_frame(self) -> None:
        keys = {1: ((0, 0), (8, 0), (8, 8), (0, 8)), 5: ((40, 0), (48, 0), (48, 8), (40, 8))}
        made = {"kind": "shape", "keys": keys, "smooth": False}
        for frame, left in ((-3, 0), (1, 0), (2, 10), (4, 30), (9, 40)):
            self.evaluator.number = frame
            found = self.matte(ShapeMatte.model_validate(made))
            self.assertEqual((float(found[4, left + 4]), float(found.sum())), (1.0, 64.0))


class PlaceTest(MadeFrame):
    def test_a_smaller_picture_is_the_full_one_filtered_down(self) -> None:
        matte = ObjectMatte(names=("hull",), grow_px=2, soften_px=2)
        means = self.matte(matte).reshape(24, 2, 32, 2).mean(axis=(1, 3))
        half = Viewport(0, 0, WIDE, HIGH, 32, 24)
        np.testing.assert_allclose(self.matte(matte, half), means, atol=1e-6)
        part = Viewport(16, 8, 32, 24, 16, 12)
        np.testing.assert_allclose(self.matte(matte, part), means[4:16, 8:24], atol=1e-6)
        moving = self.matte(ObjectMatte(names=("hull",)), half, Quality.PREVIEW)
        plain = self.shares["hull"].reshape(24, 2, 32, 2).mean(axis=(1, 3))
        np.testing.assert_allclose(moving, plain, atol=1e-6)

    def test_what_moves_is_near_to_what_rests(self) -> None:
        half, part = Viewport(0, 0, WIDE, HIGH, 32, 24), Viewport(20, 10, 30, 30, 17, 17)
        drawn = EllipseMatte(centre=(30, 25), radii=(15, 9), turn=30, feather_px=6, grow_px=4, soften_px=3)
        for viewport in (half, part, full_viewport(10, 10, 30, 20)):
            np.testing.assert_allclose(
                self.matte(drawn, viewport, Quality.PREVIEW), self.matte(drawn, viewport), atol=0.12
            )
        exact = full_viewport(10, 10, 30, 20)
        np.testing.assert_allclose(self.matte(drawn, exact, Quality.PREVIEW), self.matte(drawn, exact), atol=1e-5)

    def test_bands_of_a_delivery_are_the_whole(self) -> None:
        matte = ObjectMatte(names=("hull",), grow_px=5, soften_px=2)
        bands = [self.matte(matte, full_viewport(0, top, WIDE, 12), Quality.EXPORT) for top in range(0, HIGH, 12)]
        np.testing.assert_array_equal(np.concatenate(bands), self.matte(matte))


class AbsentTest(MadeFrame):
    def test_what_is_not_there_is_nothing_and_waits(self) -> None:
        mattes = {
            "who": ObjectMatte(names=("hull", "ghost", "gull*")), "layer": ObjectMatte(names=("hull",), layer="none"),
            "id": IdMatte(**{"pass": "nothing", "values": (1.0,)}),
            "channel": ChannelMatte(**{"pass": "mask", "channel": 3}),
            "ball": {"kind": "position", "centre": (0, 0, 0), "size": 1.0, "invert": True},
            "hue": {"kind": "hue", "centre": 0, "width": 9, "of": "lost"},
        }  # fmt: skip
        variant = Variant(mattes=mattes)
        found = absent_in(self.evaluator.render, self.evaluator.frame, variant)
        self.assertEqual(found, [
            ("who", "/names", "ghost"), ("who", "/names", "gull*"), ("layer", "/layer", "none"),
            ("id", "/pass", "nothing"), ("channel", "/channel", "mask, channel 3"), ("ball", "", "position pass"),
            ("hue", "/of", "lost"),
        ])  # fmt: skip
        request = self.evaluator.make_request(variant, WHOLE)
        values = {name: set(np.unique(self.evaluator.mattes.at(name, request)).tolist()) for name in list(mattes)[1:]}
        self.assertEqual(values, {"layer": {0}, "id": {0}, "channel": {0}, "ball": {1}, "hue": {0}})
        with self.assertRaisesRegex(UnknownChoice, "no matte is named 'q'"):
            self.evaluator.mattes.at("q", request)
