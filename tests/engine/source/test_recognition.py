"""What names do not say, the sum does."""

from tests.engine.made_shot import engine_for
from tests.made import FolderTest, add_up, light, write_layers


class UnknownPassTest(FolderTest):
    def test_names_that_say_nothing_become_lights_by_proof(self) -> None:
        parts = {"qa": light(1), "qb": light(2), "qc": light(3)}
        engine = engine_for(write_layers(self.folder / "q.exr", {"": add_up(*parts.values()), **parts}))
        self.assertEqual({p.light for p in engine.render.passes if p.role == "light_group"}, set(parts))
        self.assertTrue(engine.render.recipes[0].exact)
