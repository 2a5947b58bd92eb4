"""Passes whose names say nothing, by their numbers."""

import unittest

import numpy as np

from escala.core.roles import Role
from escala.core.source.values import guess_by_values

ROWS, COLUMNS = np.mgrid[0:60, 0:80].astype(np.float32)


class ValuesTest(unittest.TestCase):
    def role(self, planes: np.ndarray) -> Role | None:
        found = guess_by_values(planes.astype(np.float32))
        if found is not None:
            self.assertLess(found.sure, 0.7)
            self.assertIn("a guess", found.reason)
        return found.role if found else None

    def test_each_kind_is_reported_by_what_it_is(self) -> None:
        rng = np.random.default_rng(3)
        across, down = COLUMNS / 20, ROWS / 9
        turned = np.stack([np.sin(across), np.cos(across) * np.sin(down), np.cos(across) * np.cos(down)])
        depth = (3 + ROWS / 4 + COLUMNS / 50)[None]
        behind = depth.copy()
        behind[:, :20] = 1e10
        edge = np.clip((COLUMNS - 40) / 2, 0, 1)[None]
        for name, planes, role in (
            ("normals", turned, Role.NORMAL),
            ("normals around nothing", turned * (ROWS > 20), Role.NORMAL),
            ("places", np.stack([COLUMNS - 40, ROWS / 9 - 2, 5 - ROWS / 30]), Role.POSITION),
            ("depth", depth, Role.DEPTH),
            ("depth before nothing", behind, Role.DEPTH),
            ("ids", np.floor(COLUMNS / 9)[None] + 3, Role.ID),
            ("a mask", edge, Role.MASK),
            ("light", 2 ** rng.uniform(-6, 3, (3, 60, 80)), None),
            ("dark light", np.zeros((3, 60, 80)), None),
            ("noise of one channel", 8 * rng.random((1, 60, 80)), None),
            ("a share", rng.random((1, 60, 80)), None),
            ("no number anywhere", np.full((1, 60, 80), np.nan), None),
            ("too few", np.ones((1, 3, 3)), None),
        ):
            with self.subTest(name):
                self.assertEqual(self.role(planes), role)

    def test_channels_x_y_z_are_a_vector(self) -> None:
        across, down = COLUMNS / 20, ROWS / 9
        turned = np.stack([np.sin(across), np.cos(across) * np.sin(down), np.cos(across) * np.cos(down)])
        cover = np.clip((COLUMNS - 20) / 8, 0, 1) * np.clip((70 - COLUMNS) / 8, 0, 1)
        places = np.stack([COLUMNS / 10 + 3, ROWS / 9 + 1, 40 - ROWS / 30])
        for planes, role in (
            (turned, Role.NORMAL), (np.abs(turned), Role.NORMAL), (turned * cover, Role.NORMAL),
            (places, Role.POSITION), (places * cover, Role.POSITION), (turned * 1.3, Role.POSITION),
            (turned * 0.2, None), (np.zeros((3, 60, 80)), None),
        ):  # fmt: skip
            for letters in (("X", "Y", "Z"), ("x", "y", "z")):
                found = guess_by_values(planes.astype(np.float32), letters)
                self.assertEqual(found.role if found else None, role)
        self.assertIsNone(guess_by_values(np.abs(turned).astype(np.float32), ("R", "G", "B")))
