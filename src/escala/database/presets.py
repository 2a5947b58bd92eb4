"""Presets kept under a name: corrections, without where and of what they were; levels. The caller owns the session."""

from collections.abc import Sequence

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from escala.core.errors import BadSource
from escala.model.balance_preset import BalancePreset
from escala.model.corrections import Corrected, Correction
from escala.model.strict_json import to_json

from .revisions import MOST_CHARACTERS
from .shots import NotFound
from .tables import BalancePresetRow, PresetRow


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


def keep_balance_preset(session: Session, name: str, preset: BalancePreset) -> BalancePresetRow:
    """Keep levels under a name, in place of those that had it. Raises `BadSource` for more than a document holds."""
    row = session.get(BalancePresetRow, name) or BalancePresetRow(name=name)
    row.preset = preset.model_dump(mode="json", by_alias=True)
    if len(to_json(row.preset)) > MOST_CHARACTERS:
        raise BadSource(f"a balance preset has at most {MOST_CHARACTERS >> 20} million characters")
    session.add(row)
    session.flush()
    return row


def all_balance_presets(session: Session) -> Sequence[BalancePresetRow]:
    """All balance presets by their names."""
    return session.scalars(select(BalancePresetRow).order_by(BalancePresetRow.name)).all()


def find_balance_preset(session: Session, name: str) -> BalancePreset:
    """The levels under a name. Raises `NotFound`, also where this version cannot read them."""
    row = session.get(BalancePresetRow, name)
    if row is None:
        raise NotFound(f"there is no balance preset {name!r}: it may have been removed elsewhere")
    try:
        return BalancePreset.model_validate(row.preset)
    except ValidationError:
        raise NotFound(f"balance preset {name!r} was saved by another version and cannot be read") from None


def drop_balance_preset(session: Session, name: str) -> None:
    """Remove a balance preset; what it was applied to stays. Raises `NotFound`."""
    row = session.get(BalancePresetRow, name)
    if row is None:
        raise NotFound(f"there is no balance preset {name!r}: it may have been removed elsewhere")
    session.delete(row)
    session.flush()
