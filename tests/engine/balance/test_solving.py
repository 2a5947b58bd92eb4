"""Levels solved from wishes at places: what is wished for comes, the rest stays; added lights are kept out of it."""

from typing import Any

import numpy as np

from escala.core.errors import BadSource
from escala.engine.balance.solving import Wish, rows_of, solve_levels, solve_wishes
from escala.engine.balance.tinting import tint_towards
from escala.engine.images import ImageSource
from escala.engine.viewer.viewport import full_viewport
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for, image_pool
from tests.fixtures import FolderTest, light, write_layers

REC709 = "Linear Rec.709 (sRGB)"
LEFT, RIGHT = Wish(6, 12), Wish(26, 12)


class TwoLightsTest(FolderTest):
    """Two lights that meet in the middle, and one everywhere."""

    def setUp(self) -> None:
        super().setUp()
        across = np.linspace(0, 1, 32, dtype=np.float32)
        self.left, self.right = light(1) * np.clip(1 - 2 * across, 0, 1), light(2) * np.clip(2 * across - 1, 0, 1)
        self.fill = light(3, top=0.4)
        albedo, normal = light(4, top=1.0), np.zeros((3, 24, 32), np.float32)
        normal[2] = 1
        passes = {
            "": self.left + self.right + self.fill, "lg_left": self.left, "lg_right": self.right, "lg_fill": self.fill,
            "diffuse_color": albedo, "N.X": normal[0], "N.Y": normal[1], "N.Z": normal[2],
        }  # fmt: skip
        self.evaluator = engine_for(write_layers(self.folder / "shot.exr", passes, np.float32))

    def variant(self, **balance: Any) -> Variant:
        return Variant.model_validate({"colour": {"input_space": REC709, "working_space": REC709}, "balance": balance})

    def mean(self, variant: Variant, wish: Wish) -> np.ndarray:
        request = self.evaluator.make_request(variant, full_viewport(wish.x - 2, wish.y - 2, 5, 5))
        return self.evaluator.at("beauty", request).mean(axis=(1, 2))


class WishTest(TwoLightsTest):
    def test_a_wish_is_met_and_what_matters_to_none_stays(self) -> None:
        before = self.variant(lights={"left": {"tint": [2, 1, 1]}, "right": {"stops": -1}, "fill": {"stops": 0.5}})
        found = solve_wishes(self.evaluator, before, [Wish(6, 12, stops=1), RIGHT], ["fill"])
        after = found.applied(before)
        weights = np.array([0.2126, 0.7152, 0.0722])
        ratio = float(weights @ self.mean(after, LEFT) / (weights @ self.mean(before, LEFT)))
        self.assertAlmostEqual(ratio, 2.0, delta=0.15)
        np.testing.assert_allclose(self.mean(after, RIGHT), self.mean(before, RIGHT), rtol=0.02)
        self.assertEqual(set(found.levels), {"left"})
        self.assertEqual(after.balance.lights["left"].tint, (2, 1, 1))
        self.assertEqual(after.balance.lights["fill"].stops, 0.5)
        self.assertLess(found.after, 0.25 * found.before)

    def test_tints_reach_a_colour(self) -> None:
        before = self.variant()
        wish = Wish(6, 12, colour=(1.0, 0.5, 0.2))
        found = solve_wishes(self.evaluator, before, [wish, RIGHT], ["fill", "right"], with_tints=True)
        reached = self.mean(found.applied(before), LEFT)
        wanted = np.array([1.0, 0.5, 0.2]) / (0.2126 + 0.5 * 0.7152 + 0.2 * 0.0722)
        wanted = wanted * float(np.array([0.2126, 0.7152, 0.0722]) @ self.mean(before, LEFT))
        np.testing.assert_allclose(reached, wanted, rtol=0.02)

    def test_warmer_is_redder(self) -> None:
        before = self.variant()
        found = solve_wishes(self.evaluator, before, [Wish(6, 12, kelvin=4000)], with_tints=True)
        ratio = self.mean(found.applied(before), LEFT) / self.mean(before, LEFT)
        self.assertGreater(float(ratio[0]), 1.05)
        self.assertLess(float(ratio[2]), 0.9)

    def test_added_lights_stay_what_they_are(self) -> None:
        side = {"kind": "side", "name": "window", "direction": [0, 0, 1]}
        wanted = self.variant(added=[side], lights={"left": {"stops": 1}, "right": {"stops": -1}})
        whole = full_viewport(0, 0, 32, 24)
        picture = self.evaluator.at("beauty", self.evaluator.make_request(wanted, whole))
        path = write_layers(self.folder / "wanted.exr", {"": picture}, np.float32)
        image = image_pool(self.folder).load(ImageSource(str(path), REC709))
        variant = self.variant(added=[side])
        found = solve_levels(self.evaluator, variant, rows_of(self.evaluator, variant, image))
        for name, stops in (("left", 1.0), ("right", -1.0), ("fill", 0.0)):
            self.assertAlmostEqual(found.levels[name].stops, stops, places=3)
        self.assertLess(found.after, 1e-3)

    def test_nothing_wished_for_is_refused(self) -> None:
        with self.assertRaisesRegex(BadSource, "nothing is wished for"):
            solve_wishes(self.evaluator, self.variant(), [])


class TintTest(TwoLightsTest):
    def test_a_light_becomes_the_colour_that_is_picked(self) -> None:
        for kelvin in (6500, 3200):
            before = self.variant(lights={"left": {"kelvin": kelvin}})
            tint = tint_towards(self.evaluator, before, "lights", "left", (0.8, 0.2, 0.4))
            muted = {name: {"mute": True} for name in ("right", "fill")}
            after = self.variant(lights={"left": {"kelvin": kelvin, "tint": tint}, **muted})
            whole = full_viewport(0, 0, 32, 24)
            request = self.evaluator.make_request(after, whole)
            mean = self.evaluator.light_sum.sum(request, False).mean(axis=(1, 2))
            np.testing.assert_allclose(mean / mean[0], np.array([0.8, 0.2, 0.4]) / 0.8, rtol=2e-2)

    def test_black_is_refused(self) -> None:
        with self.assertRaisesRegex(BadSource, "black is no colour"):
            tint_towards(self.evaluator, self.variant(), "lights", "left", (0, 0, 0))
        with self.assertRaisesRegex(BadSource, "no passes of gone"):
            tint_towards(self.evaluator, self.variant(), "lights", "gone", (1, 1, 1))
