"""Shots and variants: found, made, renamed, deleted. The caller owns the session and commits."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from escala.core.errors import EscalaError
from escala.model.render import Render
from escala.model.variant import Variant

from .tables import ShotRow, VariantRow

FIRST_VARIANT = "As rendered"


class NotFound(EscalaError, LookupError):
    """Something that is not, or no longer, in the record."""


class LastVariant(EscalaError, ValueError):
    """A shot keeps at least one variant."""


def all_shots(session: Session) -> Sequence[ShotRow]:
    """Every shot, in the order they came in."""
    return session.scalars(select(ShotRow).order_by(ShotRow.id)).all()


def find_shot(session: Session, shot_id: int) -> ShotRow:
    """A shot; raises `NotFound`."""
    shot = session.get(ShotRow, shot_id)
    if shot is None:
        raise NotFound(f"there is no shot {shot_id}: it may have been deleted")
    return shot


def find_variant(session: Session, variant_id: int) -> VariantRow:
    """A variant; raises `NotFound`."""
    variant = session.get(VariantRow, variant_id)
    if variant is None:
        raise NotFound(f"there is no variant {variant_id}: it may have been deleted")
    return variant


def add_shot(session: Session, render: Render, sources: Sequence[str]) -> ShotRow:
    """A shot of a render, with a first variant in which nothing is changed."""
    shot = ShotRow(name=render.name, sources=list(sources), render=render.as_json())
    shot.variants.append(VariantRow(name=FIRST_VARIANT, document=Variant().model_dump(mode="json")))
    session.add(shot)
    session.flush()
    return shot


def add_variant(session: Session, shot: ShotRow, name: str, document: Variant) -> VariantRow:
    """A further variant of a shot."""
    variant = VariantRow(name=name, document=document.model_dump(mode="json"))
    shot.variants.append(variant)
    session.flush()
    return variant


def delete_variant(session: Session, variant: VariantRow) -> None:
    """Delete a variant with its history; raises `LastVariant` for the only one."""
    if len(variant.shot.variants) == 1:
        raise LastVariant(f"{variant.name!r} is the only variant of {variant.shot.name}: make another one first")
    variant.shot.variants.remove(variant)
    session.flush()


def variant_document(variant: VariantRow) -> Variant:
    """The document of a variant."""
    return Variant.model_validate(variant.document)


def shot_render(shot: ShotRow) -> Render:
    """The render document of a shot."""
    return Render.model_validate(shot.render)
