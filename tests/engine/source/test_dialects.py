"""Renders named in many ways: the recipe is found, it is exact, and it can be balanced by the right names."""

import numpy as np

from escala.engine.viewer.viewport import full_viewport
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for
from tests.fixtures import FolderTest, add_up, light, write_layers

A, B, C, D = (light(seed) for seed in (1, 2, 3, 4))
COLOUR, TINT, GLASS = (light(seed, top=1.0) for seed in (9, 10, 11))
TWO, THREE, FOUR = add_up(A, B), add_up(A, B, C), add_up(A, B, C, D)
LIT = ((A + B) * COLOUR).astype(np.float16).astype(np.float32)
RAW = ((A + B) * COLOUR + C * TINT + D * GLASS).astype(np.float16).astype(np.float32)
SHADED = ((A + B) * COLOUR[:1]).astype(np.float16).astype(np.float32)
MASK, ONES = light(8, top=1.0)[0], np.ones((24, 32), np.float32)
UNDER = (A + (1 - MASK) * B).astype(np.float16).astype(np.float32)

# Passes as a renderer might name them; the lights and components that the tally must find.
DIALECTS = {
    "a light in every name": ({"": TWO, "C_diffuse_key": A, "C_diffuse_fill": B}, {"key", "fill"}, {"diffuse"}),
    "three letters run together": ({"": LIT, "DiffDir": A, "DiffInd": B, "DiffCol": COLOUR}, set(), {"diffuse"}),
    "combined and a light": ({"": TWO, "Combined_keyLight": A, "Combined_fillLight": B}, {"key", "fill"}, set()),
    "words in another order": ({"M.Beauty": TWO, "M.Direct Diffuse": A, "M.Indirect Diffuse": B}, set(), {"diffuse"}),
    "all capitals": ({"BEAUTY": TWO, "DIFFUSE_LIGHTING": A, "REFLECTION": B}, set(), {"diffuse", "specular"}),
    "numbered lights": ({"Final Image": TWO, "LG_01": A, "LG_02": B}, {"LG_01", "LG_02"}, set()),
    "lights by their own names": ({"": TWO, "sunset_rim_light": A, "softbox_A": B}, {"sunset_rim", "softbox_A"}, set()),
    "raw light and a filter": (
        {"": LIT, "rawDiffuseLighting": TWO, "diffuseFilter": COLOUR},
        set(),
        {"diffuse"},
    ),
    "one or two letters": ({"C": TWO, "dd": A, "si": B}, set(), {"diffuse", "specular"}),
    "emission and environment": (
        {"": THREE, "Lighting.Diffuse": A, "Emit": B, "Env": C},
        set(),
        {"diffuse", "emission", "environment"},
    ),
    "lobes of a car paint": (
        {"": THREE, "base_diffuse": A, "clear_coat_direct": B, "sheen_indirect": C},
        set(),
        {"diffuse", "coat", "sheen"},
    ),
    "light and component": (
        {"": FOUR, "key.diffuse": A, "key.specular": B, "rim.diffuse": C, "rim.specular": D},
        {"key", "rim"},
        {"diffuse", "specular"},
    ),
    "names that say nothing": ({"beauty": TWO, "x17": A, "x18": B}, {"x17", "x18"}, set()),
    "another language": ({"": TWO, "Licht_links": A, "Licht_rechts": B}, {"Licht_links", "Licht_rechts"}, set()),
    "refraction and reflection": (
        {"": THREE, "Diffuse": A, "Reflections": B, "Refractions": C},
        set(),
        {"diffuse", "specular", "transmission"},
    ),
    "a shadow multiplied": (
        {"": SHADED, "diffuse": A, "specular": B, "shadow": np.stack([COLOUR[0]] * 3)},
        set(),
        {"diffuse", "specular"},
    ),
    "an environment behind a mask": (
        {"": UNDER, "diffuse": A, "environment": B, "A": ONES, "mask_ground.M": MASK},
        set(),
        {"diffuse", "environment"},
    ),
    "lights chosen by a prefix": (
        {"beauty": FOUR, "lightSelect_key": A, "lightSelect_specular_rim": B, "diffuse": add_up(A, C)},
        {"key", "specular_rim", "everything else"},
        set(),
    ),
    "raw parts and their filters": (
        {  # no pass holds a component as it is lit
            "effectsResult": RAW,
            "rawLight": A,
            "rawGI": B,
            "diffuseFilter": COLOUR,
            "rawReflection": C,
            "reflectionFilter": TINT,
            "rawRefraction": D,
            "refractionFilter": GLASS,
        },
        set(),
        {"direct", "indirect", "specular", "transmission"},
    ),
    "raw lighting in words": ({"": LIT, "Diffuse Lighting Raw": TWO, "Diffuse Filter": COLOUR}, set(), {"diffuse"}),
    "a light that is named after a component": (
        {"": THREE, "specular_rim_light": A, "key_light": B, "fill_light": C},
        {"specular_rim", "key", "fill"},
        set(),
    ),
    "glow added by the lens": ({"": THREE, "lg_key": A, "lg_fill": B, "glow": C}, {"key", "fill"}, {"glow"}),
}


class DialectTest(FolderTest):
    def test_recipes_are_found_and_exact(self) -> None:
        for number, (name, (passes, lights, components)) in enumerate(DIALECTS.items()):
            with self.subTest(name):
                evaluator = engine_for(write_layers(self.folder / f"night_{number}.exr", passes))
                found = evaluator.render.recipes[0]
                self.assertTrue(found.exact)
                self.assertEqual(set(found.recipe.lights), lights)
                self.assertLessEqual(components, set(found.recipe.components))

    def test_everything_else_is_levelled_as_a_light(self) -> None:
        passes = DIALECTS["lights chosen by a prefix"][0]
        evaluator = engine_for(write_layers(self.folder / "some.exr", passes))
        variant = Variant.model_validate({"balance": {"lights": {"everything else": {"stops": -16, "mute": True}}}})
        found = evaluator.at("balance", evaluator.make_request(variant, full_viewport(0, 0, 32, 24)))
        wanted = evaluator.colour_pipeline(variant).config.convert(
            A + B, evaluator.colour_pipeline(variant).input_space, "ACEScg"
        )
        np.testing.assert_allclose(found, wanted, atol=0.01)

    def test_lights_that_overlap_leave_nothing_else(self) -> None:
        """Where chosen lights hold more than the beauty somewhere, they are no part of it."""
        for name, passes in {
            "more": {"beauty": TWO, "lightSelect_key": A, "lightSelect_fill": add_up(B, B)},
            "not chosen": {"beauty": THREE, "lg_key": A, "lg_fill": B},
        }.items():
            evaluator = engine_for(write_layers(self.folder / f"{name}.exr", passes))
            self.assertNotIn("everything else", [light for r in evaluator.render.recipes for light in r.recipe.lights])
