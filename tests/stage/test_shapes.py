import unittest

import numpy as np

from escala.stage.quay import quay_scene
from escala.stage.scene import SceneBuilder, look_from
from escala.stage.shapes import FAR, clear_way, nearest_hit

EYE = (0.0, 1.0, -10.0)
AHEAD = (0.0, 0.0, 1.0)


def scene_of(place) -> object:
    """A scene with what `place` puts into it."""
    build = SceneBuilder()
    build.material("plain", (0.5, 0.5, 0.5), 0.5)
    build.emitter(0, 0, (1, 1, 1), [0, 50, 0, 1])
    place(build)
    camera = look_from(EYE, (0, 1, 0), 40, 16 / 9)
    return build.finish(camera, camera, (0.0, 1.0, 0.9, 0.5), (0.0, 0.0, 1.0))


class ShapeTest(unittest.TestCase):
    def hit(self, place, origin=EYE, direction=AHEAD):
        return nearest_hit(scene_of(place), origin, direction)

    def test_distances_and_normals_are_those_of_the_formulas(self) -> None:
        cases = {
            "sphere": (lambda b: b.ellipsoid("s", "plain", (0, 1, 0), 2.0), 8.0, (0, 0, -1)),
            "stretched": (lambda b: b.ellipsoid("e", "plain", (0, 1, 0), (1, 1, 4)), 6.0, (0, 0, -1)),
            "box": (lambda b: b.box("b", "plain", (-1, 0, -3), (1, 2, 3)), 7.0, (0, 0, -1)),
            "cylinder": (lambda b: b.cylinder("c", "plain", (0, -2, 0), (0, 4, 0), 1.5), 8.5, (0, 0, -1)),
            "cap": (lambda b: b.cylinder("c", "plain", (0, 1, -2), (0, 1, 2), 1.0), 8.0, (0, 0, -1)),
        }
        for name, (place, distance, normal) in cases.items():
            with self.subTest(name):
                index, found, facing = self.hit(place)
                self.assertEqual(index, 0)
                self.assertAlmostEqual(found, distance, places=4)
                np.testing.assert_allclose(facing, normal, atol=1e-5)

    def test_a_parallelogram_ends_at_its_sides(self) -> None:
        def place(b: SceneBuilder) -> None:
            b.quad("q", "plain", (-1, 0, 0), (2, 0, 0), (0, 2, 0))

        self.assertAlmostEqual(self.hit(place)[1], 10.0, places=4)
        self.assertEqual(self.hit(place, (1.1, 1.0, -10.0))[0], -1)

    def test_water_is_hit_from_above_only(self) -> None:
        down = tuple(np.array([0, -1, 1]) / np.sqrt(2))
        index, distance, normal = self.hit(lambda b: b.water("w", "plain", 0.0), direction=down)
        self.assertEqual((index, normal), (0, (0.0, 1.0, 0.0)))
        self.assertAlmostEqual(distance, float(np.sqrt(2)), places=4)
        self.assertEqual(self.hit(lambda b: b.water("w", "plain", 0.0))[1], FAR)

    def test_the_nearer_of_two_is_seen_and_hides_light(self) -> None:
        def place(b: SceneBuilder) -> None:
            b.ellipsoid("far", "plain", (0, 1, 5), 1.0)
            b.ellipsoid("near", "plain", (0, 1, 0), 1.0)

        self.assertEqual(self.hit(place)[0], 1)
        scene = scene_of(place)
        self.assertEqual(clear_way(scene, EYE, AHEAD, 20.0), 0.0)
        self.assertEqual(clear_way(scene, EYE, AHEAD, 5.0), 1.0)


class QuayTest(unittest.TestCase):
    def test_the_demo_scene_has_what_the_tasks_name(self) -> None:
        scene, objects, materials = quay_scene(12, 960, 540)
        for name in ("hull", "sail", "lantern"):
            self.assertTrue(any(name in thing for thing in objects), name)
        self.assertEqual(scene.kinds.size, scene.shape_object.size)
        self.assertLess(int(scene.shape_material.max()), len(materials))
        later = quay_scene(13, 960, 540)[0]
        self.assertGreater(float(np.abs(later.heading - scene.heading).max()), 0.01)
