"""Deliveries: what was ordered, where it is written, and how each frame ended. The caller owns the session."""

from collections.abc import Callable, Sequence
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from escala.media.atomic_write import owner

from .shots import NotFound
from .tables import DeliveryFrameRow, DeliveryPresetRow, DeliveryRow

RUNNING, DONE, FAILED, CANCELLED, INTERRUPTED = "running", "done", "failed", "cancelled", "interrupted"
PAUSED = "paused"
_MOST_TOLD = 20


def begin_delivery(session: Session, variant_id: int, folder: str, wanted: dict[str, Any], frames: int) -> int:
    """Note that this process begins a delivery; its number."""
    row = DeliveryRow(
        variant_id=variant_id, folder=folder, wanted=wanted, frames=frames, state=RUNNING, process=owner()
    )
    session.add(row)
    session.flush()
    return row.id


def find_delivery(session: Session, delivery_id: int) -> DeliveryRow:
    """A delivery. Raises `NotFound`."""
    row = session.get(DeliveryRow, delivery_id)
    if row is None:
        raise NotFound(f"there is no delivery {delivery_id}")
    return row


def resume_delivery(session: Session, delivery_id: int) -> DeliveryRow:
    """Note that this process goes on with a delivery: frames that failed are to be written again."""
    row = find_delivery(session, delivery_id)
    row.state, row.error, row.process = RUNNING, None, owner()
    failed = (DeliveryFrameRow.delivery_id == delivery_id) & DeliveryFrameRow.error.is_not(None)
    session.execute(delete(DeliveryFrameRow).where(failed))
    return row


def end_frame(session: Session, delivery_id: int, number: int, error: str | None) -> None:
    """Note how a frame ended; one of a delivery that is gone is left out."""
    if session.get(DeliveryRow, delivery_id) is not None:
        session.merge(DeliveryFrameRow(delivery_id=delivery_id, number=number, error=error))


def end_delivery(session: Session, delivery_id: int, state: str, error: str | None = None) -> None:
    """Note how a delivery ended; one whose variant is deleted meanwhile is gone."""
    row = session.get(DeliveryRow, delivery_id)
    if row is not None:
        row.state, row.error = state, error


def mark_interrupted(session: Session, is_alive: Callable[[str], bool]) -> None:
    """What a process was writing that is no longer alive did not come to its end."""
    for row in session.scalars(select(DeliveryRow).where(DeliveryRow.state == RUNNING)):
        if not is_alive(row.process):
            row.state = INTERRUPTED


def deliveries_of(session: Session, variant_id: int) -> Sequence[DeliveryRow]:
    """The newest deliveries of a variant, the newest first."""
    of_variant = select(DeliveryRow).where(DeliveryRow.variant_id == variant_id)
    return session.scalars(of_variant.order_by(DeliveryRow.id.desc()).limit(_MOST_TOLD)).all()


def frames_of_delivery(session: Session, delivery_id: int) -> dict[int, str | None]:
    """The frames that came to their end, and why some could not be written."""
    rows = select(DeliveryFrameRow).where(DeliveryFrameRow.delivery_id == delivery_id)
    return {row.number: row.error for row in session.scalars(rows.order_by(DeliveryFrameRow.number))}


def keep_delivery_preset(session: Session, name: str, files: list[dict[str, Any]]) -> None:
    """Keep files under a name, in place of those that had it."""
    row = session.get(DeliveryPresetRow, name) or DeliveryPresetRow(name=name)
    row.files = files
    session.add(row)
    session.flush()


def all_delivery_presets(session: Session) -> Sequence[DeliveryPresetRow]:
    """All presets of one's own, by their names."""
    return session.scalars(select(DeliveryPresetRow).order_by(DeliveryPresetRow.name)).all()


def drop_delivery_preset(session: Session, name: str) -> None:
    """Remove a preset; what was delivered by it stays. Raises `NotFound`."""
    row = session.get(DeliveryPresetRow, name)
    if row is None:
        raise NotFound(f"there is no delivery preset {name!r}: it may have been removed elsewhere")
    session.delete(row)
    session.flush()
