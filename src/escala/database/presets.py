"""Presets: corrections kept under a name, without where and of what they were. The caller owns the session."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from escala.model.corrections import Corrected, Correction

from .shots import NotFound
from .tables import PresetRow


def keep_preset(session: Session, name: str, corrections: Sequence[Correction]) -> PresetRow:
    """Keep corrections under a name, in place of those that had it."""
    bare = Corrected(corrections=tuple(c.model_copy(update={"matte": None, "of": None}) for c in corrections))
    row = session.get(PresetRow, name) or PresetRow(name=name)
    row.corrections = [c.model_dump(mode="json", exclude={"id", "matte", "of"}) for c in bare.corrections]
    session.add(row)
    session.flush()
    return row


def all_presets(session: Session) -> Sequence[PresetRow]:
    """All presets by their names."""
    return session.scalars(select(PresetRow).order_by(PresetRow.name)).all()


def drop_preset(session: Session, name: str) -> None:
    """Take a preset away; what it was applied to stays. Raises `NotFound`."""
    row = session.get(PresetRow, name)
    if row is None:
        raise NotFound(f"there is no preset {name!r}: it may have been removed elsewhere")
    session.delete(row)
    session.flush()
