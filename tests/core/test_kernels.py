"""Kernel parts against numpy."""

import unittest
from unittest import mock

import numba
import numpy as np

from escala.core import kernels


def compiled() -> object:
    """A new loop over bits of halves: the conversion is chosen when it is compiled."""
    half_as_float = kernels.half_as_float.made

    @numba.njit
    def loop(bits, out):  # type: ignore[no-untyped-def]
        for i in range(bits.size):
            out[i] = half_as_float(bits[i])

    return loop


class HalfTest(unittest.TestCase):
    def test_every_half_is_the_float_of_the_same_value(self) -> None:
        bits = np.arange(2**16, dtype=np.uint16)
        expected = bits.view(np.float16).astype(np.float32)
        for has_instruction in (True, False):
            with (
                self.subTest(has_instruction=has_instruction),
                mock.patch.object(kernels, "_converts_halves", return_value=has_instruction),
            ):
                found = np.empty(bits.size, np.float32)
                compiled()(bits, found)
                np.testing.assert_array_equal(found, expected)


if __name__ == "__main__":
    unittest.main()
