import numpy as np

from escala.engine.source.render_update import Changes, compare_renders
from tests.engine.fixture_shot import engine_for
from tests.fixtures import FolderTest, add_up, light, write_layers

KEY, FILL, RIM = light(1), light(2), light(3)


class TakeoverTest(FolderTest):
    def compare(self, before: dict[str, np.ndarray], after: dict[str, np.ndarray], seen: bool = True) -> Changes:
        number = len(list(self.folder.iterdir()))
        old, new = (
            engine_for(write_layers(self.folder / f"{name}{number}.exr", passes))
            for name, passes in (("old", before), ("new", after))
        )
        return compare_renders(old.render, new, old if seen else None)

    def test_the_same_passes_are_no_news(self) -> None:
        passes = {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL}
        changes = self.compare(passes, {name: planes * np.float32(0.5) for name, planes in passes.items()})
        self.assertFalse(changes.is_news)
        self.assertEqual(changes.sentences, ("Same passes, new pixels.",))

    def test_new_and_gone_lights_are_named(self) -> None:
        changes = self.compare(
            {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL},
            {"": add_up(KEY, RIM), "lg_key": KEY, "lg_rim": RIM},
        )
        self.assertEqual((changes.new_lights, changes.gone_lights, changes.renamed), (("rim",), ("fill",), {}))
        self.assertTrue(changes.is_news)

    def test_a_renamed_light_is_known_by_its_picture(self) -> None:
        before = {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL}
        after = {"": add_up(KEY, FILL), "lg_sunlight": (KEY * np.float32(1.5)), "lg_fill": FILL}
        self.assertEqual(self.compare(before, after).renamed, {"key": "sunlight"})
        unseen = self.compare(before, after, seen=False)
        self.assertEqual((unseen.renamed, unseen.gone_lights, unseen.new_lights), ({}, ("key",), ("sunlight",)))

    def test_another_size_and_other_passes_are_reported(self) -> None:
        small, large = light(1), light(1, 48, 64)
        report_progress = self.compare({"": small, "lg_key": small}, {"": large, "lg_key": large}).sentences
        self.assertIn("The image is now 64 × 48, it was 32 × 24.", report_progress)
        base = {"": KEY, "lg_key": KEY}
        self.assertIn("1 new", self.compare(base, {**base, "depth.Z": KEY[0]}).sentences[0])
