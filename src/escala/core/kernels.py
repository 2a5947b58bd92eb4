"""The decorators of all compiled loops, and access to many arrays from one loop.

What compiles is imported, and a loop compiled or loaded from the cache beside its source, when a loop is first called:
a command that calls none pays for none.
"""

import platform
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cache, cached_property, update_wrapper
from types import CodeType, FunctionType
from typing import Any

import numpy as np
from numpy.typing import NDArray


class Lazy:
    """Something that loops name, made when the first of them is called."""

    def __init__(self, make: Callable[[], Any]) -> None:
        self._make = make

    @cached_property
    def made(self) -> Any:
        """What it stands for."""
        return self._make()


class Kernel(Lazy):
    """A loop, compiled or loaded when it is first called, with all the loops that it calls."""

    def __init__(self, function: FunctionType, options: dict[str, Any]) -> None:
        super().__init__(lambda: _numba().njit(nogil=True, cache=True, error_model="numpy", **options)(named(function)))
        update_wrapper(self, function)

    def __call__(self, *arguments: Any) -> Any:
        """What the compiled loop returns."""
        return self.made(*arguments)


def named(function: FunctionType) -> FunctionType:
    """A function whose names mean what was made of them, where that was left for later."""
    meanings = {"__name__": function.__module__, "__builtins__": __builtins__}
    for name in _names_in(function.__code__):
        if name in function.__globals__:
            meaning = function.__globals__[name]
            meanings[name] = meaning.made if isinstance(meaning, Lazy) else meaning
    made = FunctionType(function.__code__, meanings, function.__name__, function.__defaults__, function.__closure__)
    made.__qualname__ = function.__qualname__
    return made


def _names_in(code: CodeType) -> set[str]:
    """What a function names, and the functions within it."""
    inner = (each for each in code.co_consts if isinstance(each, CodeType))
    return set(code.co_names).union(*map(_names_in, inner))


def kernel_with(**options: Any) -> Callable[[Any], Any]:
    """A decorator of loops with options of numba's own. Division by zero gives an infinity, as in numpy."""
    return lambda function: Kernel(function, options)


kernel = kernel_with(parallel=True)
serial_kernel = kernel_with()
# A part that is written into the kernels that use it: where it takes little time, handing arrays on to it takes more.
inlined_kernel = kernel_with(inline="always")


@cache
def _numba() -> Any:
    """What compiles, set up before its first use."""
    import numba

    # The default layer crashes when two threads enter it; OpenMP does not.
    numba.config.THREADING_LAYER = "omp"  # type: ignore[attr-defined]
    # Neighbouring values that are worked out alike, as the channels of a pixel, go through the processor together.
    numba.config.SLP_VECTORIZE = 1  # type: ignore[attr-defined]
    # Where scipy is there, all of its linear algebra would be imported, to offer it in kernels, and where cffi is, a
    # parser of C: none of ours needs them, and they take a fifth and a twentieth of a second at each start.
    with _absent("scipy.linalg"), _absent("cffi"):
        import numba.core.typing.cffi_utils
        import numba.np.arraymath
    _treat_read_only_as_writable()
    return numba


def _treat_read_only_as_writable() -> None:
    """Have a loop compiled once for arrays, whether they can be written or, as maps of files, only be read.

    Otherwise there is a variant of each loop for every combination of both among its inputs, and most take seconds to
    compile. A loop that writes into an input ends the process where that is a map of a file.
    """
    from numba.core.types import Array
    from numba.extending import typeof_impl

    of_array = typeof_impl.dispatch(np.ndarray)

    def typeof_array(value: NDArray[Any], context: Any) -> Any:
        kind = of_array(value, context)
        return kind.copy(readonly=False) if isinstance(kind, Array) else kind

    typeof_impl.register(np.ndarray, typeof_array)


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


def thread_count() -> int:
    """How many threads a kernel runs on."""
    return int(_numba().get_num_threads())


@contextmanager
def single_thread() -> Iterator[None]:
    """Run kernels on one thread for a while: where there is little work, threads wait for each other for longer."""
    numba = _numba()
    before = numba.get_num_threads()
    numba.set_num_threads(1)
    try:
        yield
    finally:
        numba.set_num_threads(before)


# Kernel parts: a loop that threads share, and an array of what lies at a pointer.
prange: Any = Lazy(lambda: _numba().prange)
carray: Any = Lazy(lambda: _numba().carray)


def intrinsic(function: Callable[..., Any]) -> Any:
    """A kernel part whose code is given in the compiler's own words."""

    def make() -> Any:
        _numba()
        from numba.extending import intrinsic

        return intrinsic(function)

    return Lazy(make)


@intrinsic
def float32_pointer(typing_context: Any, address: Any) -> Any:
    """Kernel part: an integer address as a pointer to float32, for `carray`."""
    from numba.core import types

    pointer = types.CPointer(types.float32)  # type: ignore[no-untyped-call]

    def codegen(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        return builder.inttoptr(args[0], context.get_value_type(pointer))

    return pointer(address), codegen


@intrinsic
def uint16_pointer(typing_context: Any, address: Any) -> Any:
    """Kernel part: an integer address as a pointer to uint16, for `carray`."""
    from numba.core import types

    pointer = types.CPointer(types.uint16)  # type: ignore[no-untyped-call]

    def codegen(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        return builder.inttoptr(args[0], context.get_value_type(pointer))

    return pointer(address), codegen


@intrinsic
def half_as_float(typing_context: Any, bits: Any) -> Any:
    """Kernel part: the bits (uint16) of a half as a float32 of the same value, by the processor's instruction."""
    from llvmlite import ir
    from numba.core import types

    float32 = ir.FloatType()

    def convert(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        return builder.fpext(builder.bitcast(args[0], ir.HalfType()), float32)

    def shift(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        def constant(value: int) -> Any:
            return ir.Constant(ir.IntType(32), value)

        wide = builder.zext(args[0], ir.IntType(32))
        size = builder.shl(builder.and_(wide, constant(0x7FFF)), constant(13))
        sign = builder.shl(builder.and_(wide, constant(0x8000)), constant(16))
        # The exponent of a float32 is biased by 112 more. An infinity is 65536 by now, a NaN more.
        value = builder.fmul(builder.bitcast(builder.or_(size, sign), float32), ir.Constant(float32, 2.0**112))
        length = builder.and_(builder.bitcast(value, ir.IntType(32)), constant(0x7FFFFFFF))
        beyond = builder.icmp_unsigned(">=", length, constant(0x47800000))
        infinite = builder.or_(constant(0x7F800000), builder.and_(length, constant(0x007FFFFF)))
        special = builder.bitcast(builder.or_(infinite, sign), float32)
        return builder.select(beyond, special, value)

    return types.float32(types.uint16), convert if _converts_halves() else shift


def _converts_halves() -> bool:
    """Whether the processor converts halves: all of ARM with 64 bits, those of x86 with F16C."""
    from llvmlite.binding import get_host_cpu_features

    return platform.machine() in ("aarch64", "arm64") or bool(get_host_cpu_features().get("f16c"))


def addresses_of(arrays: list[NDArray[np.float32]]) -> NDArray[np.int64]:
    """Where each contiguous float32 array begins; the caller keeps the arrays alive."""
    for array in arrays:
        if array.dtype != np.float32 or not array.flags.c_contiguous:
            raise TypeError(f"a kernel reads contiguous float32 arrays, not {array.dtype}")
    return np.array([array.ctypes.data for array in arrays], dtype=np.int64)
