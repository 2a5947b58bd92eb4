"""Six rows of six neighbours, each times its weight: what Lanczos looks at, as a processor takes it at once."""

from typing import Any

from ..kernels import intrinsic

TAPS = 6
# Six neighbours are worked out side by side with the two after them, which count for nothing.
LANES = 8


@intrinsic
def six_by_six(typing_context: Any, pixels: Any, start: Any, row: Any, across: Any, down: Any) -> Any:
    """Kernel part: the sum of `across[i] · down[j] · pixels[start + j · row + i]` over six i and six j.

    Contiguous flat arrays of float32; `across` has eight entries, and the two pixels after the six of each row are
    read too. Left to itself the compiler takes two pixels at a time.
    """
    from llvmlite import ir
    from numba.core import types

    index, lane = ir.IntType(64), ir.IntType(32)
    vector = ir.VectorType(ir.FloatType(), LANES)
    anything = ir.Constant(vector, ir.Undefined)
    first_everywhere = ir.Constant(ir.VectorType(lane, LANES), [0] * LANES)

    def eight_at(builder: Any, array: Any, at: Any) -> Any:
        """Eight values of an array from an index on, which need not lie at a multiple of eight."""
        place = builder.bitcast(builder.gep(array, [at]), vector.as_pointer())
        return builder.load(place, align=4)

    def codegen(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        source, weights_across, weights_down = (
            context.make_array(signature.args[i])(context, builder, args[i]).data for i in (0, 3, 4)
        )
        at, mixed = args[1], None
        for j in range(TAPS):
            weight = builder.load(builder.gep(weights_down, [index(j)]))
            alone = builder.insert_element(anything, weight, lane(0))
            everywhere = builder.shuffle_vector(alone, anything, first_everywhere)
            part = builder.fmul(everywhere, eight_at(builder, source, at))
            mixed = part if mixed is None else builder.fadd(mixed, part)
            at = builder.add(at, args[2])
        weighed = builder.fmul(eight_at(builder, weights_across, index(0)), mixed)
        each = [builder.extract_element(weighed, lane(i)) for i in range(TAPS)]
        pairs = [builder.fadd(each[i], each[i + TAPS // 2]) for i in range(TAPS // 2)]
        return builder.fadd(builder.fadd(pairs[0], pairs[1]), pairs[2])

    return types.float32(pixels, start, row, across, down), codegen
