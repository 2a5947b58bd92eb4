import jsonpatch
import numpy as np

from escala.core.colour.gamuts import GAMUTS, gamut_matrix
from escala.engine.beauty.diagnosis import explain_difference
from escala.engine.beauty.tally import tally_of
from escala.engine.cache import ByteCache
from escala.engine.colour.pipeline import resolve_colour
from escala.engine.evaluator import Evaluator
from escala.engine.source.reading import interpreted_evaluator
from escala.engine.viewer.viewport import Viewport, full_viewport
from escala.media.configs import colour_config
from escala.model.balance import Balance, Level
from escala.model.beauty import TallyChoice, TermEdit
from escala.model.corrections import CdlCorrection
from escala.model.finish import Finish
from escala.model.source import PassReading, PassRepair, SourceChoice
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for
from tests.fixtures import FolderTest, add_up, light, write_layers

KEY, FILL, GLOW = light(1), light(2), light(3, top=0.5)
WHOLE = full_viewport(0, 0, 32, 24)


class ReadingTest(FolderTest):
    def evaluator(self, passes: dict[str, np.ndarray], name: str = "shot") -> Evaluator:
        return engine_for(write_layers(self.folder / f"{name}.exr", passes))

    def read(self, evaluator: Evaluator, variant: Variant) -> Evaluator:
        return interpreted_evaluator(evaluator, 1, evaluator, variant, self.folder / "store")

    def repaired_by_first_cause(self, evaluator: Evaluator) -> tuple[str, bool, Variant]:
        """The first cause's code, whether its one edit makes the sum match, and the edited variant."""
        found = evaluator.render.recipes[0]
        self.assertFalse(found.exact)
        cause = explain_difference(evaluator.render, evaluator.frame, found.recipe)[0]
        document = Variant().model_dump(mode="json")
        variant = Variant.model_validate(jsonpatch.apply_patch(document, list(cause.patch)))
        return cause.code, self.read(evaluator, variant).render.recipes[0].exact, variant

    def test_an_untouched_variant_is_read_as_recognised(self) -> None:
        evaluator = self.evaluator({"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL})
        self.assertIs(self.read(evaluator, Variant()), evaluator)

    def test_manual_roles_lead_to_another_recipe(self) -> None:
        evaluator = self.evaluator({"": add_up(KEY, FILL), "lg_key": KEY, "notes": FILL, "Z": light(9)[0]})
        by_hand = SourceChoice(roles={"notes": PassReading(role="light_group", light="window")})
        read = self.read(evaluator, Variant(source=by_hand))
        self.assertEqual(read.render.recipes[0].recipe.lights, ("key", "window"))
        self.assertEqual(read.render.find_pass("notes").reason, "set manually")
        other = SourceChoice(roles={"lg_key": PassReading(role="mask")})
        lights = [
            light for f in self.read(evaluator, Variant(source=other)).render.recipes for light in f.recipe.lights
        ]
        self.assertNotIn("key", lights)

    def test_a_baked_white_balance_is_repaired_by_one_edit(self) -> None:
        beauty = (add_up(KEY, FILL) * np.array([1.25, 1, 0.75], np.float32)[:, None, None]).astype(np.float32)
        evaluator = self.evaluator({"": beauty, "lg_key": KEY, "lg_fill": FILL})
        code, _, variant = self.repaired_by_first_cause(evaluator)
        self.assertEqual(code, "constant_factor")
        residual = self.read(evaluator, variant)
        tally = tally_of(residual, variant)
        self.assertLess(tally.verdict.max_abs, 0.02 * float(beauty.max()))
        np.testing.assert_allclose(
            residual.at("beauty", residual.make_request(variant, WHOLE)),
            evaluator.at("source", evaluator.make_request(Variant(), WHOLE)),
            atol=1e-5,
        )

    def test_a_beauty_in_other_primaries_is_brought_to_those_of_its_passes(self) -> None:
        total = add_up(KEY, FILL)
        beauty = np.einsum("ij,jhw->ihw", gamut_matrix("Rec.709", "AP1"), total).astype(np.float32)
        passes = {"": beauty, "lg_key": KEY, "lg_fill": FILL}
        evaluator = engine_for(
            write_layers(self.folder / "gamut.exr", passes, np.float32, chromaticities=GAMUTS["AP1"])
        )
        code, _, variant = self.repaired_by_first_cause(evaluator)
        self.assertEqual(code, "wrong_colour_space")
        read = self.read(evaluator, variant)
        self.assertLess(read.render.recipes[0].max_abs, 0.01)
        self.assertEqual(resolve_colour(read.render, variant).input_space, "Linear Rec.709 (sRGB)")
        working = colour_config("ACES 2").convert(total, "lin_rec709", "ACEScg")
        np.testing.assert_allclose(read.at("source", read.make_request(variant, WHOLE)), working, rtol=2e-3, atol=2e-3)

    def test_a_term_too_many_is_left_out_by_one_edit(self) -> None:
        evaluator = self.evaluator({"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL, "lg_rim": GLOW})
        added = Variant(tally=TallyChoice(added=("lg_rim",)))
        wrong = self.read(evaluator, added)
        self.assertFalse(wrong.render.recipes[0].exact)
        cause = explain_difference(wrong.render, wrong.frame, wrong.render.recipes[0].recipe)[0]
        self.assertEqual(cause.code, "counted_twice")
        document = jsonpatch.apply_patch(added.model_dump(mode="json"), list(cause.patch))
        self.assertTrue(self.read(evaluator, Variant.model_validate(document)).render.recipes[0].exact)

    def test_a_missing_term_is_added_by_one_edit(self) -> None:
        evaluator = self.evaluator({"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL})
        short = Variant(tally=TallyChoice(terms={"fill": TermEdit(left_out=True)}))
        read = self.read(evaluator, short)
        cause = explain_difference(read.render, read.frame, read.render.recipes[0].recipe)[0]
        self.assertEqual((cause.code, cause.repair), ("missing_term", "Add lg_fill to the sum"))
        document = jsonpatch.apply_patch(short.model_dump(mode="json"), list(cause.patch))
        self.assertTrue(self.read(evaluator, Variant.model_validate(document)).render.recipes[0].exact)

    def test_the_picture_stays_the_beauty_whatever_the_recipe(self) -> None:
        evaluator = self.evaluator(
            {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL, "occlusion": light(8, top=1)}
        )
        edits = TallyChoice(
            terms={"key": TermEdit(operator="screen"), "fill": TermEdit(left_out=True)}, added=("occlusion",)
        )
        variant = Variant(tally=edits)
        read = self.read(evaluator, variant)
        self.assertEqual([t.operator for t in read.render.recipes[0].recipe.terms], ["screen", "multiply"])
        np.testing.assert_array_equal(
            read.at("beauty", read.make_request(variant, WHOLE)),
            evaluator.at("beauty", evaluator.make_request(Variant(), WHOLE)),
        )

    def test_levels_on_a_recipe_that_is_no_plain_sum_keep_the_residual_of_the_untouched_one(self) -> None:
        shade = light(8, top=1)
        evaluator = self.evaluator({"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL, "occlusion": shade})
        edits = TallyChoice(terms={"key": TermEdit(operator="screen")}, added=("occlusion",))
        tint = np.array([1.5, 1.0, 0.25])
        levels = Balance(lights={"key": Level(stops=-1), "fill": Level(tint=tuple(tint))})
        for residual in (True, False):
            variant = Variant(tally=edits, balance=levels, residual=residual)
            read = self.read(evaluator, variant)
            request = read.make_request(variant, WHOLE)
            lit = {t.name: read.terms.term(t, request) for t in read.render.recipes[0].recipe.terms}
            self.assertEqual(len(lit), 3)
            fill = tint / (request.colour_pipeline.working.luminance_weights @ tint)
            a, b = lit["key"].astype(np.float64), lit["fill"].astype(np.float64)

            def folded(one: np.ndarray, other: np.ndarray) -> np.ndarray:
                return (one + other - one * other) * shade

            held = evaluator.at("source", evaluator.make_request(Variant(), WHOLE)) - folded(a, b) if residual else 0.0
            with self.subTest(residual=residual):
                wanted = folded(a / 2, b * fill[:, None, None]) + held
                np.testing.assert_allclose(read.at("beauty", request), wanted, rtol=1e-4, atol=1e-4)

    def test_terms_off_alone_and_weaker_change_the_picture_by_themselves(self) -> None:
        evaluator = self.evaluator({"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL})
        request = evaluator.make_request(Variant(), WHOLE)
        working = {name: evaluator.terms.term(t, request) for name, t in self.terms(evaluator).items()}
        beauty = evaluator.at("beauty", evaluator.make_request(Variant(), WHOLE))
        for edit, expected in (
            (TermEdit(on=False), beauty - working["fill"]),
            (TermEdit(strength=0.5), beauty - np.float32(0.5) * working["fill"]),
            (TermEdit(alone=True), working["fill"]),
        ):
            with self.subTest(edit=edit):
                found = evaluator.at(
                    "beauty", evaluator.make_request(Variant(tally=TallyChoice(terms={"fill": edit})), WHOLE)
                )
                np.testing.assert_allclose(found, expected, atol=2e-4)

    def colour_pipeline(self, evaluator: Evaluator):
        from escala.engine.colour.pipeline import resolve_colour

        return resolve_colour(evaluator.render, Variant())

    def terms(self, evaluator: Evaluator):
        return {term.name: term for term in evaluator.render.recipes[0].recipe.terms}

    def test_repaired_passes_are_used_everywhere_and_made_once(self) -> None:
        broken = KEY.copy()
        broken[:, 4:6, 4:6] = np.nan
        evaluator = self.evaluator({"": add_up(KEY, FILL), "lg_key": broken, "lg_fill": FILL})
        self.assertIn("not_finite", [d.code for d in evaluator.render.find_pass("lg_key").diagnostics])
        variant = Variant(source=SourceChoice(repairs=(PassRepair(pass_name="lg_key", how="fill"),)))
        read = self.read(evaluator, variant)
        self.assertTrue(np.isfinite(read.frame.planes("lg_key")).all())
        self.assertEqual([d.code for d in read.render.find_pass("lg_key").diagnostics], [])
        self.assertEqual(read.frame.header.attributes["repaired/lg_key/fill"], "4")
        self.assertEqual(read.frame.planes("lg_fill").dtype, np.float16)
        self.assertTrue(np.isnan(evaluator.frame.planes("lg_key")).any())
        before = read.frame.folder.stat().st_mtime_ns
        again = Evaluator(evaluator.render, evaluator.frame, ByteCache())
        self.assertEqual(self.read(again, variant).frame.folder.stat().st_mtime_ns, before)

    def test_a_pass_added_twice_or_there_already_counts_once(self) -> None:
        evaluator = self.evaluator({"": add_up(KEY, FILL, GLOW), "lg_key": KEY, "lg_fill": FILL, "notes": GLOW})
        tally = TallyChoice(added=("notes", "notes", "lg_key"))
        read = self.read(evaluator, Variant(tally=tally))
        names = [term.name for term in read.render.recipes[0].recipe.terms]
        self.assertEqual(len(names), len(set(names)))
        self.assertEqual(names.count("notes"), 1)

    def test_the_twin_is_chosen_for_the_whole_shot(self) -> None:
        noisy = {f"lg_{n}": p for n, p in (("key", KEY), ("fill", FILL))}
        clean = {f"lg_{n}_denoised": p for n, p in (("key", FILL), ("fill", GLOW))}
        evaluator = self.evaluator({"": add_up(KEY, FILL), **noisy, **clean})
        self.assertTrue(evaluator.render.recipes[0].exact)
        read = self.read(evaluator, Variant(source=SourceChoice(twin="denoised")))
        self.assertEqual(set(read.render.recipes[0].recipe.passes), set(clean))


class AlphaTest(FolderTest):
    """Colour and coverage: multiplied in the file, not multiplied, or nothing to do with each other."""

    def setUp(self) -> None:
        super().setUp()
        self.alpha = np.linspace(0, 1, 32 * 24).reshape(24, 32).astype(np.float16).astype(np.float32)
        self.colour = light(7)
        self.evaluator = engine_for(write_layers(self.folder / "cover.exr", {"": self.colour, "A": self.alpha}))

    def read(self, how: str) -> tuple[Evaluator, Variant]:
        cdl = CdlCorrection(offset=(0.1, 0.1, 0.1))
        variant = Variant(source=SourceChoice(alpha=how), finish=Finish(corrections=(cdl,)))
        return interpreted_evaluator(self.evaluator, 1, self.evaluator, variant, self.folder / "store"), variant

    def working(self, planes: np.ndarray) -> np.ndarray:
        return colour_config("ACES 2").convert(planes, "Linear Rec.709 (sRGB)", "ACEScg")

    def test_associated_colour_is_divided_around_a_correction(self) -> None:
        evaluator, variant = self.read("associated")
        # An offset of straight colour is the offset times alpha of associated colour; clear pixels stay out of it.
        covered = np.where(self.alpha > 1e-4, self.alpha, 1)
        expected = self.working(self.colour) + 0.1 * covered
        np.testing.assert_allclose(evaluator.at("finish", evaluator.make_request(variant, WHOLE)), expected, atol=2e-5)

    def test_unassociated_colour_is_multiplied_first(self) -> None:
        evaluator, variant = self.read("unassociated")
        expected = self.working(self.colour * self.alpha)
        np.testing.assert_allclose(evaluator.at("source", evaluator.make_request(variant, WHOLE)), expected, atol=2e-5)
        straight = self.working(self.colour) + 0.1
        inside = self.alpha > 1e-3
        np.testing.assert_allclose(
            evaluator.at("finish", evaluator.make_request(variant, WHOLE))[:, inside],
            (straight * self.alpha)[:, inside],
            atol=2e-5,
        )
        # Smaller pictures are means of the multiplied colour, not products of means.
        half = Viewport(0, 0, 32, 24, 16, 12)
        means = expected.reshape(3, 12, 2, 16, 2).mean(axis=(2, 4))
        np.testing.assert_allclose(evaluator.at("source", evaluator.make_request(variant, half)), means, atol=2e-3)

    def test_an_ignored_alpha_plays_no_part(self) -> None:
        evaluator, variant = self.read("ignored")
        self.assertIsNone(evaluator.alpha(evaluator.make_request(variant, WHOLE)))
        np.testing.assert_allclose(
            evaluator.at("finish", evaluator.make_request(variant, WHOLE)), self.working(self.colour) + 0.1, atol=2e-5
        )

    def test_the_file_itself_is_read_once_for_each_way(self) -> None:
        first, _ = self.read("unassociated")
        again, _ = self.read("unassociated")
        self.assertEqual(first.frame.folder, again.frame.folder)
        self.assertNotEqual(first.frame.folder, self.evaluator.frame.folder)
