"""A small shot with depth, positions and vectors, for tests of Depth and Lens."""

from pathlib import Path

import numpy as np

from escala.engine.evaluator import Evaluator
from tests.engine.fixture_shot import engine_for
from tests.fixtures import light, write_layers

HEIGHT, WIDTH = 96, 128


def depth_passes(height: int = HEIGHT, width: int = WIDTH) -> dict[str, np.ndarray]:
    """A ground that recedes, a near board, a sky without depth; positions of a camera at (1, 2, 3); vectors."""
    y, x = np.mgrid[:height, :width].astype(np.float32)
    u, v = (2 * (x + 0.5) / width - 1) * 0.8, (1 - 2 * (y + 0.5) / height) * 0.6
    axial = 4 + (height - y) / 8
    board = (np.abs(y - 60) < 18) & (np.abs(x - 44) < 20)
    axial = np.where(board, np.float32(2.5), axial).astype(np.float32)
    sky = y < 24
    places = np.stack([u, v, np.ones_like(u)]) * axial + np.array([1.0, 2.0, 3.0], np.float32)[:, None, None]
    alpha = np.where(sky, np.float32(0), np.float32(1))
    vectors = np.where(board, np.array([9.0, 3.0], np.float32)[:, None, None], np.float32(0))
    colour = light(3, height // 4, width // 4).repeat(4, 1).repeat(4, 2) * (0.4 + 0.6 * alpha)
    return {
        "": colour, "A": alpha, "depth.Z": np.where(sky, np.float32(1e10), axial), "P": places.astype(np.float32),
        "motion.X": vectors[0], "motion.Y": vectors[1],
    }  # fmt: skip


def camera_engine(folder: Path, passes: dict[str, np.ndarray] | None = None, **header: object) -> Evaluator:
    """The evaluator of such a shot."""
    return engine_for(write_layers(folder / "camera.exr", passes or depth_passes(), np.float32, **header))
