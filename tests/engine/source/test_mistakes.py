"""Each mistake that people make with passes is made here, and must be noticed by its name."""

import numpy as np

from escala.core.colour.gamuts import gamut_matrix
from escala.core.colour.transfer import srgb_encode
from escala.engine.beauty.diagnosis import explain_difference
from tests.engine.fixture_shot import engine_for
from tests.fixtures import FolderTest, add_up, write_layers


def halves(planes: np.ndarray) -> np.ndarray:
    return planes.astype(np.float16).astype(np.float32)


def light(seed: int, height: int = 60, width: int = 80) -> np.ndarray:
    """Smooth light with a bright spot, as halves: nothing that could be taken for noise."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:height, 0:width]
    spot = np.exp(-((y - height * rng.random()) ** 2 + (x - width * rng.random()) ** 2) / 400)
    colour = rng.random(3) + 0.2
    return halves((colour[:, None, None] * (0.1 + 3 * spot + 0.2 * x / width)).astype(np.float32))


KEY, FILL = light(1), light(2)
SUM = add_up(KEY, FILL)


class MistakeTest(FolderTest):
    def codes(self, passes: dict[str, np.ndarray], name: str = "") -> set[str]:
        """The codes of all findings on a render, or on one of its passes, and of why its sum fails."""
        evaluator = engine_for(write_layers(self.folder / f"m{len(list(self.folder.iterdir()))}.exr", passes))
        found = {d.code for p in evaluator.render.passes if not name or p.name == name for d in p.diagnostics}
        for recipe in evaluator.render.recipes[:1]:
            if not recipe.exact:
                found |= {c.code for c in explain_difference(evaluator.render, evaluator.frame, recipe.recipe)}
        return found

    def test_a_good_render_is_left_in_peace(self) -> None:
        self.assertEqual(self.codes({"": SUM, "lg_key": KEY, "lg_fill": FILL}), set())

    def test_an_encoded_beauty_beside_linear_passes(self) -> None:
        small = halves(SUM / 10)
        passes = {"": halves(srgb_encode(small)), "lg_key": halves(KEY / 10), "lg_fill": halves(FILL / 10)}
        self.assertIn("encoded_beauty", self.codes(passes))

    def test_encoded_passes_beside_a_linear_beauty(self) -> None:
        parts = [halves(KEY / 10), halves(FILL / 10)]
        encoded = [halves(srgb_encode(p)) for p in parts]
        self.assertIn("encoded_passes", self.codes({"": add_up(*parts), "lg_key": encoded[0], "lg_fill": encoded[1]}))

    def test_passes_and_beauty_in_different_gamuts(self) -> None:
        beauty = halves(np.einsum("ij,jhw->ihw", gamut_matrix("Rec.709", "AP1"), SUM))
        self.assertIn("wrong_colour_space", self.codes({"": beauty, "lg_key": KEY, "lg_fill": FILL}))

    def test_a_component_left_out_of_the_render(self) -> None:
        emission = light(5)
        emission = np.where(emission > np.quantile(emission, 0.9), emission, 0).astype(np.float32)
        found = self.codes({"": add_up(KEY, emission, FILL), "diffuse": KEY, "specular": FILL})
        self.assertIn("not_rendered", found)

    def test_screen_instead_of_add(self) -> None:
        a, b = halves(KEY / 5), halves(FILL / 5)
        self.assertIn("screened", self.codes({"": halves(a + b - a * b), "lg_key": a, "lg_fill": b}))

    def test_a_tinted_beauty(self) -> None:
        tinted = halves(SUM * np.array([1.2, 1.0, 0.8], np.float32)[:, None, None])
        self.assertIn("constant_factor", self.codes({"": tinted, "lg_key": KEY, "lg_fill": FILL}))

    def test_a_display_picture_clamped_at_one(self) -> None:
        found = self.codes({"": np.minimum(SUM, 1), "lg_key": KEY, "lg_fill": FILL})
        self.assertLessEqual({"clamped", "clamped_beauty"}, found)

    def test_depth_that_is_filtered_reversed_or_normalised(self) -> None:
        y, x = np.mgrid[0:60, 0:80]
        near = (x > 20) & (x < 60) & (y > 15) & (y < 45)
        depth = np.where(near, 5.0, 40.0).astype(np.float32)
        soft = depth.copy()
        soft[16:45, 20] = soft[16:45, 60] = 20.0
        base = {"": light(1), "lg_key": light(1)}
        self.assertEqual(self.codes({**base, "depth.Z": depth}), set())
        self.assertIn("depth_filtered", self.codes({**base, "depth.Z": soft}))
        alpha = (y < 50).astype(np.float32)
        backwards = np.where(alpha > 0, 1 - depth / 100, 0).astype(np.float32)
        found = self.codes({**base, "A": alpha, "depth.Z": backwards}, "depth")
        self.assertLessEqual({"depth_normalised", "depth_reversed"}, found)

    def test_data_stored_as_a_picture(self) -> None:
        rng = np.random.default_rng(3)
        normals = rng.normal(size=(3, 40, 40))
        normals /= np.sqrt((normals**2).sum(axis=0))
        base = {"": light(1, 40, 40), "lg_key": light(1, 40, 40)}
        self.assertIn("normal_squeezed", self.codes({**base, "normal": halves(normals * 0.5 + 0.5)}))
        self.assertIn("data_colour_managed", self.codes({**base, "normal": halves(np.maximum(normals, 0))}))

    def test_a_picture_of_eight_bits(self) -> None:
        ramp = np.linspace(0.02, 1, 80 * 60).reshape(1, 60, 80) * np.array([1, 0.8, 0.6])[:, None, None]
        steps = (np.rint(ramp * 255) / 255).astype(np.float32)
        self.assertIn("encoded", self.codes({"": steps, "lg_key": steps}))

    def test_empty_constant_negative_and_broken_passes(self) -> None:
        hole = FILL.copy()
        hole[:, 3, 3] = np.inf
        passes = {"": SUM, "lg_key": KEY, "lg_fill": hole, "lg_rim": KEY * 0, "lg_top": KEY * 0 + 1, "lg_low": KEY - 1}
        for name, code in (
            ("lg_rim", "empty"),
            ("lg_top", "constant"),
            ("lg_low", "negative"),
            ("lg_fill", "not_finite"),
        ):
            with self.subTest(name=name):
                self.assertIn(code, self.codes(passes, name))
