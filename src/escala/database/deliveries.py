"""Deliveries: what was ordered, where it is written, and how it ended. The caller owns the session."""

from collections.abc import Callable, Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from escala.media.atomic_write import owner

from .tables import DeliveryRow

RUNNING, DONE, FAILED, CANCELLED, INTERRUPTED = "running", "done", "failed", "cancelled", "interrupted"
_MOST_TOLD = 20


def begin_delivery(session: Session, variant_id: int, folder: str, wanted: dict[str, Any], frames: int) -> int:
    """Note that this process begins a delivery; its number."""
    row = DeliveryRow(
        variant_id=variant_id, folder=folder, wanted=wanted, frames=frames, state=RUNNING, process=owner()
    )
    session.add(row)
    session.flush()
    return row.id


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
