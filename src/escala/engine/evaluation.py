"""What is asked of an evaluator: one value, and no flag beside it."""

from dataclasses import dataclass, field, replace
from enum import Enum

from escala.core.progress import ProgressCallback
from escala.model.variant import Variant

from .colour.chain import Colouring
from .looking.look import Look
from .progress import Progress, untold
from .worker import give_way


class Purpose(Enum):
    """What a picture is for.

    Moving: fast, from filtered passes, under a hand that drags. Resting: exact, kept for who looks again. Delivering:
    exact, band by band, nothing kept.
    """

    MOVING = "moving"
    RESTING = "resting"
    DELIVERING = "exporting"


@dataclass(frozen=True)
class Evaluation:
    """A variant, the colour chain that follows from it, the place looked at, what for, and who looks.

    `viewer`: whose hand drags; `number`: of the frame; `progress`: who is told how far it is, and may stop it.
    """

    variant: Variant
    colouring: Colouring
    look: Look
    purpose: Purpose = Purpose.RESTING
    viewer: str = ""
    number: int = 0
    progress: Progress = field(default=untold, compare=False)

    @property
    def is_moving(self) -> bool:
        """Whether the hand still drags."""
        return self.purpose is Purpose.MOVING

    @property
    def is_kept(self) -> bool:
        """Whether results are kept for the next picture."""
        return self.purpose is not Purpose.DELIVERING

    def report(self, share: float, doing: str) -> None:
        """Report how far a step is, 0 to 1, and let more urgent work go first. Raises to stop the evaluation."""
        give_way()
        self.progress(share, doing)

    def reporting(self, doing: str) -> ProgressCallback:
        """What the loops of a step report to."""
        return lambda share: self.report(share, doing)

    def of(self, variant: Variant) -> "Evaluation":
        """The same place for another variant in the same colour chain."""
        return replace(self, variant=variant)

    def at(self, look: Look) -> "Evaluation":
        """The same at another look."""
        return self if look == self.look else replace(self, look=look)

    def told_to(self, progress: Progress) -> "Evaluation":
        """The same, told to another."""
        return replace(self, progress=progress)
