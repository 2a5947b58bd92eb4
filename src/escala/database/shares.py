"""Shares: variants of a shot behind a token of their own, which is kept as its digest. The caller owns the session."""

import hashlib
import secrets
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from escala.core.errors import BadSource

from .shots import NotFound, find_variant
from .tables import ShareRow, VariantRow

_TOKEN_BYTES = 32
# The last use is written down this often at most: looking must not write at every image.
_SELDOM = timedelta(seconds=30)


def add_share(session: Session, variants: Sequence[int], name: str, follow: bool) -> tuple[ShareRow, str]:
    """Share variants of one shot; the share, and its token, which is known here only.

    Raises `NotFound`, and `BadSource` for variants of several shots.
    """
    rows = [find_variant(session, number) for number in dict.fromkeys(variants)]
    if len({row.shot_id for row in rows}) != 1:
        raise BadSource("a share has variants of one shot")
    token = secrets.token_urlsafe(_TOKEN_BYTES)
    revisions = {str(row.id): row.head for row in rows}
    share = ShareRow(token=_digest(token), name=name, shot_id=rows[0].shot_id, revisions=revisions, follow=follow)
    session.add(share)
    session.flush()
    return share, token


def all_shares(session: Session) -> Sequence[ShareRow]:
    """All shares, the newest first, withdrawn ones too."""
    return session.scalars(select(ShareRow).order_by(ShareRow.id.desc())).all()


def withdraw_share(session: Session, share_id: int) -> None:
    """Withdraw a share at once. Raises `NotFound`."""
    row = session.get(ShareRow, share_id)
    if row is None:
        raise NotFound(f"there is no share {share_id}")
    row.withdrawn = row.withdrawn or datetime.now(UTC)
    session.flush()


def share_of_token(session: Session, token: str) -> ShareRow:
    """The share of a token. Raises `NotFound`, with the same words for one that is withdrawn and one that never was."""
    row = session.scalar(select(ShareRow).where(ShareRow.token == _digest(token)))
    if row is None or row.withdrawn is not None:
        raise NotFound("there is no such share: it may have been withdrawn")
    return row


def is_use_due(row: ShareRow) -> bool:
    """Whether the last use of a share is to be written down."""
    return row.last_used is None or datetime.now(UTC) - row.last_used > _SELDOM


def note_use(session: Session, share_id: int) -> None:
    """Write down that a share was used."""
    row = session.get(ShareRow, share_id)
    if row is not None:
        row.last_used = datetime.now(UTC)


def shared_variants(session: Session, row: ShareRow) -> dict[int, VariantRow]:
    """The variants of a share that are still there, by their ids."""
    found = (session.get(VariantRow, int(number)) for number in row.revisions)
    return {each.id: each for each in found if each is not None and not each.deleted}


def shared_revision(row: ShareRow, variant: VariantRow) -> int:
    """The revision of a variant that a share shows."""
    return variant.head if row.follow else int(row.revisions[str(variant.id)])


def share_facts(row: ShareRow) -> dict[str, Any]:
    """A share in plain values, without its token."""
    return {
        "id": row.id,
        "name": row.name,
        "shot": row.shot_id,
        "variants": [int(number) for number in row.revisions],
        "follow": row.follow,
        "created": row.created.isoformat(),
        "last_used": row.last_used and row.last_used.isoformat(),
        "withdrawn": row.withdrawn and row.withdrawn.isoformat(),
    }


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()
