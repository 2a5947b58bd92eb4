"""What all routes share: record, evaluator pool, jobs and events."""

import shutil
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, Protocol, cast

from flask import current_app

from escala.core.errors import BadSource, SeveralRenders, TooLarge
from escala.database.connection import Database
from escala.database.deliveries import mark_interrupted
from escala.database.shots import (
    add_render,
    add_shot,
    clear_deleted,
    find_render,
    find_shot,
    remove_render,
    shot_render,
)
from escala.database.states import VariantStates
from escala.engine.evaluator_pool import EvaluatorPool, OpenedFrame
from escala.engine.images import ImageSource, OutsideImage
from escala.engine.plate.further import check_further
from escala.engine.progress import Progress, no_progress
from escala.engine.source.render_update import Changes
from escala.media.atomic_write import is_alive, make_folder, remove_stale, translate_write_errors, write_bytes
from escala.media.configs import is_builtin
from escala.media.path_safety import NothingThere, place_in, printable
from escala.model.corrections import Correction
from escala.model.render import Render
from escala.model.variant import Variant

from .deliveries.running import RunningDeliveries
from .event_log import EventLog
from .job_manager import Job, JobManager
from .reading_ahead import AheadReader
from .settings import Settings
from .shares.image_cache import SharedImages
from .shares.remark_limit import RemarkLimit

# A page that shows a shot requests events every second or so, and one in the background at least in this time.
_LOOKING_SECONDS = 15.0
_CHUNK = 1 << 20
# A thread that is in the middle of something long is not waited for any longer.
_CLOSED_WITHIN_SECONDS = 20.0

PICTURES = (".exr", ".png", ".tif", ".tiff", ".jpg", ".jpeg")


class ByteStream(Protocol):
    """What bytes can be read from."""

    def read(self, size: int) -> bytes:
        """At most `size` bytes; none at the end."""


def keep_body(stream: ByteStream, target: Path, limit: int) -> Path:
    """Stream a body into a file, which appears when it is whole. Raises `TooLarge` beyond `limit` bytes, `NoRoom`."""

    def chunks() -> Iterator[bytes]:
        size = 0
        while chunk := stream.read(_CHUNK):
            size += len(chunk)
            if size > limit:
                raise TooLarge(target.name, f"larger than the limit of {limit >> 20} MiB")
            yield chunk

    with translate_write_errors(target):
        target.parent.mkdir(parents=True, exist_ok=True)
    return write_bytes(target, chunks())


