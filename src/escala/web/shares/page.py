"""What the page of a share asks for: the names of its variants, their images, and notes on them; nothing else."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from flask import Response
from sqlalchemy.orm import Session

from escala.core.errors import BadSource, EscalaError
from escala.database.notes import add_note, note_facts, notes_of
from escala.database.shares import is_use_due, note_use, share_of_token, shared_revision, shared_variants
from escala.database.shots import NotFound, shot_render, variant_document
from escala.database.tables import RevisionRow, ShareRow, ShotRow, VariantRow
from escala.engine.request import Quality
from escala.engine.viewer.screen import ViewerAids, screen_picture
from escala.engine.viewer.subject import Subject
from escala.engine.worker import EXACT, SMALL, Overloaded, yield_to_urgent
from escala.model.render import Render
from escala.model.variant import Variant

from ..app_context import AppContext, app_context
from ..clients import client_name
from ..notes.routes import page_facts, publish_notes
from ..notes.schemas import NoteFilter, NoteIn, NoteList, NoteOut
from ..pictures.placing import MOST_SHOWN, OutSize, enlarged, region_of, viewport_of
from ..problems import problem
from ..routing import Routes
from .image_cache import Encoded
from .remark_limit import MOST_REMARKS
from .schemas import SharedOut, SharedPicture, TokenPath

routes = Routes("share_page", __name__, url_prefix="/api/share/<string:token>")


@dataclass(frozen=True)
class _Shared:
    """A share as it stands: its shot with its render, and its variants that are still there."""

    row: ShareRow
    shot: ShotRow
    render: Render
    variants: dict[int, VariantRow]

    def variant(self, number: int) -> VariantRow:
        """A variant of the share. Raises `NotFound` for any other."""
        found = self.variants.get(number)
        if found is None:
            raise NotFound("this share has no such variant")
        return found


@contextmanager
def _opened(session: Session, token: str) -> Iterator[_Shared]:
    """What a token opens. Raises `NotFound`; other errors of documents say no more than that."""
    row = share_of_token(session, token)
    shot = session.get(ShotRow, row.shot_id)
    if shot is None or shot.status == "deleted":
        raise NotFound("there is no such share: it may have been withdrawn")
    yield _Shared(row, shot, shot_render(shot), shared_variants(session, row))


def _note_use(context: AppContext, token: str) -> None:
    with context.database.reading() as session:
        row = share_of_token(session, token)
        number, is_due = row.id, is_use_due(row)
    if is_due:
        with context.database.writing() as session:
            note_use(session, number)


@routes.get("", responses={200: SharedOut})
def get_shared(path: TokenPath) -> dict[str, Any]:
    """The shot and the variants of a share."""
    context = app_context()
    _note_use(context, path.token)
    with context.database.reading() as session, _opened(session, path.token) as shared:
        render = shared.render
        return {
            "name": shared.row.name,
            "shot": {
                "name": shared.shot.name,
                "width": render.width,
                "height": render.height,
                "frames": sorted(render.frames),
                "frame_rate": render.frame_rate,
            },
            "variants": [_variant_facts(session, shared, variant) for variant in shared.variants.values()],
        }


def _variant_facts(session: Session, shared: _Shared, variant: VariantRow) -> dict[str, Any]:
    revision = shared_revision(shared.row, variant)
    made = session.query(RevisionRow.created).filter_by(variant_id=variant.id, number=revision).scalar()
    changed = (made or variant.created).isoformat()
    return {"id": variant.id, "name": variant.name, "revision": revision, "changed": changed}


@routes.post("/picture")
def post_picture(path: TokenPath, body: SharedPicture) -> Response:
    """An image of a shared variant as displayed; the header X-Region says which part it shows."""
    context = app_context()
    _note_use(context, path.token)
    with context.database.reading() as session, _opened(session, path.token) as shared:
        row = shared.variant(body.variant)
        revision = shared_revision(shared.row, row)
        document = variant_document(row) if revision == row.head else context.states.at(session, row, revision)
        shot, row_id, render = row.shot_id, row.id, shared.render
    if body.frame is not None and body.frame not in render.frames:
        raise BadSource(f"the shot has no frame {body.frame}")
    out = OutSize(body.width, body.height)
    if out.width * out.height > MOST_SHOWN:
        raise BadSource(f"an image has at most {MOST_SHOWN // 10**6} million pixels")
    try:
        region = (body.region.x, body.region.y, body.region.width, body.region.height)
        key = (row_id, revision, render.digest, body.frame, region, out, body.exact)
        picture, kind, shown = context.shared_images.image(key, lambda: _made(context, shot, document, body, out))
    except Overloaded:
        raise
    except (EscalaError, OSError) as error:  # its sentence may name files
        raise BadSource("this image cannot be shown: the people who work on the shot can see why") from error
    return Response(picture, mimetype=kind, headers={"X-Region": shown})


def _made(context: AppContext, shot: int, document: Variant, body: SharedPicture, out: OutSize) -> Encoded:
    variant = context.resolve_paths(document)
    opened = context.open(shot, variant, body.frame)
    quality, priority = (Quality.EXACT, EXACT) if body.exact else (Quality.PREVIEW, SMALL)

    def work() -> Encoded:
        subject = Subject(opened.interpret(), variant, progress=_give_way)
        viewport = viewport_of(subject.evaluator, out, body.region)
        picture, kind = screen_picture(subject, viewport, quality, ViewerAids(), enlarged(out, body.region))
        region = region_of(subject.evaluator, viewport)
        return picture, kind, f"{region.x} {region.y} {region.width} {region.height}"

    return context.evaluator_pool.evaluate(work, priority, client=client_name())


def _give_way(share: float, doing: str) -> None:
    """Let more urgent images go first, between the steps of one."""
    yield_to_urgent()


@routes.get("/notes", responses={200: NoteList})
def list_shared_notes(path: TokenPath, query: NoteFilter) -> dict[str, Any]:
    """A page of the notes on the variants of a share, the newest first."""
    with app_context().database.reading() as session, _opened(session, path.token) as shared:
        known = [int(number) for number in shared.row.revisions]
        page = notes_of(session, shared.shot.id, known, query.variant, query.state, query.after, query.limit)
        return page_facts(page, known)


@routes.post("/notes", responses={201: NoteOut})
def post_shared_note(path: TokenPath, body: NoteIn) -> tuple[dict[str, Any], int] | Response:
    """Add a note to a variant of a share."""
    context = app_context()
    with context.database.reading() as session, _opened(session, path.token) as shared:
        share = shared.row.id
        shared.variant(body.variant)
    seconds = context.remarks.wait(share)
    if seconds:
        refused = problem(429, "Too many notes", f"This share takes {MOST_REMARKS} notes a minute: try again later.")
        refused.headers["Retry-After"] = str(int(seconds) + 1)
        return refused
    try:
        with context.database.writing() as session, _opened(session, path.token) as shared:
            variant = shared.variant(body.variant)
            newest = shared_revision(shared.row, variant)
            facts = note_facts(add_note(session, variant, shared.render, body.new, newest), list(shared.variants))
    except EscalaError:
        context.remarks.take_back(share)
        raise
    publish_notes(context, facts["shot"])
    return facts, 201
