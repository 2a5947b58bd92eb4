import unittest

import numpy as np

from escala.core.colour.transfer import srgb_decode, srgb_encode
from escala.core.roles import PassRole, Portion, Role
from escala.core.source.fireflies import count_fireflies, suppress_fireflies
from escala.core.source.pass_checks import check_pass
from escala.core.source.repairs import REPAIR_WORDS, REPAIRS, repair_planes

COLOUR = PassRole(Role.COMPONENT, component="diffuse", portion=Portion.TOTAL)


def codes(role: PassRole, planes: np.ndarray, alpha: np.ndarray | None = None) -> set[str]:
    return {finding.code for finding in check_pass(role, planes.astype(np.float32), alpha)}


def smooth(top: float = 1.0) -> np.ndarray:
    y, x = np.mgrid[0:90, 0:120] / 120
    return np.stack([0.05 + 0.9 * x, 0.1 + 0.8 * y, 0.02 + 0.5 * (x + y)]) * top


def depth_scene() -> np.ndarray:
    """A near block before a far wall."""
    depth = np.full((1, 90, 120), 40.0, np.float32)
    depth[0, 30:60, 40:80] = 5.0
    return depth


class CodingTest(unittest.TestCase):
    def test_light_has_no_finding(self) -> None:
        self.assertEqual(codes(COLOUR, smooth(3.0)), set())
        self.assertEqual(codes(COLOUR, smooth().astype(np.float16)), set())

    def test_steps_of_eight_bits_are_reported_with_their_curve(self) -> None:
        steps = np.rint(smooth() * 255) / 255
        for expected, values in (
            ("encoded", steps),
            ("eight_bit", srgb_decode(steps)),
            ("encoded_twice", srgb_encode(steps)),
        ):
            with self.subTest(expected=expected):
                self.assertEqual(codes(COLOUR, values), {expected})
                self.assertEqual(codes(COLOUR, values.astype(np.float16)), {expected})

    def test_a_file_that_is_read_as_encoded_is_not_blamed_for_it(self) -> None:
        steps = (np.rint(smooth() * 255) / 255).astype(np.float32)
        self.assertEqual([f.code for f in check_pass(COLOUR, steps, None, encoded=True)], ["eight_bit"])
        fine = (np.rint(smooth() * 65535) / 65535).astype(np.float32)
        self.assertEqual(check_pass(COLOUR, fine, None, encoded=True), [])


class FireflyTest(unittest.TestCase):
    def setUp(self) -> None:
        self.planes = np.full((3, 40, 50), 0.2, np.float32)
        self.planes[:, 10, 20] = 90.0
        self.planes[:, 0, 0] = 30.0
        self.planes[:, 20:24, 20:24] = 80.0  # a lamp, not an accident

    def test_single_pixels_are_counted_and_lamps_are_not(self) -> None:
        self.assertEqual(count_fireflies(self.planes), (2, (20, 10)))
        self.assertEqual(codes(COLOUR, self.planes), {"fireflies"})

    def test_they_come_down_to_their_neighbours(self) -> None:
        repaired, changed = suppress_fireflies(self.planes)
        self.assertEqual(changed, 2)
        self.assertAlmostEqual(float(repaired[0, 10, 20]), 0.2, places=6)
        np.testing.assert_array_equal(repaired[:, 20:24, 20:24], self.planes[:, 20:24, 20:24])


