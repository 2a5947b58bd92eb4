import numpy as np

from escala.engine.colour.pipeline import resolve_colour
from escala.engine.stations import STATIONS
from escala.engine.viewer.viewport import (
    Viewport,
    fit_viewport,
    full_viewport,
    resize_planes,
    sample_pass,
    whole_viewport,
)
from escala.model.balance import Balance, Level
from escala.model.beauty import Beauty, TallyChoice
from escala.model.corrections import CdlCorrection, ContrastCorrection, ExposureCorrection
from escala.model.finish import Finish
from escala.model.source import SourceChoice
from escala.model.variant import Variant
from tests.engine.fixture_shot import grid_engine
from tests.fixtures import FolderTest, light


class LookTest(FolderTest):
    def test_the_level_has_at_least_the_pixels_requested(self) -> None:
        for size, level in ((640, 0), (320, 1), (321, 0), (160, 2), (100, 2), (80, 3)):
            with self.subTest(size=size):
                self.assertEqual(Viewport(0, 0, 640, 640, size, size).level, level)

    def test_a_picture_is_never_enlarged_to_fit(self) -> None:
        viewport = fit_viewport(0, 0, 100, 50, 400, 400)
        self.assertEqual((viewport.out_width, viewport.out_height), (100, 50))
        self.assertEqual(fit_viewport(0, 0, 100, 50, 40, 400).out_height, 20)

    def test_smaller_is_the_mean_larger_keeps_pixels_and_exact_never_mixes(self) -> None:
        planes = light(1, 8, 8)
        np.testing.assert_allclose(resize_planes(planes, 4, 4)[:, 0, 0], planes[:, :2, :2].mean(axis=(1, 2)), rtol=1e-5)
        np.testing.assert_array_equal(resize_planes(planes, 16, 16)[:, ::2, ::2], planes)
        self.assertLessEqual(set(np.unique(resize_planes(planes, 4, 4, exact=True))), set(np.unique(planes)))

    def test_a_region_of_a_pass_is_that_part_of_it(self) -> None:
        evaluator = grid_engine(self.folder)
        stored = evaluator.frame.planes("key").astype(np.float32)
        found = sample_pass(evaluator.frame, "key", full_viewport(5, 7, 20, 10))
        np.testing.assert_array_equal(found, stored[:, 7:17, 5:25])
        self.assertEqual(whole_viewport(evaluator.render, 32).out_width, 32)


class StationTest(FolderTest):
    def words(self, variant: Variant) -> dict[str, tuple[str, bool]]:
        render = grid_engine(self.folder).render
        view = resolve_colour(render, variant).view
        return {station.name: station.words(render, variant, view) for station in STATIONS}

    def test_the_path_says_what_each_station_does(self) -> None:
        plain = self.words(Variant())
        self.assertEqual([name for name, (_, changes) in plain.items() if changes], [])
        self.assertEqual(plain["beauty"][0], "matches")
        changed = self.words(
            Variant(
                balance=Balance(lights={"key": Level(stops=1)}, cells={"fill/diffuse": Level(mute=True)}),
                finish=Finish(corrections=(ExposureCorrection(stops=-0.5),)),
                residual=False,
            )
        )
        self.assertEqual(changed["balance"], ("2 levels", True))
        self.assertEqual(changed["finish"], ("exposure −0.50", True))
        self.assertEqual(changed["beauty"], ("matches, no residual", True))
        both = Finish(corrections=(ExposureCorrection(stops=1), CdlCorrection(saturation=0.5)))
        self.assertEqual(self.words(Variant(finish=both))["finish"][0], "exposure, CDL")
        whole = Beauty(corrections=(ContrastCorrection(amount=2), ExposureCorrection(on=False)))
        self.assertEqual(self.words(Variant(beauty=whole))["beauty"], ("matches, contrast", True))

    def test_levels_that_wait_are_reported(self) -> None:
        lights = {"key": Level(stops=1), "gone": Level(stops=2), "idle": Level()}
        balance = Balance(lights=lights, cells={"gone/diffuse": Level(mute=True)})
        self.assertEqual(self.words(Variant(balance=balance))["balance"], ("3 levels, 2 unresolved", True))

    def test_source_and_beauty_count_what_was_changed_by_hand(self) -> None:
        changed = self.words(
            Variant(source=SourceChoice(twin="noisy"), tally=TallyChoice(terms={"key diffuse": {"on": False}}))
        )
        self.assertEqual(changed["source"], ("1 change", True))
        self.assertTrue(changed["beauty"][1])
