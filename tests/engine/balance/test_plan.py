import numpy as np

from escala.core.beauty.recipes import COMPONENTS, GRID, LIGHTS
from escala.engine.balance.plan import level_recipe, plan_balance, render_components, render_lights
from escala.engine.colour.pipeline import resolve_colour
from escala.model.balance import Balance, Level
from escala.model.beauty import TallyChoice, TermEdit
from escala.model.mattes import EllipseMatte
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for, grid_engine, one_axis_passes
from tests.fixtures import FolderTest, light, write_layers


class PlanTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.evaluator = grid_engine(self.folder)
        self.render = self.evaluator.render
        self.space = resolve_colour(self.render, Variant()).working

    def plan(self, tally: TallyChoice | None = None, recipe: str | None = None, **levels: dict[str, Level]):
        variant = Variant(balance=Balance(**levels), tally=tally or TallyChoice(), recipe=recipe)
        return plan_balance(self.render, variant, self.space)

    def gains(self, plan) -> dict[str, float]:
        return {term.name: float(gain[0]) for term, gain in zip(plan.recipe.terms, plan.first.gains, strict=True)}

    def test_nothing_changed_is_neutral(self) -> None:
        plan = self.plan()
        self.assertTrue(plan.is_neutral)
        self.assertEqual((plan.residual_gain, plan.second), (1.0, None))

    def test_light_component_and_cell_multiply(self) -> None:
        plan = self.plan(
            lights={"key": Level(stops=1)},
            components={"diffuse": Level(stops=1)},
            cells={"key/diffuse": Level(multiplier=0.5), "fill/specular": Level(stops=-1)},
        )
        self.assertEqual(plan.recipe.name, GRID)
        expected = {"key diffuse": 2.0, "key specular": 2.0, "fill diffuse": 2.0, "fill specular": 0.5}
        for name, gain in expected.items():
            self.assertAlmostEqual(self.gains(plan)[name], gain, places=5)

    def test_off_and_alone_on_each_axis(self) -> None:
        off = self.gains(self.plan(lights={"key": Level(mute=True)}))
        self.assertEqual((off["key diffuse"], off["fill diffuse"]), (0.0, 1.0))
        alone = self.plan(components={"specular": Level(solo=True)})
        self.assertEqual(alone.residual_gain, 0.0)
        self.assertEqual({n for n, gain in self.gains(alone).items() if gain}, {"key specular", "fill specular"})
        cell = self.plan(cells={"fill/diffuse": Level(solo=True)})
        self.assertEqual({n for n, gain in self.gains(cell).items() if gain}, {"fill diffuse"})

    def test_mattes_multiply_out(self) -> None:
        mattes = {"a": EllipseMatte(centre=(9, 9), radii=(4, 4)), "b": EllipseMatte(centre=(20, 9), radii=(4, 4))}
        levels = Balance(
            lights={"key": Level(multiplier=3, matte="a"), "fill": Level(mute=True, matte="a")},
            components={"diffuse": Level(multiplier=0.5, matte="b"), "specular": Level(multiplier=2)},
        )
        plan = plan_balance(self.render, Variant(balance=levels, mattes=mattes), self.space)
        found = {
            (plan.recipe.terms[part.term].name, part.mattes): float(gain[0])
            for part, gain in zip(plan.first.parts, plan.first.gains, strict=True)
        }
        self.assertEqual(found, {
            ("key diffuse", ()): 1, ("key diffuse", ("a",)): 2, ("key diffuse", ("b",)): -0.5,
            ("key diffuse", ("a", "b")): -1, ("key specular", ()): 2, ("key specular", ("a",)): 4,
            ("fill diffuse", ()): 0, ("fill specular", ()): 0,
        })  # fmt: skip
        idle = Balance(lights={"key": Level(matte="a")})
        self.assertTrue(plan_balance(self.render, Variant(balance=idle, mattes=mattes), self.space).is_neutral)

    def test_levels_of_what_is_not_there_wait(self) -> None:
        plan = self.plan(lights={"sun": Level(stops=3)}, components={"sheen": Level(mute=True)})
        self.assertTrue(plan.is_neutral)

    def test_what_is_said_on_the_tally_counts_for_its_recipe_alone(self) -> None:
        tally = TallyChoice(terms={"key diffuse": TermEdit(strength=0.25), "fill diffuse": TermEdit(on=False)})
        found = self.gains(self.plan(tally))
        self.assertEqual((found["key diffuse"], found["fill diffuse"], found["key specular"]), (0.25, 0.0, 1.0))
        alone = self.plan(TallyChoice(terms={"key diffuse": TermEdit(alone=True)}))
        self.assertEqual(alone.residual_gain, 0.0)
        self.assertEqual([n for n, gain in self.gains(alone).items() if gain], ["key diffuse"])

    def test_tints_keep_luminance_and_differ_by_channel(self) -> None:
        plan = self.plan(lights={"key": Level(tint=(1.0, 0.5, 0.25))})
        names = [term.name for term in plan.recipe.terms]
        gain = plan.first.gains[names.index("key diffuse")]
        self.assertAlmostEqual(float(gain @ self.space.luminance_weights), 1.0, places=5)
        self.assertGreater(gain[0], gain[2])

    def test_the_names_that_can_be_balanced(self) -> None:
        self.assertEqual(set(render_lights(self.render)), {"key", "fill"})
        self.assertLessEqual({"diffuse", "specular"}, set(render_components(self.render)))


class OneAxisPlanTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.render = engine_for(write_layers(self.folder / "axes.exr", one_axis_passes())).render
        self.space = resolve_colour(self.render, Variant()).working

    def plan(self, variant: Variant):
        return plan_balance(self.render, variant, self.space)

    def test_each_axis_by_itself_uses_its_own_sum(self) -> None:
        lights = self.plan(Variant(balance=Balance(lights={"key": Level(stops=1)})))
        self.assertEqual((lights.recipe.name, lights.second), (LIGHTS, None))
        components = self.plan(Variant(balance=Balance(components={"diffuse": Level(stops=1)})))
        self.assertEqual((components.recipe.name, components.second), (COMPONENTS, None))

    def test_both_axes_leave_the_second_to_the_ratio(self) -> None:
        both = Balance(lights={"key": Level(stops=1)}, components={"diffuse": Level(stops=-1)})
        plan = self.plan(Variant(balance=both))
        self.assertIsNotNone(plan.second)
        self.assertNotEqual(plan.second.recipe.name, plan.recipe.name)
        self.assertFalse(np.all(plan.second.gains == 1))

    def test_a_tally_that_was_changed_carries_the_levels(self) -> None:
        edits = TallyChoice(terms={"diffuse": TermEdit(strength=0.5)})
        variant = Variant(recipe=COMPONENTS, tally=edits, balance=Balance(lights={"key": Level(stops=1)}))
        plan = self.plan(variant)
        self.assertEqual(plan.recipe.name, COMPONENTS)
        self.assertEqual(plan.second.recipe.name, LIGHTS)

    def test_without_a_recipe_there_is_no_plan(self) -> None:
        render = engine_for(write_layers(self.folder / "alone.exr", {"": light(1)})).render
        self.assertIsNone(plan_balance(render, Variant(), self.space))

    def test_gains_of_a_recipe_without_terms_of_a_light(self) -> None:
        recipe = self.render.recipe(COMPONENTS)
        alone = Variant(balance=Balance(lights={"key": Level(solo=True)}))
        levelled, residual = level_recipe(recipe, alone, self.space)
        self.assertEqual((float(levelled.gains.max()), residual), (0.0, 0.0))
