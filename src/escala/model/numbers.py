"""The one kind of number that documents and requests hold: finite, and far from where float32 ends."""

from typing import Annotated

from pydantic import AfterValidator, Field

# Light times all that a document may do to it stays a number in float32, which ends at 3.4e38.
LARGEST = 1e12


def _sane(value: float) -> float:
    if not -LARGEST <= value <= LARGEST:
        raise ValueError(f"a number lies between -1e12 and 1e12, not {value}")
    return value


def _not_negative(value: float) -> float:
    if value < 0:
        raise ValueError(f"it is 0 or more, not {value}")
    return value


# Field's own limits on a single number come beside these.
Number = Annotated[float, AfterValidator(_sane)]
Positive = Annotated[Number, AfterValidator(_not_negative)]
Triple = tuple[Number, Number, Number]
PositiveTriple = tuple[Positive, Positive, Positive]
ONES: Triple = (1.0, 1.0, 1.0)
ZEROS: Triple = (0.0, 0.0, 0.0)

# What SQLite can hold as a number of a row.
Id = Annotated[int, Field(ge=0, le=2**63 - 1)]
# Frames, revisions, columns and rows.
Count = Annotated[int, Field(ge=-(2**31), le=2**31 - 1)]
