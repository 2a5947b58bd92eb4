"""What all routes share: database, evaluation thread, decoded frames, jobs and events."""

import shutil
import tempfile
import threading
import time
from collections import defaultdict
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, Protocol

from sqlalchemy.orm import Session, sessionmaker

from escala.core.errors import BadSource, SeveralRenders, TooLarge
from escala.engine.cache import ByteCache
from escala.engine.intake import Progress, frame_files, read_render, render_of_frame
from escala.engine.picture import FrameEngine
from escala.engine.reading import read_engine, reading_of
from escala.engine.takeover import Changes, compare_renders
from escala.engine.worker import EvaluationThread
from escala.media.configs import colour_config, is_builtin
from escala.media.intake import take_in_frame
from escala.media.sources import SourceFile
from escala.media.store import StoredFrame, trim_store
from escala.model.render import Render
from escala.model.variant import Variant
from escala.record.database import open_database
from escala.record.shots import add_shot, find_shot, shot_render

from .events import EventHub
from .jobs import Job, JobBoard
from .settings import Settings

_IN_USE_SECONDS = 3600.0
_CHUNK = 1 << 20
PICTURES = (".exr", ".png", ".tif", ".tiff", ".jpg", ".jpeg")


class ByteStream(Protocol):
    """What bytes can be read from."""

    def read(self, size: int) -> bytes:
        """At most `size` bytes; none at the end."""


def keep_body(stream: ByteStream, target: Path, limit: int) -> Path:
    """Stream a body into a file, which appears when it is whole. Raises `TooLarge` beyond `limit` bytes."""
    unfinished, size = target.with_name(f".{target.name}.part"), 0
    with unfinished.open("wb") as file:
        while chunk := stream.read(_CHUNK):
            size += len(chunk)
            if size > limit:
                unfinished.unlink()
                raise TooLarge(target.name, f"larger than the limit of {limit >> 20} MiB")
            file.write(chunk)
    return unfinished.replace(target)


