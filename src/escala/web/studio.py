"""What all routes share: database, evaluation thread, decoded frames, jobs and events."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy.orm import Session, sessionmaker

from escala.core.errors import BadSource
from escala.engine.cache import ByteCache
from escala.engine.intake import frame_files, read_render
from escala.engine.picture import FrameEngine
from escala.engine.worker import EvaluationThread
from escala.media.intake import take_in_frame, warm_reader
from escala.media.store import trim_store
from escala.model.render import Render
from escala.record.database import open_database
from escala.record.shots import add_shot, find_shot, shot_render

from .events import EventHub
from .jobs import Job, JobBoard
from .settings import Settings


class Studio:
    """A running Escala."""

    def __init__(self, settings: Settings) -> None:
        for folder in (settings.home, settings.store, settings.uploads, settings.deliveries):
            folder.mkdir(parents=True, exist_ok=True)
        self.settings = settings
        self.hub = EventHub()
        self.jobs = JobBoard(self.hub)
        self.thread = EvaluationThread()
        self.cache = ByteCache()
        self._sessions = sessionmaker(open_database(settings.database), expire_on_commit=False)
        self._engines: dict[tuple[int, int], FrameEngine] = {}
        self._lock = threading.Lock()
        warm_reader()

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session that commits when the block ends without an error."""
        with self._sessions.begin() as session:
            yield session

    def engine_for(self, shot_id: int, frame: int | None = None) -> FrameEngine:
        """The evaluator of a frame of a shot, decoding it when needed. Raises `BadSource` for unknown frames."""
        with self.session() as session:
            render = shot_render(find_shot(session, shot_id))
        number = render.first_frame if frame is None else frame
        if number not in render.frames:
            raise BadSource(f"{render.name} has no frame {number}")
        with self._lock:
            engine = self._engines.get((shot_id, number))
            if engine is None or engine.render != render:
                stored = take_in_frame(frame_files(render, number), self.settings.store)
                engine = FrameEngine(render, stored, self.cache)
                self._engines[shot_id, number] = engine
        return engine

    def take_in(self, sources: list[str], name: str | None = None) -> Job:
        """Start reading a render into a new shot; the job's result names the shot."""
        paths = [self.allowed_path(source) for source in sources]

        def work(job: Job) -> dict[str, int]:
            render, _ = read_render(
                paths, self.settings.store, lambda share, doing: self.jobs.report(job, share, doing)
            )
            if name:
                render = render.model_copy(update={"name": name})
            with self.session() as session:
                shot_id = add_shot(session, render, [str(path) for path in paths]).id
            self.trim()
            self.hub.tell("shots")
            return {"shot_id": shot_id}

        return self.jobs.start("reading", work)

    def reread(self, shot_id: int) -> None:
        """Read the files of a shot again; everything made on it stays."""
        with self.session() as session:
            shot = find_shot(session, shot_id)
            sources, name = list(shot.sources), shot.name
        render, _ = read_render(sources, self.settings.store)
        self.replace_render(shot_id, render.model_copy(update={"name": name}))

    def replace_render(self, shot_id: int, render: Render) -> None:
        """Give a shot a newer render, and tell the pages."""
        with self.session() as session:
            find_shot(session, shot_id).render = render.as_json()
        with self._lock:
            gone = [self._engines.pop(key) for key in list(self._engines) if key[0] == shot_id]
        folders = {engine.frame.folder.name for engine in gone}
        self.cache.drop(lambda key: isinstance(key, tuple) and key[0] in folders)
        self.trim()
        self.hub.tell("render", shot_id=shot_id)

    def forget(self, shot_id: int) -> None:
        """Let the decoded frames of a deleted shot go."""
        with self._lock:
            for key in [key for key in self._engines if key[0] == shot_id]:
                del self._engines[key]

    def trim(self) -> None:
        """Keep the pass store within its limit; frames in use stay."""
        with self._lock:
            used = [engine.frame.folder for engine in self._engines.values()]
        trim_store(self.settings.store, self.settings.store_limit, used)

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
