"""The tally: terms and running sums by their pixels, differences, and the verdict."""

import numpy as np

from escala.engine.beauty.tally import difference_picture, tally_of, tally_sheet
from escala.engine.viewer.screen import resting_bytes
from escala.engine.viewer.viewport import whole_viewport
from escala.model.variant import Variant
from tests.engine.fixture_shot import blocks, decoded, engine_for, grid_engine, grid_passes
from tests.fixtures import FolderTest, write_layers


class TallyTest(FolderTest):
    def test_the_sum_is_laid_out_and_proven(self) -> None:
        evaluator = grid_engine(self.folder)
        tally = tally_of(evaluator, Variant())
        assert tally and tally.verdict
        self.assertTrue(tally.verdict.exact)
        self.assertRegex(tally.verdict.words, r"Matches\. Largest difference .*half-float rounding allows")
        self.assertAlmostEqual(sum(line.share for line in tally.lines), 1.0, places=5)

    def test_pictures_run_from_the_first_term_to_the_reference(self) -> None:
        evaluator = grid_engine(self.folder)
        request = evaluator.make_request(Variant(), whole_viewport(evaluator.render))
        terms = evaluator.light_sum.changed_terms(evaluator.render.recipes[0].recipe, request)
        sheet = decoded(tally_sheet(evaluator, Variant()))
        rows = np.split(sheet, len(terms) + 2)
        reference = resting_bytes(evaluator.at("source", request), request.colour_pipeline)
        running = np.cumsum(terms, axis=0)
        expected = [
            (resting_bytes(t, request.colour_pipeline), resting_bytes(r, request.colour_pipeline))
            for t, r in zip(terms, running, strict=True)
        ]
        expected += [(np.zeros_like(reference), reference), (reference, reference)]
        for row, pair in zip(rows, expected, strict=True):
            np.testing.assert_allclose(blocks(row), blocks(np.concatenate(pair, axis=1)), atol=4)

    def test_the_difference_is_that_of_the_sum_and_the_reference(self) -> None:
        passes = grid_passes()
        passes[""] = passes[""] + np.float32(0.25)
        passes[""][:, 10:20, 30:50] += np.float32(0.5)
        evaluator = engine_for(write_layers(self.folder / "off.exr", passes, np.float32))
        found = decoded(difference_picture(evaluator, Variant(), 1, 64)).astype(int)
        self.assertEqual(found.shape, (48, 64, 3))
        inside = np.zeros((48, 64), bool)
        inside[10:20, 30:50] = True
        np.testing.assert_allclose(found[inside], round(0.75 * 255), atol=3)
        np.testing.assert_allclose(found[~inside], round(0.25 * 255), atol=3)
        stronger = decoded(difference_picture(evaluator, Variant(), 2, 64)).astype(int)
        np.testing.assert_allclose(stronger[~inside], round(0.5 * 255), atol=5)

    def test_a_baked_exposure_is_named(self) -> None:
        passes = grid_passes()
        passes[""] = (passes[""] * 1.5).astype(np.float16).astype(np.float32)
        tally = tally_of(engine_for(write_layers(self.folder / "baked.exr", passes)), Variant())
        assert tally and tally.verdict
        self.assertFalse(tally.verdict.exact)
        np.testing.assert_allclose(tally.verdict.factor, 1.5, rtol=1e-2)
        self.assertIn("times 1.5", tally.verdict.causes[0].message)
        self.assertEqual(tally.verdict.causes[0].repair, "Multiply the sum by it")
