import unittest

import numpy as np

from escala.core.beauty.folding import OPERATORS, Folded, fold_bounds, fold_terms
from escala.core.errors import UnknownChoice
from tests.fixtures import light

ONE = np.ones(3, np.float32)


class FoldTest(unittest.TestCase):
    def setUp(self) -> None:
        self.a, self.b = light(1, top=0.9), light(2, top=0.9)

    def fold(self, operator: str, strength: float = 1.0, alpha: np.ndarray | None = None) -> np.ndarray:
        second = Folded(self.b, operator, ONE * np.float32(strength), alpha)
        return fold_terms([Folded(self.a, "add", ONE), second])

    def test_each_operator_is_its_formula(self) -> None:
        a, b = self.a, self.b
        expected = {
            "add": a + b,
            "subtract": a - b,
            "multiply": a * b,
            "screen": 1 - (1 - a) * (1 - b),
            "over": np.where(b.max(axis=0) > 0, b, a),
        }
        self.assertEqual(set(expected), set(OPERATORS))
        for operator, picture in expected.items():
            with self.subTest(operator=operator):
                np.testing.assert_allclose(self.fold(operator), picture, atol=1e-6)

    def test_strength_nought_changes_nothing_but_what_is_laid_over(self) -> None:
        for operator in ("add", "subtract", "multiply", "screen"):
            with self.subTest(operator=operator):
                np.testing.assert_array_equal(self.fold(operator, 0.0), self.a)

    def test_half_a_shadow_is_half_as_dark(self) -> None:
        np.testing.assert_allclose(self.fold("multiply", 0.5), self.a * (1 - 0.5 * (1 - self.b)), atol=1e-6)

    def test_an_associated_picture_covers_by_its_alpha(self) -> None:
        alpha = np.full(self.a.shape[1:], 0.25, np.float32)
        np.testing.assert_allclose(self.fold("over", alpha=alpha), self.b + 0.75 * self.a, atol=1e-6)

    def test_the_bound_holds_for_rounded_passes(self) -> None:
        exact = [np.random.default_rng(i).random((3, 20, 20)) for i in range(3)]
        rounded = [p.astype(np.float16).astype(np.float32) for p in exact]
        operators = ("add", "add", "multiply")
        terms = [Folded(p, how, ONE) for p, how in zip(rounded, operators, strict=True)]
        bound = fold_bounds(terms, [np.abs(p) * np.float32(2.0**-11) for p in rounded])
        truth = (exact[0] + exact[1]) * exact[2]
        self.assertTrue(np.all(np.abs(fold_terms(terms) - truth) <= bound + 1e-6))

    def test_an_unknown_operator_names_the_known(self) -> None:
        with self.assertRaisesRegex(UnknownChoice, "multiply"):
            self.fold("blend")
