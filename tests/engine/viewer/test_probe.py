"""The probe: values and make-up of a place."""

import numpy as np

from escala.engine.viewer.probe import hue_of, probe_at
from escala.model.balance import Balance, Level
from escala.model.variant import Variant
from tests.engine.fixture_shot import grid_engine, grid_passes
from tests.fixtures import FolderTest


class ProbeTest(FolderTest):
    def test_values_and_contributions_of_a_pixel(self) -> None:
        evaluator, p = grid_engine(self.folder), grid_passes()
        probe = probe_at(evaluator, Variant(), 5, 7)
        np.testing.assert_allclose(probe.source, p[""][:, 7, 5], rtol=1e-4, atol=1e-5)
        self.assertAlmostEqual(sum(part.share for part in probe.lights), 1.0, places=5)
        alone = probe_at(evaluator, Variant(balance=Balance(lights={"key": Level(solo=True)})), 5, 7)
        self.assertEqual(alone.lights[0].name, "key")
        self.assertAlmostEqual(alone.lights[0].share, 1.0)

    def test_places_outside_move_to_the_edge(self) -> None:
        probe = probe_at(grid_engine(self.folder), Variant(), 10_000, -5, 9)
        self.assertEqual((probe.x, probe.y), (63, 0))

    def test_hues_go_round_by_the_hexagon(self) -> None:
        for colour, hue, saturation in (
            ((1, 0, 0), 0, 1), ((1, 1, 0), 60, 1), ((0, 2, 0), 120, 1), ((0, 1, 1), 180, 1), ((0, 0, 0.5), 240, 1),
            ((1, 0, 1), 300, 1), ((1, 0.5, 0.5), 0, 0.5), ((4, 2, 3), 330, 0.5),
        ):  # fmt: skip
            with self.subTest(colour=colour):
                found = hue_of(colour)
                self.assertAlmostEqual(found[0] or 0.0, hue)
                self.assertAlmostEqual(found[1], saturation)
        self.assertEqual(hue_of((0.2, 0.2, 0.2)), (None, 0.0))
        self.assertEqual(hue_of((0.0, 0.0, 0.0)), (None, 0.0))
