"""What names do not say, the sum does."""

import numpy as np
import OpenEXR

from escala.core.mattes.cryptomatte import encode_ranks, layer_key, name_to_id_bits
from escala.engine.mattes.objects import matte_of_objects
from escala.engine.source.reading import interpreted_evaluator
from escala.model.source import PassReading, SourceChoice
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for
from tests.fixtures import FolderTest, add_up, channels_of, light, write_layers, write_parts


class UnknownPassTest(FolderTest):
    def test_names_that_say_nothing_become_lights_by_proof(self) -> None:
        parts = {"qa": light(1), "qb": light(2), "qc": light(3)}
        evaluator = engine_for(write_layers(self.folder / "q.exr", {"": add_up(*parts.values()), **parts}))
        self.assertEqual({p.light for p in evaluator.render.passes if p.role == "light_group"}, set(parts))
        self.assertTrue(evaluator.render.recipes[0].exact)

    def test_a_part_that_says_nothing_is_the_beauty_if_the_sum_says_so(self) -> None:
        parts = {"lg_bow": light(1), "lg_stern": light(2), "take 7": add_up(light(1), light(2)), "notes": light(3)}
        evaluator = engine_for(write_parts(self.folder / "parts.exr", parts))
        self.assertEqual(evaluator.render.reference, "take 7")
        self.assertTrue(evaluator.render.recipes[0].exact)
        beauty = evaluator.render.find_pass("take 7")
        self.assertIn("a guess: it is the sum of other passes", beauty.reason)
        no_sum = {"lg_bow": light(1), "lg_stern": light(2), "take 7": light(4)}
        self.assertIsNone(engine_for(write_parts(self.folder / "no sum.exr", no_sum)).render.reference)

    def test_numbers_decide_where_the_name_says_nothing_and_a_manual_role_has_the_last_word(self) -> None:
        rows, columns = np.mgrid[0:24, 0:32].astype(np.float32)
        planes = {
            "": light(1),
            "kitchen": np.stack([columns - 16, rows - 9, 3 + rows / 5]),
            "thing": 4 + rows + columns / 9,
        }
        evaluator = engine_for(write_layers(self.folder / "odd.exr", planes, np.float32))
        roles = {p.name: p.role for p in evaluator.render.passes}
        self.assertEqual((roles["kitchen"], roles["thing"]), ("position", "depth"))
        variant = Variant(source=SourceChoice(roles={"thing": PassReading(role="other")}))
        read = interpreted_evaluator(evaluator, 1, evaluator, variant, self.folder / "store")
        self.assertEqual(read.render.find_pass("thing").role, "other")

    def test_raw_light_times_its_filter_beside_the_finished_component_or_instead(self) -> None:
        lit, colour, spec = light(1), light(2, top=0.9), light(3)
        finished = (lit * colour).astype(np.float16).astype(np.float32)
        beauty = add_up(finished, spec)
        for name, more in (("beside", {"diffuse": finished}), ("instead", {})):
            passes = {"": beauty, "diffuse_raw": lit, "diffuse_filter": colour, "specular": spec, **more}
            evaluator = engine_for(write_layers(self.folder / f"{name}.exr", passes))
            found = evaluator.render.recipes[0]
            with self.subTest(name):
                self.assertTrue(found.exact)
                self.assertEqual(found.recipe.components, ("diffuse", "specular"))
                self.assertEqual(found.sentence, "The beauty is the sum of 2 components")

    def test_a_pass_that_is_the_product_of_two_others_reports_what_all_three_are(self) -> None:
        lit, colour, spec = light(1, top=8.0), light(2, top=0.9), light(3)
        seen = (lit * colour).astype(np.float16).astype(np.float32)
        for name, whole, component in (("named", "sheen", "sheen"), ("unnamed", "k3", "k3")):
            passes = {"": add_up(seen, spec), "k1": colour, "k2": lit, whole: seen, "specular": spec}
            evaluator = engine_for(write_layers(self.folder / f"{name} product.exr", passes))
            found = {p.name: (p.role, p.component, p.part) for p in evaluator.render.passes}
            with self.subTest(name):
                self.assertEqual(found["k1"], ("component", component, "colour"))
                self.assertEqual(found["k2"], ("component", component, "raw"))
                self.assertEqual(found[whole], ("component", component, "total"))
                self.assertIn("k2 times k1 is", evaluator.render.find_pass("k1").reason)
                self.assertTrue(evaluator.render.recipes[0].exact)
        passes = {"": add_up(lit, spec), "k1": colour, "k2": lit, "specular": spec}
        evaluator = engine_for(write_layers(self.folder / "no product.exr", passes))
        self.assertNotIn("colour", {p.part for p in evaluator.render.passes})

    def test_a_sum_without_any_light_is_none_of_lights(self) -> None:
        passes = {"": add_up(light(1), light(2)), "diffuse": light(1), "specular": light(2), "lg_odd": light(7)}
        evaluator = engine_for(write_layers(self.folder / "odd light.exr", passes))
        first = evaluator.render.recipes[0]
        self.assertEqual((first.recipe.name, first.exact), ("components", True))
        for found in evaluator.render.recipes:
            if found.recipe.name == "lights":
                self.assertTrue(found.recipe.lights)

    def test_cryptomattes_declared_in_any_part(self) -> None:
        ranks = encode_ranks({name_to_id_bits("hull"): np.ones((24, 32), np.float32)}, 2)
        start = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        key = f"cryptomatte/{layer_key('Obj')}"
        header = start | {f"{key}/name": "Obj", f"{key}/hash": "MurmurHash3_32"}
        planes = {f"Obj00.{letter}": plane for letter, plane in zip("RGBA", ranks, strict=True)}
        parts = [
            OpenEXR.Part(dict(start), channels_of({"": light(1)}), "rgba"),
            OpenEXR.Part(header, channels_of(planes, np.float32), "mattes"),
        ]
        OpenEXR.File(parts).write(str(self.folder / "later.exr"))
        frame = engine_for(self.folder / "later.exr").frame
        np.testing.assert_array_equal(matte_of_objects(frame, ["hull"], None), np.ones((24, 32)))
