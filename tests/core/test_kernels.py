import subprocess
import sys
import unittest
from typing import Any

import numpy as np

from escala.core.kernels import Lazy, carray, float32_pointer, kernel, prange, serial_kernel, thread_count

STEP = np.float32(2.0)
made: list[str] = []


def _told_of() -> Any:
    made.append("addend")
    return 3.0


ADDEND: Any = Lazy(_told_of)


@serial_kernel
def _stepped(value):  # type: ignore[no-untyped-def]
    return value * STEP + ADDEND


@kernel
def _step_all(values, out):  # type: ignore[no-untyped-def]
    for i in prange(values.size):
        out[i] = _stepped(values[i])


@serial_kernel
def _third_at(address):  # type: ignore[no-untyped-def]
    return carray(float32_pointer(address), (3,))[2]


class KernelsTest(unittest.TestCase):
    def test_a_loop_is_made_when_it_is_first_called_and_with_all_that_it_names(self) -> None:
        values = np.arange(5000, dtype=np.float32)
        out = np.empty_like(values)
        self.assertEqual(made, [])
        for _ in range(2):
            _step_all(values, out)
        np.testing.assert_array_equal(out, values * 2 + 3)
        self.assertEqual(made, ["addend"])
        self.assertEqual(_step_all.__name__, "_step_all")

    def test_an_address_is_read_as_an_array(self) -> None:
        values = np.array([5, 6, 7], np.float32)
        self.assertEqual(_third_at(np.int64(values.ctypes.data)), 7)

    def test_it_compiles_nothing_before_and_runs_on_some_threads(self) -> None:
        modules = "escala.core.balance.mixing, escala.core.lens.warping, escala.core.depth.defocus"
        script = f"import sys, {modules}; print('numba' in sys.modules)"
        report_progress = subprocess.run(
            [sys.executable, "-c", script], check=True, capture_output=True, text=True
        ).stdout
        self.assertEqual(report_progress.strip(), "False")
        self.assertGreaterEqual(thread_count(), 1)
