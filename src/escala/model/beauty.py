"""Beauty: changes to the recipe and its terms."""

from typing import ClassVar

from pydantic import Field, field_validator

from escala.core.beauty.folding import OPERATORS

from .corrections import Corrected
from .entries import Limited, Listed
from .numbers import ONES, Number, Triple
from .render import Document


class Removal(Limited):
    """What a matte covers, taken out of all passes and the alpha."""

    kind: ClassVar[str] = "removal"


class Beauty(Corrected):
    """What is taken out of the CG, then corrections on the whole of it; before what a camera or a plate adds."""

    removed: Listed[Removal] = ()

    @property
    def removals(self) -> tuple[Removal, ...]:
        """Those that take anything away."""
        return tuple(removal for removal in self.removed if removal.is_seen)

    @property
    def changes(self) -> bool:
        """Whether anything is taken out or corrected."""
        return bool(self.removals) or super().changes


class TermEdit(Document):
    """What is done to a term. `left_out` and `operator` change the recipe; the others the picture alone."""

    left_out: bool = False
    operator: str | None = None
    on: bool = True
    alone: bool = False
    strength: Number = Field(1.0, ge=0, le=16)

    @field_validator("operator")
    @classmethod
    def _known(cls, operator: str | None) -> str | None:
        if operator is not None and operator not in OPERATORS:
            raise ValueError(f"no operator is named {operator!r}; known are {', '.join(OPERATORS)}")
        return operator


class TallyChoice(Document):
    """Changes to the recipe: its terms by name, passes added as terms, the order, and a factor on the whole."""

    terms: dict[str, TermEdit] = Field(default_factory=dict)
    added: tuple[str, ...] = ()
    order: tuple[str, ...] = ()
    factor: Triple = ONES

    @property
    def changes_recipe(self) -> bool:
        """Whether the sum itself is another, so that it must be proven again."""
        edited = any(edit.left_out or edit.operator for edit in self.terms.values())
        return edited or bool(self.added or self.order) or self.factor != ONES

    @property
    def changes_picture(self) -> bool:
        """Whether a term is off, alone or weaker."""
        return any(not e.on or e.alone or e.strength != 1.0 for e in self.terms.values())
