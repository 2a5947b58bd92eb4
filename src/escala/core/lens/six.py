"""Six rows of six neighbours, each times its weight: what Lanczos looks at, as a processor takes it at once."""

from typing import Any

from llvmlite import ir
from numba.core import types
from numba.extending import intrinsic

TAPS = 6
# Six neighbours are worked out side by side with the two after them, which count for nothing.
LANES = 8

_INDEX, _LANE = ir.IntType(64), ir.IntType(32)
_VECTOR = ir.VectorType(ir.FloatType(), LANES)
_ANYTHING = ir.Constant(_VECTOR, ir.Undefined)
_FIRST_EVERYWHERE = ir.Constant(ir.VectorType(_LANE, LANES), [0] * LANES)


def _six_by_six(typing_context: Any, pixels: Any, start: Any, row: Any, across: Any, down: Any) -> Any:
    """What the sum is made of: six times eight pixels at once, times their weights."""

    def codegen(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        source, weights_across, weights_down = (
            context.make_array(signature.args[i])(context, builder, args[i]).data for i in (0, 3, 4)
        )
        at, mixed = args[1], None
        for j in range(TAPS):
            weight = builder.load(builder.gep(weights_down, [_INDEX(j)]))
            alone = builder.insert_element(_ANYTHING, weight, _LANE(0))
            everywhere = builder.shuffle_vector(alone, _ANYTHING, _FIRST_EVERYWHERE)
            part = builder.fmul(everywhere, _eight_at(builder, source, at))
            mixed = part if mixed is None else builder.fadd(mixed, part)
            at = builder.add(at, args[2])
        weighed = builder.fmul(_eight_at(builder, weights_across, _INDEX(0)), mixed)
        each = [builder.extract_element(weighed, _LANE(i)) for i in range(TAPS)]
        pairs = [builder.fadd(each[i], each[i + TAPS // 2]) for i in range(TAPS // 2)]
        return builder.fadd(builder.fadd(pairs[0], pairs[1]), pairs[2])

    return types.float32(pixels, start, row, across, down), codegen


def _eight_at(builder: Any, array: Any, index: Any) -> Any:
    """Eight values of an array from an index on, which need not lie at a multiple of eight."""
    place = builder.bitcast(builder.gep(array, [index]), _VECTOR.as_pointer())
    return builder.load(place, align=4)


# Kernel part: the sum of `across[i] · down[j] · pixels[start + j · row + i]` over six i and six j. Contiguous flat
# arrays of float32; `across` has eight entries, and the two pixels after the six of each row are read too. Left to
# itself the compiler takes two pixels at a time.
six_by_six: Any = intrinsic(_six_by_six)