class Studio:
    """A running Escala."""

    def __init__(self, settings: Settings) -> None:
        for folder in (settings.home, settings.store, settings.uploads, settings.configs, settings.deliveries):
            folder.mkdir(parents=True, exist_ok=True)
        self.settings = settings
        self.hub = EventHub()
        self.jobs = JobBoard(self.hub)
        self.thread = EvaluationThread()
        self.cache = ByteCache()
        self._sessions = sessionmaker(open_database(settings.database), expire_on_commit=False)
        self._renders: dict[int, Render] = {}
        self._engines: dict[tuple[int, int], FrameEngine] = {}
        self._asked: dict[int, float] = {}
        self._doors: defaultdict[tuple[int, int], threading.Lock] = defaultdict(threading.Lock)
        self._lock = threading.Lock()

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session that commits when the block ends without an error."""
        with self._sessions.begin() as session:
            yield session

    def engine_of_variant(self, shot_id: int, variant: Variant, frame: int | None = None) -> FrameEngine:
        """The evaluator of a frame as a variant reads the render: with its roles, repairs and recipe."""
        engine = self.engine_for(shot_id, frame)
        if not variant.changes_reading:
            return engine
        number = self.render_of(shot_id).first_frame if frame is None else frame
        return read_engine(self.engine_for(shot_id), number, engine, variant, self.settings.store)

    def reading_of(self, shot_id: int, variant: Variant) -> Render:
        """The render of a shot as a variant reads it."""
        if not variant.changes_reading:
            return self.render_of(shot_id)
        return reading_of(self.engine_for(shot_id), variant, self.settings.store)

    def engine_for(self, shot_id: int, frame: int | None = None) -> FrameEngine:
        """The evaluator of a frame of a shot, decoding it when needed. Raises `BadSource` for unknown frames."""
        render = self.render_of(shot_id)
        number = render.first_frame if frame is None else frame
        if number not in render.frames:
            raise BadSource(f"{render.name} has no frame {number}")
        with self._lock:
            door = self._doors[shot_id, number]
        with door:  # of many who ask at once, one decodes
            engine = self._engines.get((shot_id, number))
            if engine is None:
                stored = take_in_frame(frame_files(render, number), self.settings.store)
                engine = FrameEngine(render_of_frame(render, number, stored), stored, self.cache)
                with self._lock:
                    if self._renders.get(shot_id) is render:
                        self._engines[shot_id, number] = engine
        return engine

    def render_of(self, shot_id: int) -> Render:
        """The render of a shot, read from the record once."""
        with self._lock:
            self._asked[shot_id] = time.monotonic()
            if shot_id not in self._renders:
                with self.session() as session:
                    self._renders[shot_id] = shot_render(find_shot(session, shot_id))
            return self._renders[shot_id]

    def shots_in_use(self) -> list[int]:
        """The shots that were asked for lately."""
        with self._lock:
            return [shot_id for shot_id, at in self._asked.items() if time.monotonic() - at < _IN_USE_SECONDS]

    def sources_of(self, shot_id: int) -> list[str]:
        """The files, folder or sequence that a shot was opened from."""
        with self.session() as session:
            return [str(source) for source in find_shot(session, shot_id).sources]

    def take_in(self, sources: list[str], name: str | None = None, fit: bool = False) -> Job:
        """Start reading a render into a new shot; a folder of several becomes several. The result names the shots."""
        paths = [str(self.allowed_path(source)) for source in sources]

        def work(job: Job) -> dict[str, Any]:
            try:
                shots = [self._new_shot(job, paths, name, fit)]
            except SeveralRenders as several:
                shots = [self._new_shot(job, files, None, fit) for _, files in sorted(several.renders.items())]
            self.trim()
            self.hub.tell("shots")
            return {"shot_id": shots[0], "shot_ids": shots}

        return self.jobs.start("reading", work)

    def _new_shot(self, job: Job, paths: list[str], name: str | None, fit: bool) -> int:
        def told(share: float, doing: str) -> None:
            self.jobs.report(job, share, doing)

        render, _ = read_render(paths, self.settings.store, told, fit)
        if name:
            render = render.model_copy(update={"name": name})
        with self.session() as session:
            return add_shot(session, render, paths).id

    def take_over(self, shot_id: int, sources: list[str]) -> Job:
        """Start reading a newer render in the place of a shot's; the result tells what changed."""
        paths = [str(self.allowed_path(source)) for source in sources]

        def work(job: Job) -> dict[str, Any]:
            changes = self.reread(shot_id, paths, lambda share, doing: self.jobs.report(job, share, doing))
            return {"shot_id": shot_id, "changes": list(changes.sentences), "renamed": changes.renamed}

        return self.jobs.start("taking over", work)

    def reread(
        self, shot_id: int, sources: list[str] | None = None, progress: Progress = lambda share, doing: None
    ) -> Changes:
        """Read a shot's files again, or newer ones in their place; everything made on it stays."""
        before = self.render_of(shot_id)
        with self._lock:
            seen = self._engines.get((shot_id, before.first_frame))
        fit = any(entry.fit for entries in before.frames.values() for entry in entries)
        paths = sources or self.sources_of(shot_id)
        render, frame = read_render(paths, self.settings.store, progress, fit)
        render = render.model_copy(update={"name": before.name})
        changes = compare_renders(before, FrameEngine(render, frame, self.cache), seen)
        self._replace_render(shot_id, render, paths, changes)
        return changes

    def _replace_render(self, shot_id: int, render: Render, paths: list[str], changes: Changes) -> None:
        """Give a shot a newer render, and tell the pages."""
        with self.session() as session:
            shot = find_shot(session, shot_id)
            shot.render, shot.sources = render.as_json(), paths
        gone = self.forget(shot_id)
        folders = {engine.frame.folder.name for engine in gone}
        self.cache.drop(lambda key: isinstance(key, tuple) and key[0] in folders)
        self.trim()
        told = list(changes.sentences) if changes.is_news else []
        self.hub.tell("render", shot_id=shot_id, changes=told, renamed=changes.renamed)

    def bring_picture(self, name: str, stream: ByteStream) -> str:
        """Keep a picture that others are compared with, and name it. Raises errors that say what is wrong."""
        safe = Path(name).name
        if safe != name or Path(safe).suffix.lower() not in PICTURES:
            raise BadSource(f"{name}: a picture to compare with comes as EXR, PNG, TIFF or JPEG")
        folder = Path(tempfile.mkdtemp(prefix="picture-", dir=self.settings.uploads))
        file = keep_body(stream, folder / safe, self.settings.upload_limit)
        picture = str(file.relative_to(self.settings.uploads))
        try:
            self.brought_picture(picture)
        except BaseException:
            shutil.rmtree(folder, ignore_errors=True)
            raise
        return picture

    def brought_picture(self, picture: str) -> StoredFrame:
        """A picture that was brought in, decoded."""
        path = self.allowed_path(str(self.settings.uploads / picture))
        return take_in_frame((SourceFile(path),), self.settings.store)

    def forget(self, shot_id: int) -> list[FrameEngine]:
        """Let the render and the decoded frames of a shot go, and return what was evaluating them."""
        with self._lock:
            self._renders.pop(shot_id, None)
            return [self._engines.pop(key) for key in list(self._engines) if key[0] == shot_id]

    def trim(self) -> None:
        """Keep the pass store within its limit; frames in use stay."""
        with self._lock:
            used = [engine.frame.folder for engine in self._engines.values()]
        trim_store(self.settings.store, self.settings.store_limit, used)

    def check_files(self, variant: Variant) -> Variant:
        """The variant itself; raises `BadSource` when it names a file outside the media roots."""
        colour = variant.colour
        if not is_builtin(colour.config):
            self.allowed_path(colour.config)
            for file in colour_config(colour.config, colour.context).files:
                self.allowed_path(file)
        for correction in variant.finish.corrections:
            if correction.kind == "lut":
                self.allowed_path(correction.path)
        return variant

    def allowed_path(self, text: str) -> Path:
        """A path under one of the media roots, links followed; raises `BadSource` for any other."""
        given = Path(text)
        for root in self.settings.roots:
            path = (given if given.is_absolute() else root / given).resolve()
            if path.is_relative_to(root.resolve()) and (path.exists() or "#" in path.name or "%" in path.name):
                return path
        if any((root / given).resolve().is_relative_to(root.resolve()) for root in self.settings.roots):
            raise BadSource(f"{text}: no such file or folder under the media roots")
        roots = ", ".join(str(root) for root in self.settings.media_roots) or "none; start with --media DIR"
        raise BadSource(f"{text} lies outside the media roots ({roots})")
