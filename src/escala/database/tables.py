"""The tables."""

from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import JSON, DateTime, Dialect, ForeignKey, Index, MetaData, TypeDecorator, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, WriteOnlyMapped, mapped_column, relationship

NAMES = {
    "ix": "ix_%(column_0_label)s",
    "uq": "uq_%(table_name)s_%(column_0_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
    "pk": "pk_%(table_name)s",
}


def _now() -> datetime:
    return datetime.now(UTC)


class Moment(TypeDecorator[datetime]):
    """A time with its zone: SQLite keeps none, and what is kept is UTC. What is no time is the beginning of all."""

    impl = DateTime(timezone=True)
    cache_ok = True

    def result_processor(self, dialect: Dialect, coltype: object) -> Callable[[Any], datetime | None]:
        """From the text as it was written."""
        return _moment


def _moment(value: Any) -> datetime | None:
    if value is None:
        return None
    try:
        return datetime.fromisoformat(value).replace(tzinfo=UTC)
    except (ValueError, TypeError):
        return datetime.fromtimestamp(0, UTC)


class Base(DeclarativeBase):
    """The common base of all tables."""

    metadata = MetaData(naming_convention=NAMES)
    type_annotation_map = {dict[str, Any]: JSON, list[Any]: JSON}  # noqa: RUF012 - SQLAlchemy's own form


# Ids of deleted rows are never given again: an edit that comes late must not meet another variant.
_NEVER_AGAIN = {"sqlite_autoincrement": True}


class ShotRow(Base):
    """A shot. `status`: "active", "archived", or until the next start "deleted".

    `light_names`: what people call its lights, by the names that documents have; they never enter documents.
    """

    __tablename__ = "shot"
    __table_args__ = _NEVER_AGAIN

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    status: Mapped[str] = mapped_column(default="active")
    light_names: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    created: Mapped[datetime] = mapped_column(Moment(), default=_now)
    renders: Mapped[list["RenderRow"]] = relationship(
        back_populates="shot", cascade="all, delete-orphan", passive_deletes=True, order_by="RenderRow.position"
    )
    variants: Mapped[list["VariantRow"]] = relationship(
        back_populates="shot",
        cascade="all, delete-orphan",
        passive_deletes=True,
        order_by="VariantRow.id",
        primaryjoin="and_(VariantRow.shot_id == ShotRow.id, VariantRow.deleted == False)",
    )


class RenderRow(Base):
    """A render of a shot, as a document, and what it was opened from. `position` 0: the first; it has no name."""

    __tablename__ = "render"
    __table_args__ = (UniqueConstraint("shot_id", "name"), _NEVER_AGAIN)

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shot.id", ondelete="CASCADE"), index=True)
    position: Mapped[int] = mapped_column(default=0)
    name: Mapped[str] = mapped_column(default="")
    sources: Mapped[list[Any]]
    document: Mapped[dict[str, Any]]
    shot: Mapped[ShotRow] = relationship(back_populates="renders")


class VariantRow(Base):
    """A variant as it stands: its document, and the revision that made it so (0: as created)."""

    __tablename__ = "variant"
    __table_args__ = _NEVER_AGAIN

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shot.id", ondelete="CASCADE"), index=True)
    name: Mapped[str]
    document: Mapped[dict[str, Any]]
    head: Mapped[int] = mapped_column(default=0)
    deleted: Mapped[bool] = mapped_column(default=False, server_default="0")
    created: Mapped[datetime] = mapped_column(Moment(), default=_now)
    shot: Mapped[ShotRow] = relationship(back_populates="variants", primaryjoin="VariantRow.shot_id == ShotRow.id")
    # Thousands, perhaps: they are read by queries, and are deleted with their variant in the database itself.
    revisions: WriteOnlyMapped["RevisionRow"] = relationship(
        back_populates="variant", cascade="all, delete-orphan", passive_deletes=True
    )


