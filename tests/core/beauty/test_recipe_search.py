import unittest

import numpy as np

from escala.core.beauty.recipe_search import Candidate, SampledPass, search_recipes
from escala.core.beauty.recipes import COMPONENTS, GRID, LIGHTS
from escala.core.roles import PassRole, Portion, Role
from tests.fixtures import add_up, light

TOTAL, DIRECT, INDIRECT, COLOUR = Portion.TOTAL, Portion.DIRECT, Portion.INDIRECT, Portion.COLOUR


def component(name: str, portion: Portion, planes: np.ndarray, twin: str | None = None) -> SampledPass:
    role = PassRole(Role.COMPONENT, None, name, portion, twin)
    return SampledPass(f"{name}_{portion}{twin or ''}", role, "half", planes)


def one_light(name: str, planes: np.ndarray) -> SampledPass:
    return SampledPass(name, PassRole(Role.LIGHT, name), "half", planes)


def beauty(planes: np.ndarray) -> SampledPass:
    return SampledPass("beauty", PassRole(Role.BEAUTY), "half", planes)


def formulas(candidate: Candidate) -> set[str]:
    return {str(term) for term in candidate.recipe.terms}


class RecipeSearchTest(unittest.TestCase):
    def best(self, passes: list[SampledPass], whole: np.ndarray) -> Candidate:
        found = search_recipes(passes, beauty(whole))[0]
        self.assertTrue(found.fits, f"{found.recipe} leaves {found.outside_share:.1%} outside")
        return found

    def test_plain_components(self) -> None:
        parts = [light(i) for i in range(3)]
        passes = [component(n, TOTAL, p) for n, p in zip(("diffuse", "specular", "emission"), parts, strict=True)]
        self.assertEqual(self.best(passes, add_up(*parts)).recipe.name, COMPONENTS)

    def test_a_total_beside_its_parts_counts_once(self) -> None:
        direct, indirect, other = light(1), light(2), light(3)
        passes = [
            component("diffuse", TOTAL, add_up(direct, indirect)),
            component("diffuse", DIRECT, direct),
            component("diffuse", INDIRECT, indirect),
            component("specular", TOTAL, other),
        ]
        terms = self.best(passes, add_up(direct, indirect, other)).recipe.terms
        self.assertEqual(len(terms), 2)

    def test_light_times_colour(self) -> None:
        direct, indirect, albedo = light(1), light(2), light(3, top=0.9) + np.float32(0.05)
        albedo = albedo.astype(np.float16).astype(np.float32)
        whole = ((direct + indirect).astype(np.float64) * albedo).astype(np.float16).astype(np.float32)
        passes = [
            component("diffuse", DIRECT, direct),
            component("diffuse", INDIRECT, indirect),
            component("diffuse", COLOUR, albedo),
        ]
        self.assertEqual(formulas(self.best(passes, whole)), {"(diffuse_direct + diffuse_indirect) × diffuse_colour"})

    def test_lights_and_an_emission_that_no_light_holds(self) -> None:
        key, fill, emission = light(1), light(2), light(3)
        passes = [one_light("key", key), one_light("fill", fill), component("emission", TOTAL, emission)]
        found = self.best(passes, add_up(key, fill, emission))
        self.assertEqual((found.recipe.name, formulas(found)), (LIGHTS, {"key", "fill", "emission_total"}))

    def test_environment_under_alpha(self) -> None:
        alpha = np.linspace(0, 1, 24 * 32, dtype=np.float32).reshape(1, 24, 32).astype(np.float16).astype(np.float32)
        diffuse, sky = light(1), light(2)
        whole = (diffuse + (1 - alpha) * sky).astype(np.float16).astype(np.float32)
        passes = [
            component("diffuse", TOTAL, diffuse),
            component("environment", TOTAL, sky),
            SampledPass("alpha", PassRole(Role.ALPHA), "half", alpha),
        ]
        self.assertIn("(1 − alpha) × environment_total", formulas(self.best(passes, whole)))

    def test_the_grid_keeps_what_a_light_holds_beyond_its_parts(self) -> None:
        diffuse, specular, glow = light(1), light(2), light(3)
        role = Role.LIGHT_COMPONENT
        passes = [
            one_light("key", add_up(diffuse, specular, glow)),
            SampledPass("key_diffuse", PassRole(role, "key", "diffuse", TOTAL), "half", diffuse),
            SampledPass("key_specular", PassRole(role, "key", "specular", TOTAL), "half", specular),
        ]
        found = self.best(passes, add_up(diffuse, specular, glow))
        self.assertEqual(found.recipe.name, GRID)
        self.assertIn("(key − key_diffuse − key_specular)", formulas(found))

    def test_the_denoised_family_goes_with_the_denoised_beauty(self) -> None:
        noisy, clean = [light(1), light(2)], [light(3), light(4)]
        names = ("diffuse", "specular")
        passes = [component(n, TOTAL, p) for n, p in zip(names, noisy, strict=True)]
        passes += [component(n, TOTAL, p, "denoised") for n, p in zip(names, clean, strict=True)]
        self.assertEqual(
            formulas(self.best(passes, add_up(*clean))), {"diffuse_totaldenoised", "specular_totaldenoised"}
        )

    def test_unknown_colour_passes_are_lights_where_they_complete_the_sum(self) -> None:
        parts = [light(i) for i in range(3)]
        passes = [SampledPass(f"u{i}", PassRole(Role.OTHER), "half", p) for i, p in enumerate(parts)]
        found = self.best(passes, add_up(*parts))
        self.assertEqual(found.recipe.lights, ("u0", "u1", "u2"))

    def test_a_sum_that_fails_is_reported_as_such(self) -> None:
        found = search_recipes([component("diffuse", TOTAL, light(1))], beauty(light(9)))[0]
        self.assertFalse(found.fits)
        self.assertGreater(found.outside_share, 0.9)
