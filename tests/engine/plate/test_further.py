"""Further renders as layers: levels, windows, and merging by depth against a render of both together."""

import gc
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np

from escala.core.errors import BadSource
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.plate.further import check_further, frame_of_further
from escala.engine.request import Quality
from escala.engine.viewer.viewport import Viewport, full_viewport
from escala.media.decode import decode_frame_here
from escala.model.render import Render
from escala.model.variant import Variant
from escala.stage.render import StageJob, render_frame
from tests.fixtures import FolderTest, box, light, write_layers

SIZE = 80, 45
REC709 = "Linear Rec.709 (sRGB)"
COLOUR = {"input_space": REC709, "working_space": REC709}
MERGED = {"kind": "render", "render": "near", "operator": "depth"}


class FurtherTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.pool = EvaluatorPool(self.folder / "store", 1 << 30, decoder=decode_frame_here)
        self.addCleanup(self.pool.close)

    def read(self, path: Path) -> Render:
        return self.pool.read([path])[0]

    def at(self, render: Render, further: dict[str, Render], document: dict[str, Any], viewport: Viewport) -> Any:
        variant = Variant.model_validate({"colour": COLOUR, **document})
        opened = self.pool.open(1, render, variant, further=further)
        evaluator = opened.interpret()
        return evaluator.picture(evaluator.make_request(variant, viewport, Quality.EXACT), "plate")

    def staged(self, layer: str) -> Path:
        path = self.folder / f"{layer}.exr"
        render_frame(StageJob(*SIZE, 12, 1, False, layer=layer), 12, path)
        return path

    def test_merged_it_is_the_renderers_own_render_of_both(self) -> None:
        quay, near, both = (self.read(self.staged(layer)) for layer in ("quay", "near", "together"))
        whole = full_viewport(0, 0, *SIZE)
        wanted = self.at(both, {}, {}, whole)
        document = {"plate": {"layers": [{"kind": "cg"}, MERGED]}}
        merged = self.at(quay, {"near": near}, document, whole)
        laid_over = self.at(
            quay, {"near": near}, {"plate": {"layers": [{"kind": "cg"}, {**MERGED, "operator": "over"}]}}, whole
        )
        self.assertLess(float(np.quantile(np.abs(merged.alpha - wanted.alpha), 0.995)), 0.1)

        def error(found: Any) -> np.ndarray:
            return np.abs(np.log2(found.colour + 0.02) - np.log2(wanted.colour + 0.02)).mean(axis=0)

        near_alpha = self.at(near, {}, {}, whole).alpha
        self.assertGreater(float((near_alpha > 0).mean()), 0.04)
        touched = near_alpha > 0
        # Noise of so few samples stands between: the same comparison where nothing was merged says how much.
        noise = float(error(merged)[~touched].mean())
        self.assertLess(float(error(merged)[touched].mean()), noise + 0.2)
        hidden = np.abs(laid_over.colour - merged.colour).max(axis=0) > 0.02
        self.assertGreater(int(hidden.sum()), 20)
        self.assertLess(float(error(merged)[hidden].mean()), 0.5 * float(error(laid_over)[hidden].mean()))

    def test_where_a_rope_is_hidden_the_crates_stay_to_the_bit(self) -> None:
        quay, near = (self.read(self.staged(layer)) for layer in ("quay", "near"))
        whole = full_viewport(0, 0, *SIZE)
        plain = self.at(quay, {}, {}, whole).colour
        merged = self.at(quay, {"near": near}, {"plate": {"layers": [{"kind": "cg"}, MERGED]}}, whole).colour
        untouched = self.at(near, {}, {}, whole).alpha == 0
        np.testing.assert_array_equal(merged[:, untouched], plain[:, untouched])

    def small(self, name: str, **header: Any) -> Render:
        """A render with one light, alpha and depth."""
        key, alpha = light(len(name), 24, 32), light(9, 24, 32, 1)[0]
        passes = {"": key * alpha, "lg_key": key * alpha, "A": alpha, "Z": 5 + light(3, 24, 32)[0]}
        return self.read(write_layers(self.folder / f"{name}.exr", passes, np.float32, **header))

    def test_lights_of_one_name_share_the_level_unless_parted(self) -> None:
        first, near = self.small("quay"), self.small("ropes")
        whole = full_viewport(0, 0, 32, 24)
        alone = self.at(near, {}, {}, whole)
        layers = [{"kind": "cg", "on": False}, {"kind": "render", "render": "near"}]
        for lights, parted, factor in (
            ({}, {}, 1.0),
            ({"key": {"stops": 1}}, {}, 2.0),
            ({"key": {"stops": 1}}, {"key": {"stops": -1}}, 0.5),
        ):
            document = {
                "balance": {"lights": lights},
                "plate": {"layers": [layers[0], {**layers[1], "lights": parted}]},
            }
            found = self.at(first, {"near": near}, document, whole)
            np.testing.assert_allclose(found.colour, factor * alone.colour, rtol=1e-5, atol=1e-6)

    def test_depth_acts_on_it_by_its_own_depth(self) -> None:
        first, near = self.small("quay"), self.small("ropes")
        whole, haze = full_viewport(0, 0, 32, 24), {"haze": {"on": True, "density": 0.1}}
        document = {
            "depth": haze,
            "plate": {"layers": [{"kind": "cg", "on": False}, {"kind": "render", "render": "near"}]},
        }
        found = self.at(first, {"near": near}, document, whole)
        opened = self.pool.open(2, near, Variant.model_validate({"colour": COLOUR, "depth": haze}))
        evaluator = opened.interpret()
        request = evaluator.make_request(Variant.model_validate({"colour": COLOUR, "depth": haze}), whole)
        np.testing.assert_allclose(found.colour, evaluator.at("depth", request), rtol=1e-6)

    def test_data_windows_that_differ_lie_on_one_another(self) -> None:
        first = self.small("quay")
        windows = {"dataWindow": box(-3, -2, 32, 24), "displayWindow": box(0, 0, 32, 24)}
        shifted = self.small("ropes", **windows)
        layers = [{"kind": "cg", "on": False}, {"kind": "render", "render": "near"}]
        found = self.at(first, {"near": shifted}, {"plate": {"layers": layers}}, full_viewport(0, 0, 32, 24)).colour
        own = self.at(shifted, {}, {}, full_viewport(0, 0, shifted.raster.width, shifted.raster.height)).colour
        np.testing.assert_allclose(found[:, :22, :29], own[:, 2:24, 3:32], rtol=1e-6)

    def test_other_sizes_are_refused_and_missing_frames_wait(self) -> None:
        first, small = self.small("quay"), self.read(write_layers(self.folder / "s.exr", {"": light(1, 12, 16)}))
        with self.assertRaisesRegex(BadSource, "s is 16 × 12 and quay 32 × 24 pixels: renders of one shot"):
            check_further(first, small)
        self.assertIsNone(frame_of_further(first, small, 1))
        several = first.model_copy(update={"frames": dict.fromkeys((3, 4), first.frames[first.first_frame])})
        self.assertEqual([frame_of_further(first, several, n) for n in (3, 5)], [3, None])
        self.assertEqual(frame_of_further(several, first, 4), first.first_frame)

    def test_an_absent_render_is_left_out(self) -> None:
        first = self.small("quay")
        whole = full_viewport(0, 0, 32, 24)
        found = self.at(first, {}, {"plate": {"layers": [MERGED]}}, whole)
        np.testing.assert_array_equal(found.colour, self.at(first, {}, {}, whole).colour)

    def test_its_evaluator_is_kept_as_long_as_the_frame_is_open(self) -> None:
        first, near = self.small("quay"), self.small("ropes")
        variant = Variant.model_validate({"plate": {"layers": [MERGED]}})
        with mock.patch("escala.engine.evaluator_pool._MOST_ENGINES", 1):
            opened = self.pool.open(1, first, variant, further={"near": near})
            find_render = opened.interpret().find_render
            layer = variant.plate.layers[0]
            self.assertIs(find_render(layer), find_render(layer))
            self.assertEqual(find_render(layer).render.name, "ropes")
            self.assertIsNone(find_render(layer.model_copy(update={"render": "far"})))

    def test_it_is_found_while_any_request_holds_it(self) -> None:
        first, near = self.small("quay"), self.small("ropes")
        variant = Variant.model_validate({"plate": {"layers": [MERGED]}})
        opened = self.pool.open(1, first, variant, further={"near": near})
        find_render, layer = opened.interpret().find_render, variant.plate.layers[0]
        newer = self.pool.open(1, first, variant, is_cacheable=False, further={"near": near})
        self.assertIsNotNone(find_render(layer))
        del newer
        gc.collect()
        self.assertIsNotNone(find_render(layer))
        del opened
        gc.collect()
        self.assertIsNone(find_render(layer))

    def test_roles_set_manually_in_a_layer_read_its_render_anew(self) -> None:
        first, (one, two) = self.small("quay"), (light(7, 24, 32), light(8, 24, 32))
        passes = {"": one + two, "q1": one, "q2": two, "A": np.ones((24, 32), np.float32)}
        odd = self.read(write_layers(self.folder / "odd.exr", passes, np.float32))
        roles = {name: {"role": "light_group", "light": as_} for name, as_ in (("q1", "warm"), ("q2", "cold"))}
        layers = [{"kind": "cg", "on": False}, {"kind": "render", "render": "odd"}]
        balance, whole = {"lights": {"warm": {"stops": 1}}}, full_viewport(0, 0, 32, 24)
        for source, wanted in (({}, one + two), ({"roles": roles}, 2 * one + two)):
            document = {"balance": balance, "plate": {"layers": [layers[0], {**layers[1], "source": source}]}}
            found = self.at(first, {"odd": odd}, document, whole)
            np.testing.assert_allclose(found.colour, wanted, rtol=1e-5, atol=1e-6)

    def test_a_further_render_stored_unassociated_is_multiplied_by_its_alpha(self) -> None:
        first, near = self.small("quay"), self.small("ropes")
        layers = [{"kind": "cg", "on": False}, {"kind": "render", "render": "near"}]
        read = [layers[0], {**layers[1], "source": {"alpha": "unassociated"}}]
        whole = full_viewport(0, 0, 32, 24)
        plain, multiplied = (
            self.at(first, {"near": near}, {"plate": {"layers": each}}, whole) for each in (layers, read)
        )
        np.testing.assert_allclose(multiplied.colour, plain.colour * plain.alpha, rtol=1e-5, atol=1e-6)