class RevisionRow(Base):
    """An edit: the JSON Patch from its parent revision's state, and the one back."""

    __tablename__ = "revision"
    __table_args__ = (
        UniqueConstraint("variant_id", "number"),
        Index("ix_revision_variant_id_parent", "variant_id", "parent", "number"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    variant_id: Mapped[int] = mapped_column(ForeignKey("variant.id", ondelete="CASCADE"), index=True)
    number: Mapped[int]
    parent: Mapped[int]
    label: Mapped[str]
    patch: Mapped[list[Any]]
    inverse: Mapped[list[Any]]
    created: Mapped[datetime] = mapped_column(Moment(), default=_now)
    variant: Mapped[VariantRow] = relationship(back_populates="revisions")


class DeliveryRow(Base):
    """A delivery: what was ordered, the folder of its files, how many frames, who writes it, and how it ended.

    `wanted`: the files, the frames, the workers, and the document of the variant at the revision that is delivered, so
    that what is left can be written by any process.
    """

    __tablename__ = "delivery"

    id: Mapped[int] = mapped_column(primary_key=True)
    variant_id: Mapped[int] = mapped_column(ForeignKey("variant.id", ondelete="CASCADE"), index=True)
    folder: Mapped[str]
    wanted: Mapped[dict[str, Any]]
    frames: Mapped[int]
    state: Mapped[str]
    process: Mapped[str]
    error: Mapped[str | None]
    created: Mapped[datetime] = mapped_column(Moment(), default=_now)


class DeliveryFrameRow(Base):
    """A frame of a delivery that came to its end: written, or `error` says why not."""

    __tablename__ = "delivery_frame"

    delivery_id: Mapped[int] = mapped_column(ForeignKey("delivery.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    error: Mapped[str | None]


class DeliveryPresetRow(Base):
    """Files of a delivery that are kept under a name."""

    __tablename__ = "delivery_preset"

    name: Mapped[str] = mapped_column(primary_key=True)
    files: Mapped[list[Any]]
    created: Mapped[datetime] = mapped_column(Moment(), default=_now)


class NoteRow(Base):
    """A note on a variant: the revision, frame and place that it is about; it stays when the variant is deleted."""

    __tablename__ = "note"
    __table_args__ = _NEVER_AGAIN

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shot.id", ondelete="CASCADE"), index=True)
    variant_id: Mapped[int]
    variant_name: Mapped[str]
    revision: Mapped[int]
    frame: Mapped[int]
    place: Mapped[list[Any]]
    text: Mapped[str]
    author: Mapped[str]
    state: Mapped[str] = mapped_column(default="open")
    created: Mapped[datetime] = mapped_column(Moment(), default=_now)
    changed: Mapped[datetime] = mapped_column(Moment(), default=_now)
    answers: Mapped[list["AnswerRow"]] = relationship(
        cascade="all, delete-orphan", passive_deletes=True, order_by="AnswerRow.id"
    )


class AnswerRow(Base):
    """An answer to a note; `variant_id`: a variant that it offers."""

    __tablename__ = "answer"
    __table_args__ = _NEVER_AGAIN

    id: Mapped[int] = mapped_column(primary_key=True)
    note_id: Mapped[int] = mapped_column(ForeignKey("note.id", ondelete="CASCADE"), index=True)
    text: Mapped[str]
    author: Mapped[str]
    variant_id: Mapped[int | None]
    created: Mapped[datetime] = mapped_column(Moment(), default=_now)


class ShareRow(Base):
    """Variants of a shot that are shared. `token`: its digest; `revisions`: by variant, as they were when shared."""

    __tablename__ = "share"
    __table_args__ = (UniqueConstraint("token"), _NEVER_AGAIN)

    id: Mapped[int] = mapped_column(primary_key=True)
    token: Mapped[str]
    name: Mapped[str]
    shot_id: Mapped[int] = mapped_column(ForeignKey("shot.id", ondelete="CASCADE"))
    revisions: Mapped[dict[str, Any]]
    follow: Mapped[bool]
    created: Mapped[datetime] = mapped_column(Moment(), default=_now)
    last_used: Mapped[datetime | None] = mapped_column(Moment())
    withdrawn: Mapped[datetime | None] = mapped_column(Moment())


class SetAsideRow(Base):
    """A row that could not be read, as it was: its table and id, what is wrong with it, and its columns as text."""

    __tablename__ = "set_aside"

    id: Mapped[int] = mapped_column(primary_key=True)
    table: Mapped[str]
    row: Mapped[str]
    reason: Mapped[str]
    content: Mapped[str]
    created: Mapped[datetime] = mapped_column(Moment(), default=_now)


class PresetRow(Base):
    """Corrections that are kept under a name, to be applied to elsewhere."""

    __tablename__ = "preset"

    name: Mapped[str] = mapped_column(primary_key=True)
    corrections: Mapped[list[Any]]
    created: Mapped[datetime] = mapped_column(Moment(), default=_now)


class BalancePresetRow(Base):
    """Levels that are kept under a name, to be applied to other shots."""

    __tablename__ = "balance_preset"

    name: Mapped[str] = mapped_column(primary_key=True)
    preset: Mapped[dict[str, Any]]
    created: Mapped[datetime] = mapped_column(Moment(), default=_now)


class NamingRuleRow(Base):
    """What a pass of this name is, as it was last set manually; `name` is without case and separators."""

    __tablename__ = "naming_rule"

    name: Mapped[str] = mapped_column(primary_key=True)
    reading: Mapped[dict[str, Any]]
    created: Mapped[datetime] = mapped_column(Moment(), default=_now)
