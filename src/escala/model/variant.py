"""A variant: everything decided on a shot, along the path. Neutral by default, so an empty one is the beauty."""

from collections.abc import Callable
from typing import Literal

from pydantic import Field

from .balance import Balance
from .beauty import Beauty, TallyChoice
from .colour import ColourChoice
from .corrections import Corrected, Correction
from .display import DisplayChoice
from .finish import Finish
from .render import Document
from .source import SourceChoice
from .surface import Surface


class Variant(Document):
    """Everything decided on a shot."""

    schema_version: Literal[1] = 1
    colour: ColourChoice = Field(default_factory=ColourChoice)
    source: SourceChoice = Field(default_factory=SourceChoice)
    recipe: str | None = None
    tally: TallyChoice = Field(default_factory=TallyChoice)
    residual: bool = True
    surface: Surface = Field(default_factory=Surface)
    balance: Balance = Field(default_factory=Balance)
    beauty: Beauty = Field(default_factory=Beauty)
    finish: Finish = Field(default_factory=Finish)
    display: DisplayChoice = Field(default_factory=DisplayChoice)

    @property
    def head(self) -> "Variant":
        """What it says of everything up to the sum that is the beauty."""
        return self.model_copy(update={"beauty": Beauty(), "finish": Finish(), "display": DisplayChoice()})

    @property
    def corrections(self) -> tuple[Correction, ...]:
        """All corrections, wherever on the path."""
        return (*self.beauty.corrections, *self.finish.corrections)

    def with_corrections(self, change: Callable[[Correction], Correction | None]) -> "Variant":
        """The same with every correction as `change` makes it; those of which it makes none are left out."""
        parts: dict[str, Corrected] = {"beauty": self.beauty, "finish": self.finish}
        changed = {
            name: part.model_copy(update={"corrections": tuple(c for old in part.corrections if (c := change(old)))})
            for name, part in parts.items()
        }
        return self.model_copy(update=changed)

    @property
    def changes_reading(self) -> bool:
        """Whether its render is not the one that was recognised."""
        source = self.source
        edited = bool(source.roles or source.repairs or source.twin) or source.alpha != "associated"
        return edited or self.tally.changes_recipe
