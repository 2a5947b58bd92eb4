from escala.core.colour.gamuts import GAMUTS
from escala.core.errors import UnknownChoice
from escala.engine.colour.pipeline import ColourPipeline, resolve_colour
from escala.model.colour import ColourChoice
from escala.model.display import DisplayChoice
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for
from tests.fixture_config import write_config
from tests.fixtures import FolderTest, add_up, light, write_layers

KEY, FILL = light(1), light(2)


class ColouringTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        passes = {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL}
        self.evaluator = engine_for(write_layers(self.folder / "a.exr", passes, chromaticities=GAMUTS["AP1"]))
        self.render = self.evaluator.render

    def chosen(self, **choices: object) -> ColourPipeline:
        display = DisplayChoice(**{k: choices.pop(k) for k in ("display", "view", "look") if k in choices})
        return resolve_colour(self.render, Variant(colour=ColourChoice(**choices), display=display))

    def test_what_the_file_says_holds_until_somebody_chooses(self) -> None:
        self.assertEqual(self.chosen().input_space, "ACEScg")
        self.assertIn("AP1", self.chosen().input.reason)
        by_hand = self.chosen(input_space="lin_rec2020")
        self.assertEqual((by_hand.input.name, by_hand.input.reason), ("Linear Rec.2020", "set manually"))

    def test_the_chain_in_words(self) -> None:
        chain = self.chosen(config="Soft").words
        self.assertEqual(chain, ("ACEScg file", "ACEScg", "Soft", "sRGB"))
        look = "ACES 1.3 Reference Gamut Compression"
        self.assertEqual(self.chosen(look=look).words[2], f"look {look}")
        self.assertEqual(len(self.chosen(look="").words), 4)

    def test_results_leave_in_the_files_space_when_it_is_of_light(self) -> None:
        self.assertEqual(self.chosen(input_space="lin_p3d65").delivery_space, "Linear P3-D65")
        self.assertEqual(self.chosen(input_space="ACEScct").delivery_space, "ACEScg")

    def test_passes_are_put_together_in_light(self) -> None:
        self.assertEqual(self.chosen(input_space="lin_rec2020").sum_space(["lg_key", "lg_fill"]), "Linear Rec.2020")
        self.assertEqual(self.chosen(input_space="ACEScct").sum_space(["lg_key"]), "ACEScg")

    def test_what_decides_the_values_decides_the_key(self) -> None:
        plain = self.chosen()
        self.assertEqual(plain.key, self.chosen(display="Display P3 - Display").key)
        for other in (
            self.chosen(config="ACES 1.3"), self.chosen(input_space="ACES2065-1"),
            self.chosen(working_space="lin_rec709"), self.chosen(file_spaces={"a.exr": "lin_rec709"}),
        ):  # fmt: skip
            self.assertNotEqual(plain.key, other.key)
        config = str(write_config(self.folder / "own"))
        day, night = (self.chosen(config=config, context={"MOOD": mood}) for mood in ("day", "night"))
        self.assertNotEqual(day.key, night.key)

    def test_those_of_several_variants_are_kept(self) -> None:
        looks = [Variant(display=DisplayChoice(look=look)) for look in ("", None)]
        looks += [Variant(colour=ColourChoice(working_space=space)) for space in ("lin_rec709", "ACEScg")]
        first = [self.evaluator.colour_pipeline(variant) for variant in looks]
        self.assertEqual(len({id(one) for one in first}), 4)
        for variant, expected in zip(looks, first, strict=True):
            self.assertIs(self.evaluator.colour_pipeline(variant.model_copy(deep=True)), expected)

    def test_names_that_are_not_there_are_reported_with_those_that_are(self) -> None:
        for wrong, report_progress in (
            ({"view": "Film"}, "ACES 2.0"), ({"display": "Bridge"}, "sRGB"), ({"look": "Dusk"}, "Gamut Compression"),
            ({"input_space": "nowhere"}, "ACEScg"), ({"context": {"MOOD": "day"}}, "context variable"),
        ):  # fmt: skip
            with self.subTest(wrong=wrong), self.assertRaisesRegex(UnknownChoice, report_progress):
                self.chosen(**wrong)

    def test_another_displays_first_view_is_taken_until_one_is_chosen(self) -> None:
        found = self.chosen(display="Display P3 - Display")
        self.assertEqual(found.view.view, "ACES 2.0 - SDR 100 nits (P3 D65)")
