import unittest

import numpy as np

from escala.core.beauty.proof import UNIT_ROUNDOFF, constant_factor, join_proofs, prove, rounding_bound
from tests.fixtures import add_up, light


def bound_of(beauty: np.ndarray, terms: list[np.ndarray]) -> np.ndarray:
    magnitudes = sum(np.abs(term) for term in terms) * np.float32(UNIT_ROUNDOFF["half"])
    return rounding_bound(beauty, "half", magnitudes, len(terms))


class ProofTest(unittest.TestCase):
    def test_half_rounding_is_explained(self) -> None:
        exact = [np.random.default_rng(i).random((3, 40, 40)) * 20 for i in range(6)]
        terms = [term.astype(np.float16).astype(np.float32) for term in exact]
        beauty = np.sum(exact, axis=0).astype(np.float16).astype(np.float32)
        proof = prove(beauty, np.sum(terms, axis=0, dtype=np.float32), bound_of(beauty, terms))
        self.assertTrue(proof.exact)
        self.assertGreater(proof.max_abs, 0)

    def test_a_missing_term_is_found_with_its_place(self) -> None:
        terms = [light(1), light(2)]
        beauty = add_up(*terms)
        beauty[1, 5, 7] += 1.0
        proof = prove(beauty, terms[0] + terms[1], bound_of(beauty, terms))
        self.assertFalse(proof.exact)
        self.assertEqual((proof.outside, proof.worst), (1, (7, 5)))
        self.assertAlmostEqual(proof.worst_difference, 1.0, places=2)

    def test_not_a_number_is_left_out(self) -> None:
        terms = [light(1)]
        beauty = add_up(*terms)
        beauty[0, 0, 0] = np.nan
        proof = prove(beauty, terms[0], bound_of(beauty, terms))
        self.assertTrue(proof.exact)
        self.assertEqual(proof.pixels, 24 * 32 - 1)

    def test_bands_join_to_the_proof_of_the_whole(self) -> None:
        beauty, rebuilt = light(1), light(1) + np.float32(0.001) * light(2)
        bound = bound_of(beauty, [beauty])
        whole = prove(beauty, rebuilt, bound)
        parts = [
            (top, prove(beauty[:, top : top + 8], rebuilt[:, top : top + 8], bound[:, top : top + 8]))
            for top in (0, 8, 16)
        ]
        joined = join_proofs(parts)
        self.assertAlmostEqual(joined.rms, whole.rms, places=9)
        self.assertEqual((joined.outside, joined.max_abs, joined.peak), (whole.outside, whole.max_abs, whole.peak))


class FactorTest(unittest.TestCase):
    def test_a_factor_is_found_through_fireflies(self) -> None:
        rebuilt = light(1, 60, 60)
        beauty = rebuilt * np.array([1.5, 1.0, 0.8], np.float32)[:, None, None]
        beauty[:, ::13, ::17] += 500
        np.testing.assert_allclose(constant_factor(beauty, rebuilt), [1.5, 1.0, 0.8], rtol=1e-3)
