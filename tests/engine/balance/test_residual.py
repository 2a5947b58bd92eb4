"""The level of what no pass holds: a row beside the lights."""

from typing import Any

import numpy as np

from escala.engine.viewer.viewport import full_viewport
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for
from tests.fixtures import FolderTest, light, write_layers

WHOLE = full_viewport(0, 0, 32, 24)
REC709 = "Linear Rec.709 (sRGB)"


class ResidualTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.key, self.fill, self.mist = light(1), light(2), light(3, top=0.5)
        self.mask = np.linspace(0, 1, 24 * 32, dtype=np.float32).reshape(24, 32)
        passes = {"": self.key + self.fill + self.mist, "lg_key": self.key, "lg_fill": self.fill, "mask.Y": self.mask}
        self.evaluator = engine_for(write_layers(self.folder / "shot.exr", passes, np.float32))

    def at(self, **balance: Any) -> np.ndarray:
        variant = Variant.model_validate({
            "colour": {"input_space": REC709, "working_space": REC709}, "balance": balance,
            "mattes": {"half": {"kind": "channel", "pass": "mask"}},
        })  # fmt: skip
        return self.evaluator.at("beauty", self.evaluator.make_request(variant, WHOLE))

    def test_level_matte_and_tint(self) -> None:
        both = self.key + self.fill
        np.testing.assert_allclose(self.at(residual={"stops": 1}), both + 2 * self.mist, rtol=1e-5, atol=1e-5)
        limited = self.at(residual={"stops": 1, "matte": "half"}, lights={"key": {"stops": -1}})
        expected = self.key / 2 + self.fill + (1 + self.mask) * self.mist
        np.testing.assert_allclose(limited, expected, rtol=1e-5, atol=1e-5)
        tinted = self.at(residual={"tint": [2, 1, 1]}) - both
        ratio = tinted.sum(axis=(1, 2)) / self.mist.sum(axis=(1, 2))
        self.assertAlmostEqual(float(ratio[0] / ratio[1]), 2.0, places=3)

    def test_muted_alone_and_beside_a_light_that_is_alone(self) -> None:
        np.testing.assert_allclose(self.at(residual={"mute": True}), self.key + self.fill, rtol=1e-5, atol=1e-5)
        np.testing.assert_allclose(self.at(residual={"solo": True, "stops": 1}), 2 * self.mist, rtol=1e-4, atol=1e-5)
        np.testing.assert_allclose(self.at(lights={"key": {"solo": True}}), self.key, rtol=1e-5, atol=1e-5)
        together = self.at(residual={"solo": True}, lights={"key": {"solo": True}})
        np.testing.assert_allclose(together, self.key + self.mist, rtol=1e-5, atol=1e-5)

    def test_neutral_it_is_the_beauty_to_the_bit(self) -> None:
        np.testing.assert_array_equal(self.at(residual={}), self.key + self.fill + self.mist)
