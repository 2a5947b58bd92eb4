"""The workshop: evaluators made once, let go in time, and shared by shots of the same files."""

from concurrent.futures import ThreadPoolExecutor
from unittest import mock

from escala.core.errors import BadSource
from escala.engine import workshop
from escala.engine.looking.look import full_look
from escala.engine.workshop import Workshop
from escala.model.render import Render
from escala.model.variant import Variant
from tests.engine.made_shot import grid_passes
from tests.made import FolderTest, write_layers


class WorkshopTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.workshop = Workshop(self.folder / "store", 1 << 30)
        self.render = self.read("grid")

    def read(self, name: str) -> Render:
        file = write_layers(self.folder / f"{name}.exr", grid_passes())
        return self.workshop.read([str(file)], False, lambda share, doing: None)[0]

    def test_of_many_who_ask_at_once_one_decodes(self) -> None:
        with (
            mock.patch.object(workshop, "take_in_frame", wraps=workshop.take_in_frame) as taken,
            ThreadPoolExecutor(8) as threads,
        ):
            engines = list(threads.map(lambda _: self.workshop.engine_for(1, self.render), range(8)))
        self.assertEqual(len({id(engine) for engine in engines}), 1)
        self.assertEqual(taken.call_count, 1)

    def test_a_newer_render_gets_an_evaluator_of_its_own(self) -> None:
        first = self.workshop.engine_for(1, self.render)
        newer = self.render.model_copy(update={"name": "newer"})
        self.assertEqual(self.workshop.engine_for(1, newer).render.name, "newer")
        self.assertIsNot(self.workshop.engine_for(1, newer), first)
        with self.assertRaisesRegex(BadSource, "has no frame 7"):
            self.workshop.engine_for(1, newer, 7)

    def test_the_oldest_go_first(self) -> None:
        with mock.patch.object(workshop, "_MOST_ENGINES", 2):
            engines = [self.workshop.engine_for(shot, self.render) for shot in (1, 2, 1, 3)]
            self.assertIs(self.workshop.engine_for(1, self.render), engines[0])
            self.assertIsNot(self.workshop.engine_for(2, self.render), engines[1])

    def test_what_another_shot_shows_stays_when_one_goes(self) -> None:
        one, two = (self.workshop.engine_for(shot, self.render) for shot in (1, 2))
        look = full_look(0, 0, 64, 48)
        one.at("finish", one.ask(Variant(), look))
        held = self.workshop.cache.size
        self.assertGreater(held, 0)
        self.workshop.forget(1)
        self.assertEqual(self.workshop.cache.size, held)
        self.assertIs(two.at("source", two.ask(Variant(), look)), two.at("source", two.ask(Variant(), look)))
        self.workshop.forget(2)
        self.assertEqual(self.workshop.cache.size, 0)