class AppContext:
    """A running Escala."""

    def __init__(self, settings: Settings) -> None:
        for folder in settings.folders:
            with translate_write_errors(folder):
                folder.mkdir(parents=True, exist_ok=True)
        self.settings = settings
        self.closing = threading.Event()
        self._threads: list[threading.Thread] = []
        self.roots = settings.roots
        self.events = EventLog()
        self.jobs = JobManager(self.events)
        self.deliveries = RunningDeliveries()
        self.remarks = RemarkLimit()
        self.shared_images = SharedImages()
        self.evaluator_pool = EvaluatorPool(settings.store, settings.store_limit, settings.roots)
        self.ahead = AheadReader(self.evaluator_pool, self.closing)
        self.database = Database(settings.database)
        self.states = VariantStates()
        self._clear_what_was_killed()
        # By shot, then by name; the first render has none.
        self._renders: dict[int, dict[str, Render]] = {}
        self._looked_at: dict[int, float] = {}
        self._lock = threading.Lock()

    def _clear_what_was_killed(self) -> None:
        """What an earlier process left half-done: files of no use, and deliveries that nobody writes any more."""
        for folder in self.settings.folders[1:]:
            remove_stale(folder)
        with self.database.writing() as session:
            mark_interrupted(session, is_alive)
            clear_deleted(session)

    def run_in_background(self, name: str, work: Callable[[], None]) -> None:
        """Run work in a thread of its own; it ends soon after `closing` is set, and `close` waits for it."""
        thread = threading.Thread(target=work, daemon=True, name=name)
        self._threads.append(thread)
        thread.start()

    def close(self) -> None:
        """Stop all work, wait for its threads, and close the database."""
        self.closing.set()
        self.jobs.close()
        self.ahead.wait(_CLOSED_WITHIN_SECONDS)
        self.evaluator_pool.close()
        for thread in (*self.jobs.threads, *self._threads):
            thread.join(_CLOSED_WITHIN_SECONDS)
        self.database.close()

    def open(self, shot_id: int, variant: Variant, frame: int | None = None) -> OpenedFrame:
        """A frame of a shot, ready to be evaluated as a variant interprets it."""
        further = self.further_of(shot_id)
        return self.evaluator_pool.open(shot_id, self.render_of(shot_id), variant, frame, further=further)

    def interpretation_of(self, shot_id: int, variant: Variant) -> Render:
        """The render of a shot as a variant reads it."""
        return self.evaluator_pool.interpretation_of(shot_id, self.render_of(shot_id), variant)

    def prove(self, shot_id: int, variant: Variant) -> Render:
        """As `interpretation_of`, listed as a job that pages can stop. Raises `Cancelled`."""

        def work(job: Job) -> Render:
            render = self.render_of(shot_id)
            return self.evaluator_pool.interpretation_of(
                shot_id, render, variant, lambda *how: self.jobs.report(job, *how)
            )

        return self.jobs.here("analysing passes", work)

    def render_of(self, shot_id: int) -> Render:
        """The first render of a shot, read from the database once."""
        return self._renders_of(shot_id)[""]

    def further_of(self, shot_id: int) -> dict[str, Render]:
        """The further renders of a shot by name."""
        return {name: render for name, render in self._renders_of(shot_id).items() if name}

    def _renders_of(self, shot_id: int) -> dict[str, Render]:
        with self._lock:
            if shot_id not in self._renders:
                with self.database.reading() as session:
                    shot = find_shot(session, shot_id)
                    self._renders[shot_id] = {row.name: shot_render(shot, row.name) for row in shot.renders}
            return self._renders[shot_id]

    def look_at(self, shot_id: int) -> None:
        """Note that a page has a shot before it: its files are watched while somebody looks."""
        with self._lock:
            self._looked_at[shot_id] = time.monotonic()

    def shots_in_use(self) -> list[int]:
        """The shots that somebody looks at."""
        with self._lock:
            old = [shot_id for shot_id, at in self._looked_at.items() if time.monotonic() - at > _LOOKING_SECONDS]
            for shot_id in old:
                del self._looked_at[shot_id]
            return list(self._looked_at)

    def sources_of(self, shot_id: int, name: str = "") -> list[str]:
        """The files, folder or sequence that a render of a shot was opened from, the first by default."""
        with self.database.reading() as session:
            return [str(source) for source in find_render(find_shot(session, shot_id), name).sources]

    def take_in(self, sources: list[str], name: str | None = None, fit: bool = False) -> Job:
        """Start reading a render into a new shot; a folder of several becomes several. The result names the shots."""
        paths = [str(self.roots.sources(source)) for source in sources]

        def work(job: Job) -> dict[str, Any]:
            try:
                shots = [self._new_shot(job, paths, name, fit)]
            except SeveralRenders as several:
                shots = [self._new_shot(job, files, None, fit) for _, files in sorted(several.renders.items())]
            self.evaluator_pool.trim()
            self.events.publish("shots")
            return {"shot_id": shots[0], "shot_ids": shots}

        return self.jobs.start("importing", work)

    def _new_shot(self, job: Job, paths: list[str], name: str | None, fit: bool) -> int:
        def report(share: float, doing: str) -> None:
            self.jobs.report(job, share, doing)

        render, _ = self.evaluator_pool.read(paths, fit, report)
        self.ahead.prepare(render)
        if name:
            render = render.model_copy(update={"name": name})
        with self.database.writing() as session:
            return add_shot(session, render, paths).id

    def add_further(self, shot_id: int, sources: list[str], name: str | None = None) -> Job:
        """Start reading a further render of a shot. The result has its name."""
        paths = [str(self.roots.sources(source)) for source in sources]

        def work(job: Job) -> dict[str, Any]:
            first = self.render_of(shot_id)
            render, _ = self.evaluator_pool.read(paths, False, lambda *how: self.jobs.report(job, *how))
            check_further(first, render)
            with self.database.writing() as session:
                row = add_render(session, find_shot(session, shot_id), name or render.name, render, paths)
                added = row.name
            self.forget(shot_id)
            self.evaluator_pool.trim()
            self.events.publish("render", shot_id=shot_id, changes=[f"render {added} was added"], renamed={})
            return {"shot_id": shot_id, "name": added}

        return self.jobs.start("importing render", work)

    def remove_further(self, shot_id: int, name: str) -> None:
        """Remove a further render of a shot, and publish that."""
        with self.database.writing() as session:
            remove_render(session, find_shot(session, shot_id), name)
        self.forget(shot_id)
        self.events.publish("render", shot_id=shot_id, changes=[f"render {name} was removed"], renamed={})

    def take_over(self, shot_id: int, sources: list[str], name: str = "") -> Job:
        """Start reading a newer render in the place of one of a shot; the result lists what changed."""
        paths = [str(self.roots.sources(source)) for source in sources]

        def work(job: Job) -> dict[str, Any]:
            changes = self.reread(shot_id, paths, lambda share, doing: self.jobs.report(job, share, doing), name)
            return {"shot_id": shot_id, "changes": list(changes.sentences), "renamed": changes.renamed}

        return self.jobs.start("replacing render", work)

    def reread(
        self, shot_id: int, sources: list[str] | None = None, progress: Progress = no_progress, name: str = ""
    ) -> Changes:
        """Read the files of a render again, or newer ones in their place; everything made on it stays."""
        before = self._renders_of(shot_id)[name]
        fit = any(entry.fit for entries in before.frames.values() for entry in entries)
        paths = sources or self.sources_of(shot_id, name)
        render, frame = self.evaluator_pool.read(paths, fit, progress)
        render = render.model_copy(update={"name": before.name})
        if name:
            check_further(self.render_of(shot_id), render)
        changes = self.evaluator_pool.compare((shot_id, name) if name else shot_id, before, render, frame)
        self._replace_render(shot_id, name, render, paths, changes)
        return changes

    def _replace_render(self, shot_id: int, name: str, render: Render, paths: list[str], changes: Changes) -> None:
        """Give a shot a newer render, and publish that."""
        with self.database.writing() as session:
            row = find_render(find_shot(session, shot_id), name)
            row.document, row.sources = render.as_json(), paths
        self.forget(shot_id)
        self.evaluator_pool.trim()
        sentences = list(changes.sentences) if changes.is_news else []
        self.events.publish("render", shot_id=shot_id, changes=sentences, renamed=changes.renamed)

    def upload_image(self, name: str, stream: ByteStream) -> str:
        """Keep a picture that others are compared with, and name it. Raises errors that say what is wrong."""
        if Path(name).suffix.lower() not in PICTURES:
            raise BadSource(f"{printable(name)}: a comparison image must be EXR, PNG, TIFF or JPEG")
        folder = make_folder(self.settings.uploads, "picture-")
        try:
            file = keep_body(stream, place_in(folder, name), self.settings.upload_limit)
            picture = str(file.relative_to(self.settings.uploads))
            self.comparison_image(picture)
        except BaseException:
            shutil.rmtree(folder, ignore_errors=True)
            raise
        return picture

    def comparison_image(self, name: str) -> OutsideImage:
        """An image that was imported, decoded."""
        return self.evaluator_pool.images.load(ImageSource(str(self.uploaded_image(name))))

    def uploaded_image(self, name: str) -> Path:
        """The file of an image that was imported."""
        return place_in(self.settings.uploads, name)

    def forget(self, shot_id: int) -> None:
        """Let the render and the decoded frames of a shot go."""
        with self._lock:
            self._renders.pop(shot_id, None)
        self.evaluator_pool.forget(shot_id)

    def resolve_paths(self, variant: Variant) -> Variant:
        """The variant with the files that it names as they really are, all of them below the roots.

        Raises `OutsideRoots`, `BadSource` or `ColourError`. Whatever is evaluated comes through here.
        """
        colour = variant.colour
        if not is_builtin(colour.config):
            colour = colour.model_copy(update={"config": str(self.roots.readable(colour.config))})

        def found(correction: Correction) -> Correction:
            if correction.kind != "lut":
                return correction
            return correction.model_copy(update={"path": str(self.roots.readable(correction.path))})

        moved = variant.model_copy(update={"colour": colour}).with_corrections(found)
        resolved = moved.with_pictures(self._admitted_picture)
        # What is prepared once for a document is found again for the same one.
        return variant if resolved == variant else resolved

    def _admitted_picture(self, path: str) -> str:
        """A picture as it really is; one that is missing waits, and keeps its name."""
        try:
            return str(self.roots.readable(path))
        except NothingThere:
            return path


APP_CONTEXT = "context"


def app_context() -> AppContext:
    """The context of the application that answers; routes get it first, and pass it on."""
    return cast(AppContext, current_app.extensions[APP_CONTEXT])
