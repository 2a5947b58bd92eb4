"""Small modules of the core: ratio, pyramid, cryptomatte, data as pictures, diagnostics."""

import unittest

import numpy as np

from escala.core.balance.ratio import gain_ratio
from escala.core.mattes.cryptomatte import encode_ranks, layer_key, murmur_hash, name_to_id_bits, object_matte
from escala.core.roles import PassRole, Role
from escala.core.source.diagnostics import diagnose_pass, join_statistics
from escala.core.viewer.pyramid import halve_box, halve_nearest, level_count
from escala.core.viewer.role_pictures import ROLE_PICTURES, show_data
from tests.core.fixture_planes import plane_figures
from tests.fixtures import light


class RatioTest(unittest.TestCase):
    def test_times_the_sum_it_gives_the_changed_sum(self) -> None:
        lights = [light(1), light(2)]
        beauty = lights[0] + lights[1]
        gains = np.array([[4, 2, 1], [1, 1, 0.5]], np.float32)
        levelled = [gain[:, None, None] * planes for gain, planes in zip(gains, lights, strict=True)]
        expected = levelled[0] + levelled[1]
        np.testing.assert_allclose(beauty * gain_ratio(lights, levelled), expected, rtol=1e-5, atol=1e-6)

    def test_the_dark_stays_as_it_is(self) -> None:
        black = np.zeros((3, 2, 2), np.float32)
        np.testing.assert_array_equal(gain_ratio([black], [black * 8]), 1.0)


class PyramidTest(unittest.TestCase):
    def test_means_of_four_with_odd_edges(self) -> None:
        plane = light(1, 5, 7)[0]
        found = halve_box(plane)
        self.assertEqual(found.shape, (3, 4))
        np.testing.assert_allclose(found[0, 0], plane[:2, :2].mean(), rtol=1e-6)
        np.testing.assert_allclose(found[2, 3], plane[4, 6], rtol=1e-6)
        self.assertEqual(halve_box(plane.astype(np.float16)).dtype, np.float16)

    def test_ids_are_never_mixed(self) -> None:
        ids = np.arange(24, dtype=np.uint32).reshape(4, 6)
        np.testing.assert_array_equal(halve_nearest(ids), ids[::2, ::2])

    def test_levels_end_at_64(self) -> None:
        self.assertEqual(level_count(2160, 3840), 7)
        self.assertEqual(level_count(64, 10), 1)


class CryptomatteTest(unittest.TestCase):
    def test_published_hashes(self) -> None:
        known = {
            "": 0,
            "hello": 0x248BFA47,
            "hello, world": 0x149BBB7F,
            "The quick brown fox jumps over the lazy dog": 0x2E4FF723,
        }
        for text, value in known.items():
            self.assertEqual(murmur_hash(text.encode()), value, text)

    def test_ids_are_finite_floats(self) -> None:
        bits = np.array([name_to_id_bits(f"thing{i}") for i in range(3000)], np.uint32)
        exponents = (bits >> 23) & 0xFF
        self.assertTrue(((exponents > 0) & (exponents < 255)).all())
        self.assertEqual(len(layer_key("CryptoObject")), 7)

    def test_mattes_come_back_exactly(self) -> None:
        rng = np.random.default_rng(5)
        shares = rng.random((3, 6, 8)).astype(np.float32)
        shares /= shares.sum(axis=0)
        ids = [name_to_id_bits(name) for name in ("hull", "sail", "rope")]
        ranks = encode_ranks(dict(zip(ids, shares, strict=True)), 3)
        np.testing.assert_array_equal(object_matte(ranks, [ids[1]]), shares[1])
        np.testing.assert_allclose(object_matte(ranks, ids), 1.0, rtol=1e-6)


class DataPictureTest(unittest.TestCase):
    def test_every_role_is_shown_within_the_screens_range(self) -> None:
        odd = light(1, 16, 16, 50.0) - 5
        odd[0, 0, :4] = [np.nan, np.inf, -np.inf, 1e10]
        for role in (*ROLE_PICTURES, Role.OTHER):
            for channels in (1, 3):
                with self.subTest(role=role, channels=channels):
                    shown = show_data(role, odd[:channels])
                    self.assertEqual(shown.shape, (3, 16, 16))
                    self.assertTrue(np.isfinite(shown).all() and shown.min() >= 0 and shown.max() <= 1)

    def test_near_is_lighter_than_far(self) -> None:
        depth = np.linspace(1, 100, 256, dtype=np.float32).reshape(1, 16, 16)
        shown = show_data(Role.DEPTH, depth)
        self.assertGreater(shown[0, 0, 0], shown[0, 15, 15])


class DiagnosticsTest(unittest.TestCase):
    def codes(self, role: Role, planes: np.ndarray) -> set[str]:
        return {
            found.code
            for found in diagnose_pass(PassRole(role), join_statistics([plane_figures(plane) for plane in planes]))
        }

    def test_each_finding_is_made_and_found(self) -> None:
        spoiled = light(1)
        spoiled[0, 0, 0] = np.nan
        cases = {
            "empty": (Role.COMPONENT, np.zeros((3, 4, 4), np.float32)),
            "constant": (Role.COMPONENT, np.full((3, 4, 4), 0.5, np.float32)),
            "not_finite": (Role.LIGHT, spoiled),
            "negative": (Role.LIGHT, light(1) - 1),
            "clamped": (Role.BEAUTY, np.minimum(light(1), 1)),
            "depth_normalised": (Role.DEPTH, np.minimum(light(1)[:1], 1)),
        }
        for code, (role, planes) in cases.items():
            with self.subTest(code=code):
                self.assertIn(code, self.codes(role, planes))

    def test_figures_stay_finite_for_ids_as_large_as_floats_go(self) -> None:
        found = join_statistics([plane_figures(np.full((4, 300), 3e38, np.float32))])
        self.assertAlmostEqual(found.mean[0] / 3e38, 1.0, places=5)

    def test_a_sound_pass_has_none(self) -> None:
        self.assertEqual(self.codes(Role.BEAUTY, light(1)), set())