class DataTest(unittest.TestCase):
    def test_filtered_depth_is_distinguished_from_sharp_depth(self) -> None:
        sharp = depth_scene()
        self.assertEqual(codes(PassRole(Role.DEPTH), sharp), set())
        filtered = sharp.copy()
        filtered[0, 30:60, 39] = filtered[0, 30:60, 80] = 20.0
        self.assertEqual(codes(PassRole(Role.DEPTH), filtered), {"depth_filtered"})

    def test_reversed_depth_is_reported_by_its_background(self) -> None:
        depth = 0.2 + 0.7 * np.random.default_rng(1).random((1, 90, 120)).astype(np.float32)
        alpha = np.ones((90, 120), np.float32)
        alpha[:30] = 0.0
        depth[0, :30] = 0.0
        self.assertEqual(codes(PassRole(Role.DEPTH), depth, alpha), {"depth_reversed"})
        depth[0, :30] = 1.0
        self.assertEqual(codes(PassRole(Role.DEPTH), depth, alpha), set())

    def test_depth_in_eight_bits_is_stepped(self) -> None:
        y, x = np.mgrid[0:90, 0:120]
        smooth_depth = (2 + 30 * (x + 0.37 * y) / 160)[None].astype(np.float32)
        self.assertEqual(codes(PassRole(Role.DEPTH), smooth_depth), set())
        stepped = np.rint(smooth_depth * 6) / 6
        self.assertEqual(codes(PassRole(Role.DEPTH), stepped), {"depth_stepped"})

    def test_alpha_that_was_not_multiplied_in(self) -> None:
        y, x = np.mgrid[0:80, 0:120]
        alpha = np.clip((30 - np.hypot(x - 60, y - 40)) + 0.5, 0, 1).astype(np.float32)
        colour = (np.array([0.9, 0.6, 0.4])[:, None, None] * (1 + x / 300)).astype(np.float32)
        beauty = PassRole(Role.BEAUTY)
        self.assertEqual(codes(beauty, colour * alpha, alpha), set())
        self.assertEqual(codes(beauty, colour * (alpha > 0), alpha), {"alpha_unassociated"})
        behind = colour * alpha + 0.5 * (1 - alpha)
        self.assertEqual(codes(beauty, behind, alpha), set())

    def test_normals_that_are_none(self) -> None:
        rng = np.random.default_rng(2)
        normals = rng.normal(size=(3, 60, 60))
        normals /= np.sqrt((normals**2).sum(axis=0))
        role = PassRole(Role.NORMAL)
        self.assertEqual(codes(role, normals), set())
        self.assertEqual(codes(role, normals * 0.5 + 0.5), {"normal_squeezed"})
        self.assertEqual(codes(role, np.maximum(normals, 0)), {"data_colour_managed"})
        self.assertEqual(codes(role, np.sign(normals) * np.abs(normals) ** 2.2), {"data_colour_managed"})
        soft = normals.copy()
        soft[:, :, 30] *= 0.6
        self.assertEqual(codes(role, soft), {"normal_filtered"})

    def test_ids_between_whole_numbers(self) -> None:
        ids = np.ones((1, 60, 60), np.float32)
        self.assertEqual(codes(PassRole(Role.ID), ids), set())
        ids[0, 10] = 2.5
        self.assertEqual(codes(PassRole(Role.ID), ids), {"id_filtered"})


class RepairTest(unittest.TestCase):
    def test_every_repair_has_words(self) -> None:
        self.assertEqual(set(REPAIRS), set(REPAIR_WORDS))

    def test_encoded_values_become_light(self) -> None:
        planes = smooth()
        repaired, _ = repair_planes(srgb_encode(planes).astype(np.float32), "decode")
        np.testing.assert_allclose(repaired, planes, atol=1e-5)

    def test_holes_are_filled_from_their_rim_and_counted(self) -> None:
        planes = np.full((3, 20, 20), 2.0, np.float32)
        planes[0, 5:9, 5:9] = np.nan
        planes[1, 5, 5] = np.inf
        repaired, changed = repair_planes(planes, "fill")
        self.assertEqual(changed, 16)
        np.testing.assert_array_equal(repaired, np.full_like(planes, 2.0))
        nothing, _ = repair_planes(np.full((1, 4, 4), np.nan, np.float32), "fill")
        np.testing.assert_array_equal(nothing, np.zeros((1, 4, 4)))

    def test_depth_turns_round(self) -> None:
        depth = depth_scene()
        reversed_depth, _ = repair_planes(45.0 - depth, "reverse_depth")
        np.testing.assert_array_equal(reversed_depth, depth)
        inverse, _ = repair_planes(1.0 / depth, "invert_depth")
        np.testing.assert_allclose(inverse, depth, rtol=1e-6)
        self.assertTrue(np.isinf(repair_planes(np.zeros((1, 2, 2), np.float32), "invert_depth")[0]).all())

    def test_a_factor_per_channel(self) -> None:
        repaired, _ = repair_planes(np.ones((3, 2, 2), np.float32), "scale", (2.0, 1.0, 0.5))
        np.testing.assert_array_equal(repaired[:, 0, 0], [2.0, 1.0, 0.5])
