"""Contributions of lights, components and cells: whatever a variant does, they sum to Balance."""

import numpy as np

from escala.core.errors import BadSource
from escala.engine.balance.contributions import contribution_names, contributions
from escala.engine.evaluator import Evaluator
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.request import EvaluationRequest, Quality
from escala.engine.viewer.viewport import full_viewport
from escala.engine.worker import LONG
from escala.media.decode import decode_frame_here
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for, grid_engine, grid_passes, one_axis_passes
from tests.fixtures import FolderTest, add_up, light, write_layers

WHOLE = full_viewport(0, 0, 64, 48)
LEVELS = {"lights": {"key": {"stops": -1}, "fill": {"tint": [1.2, 1, 0.7]}}, "components": {"specular": {"stops": 1}}}
CDL = {"id": "a", "kind": "cdl", "power": [1.2, 1, 0.9], "of": {"light": "key"}}
BLUR_FREE = {"id": "b", "kind": "exposure", "stops": 0.5, "of": {"component": "diffuse"}}
MATTES = {"bright": {"kind": "luminance", "low": 0.5, "high": 2.0}}


def asked(evaluator: Evaluator, document: dict) -> EvaluationRequest:
    return evaluator.make_request(Variant.model_validate(document), WHOLE, Quality.EXPORT)


class ContributionsTest(FolderTest):
    def check_sum(self, evaluator: Evaluator, document: dict, what: str) -> dict[str, np.ndarray]:
        request = asked(evaluator, document)
        found = contributions(evaluator.light_sum, request, what)
        self.assertEqual(list(found), contribution_names(evaluator.render, request.variant, what))
        station = evaluator.at("balance", request)
        parts = [planes.astype(np.float64) for name, planes in found.items() if name != "residual"]
        np.testing.assert_allclose(sum(parts), station, rtol=2e-5, atol=2e-5)
        return found

    def test_they_sum_to_balance_by_lights_components_and_cells(self) -> None:
        evaluator = grid_engine(self.folder)
        for document in (
            {},
            {"balance": LEVELS},
            {"balance": {"lights": {"key": {"stops": 2, "matte": "bright"}}}, "mattes": MATTES},
            {"balance": {**LEVELS, "corrections": [CDL]}},
            {"balance": {**LEVELS, "corrections": [CDL, BLUR_FREE]}},
            {"balance": {"cells": {"key/specular": {"mute": True}}}},
        ):
            for what in ("lights", "components", "cells"):
                with self.subTest(what=what, document=document):
                    self.check_sum(evaluator, document, what)

    def test_each_is_the_levelled_sum_of_its_passes(self) -> None:
        passes, evaluator = grid_passes(), grid_engine(self.folder)
        found = self.check_sum(evaluator, {"balance": {"lights": {"key": {"stops": -1}}}}, "lights")
        request = asked(evaluator, {})
        config, working = request.colour_pipeline.config, request.colour_pipeline.working.name
        key = config.convert(passes["key_diffuse"] + passes["key_specular"], "lin_rec709_srgb", working)
        np.testing.assert_allclose(found["key"], key / 2, rtol=1e-4, atol=1e-5)

    def test_a_correction_of_a_light_changes_that_light_alone(self) -> None:
        evaluator = grid_engine(self.folder)
        plain = self.check_sum(evaluator, {"balance": LEVELS}, "lights")
        corrected = self.check_sum(evaluator, {"balance": {**LEVELS, "corrections": [CDL]}}, "lights")
        np.testing.assert_array_equal(plain["fill"], corrected["fill"])
        self.assertGreater(float(np.abs(plain["key"] - corrected["key"]).max()), 0.1)

    def test_levels_of_both_axes_are_shared_where_no_pass_has_both(self) -> None:
        evaluator = engine_for(write_layers(self.folder / "axes.exr", one_axis_passes()))
        for what in ("lights", "components"):
            self.check_sum(evaluator, {"balance": LEVELS}, what)
        with self.assertRaisesRegex(BadSource, "has no passes of a light and a component"):
            contributions(evaluator.light_sum, asked(evaluator, {}), "cells")

    def test_what_passes_lack_is_the_residual(self) -> None:
        passes = grid_passes()
        passes[""] = add_up(passes[""], light(17, 48, 64, top=0.5))
        evaluator = engine_for(write_layers(self.folder / "mist.exr", passes))
        found = self.check_sum(evaluator, {"balance": LEVELS}, "lights")
        beauty = evaluator.picture(asked(evaluator, {"balance": LEVELS}), "beauty").colour
        np.testing.assert_allclose(sum(x.astype(np.float64) for x in found.values()), beauty, rtol=2e-5, atol=2e-5)

    def test_added_lights_are_contributions_of_their_own(self) -> None:
        passes = {**grid_passes(), "diffuse_colour": light(5, 48, 64, top=1), "normal": light(6, 48, 64, top=1)}
        evaluator = engine_for(write_layers(self.folder / "added.exr", passes))
        added = [{"id": "s", "name": "side", "kind": "side", "direction": [0.2, 0.5, 1]}]
        document = {"balance": {**LEVELS, "added": added}}
        if evaluator.render.albedo_pass is None:
            self.fail("the fixture has no albedo")
        found = self.check_sum(evaluator, document, "lights")
        self.assertGreater(float(found["side"].max()), 0)

    def test_shadows_that_are_multiplied_in_take_light_away(self) -> None:
        shadow = light(8, 48, 64, top=1)[0]
        path = write_layers(self.folder / "shadow.exr", {**grid_passes(), "shadow": shadow})
        document = {
            "tally": {"added": ["shadow"], "terms": {"shadow": {"operator": "multiply"}}},
            "balance": {"lights": {"key": {"stops": 1}}},
        }
        with EvaluatorPool(self.folder / "store", 2**30, decoder=decode_frame_here) as pool:
            render, _ = pool.read([path])
            evaluator = pool.engine_of_variant(0, render, Variant.model_validate(document))
            found = pool.evaluate(lambda: self.check_sum(evaluator, document, "lights"), LONG)
        self.assertLess(float(found["shadow"].min()), -0.1)
        self.assertGreater(float(found["key"].max()), 1)
