"""A variant: everything decided on a shot, along the path. Neutral by default, so an empty one is the beauty."""

from collections.abc import Callable, Iterator
from typing import Any, Literal, Self

from pydantic import Field, model_validator

from .balance import Balance
from .beauty import Beauty, TallyChoice
from .colour import ColourChoice
from .corrections import Corrected, Correction
from .curves import Curve
from .depth import Depth
from .display import DisplayChoice
from .entries import Limited, pointer_step
from .finish import Finish
from .lens import Lens
from .mattes import Matte, MatteName, ShapeMatte, check_joins, members_of, with_members
from .migration import VERSION, migrated
from .plate import Plate, RenderLayer
from .render import Document
from .settling import check_curves, settled
from .source import SourceChoice
from .surface import AnyChange, Label, Surface
from .time import Time


class Variant(Document):
    """Everything decided on a shot."""

    schema_version: Literal[2] = VERSION
    colour: ColourChoice = Field(default_factory=ColourChoice)
    source: SourceChoice = Field(default_factory=SourceChoice)
    mattes: dict[MatteName, Matte] = Field(default_factory=dict)
    curves: dict[str, Curve] = Field(default_factory=dict)
    recipe: str | None = None
    tally: TallyChoice = Field(default_factory=TallyChoice)
    residual: bool = True
    surface: Surface = Field(default_factory=Surface)
    balance: Balance = Field(default_factory=Balance)
    beauty: Beauty = Field(default_factory=Beauty)
    depth: Depth = Field(default_factory=Depth)
    plate: Plate = Field(default_factory=Plate)
    lens: Lens = Field(default_factory=Lens)
    finish: Finish = Field(default_factory=Finish)
    display: DisplayChoice = Field(default_factory=DisplayChoice)

    @model_validator(mode="before")
    @classmethod
    def _of_any_version(cls, document: Any) -> Any:
        return migrated(document)

    @model_validator(mode="after")
    def _moves(self) -> Self:
        if self.curves:
            check_curves(self, self.curves)
        return self

    @model_validator(mode="after")
    def _has_its_mattes(self) -> Self:
        check_joins(self.mattes)
        absent = next(((place, name) for place, name in self.matte_uses() if name not in self.mattes), None)
        if absent is not None:
            raise ValueError(f"{absent[0]}: this document has no matte {absent[1]!r}")
        return self

    def matte_uses(self) -> Iterator[tuple[str, str]]:
        """Where a matte limits something: the pointer to the field, and the name in it. Joins are no uses."""
        balance = self.balance
        tables = {"lights": balance.lights, "components": balance.components, "cells": balance.cells}
        for axis, table in tables.items():
            for name, level in table.items():
                if level.matte is not None:
                    yield f"balance/{axis}/{pointer_step(name)}/matte", level.matte
        if balance.residual.matte is not None:
            yield "balance/residual/matte", balance.residual.matte
        for place, entries in self._limited_lists().items():
            for entry in entries:
                if entry.matte is not None:
                    yield f"{place}/{pointer_step(entry.id)}/matte", entry.matte
        for layer in self.plate.layers:
            for name, level in layer.lights.items() if isinstance(layer, RenderLayer) else ():
                if level.matte is not None:
                    yield f"plate/layers/{pointer_step(layer.id)}/lights/{pointer_step(name)}/matte", level.matte
        if self.depth.haze.matte is not None:
            yield "depth/haze/matte", self.depth.haze.matte
        for effect, name in self.lens.mattes:
            yield f"lens/{effect}/matte", name

    def _limited_lists(self) -> dict[str, tuple[Limited, ...]]:
        return {
            "surface/changes": self.surface.changes,
            "balance/corrections": self.balance.corrections,
            "beauty/removed": self.beauty.removed,
            "beauty/corrections": self.beauty.corrections,
            "plate/layers": self.plate.layers,
            **{f"plate/layers/{pointer_step(x.id)}/corrections": x.corrections for x in self.plate.layers},
            "finish/corrections": self.finish.corrections,
        }

    def mattes_of(self, *places: str) -> dict[str, Matte]:
        """The mattes that count in parts of the document ("finish"), with those that they are joined from."""
        used = (name for place, name in self.matte_uses() if place.split("/")[0] in places)
        return {name: self.mattes[name] for name in sorted(with_members(self.mattes, used))}

    def joined_from(self, name: str) -> dict[str, Matte]:
        """A matte and all that it is joined from, by name."""
        return {each: self.mattes[each] for each in sorted(with_members(self.mattes, iter((name,))))}

    def joins_of(self, name: str) -> list[str]:
        """The mattes that are joined from a matte."""
        return [other for other, matte in self.mattes.items() if name in members_of(matte)]

    def settled(self, time: Time) -> "Variant":
        """The document at a time, with plain values for everything that moves; the only access to values over time."""
        if self.curves:
            return settled(self, self.curves, time).settled(time)  # type: ignore[no-any-return]
        moving = {n: m for n, m in self.mattes.items() if isinstance(m, ShapeMatte) and m.keys is not None}
        if not moving:
            return self
        return self.model_copy(update={"mattes": self.mattes | {n: m.settled(time) for n, m in moving.items()}})

    @property
    def up_to_beauty(self) -> "Variant":
        """The part of the document that the light sum depends on; everything after it is neutral."""
        later = {"beauty": Beauty(), "depth": Depth(), "plate": Plate(), "lens": Lens(), "finish": Finish()}
        kept = {"display": DisplayChoice(), "mattes": self.mattes_of("surface", "balance")}
        return self.model_copy(update={**later, **kept})

    @property
    def corrections(self) -> tuple[Correction, ...]:
        """All corrections, wherever on the path."""
        plate = self.plate.corrections()
        return (*self.balance.corrections, *self.beauty.corrections, *plate, *self.finish.corrections)

    @property
    def labels(self) -> tuple[Label, ...]:
        """All labels on surfaces."""
        return tuple(change for change in self.surface.changes if isinstance(change, Label))

    def with_corrections(self, change: Callable[[Correction], Correction | None]) -> "Variant":
        """The same with every correction as `change` makes it; those of which it makes none are excluded."""
        parts: dict[str, Corrected | Balance] = {"balance": self.balance, "beauty": self.beauty, "finish": self.finish}
        changed = {
            name: part.model_copy(update={"corrections": tuple(c for old in part.corrections if (c := change(old)))})
            for name, part in parts.items()
        }
        return self.model_copy(update={**changed, "plate": self.plate.with_corrections(change)})

    @property
    def pictures(self) -> tuple[str, ...]:
        """The paths of all pictures from outside that it names."""
        dirt = self.lens.dirt.picture
        labels = (path for label in self.labels for path in label.pictures)
        return (*labels, *self.plate.pictures, *(() if dirt is None else (dirt,)))

    def with_pictures(self, change: Callable[[str], str]) -> "Variant":
        """The same with the path of every picture from outside as `change` makes it."""

        def changed(part: AnyChange) -> AnyChange:
            if not isinstance(part, Label):
                return part
            return part.model_copy(update={"pictures": tuple(map(change, part.pictures))})

        surface = self.surface.model_copy(update={"changes": tuple(map(changed, self.surface.changes))})
        dirt = self.lens.dirt
        if dirt.picture is not None:
            dirt = dirt.model_copy(update={"picture": change(dirt.picture)})
        lens, plate = self.lens.model_copy(update={"dirt": dirt}), self.plate.with_pictures(change)
        return self.model_copy(update={"surface": surface, "lens": lens, "plate": plate})

    @property
    def changes_interpretation(self) -> bool:
        """Whether its render is not the one that was recognised."""
        return self.source.changes or self.tally.changes_recipe
