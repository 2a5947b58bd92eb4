"""Frames of one sequence that differ in everything: each by itself is what it is in the sequence, however cut."""

import json

import numpy as np

from escala.core.errors import BadSource
from escala.core.mattes.cryptomatte import layer_key, name_to_id_bits
from escala.engine.evaluator import Evaluator
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.request import Quality
from escala.engine.viewer.viewport import bands_of, full_viewport
from escala.model.render import Render
from escala.model.variant import Variant
from tests.fixtures import FolderTest, add_up, box, light, write_layers

ROWS, COLUMNS = 72, 96


class SequenceTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.evaluator_pool = EvaluatorPool(self.folder / "store", 1 << 30)
        self.addCleanup(self.evaluator_pool.close)

    def passes(self, number: int, size: tuple[int, int], speed: float) -> dict[str, np.ndarray]:
        rows, columns = size
        key, fill = light(number, rows, columns), light(number + 10, rows, columns, 0.5)
        x = np.linspace(-1, 1, columns, dtype=np.float32) * np.ones((rows, 1), np.float32)
        ids = np.zeros((4, rows, columns), np.float32)
        ids[0] = np.uint32(name_to_id_bits(f"hull{number}")).view(np.float32)
        ids[1, 5 : 10 + 3 * number, 5:20] = 1
        return {
            "": add_up(key, fill), "lg_key": key, "lg_fill": fill, "A": np.ones((rows, columns), np.float32),
            "Z": 3 + number * np.abs(x), "motion.X": speed * x, "motion.Y": np.zeros_like(x),
            **{f"things00.{letter}": plane for letter, plane in zip("RGBA", ids, strict=True)},
        }  # fmt: skip

    def write(self, number: int, passes: dict[str, np.ndarray], kind: type, **header: object) -> None:
        key, name = f"cryptomatte/{layer_key('things')}", f"hull{number}"
        manifest = json.dumps({name: f"{name_to_id_bits(name):08x}"})
        header |= {f"{key}/name": "things", f"{key}/hash": "MurmurHash3_32", f"{key}/manifest": manifest}
        write_layers(self.folder / f"shot.{number:04d}.exr", passes, kind, **header)

    def sequence(self) -> Render:
        """Frame 1 stands still; frame 2 is larger than it, moves, has other ids, windows and pixel types."""
        self.write(1, self.passes(1, (ROWS, COLUMNS), 0.0), np.float16)
        larger = {"dataWindow": box(-4, -2, COLUMNS + 8, ROWS + 6), "displayWindow": box(0, 0, COLUMNS, ROWS)}
        self.write(2, self.passes(2, (ROWS + 6, COLUMNS + 8), 20.0), np.float32, **larger)
        return self.evaluator_pool.read([self.folder / "shot.####.exr"])[0]

    def evaluator(self, render: Render, number: int) -> Evaluator:
        return self.evaluator_pool.engine_for(1, render, number)

    def image(self, evaluator: Evaluator, variant: Variant, quality: Quality = Quality.EXACT) -> np.ndarray:
        raster = evaluator.render.raster
        whole = full_viewport(0, 0, raster.width, raster.height)
        return evaluator.at("finish", evaluator.make_request(variant, whole, quality))

    def test_a_move_that_begins_in_a_later_frame_is_whole_in_bands_and_regions(self) -> None:
        evaluator, variant = self.evaluator(self.sequence(), 2), Variant.model_validate(PREVIEW)
        whole, raster = self.image(evaluator, variant), evaluator.render.raster
        self.assertGreater(float(np.abs(whole - self.image(evaluator, Variant())).max()), 0.1)
        for band in bands_of(full_viewport(0, 0, raster.width, raster.height), 16):
            found = evaluator.at("finish", evaluator.make_request(variant, band, Quality.EXPORT))
            np.testing.assert_array_equal(found, whole[:, band.y : band.y + band.height])
        region = evaluator.at("finish", evaluator.make_request(variant, full_viewport(20, 30, 40, 24)))
        np.testing.assert_array_equal(region, whole[:, 30:54, 20:60])

    def test_a_frame_alone_is_what_it_is_in_the_sequence(self) -> None:
        render, variant = self.sequence(), Variant.model_validate(EVERYTHING)
        alone = self.evaluator_pool.read([self.folder / "shot.0002.exr"])[0]
        both = [self.evaluator(render, 2), self.evaluator_pool.engine_for(2, alone, 2)]
        for quality in Quality:
            np.testing.assert_array_equal(*(self.image(evaluator, variant, quality) for evaluator in both))
        first, second = both[0].render, self.evaluator(render, 1).render
        self.assertNotEqual(first.passes[0].statistics, second.passes[0].statistics)
        self.assertEqual({p.pixel_type for p in first.passes if p.is_colour}, {"float"})
        self.assertEqual((first.raster.width, second.raster.width), (COLUMNS + 8, COLUMNS))

    def test_the_kind_of_depth_is_decided_once(self) -> None:
        """The values of frame 2 would be taken for a normalised depth."""
        passes = self.passes(2, (ROWS, COLUMNS), 0.0)
        self.write(1, self.passes(1, (ROWS, COLUMNS), 0.0), np.float32)
        self.write(2, passes | {"Z": passes["Z"] / 8}, np.float32)
        render = self.evaluator_pool.read([self.folder / "shot.####.exr"])[0]
        self.assertEqual(render.find_pass("Z").depth.kind, "planar")
        hazy = Variant.model_validate({"depth": {"haze": {"on": True, "density": 0.5, "colour": [0, 0, 0]}}})
        evaluator = self.evaluator(render, 2)
        wanted = self.image(evaluator, Variant()) * np.exp(-0.5 * passes["Z"] / 8)
        np.testing.assert_allclose(self.image(evaluator, hazy), wanted, rtol=1e-4, atol=1e-5)

    def test_a_later_frame_without_a_pass(self) -> None:
        self.write(1, self.passes(1, (ROWS, COLUMNS), 0.0), np.float16)
        less = {name: p for name, p in self.passes(2, (ROWS, COLUMNS), 9.0).items() if not name.startswith("motion")}
        self.write(2, less, np.float16)
        self.write(3, {name: planes for name, planes in less.items() if name != "lg_key"}, np.float16)
        render = self.evaluator_pool.read([self.folder / "shot.####.exr"])[0]
        evaluator, variant = self.evaluator(render, 2), Variant.model_validate(PREVIEW)
        np.testing.assert_array_equal(self.image(evaluator, variant), self.image(evaluator, Variant()))
        with self.assertRaisesRegex(BadSource, "frame 3 of .* lacks the pass lg_key"):
            self.evaluator(render, 3)

    def test_a_pass_that_cannot_have_its_role_is_named(self) -> None:
        self.write(1, self.passes(1, (ROWS, COLUMNS), 0.0), np.float32)
        passes = {n: p for n, p in self.passes(2, (ROWS, COLUMNS), 9.0).items() if n != "motion.Y"}
        self.write(2, passes, np.float32)
        render = self.evaluator_pool.read([self.folder / "shot.####.exr"])[0]
        with self.assertRaisesRegex(BadSource, "frame 2: motion has 1 channel, it cannot be motion"):
            self.evaluator(render, 2)


PREVIEW = {"depth": {"motion": {"on": True, "shutter": 1}}}
EVERYTHING = {
    "mattes": {"thing": {"kind": "object", "names": ["hull2"], "grow_px": 2}},
    "balance": {"lights": {"key": {"stops": 1, "matte": "thing"}}},
    "depth": {
        "haze": {"on": True, "density": 0.1},
        "defocus": {"on": True, "focus": 4, "aperture": 30, "limit_px": 6},
        **PREVIEW["depth"],
    },
    "lens": {"glow": {"on": True, "threshold": -2, "size_px": 8}},
}
