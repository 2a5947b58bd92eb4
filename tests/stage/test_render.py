import numpy as np
import OpenEXR

from escala.stage.quay import LIGHTS
from escala.stage.render import StageJob, render_frame
from tests.engine.fixture_shot import engine_for
from tests.fixtures import FolderTest

JOB = StageJob(80, 45, 2)


class StageTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / "a.exr"
        render_frame(JOB, 12, self.path)
        with OpenEXR.File(str(self.path), separate_channels=True) as file:
            self.channels = {name: channel.pixels.astype(np.float32) for name, channel in file.channels().items()}
            self.header = dict(file.header())

    def colour(self, name: str) -> np.ndarray:
        return np.stack([self.channels[f"{name}.{letter}" if name else letter] for letter in "RGB"])

    def assert_sums_to(self, total: np.ndarray, parts: list[np.ndarray], roundings: int = 1) -> None:
        bound = 2.0**-11 * (np.abs(total) + roundings * sum(np.abs(p) for p in parts)) + 2.0**-24 * (len(parts) + 1)
        self.assertLessEqual(float((np.abs(total - sum(parts)) - bound).max()), 0)

    def test_lights_and_components_each_sum_to_the_beauty(self) -> None:
        beauty = self.colour("")
        self.assertGreater(float(beauty.max()), 1)
        self.assert_sums_to(beauty, [self.colour(light) for light in LIGHTS])
        names = ("diffuse", "specular", "transmission", "volume", "emission", "environment")
        self.assert_sums_to(beauty, [self.colour(name) for name in names])

    def test_light_times_colour_gives_the_component(self) -> None:
        light = self.colour("diffuse_direct") + self.colour("diffuse_indirect")
        self.assert_sums_to(self.colour("diffuse"), [light * self.colour("diffuse_colour")], roundings=2)
        self.assert_sums_to(self.colour("specular"), [self.colour("specular_direct"), self.colour("specular_indirect")])

    def test_every_pass_is_recognised_and_the_recipes_are_exact(self) -> None:
        render = engine_for(self.path).render
        self.assertEqual([p.name for p in render.passes if p.role == "other"], [])
        self.assertEqual(set(render.recipes[0].recipe.lights), set(LIGHTS))
        self.assertTrue(
            all(found.exact for found in render.recipes), [(f.recipe.name, f.max_abs) for f in render.recipes]
        )

    def test_the_same_seed_gives_the_same_bits(self) -> None:
        again = self.folder / "b.exr"
        render_frame(JOB, 12, again)
        self.assertEqual(self.path.read_bytes(), again.read_bytes())

    def test_the_beacon_turns_and_the_ferry_moves(self) -> None:
        other = self.folder / "c.exr"
        render_frame(JOB, 30, other)
        with OpenEXR.File(str(other), separate_channels=True) as file:
            beacon = file.channels()["beacon.G"].pixels.astype(np.float32)
        self.assertGreater(float(np.abs(beacon - self.channels["beacon.G"]).max()), 0.01)
        self.assertGreater(float(np.abs(self.channels["motion.X"]).max()), 0.1)

    def test_coverage_and_alpha_agree(self) -> None:
        ranks = [self.channels[f"CryptoObject{n:02d}.{letter}"] for n in range(3) for letter in "GA"]
        np.testing.assert_allclose(sum(ranks), self.channels["A"], atol=2e-3)
        self.assertIn("cryptomatte/3ae39a5/manifest", self.header)
