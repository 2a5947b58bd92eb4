"""The one decorator of all compiled loops, and access to many arrays from one loop."""

import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numba
import numpy as np
from numba.core import types
from numba.extending import intrinsic
from numpy.typing import NDArray

# Threads that wait must not keep a core from those that work: where cores are shared, that made one picture in twenty
# ten times as slow. The variable is read when the layer is loaded, by the first kernel that runs.
os.environ.setdefault("OMP_WAIT_POLICY", "passive")
# The default layer crashes when two threads enter it; OpenMP does not.
numba.config.THREADING_LAYER = "omp"  # type: ignore[attr-defined]
# Neighbouring values that are worked out alike, as the channels of a pixel, go through the processor together.
numba.config.SLP_VECTORIZE = 1  # type: ignore[attr-defined]


@contextmanager
def _absent(module: str) -> Iterator[None]:
    """Let imports of a module fail for a while, unless it is there already."""
    is_there = module in sys.modules
    if not is_there:
        sys.modules[module] = None  # type: ignore[assignment]
    try:
        yield
    finally:
        if not is_there:
            del sys.modules[module]


# Where scipy is there, all of its linear algebra would be imported, to offer it in kernels, and where cffi is, a parser
# of C: none of ours needs them, and they take a fifth and a twentieth of a second at each start.
with _absent("scipy.linalg"), _absent("cffi"):
    import numba.core.typing.cffi_utils
    import numba.np.arraymath

# Division by zero gives an infinity, as in numpy: no check and no exception inside a loop.
kernel = numba.njit(nogil=True, parallel=True, cache=True, error_model="numpy")
serial_kernel = numba.njit(nogil=True, cache=True, error_model="numpy")
# A part that is written into the kernels that use it: where it takes little time, handing arrays on to it takes more.
inlined_kernel = numba.njit(nogil=True, cache=True, error_model="numpy", inline="always")


@intrinsic
def float32_pointer(typing_context: Any, address: Any) -> Any:
    """An integer address as a pointer to float32, for `numba.carray` inside a kernel."""

    def codegen(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        return builder.inttoptr(args[0], context.get_value_type(POINTER))

    return POINTER(address), codegen


POINTER = types.CPointer(types.float32)  # type: ignore[no-untyped-call]


def addresses_of(arrays: list[NDArray[np.float32]]) -> NDArray[np.int64]:
    """Where each contiguous float32 array begins; the caller keeps the arrays alive."""
    for array in arrays:
        if array.dtype != np.float32 or not array.flags.c_contiguous:
            raise TypeError(f"a kernel reads contiguous float32 arrays, not {array.dtype}")
    return np.array([array.ctypes.data for array in arrays], dtype=np.int64)
