import unittest

import numpy as np

from escala.core.balance.mixing import mix_planes
from escala.core.beauty.proof import add_magnitude, prove
from escala.core.beauty.recipes import Factor, factor_planes, three_channels
from escala.core.colour.baked_view import BakedView
from escala.core.colour.matrix import apply_matrix
from escala.core.errors import ShapeError
from escala.core.planes import as_colour
from escala.core.roles import Role, can_hold
from escala.core.source.repairs import repair_planes
from escala.core.surface.recolour import recolour, surface_change
from escala.core.viewer.scopes import count_columns
from escala.media.configs import colour_config

TWO, THREE = np.ones((2, 4, 6), np.float32), np.ones((3, 4, 6), np.float32)
SMALL = np.ones((3, 4, 4), np.float32)


class ShapesTest(unittest.TestCase):
    """A kernel reads where it is told that pixels are: what does not fit is refused before one runs."""

    def test_two_channels_are_no_colour_to_any_of_them(self) -> None:
        config = colour_config("ACES 2")
        view = BakedView(config, "ACEScg", config.default_view)
        callers = {
            "matrix": lambda: apply_matrix(TWO, np.eye(3)),
            "mix": lambda: mix_planes([TWO], np.ones((1, 3))),
            "prove": lambda: prove(TWO, TWO, TWO),
            "recolour": lambda: recolour(TWO, 30),
            "change": lambda: surface_change(TWO, TWO),
            "scope": lambda: count_columns(TWO, 4, 4),
            "view": lambda: view.to_bytes(TWO),
            "primaries": lambda: repair_planes(TWO, "AP1 to Rec.709"),
            "term": lambda: factor_planes(Factor(("uv",)), lambda name: TWO),
        }
        for name, call in callers.items():
            with self.subTest(name=name), self.assertRaises(ShapeError):
                call()

    def test_planes_of_another_size_are_refused(self) -> None:
        callers = {
            "prove": lambda: prove(THREE, SMALL, THREE),
            "bound": lambda: prove(THREE, THREE, SMALL),
            "magnitude": lambda: add_magnitude(THREE.copy(), SMALL, 0.1),
            "change": lambda: surface_change(THREE, SMALL),
            "matte": lambda: count_columns(THREE, 4, 4, within=SMALL[0]),
            "mix": lambda: mix_planes([THREE, SMALL], np.ones((2, 3))),
        }
        for name, call in callers.items():
            with self.subTest(name=name), self.assertRaises(ShapeError):
                call()

    def test_what_fits_is_taken_as_it_is(self) -> None:
        self.assertIs(as_colour(THREE), THREE)
        self.assertEqual(three_channels(THREE[:1]).shape, (3, 4, 6))
        self.assertEqual(three_channels(np.ones((4, 4, 6), np.float32)).shape, (3, 4, 6))

    def test_roles_say_which_channels_hold_them(self) -> None:
        held = {role: [count for count in (1, 2, 3, 4) if can_hold(count, role)] for role in Role}
        for role in (Role.BEAUTY, Role.COMPONENT, Role.LIGHT, Role.LIGHT_COMPONENT):
            self.assertEqual(held[role], [1, 3, 4])
        self.assertEqual((held[Role.UV], held[Role.NORMAL], held[Role.DEPTH]), ([2, 3, 4], [3, 4], [1, 2, 3, 4]))
