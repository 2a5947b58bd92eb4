from pathlib import Path

from escala.core.errors import BadSource
from escala.delivery.naming import frame_padding, frame_path, pattern_name
from escala.engine.evaluator_pool import EvaluatorPool
from escala.model.delivery_preset import DeliveryFile
from escala.model.render import Render
from tests.engine.fixture_shot import grid_engine, grid_passes
from tests.fixtures import FolderTest, write_layers

WORDS = {"variant": "Calmer beacon", "revision": "7", "date": "2026-12-01"}


class NamingTest(FolderTest):
    def render(self, *names: str) -> Render:
        for name in names:
            write_layers(self.folder / name, grid_passes(8, 8))
        with EvaluatorPool(self.folder / "store", 2**30) as pool:
            return pool.read([self.folder / name for name in names])[0]

    def path(self, pattern: str, render: Render, name: str = "", number: int | None = 12, **facts: object) -> str:
        file = DeliveryFile.model_validate({"what": "lights", "format": "exr", "names": pattern, **facts})
        return pattern_name(self.folder, file, render, WORDS).path(name, number).relative_to(self.folder).as_posix()

    def test_words_are_filled_in_and_made_plain(self) -> None:
        render = grid_engine(self.folder).render
        found = self.path("{date}/{shot}_{variant}_{what}_{name}.{frame}_r{revision}", render, "key/../light")
        self.assertEqual(found, "2026-12-01/grid_Calmer_beacon_lights_key_.._light.0012_r7.exr")

    def test_no_name_leads_out_of_the_folder(self) -> None:
        render = grid_engine(self.folder).render
        for pattern in ("../{shot}", "/tmp/{shot}", "a/../../{shot}", "a\\{shot}"):
            with self.subTest(pattern=pattern), self.assertRaises(BadSource):
                self.path(pattern, render)

    def test_frames_are_padded_as_in_the_source(self) -> None:
        self.assertEqual(frame_padding(self.render("a.00012.exr", "a.00013.exr")), 5)
        self.assertEqual(self.path("{frame}", self.render("b_007.exr", "b_008.exr"), number=7), "007.exr")
        self.assertEqual(frame_padding(grid_engine(self.folder).render), 4)

    def test_a_video_has_no_frame_in_its_name(self) -> None:
        render = grid_engine(self.folder).render
        self.assertEqual(self.path("{shot}", render, number=None, what="result", format="mkv"), "grid.mkv")
        with self.assertRaisesRegex(BadSource, "a video holds all frames"):
            self.path("{shot}.{frame}", render, what="result", format="mkv")

    def test_single_names_take_numbers_in_three_ways(self) -> None:
        for out, several, expected in (
            ("a.####.exr", True, "a.0012.exr"),
            ("a.%03d.exr", True, "a.012.exr"),
            ("a.exr", True, "a.0012.exr"),
            ("a.exr", False, "a.exr"),
        ):
            self.assertEqual(frame_path(Path(out), 12, several).name, expected)
