"""Long work in the background, with progress, its outcome, and a way to stop it."""

import itertools
import logging
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, TypeVar

from escala.core.errors import EscalaError
from escala.database.shots import NotFound
from escala.engine.progress import Cancelled
from escala.engine.worker import Closed

from .event_log import EventLog
from .problems import sentence_of

Result = TypeVar("Result")

_LOG = logging.getLogger("escala")
_MOST_ENDED = 200


@dataclass
class Job:
    """One piece of work: what it does, how far it is (0..1), and its result or the sentence of its failure.

    `viewer`: whose picture it makes, if it is one. Pages hear of it once it has taken `patience` seconds.
    """

    id: int
    what: str
    viewer: str = ""
    patience: float = 0.0
    state: str = "running"
    share: float = 0.0
    doing: str = ""
    error: str | None = None
    error_kind: str | None = None
    result: Any = None
    started: float = field(default_factory=time.monotonic)
    stop: threading.Event = field(default_factory=threading.Event)

    @property
    def is_listed(self) -> bool:
        """Whether it has taken so long that pages hear of it."""
        return time.monotonic() - self.started >= self.patience

    @property
    def seconds_left(self) -> float | None:
        """An estimate, once there is something to estimate from."""
        spent = time.monotonic() - self.started
        return spent / self.share * (1 - self.share) if self.share > 0.05 and self.state == "running" else None

    def facts(self) -> dict[str, Any]:
        """The job as pages receive it."""
        return {
            "id": self.id,
            "what": self.what,
            "viewer": self.viewer,
            "state": self.state,
            "share": self.share,
            "doing": self.doing,
            "error": self.error,
            "error_kind": self.error_kind,
            "result": self.result,
            "seconds_left": self.seconds_left,
        }


class JobManager:
    """Starts and lists jobs, and publishes their progress."""

    def __init__(self, events: EventLog) -> None:
        self._hub = events
        self._jobs: dict[int, Job] = {}
        self._numbers = itertools.count(1)
        self._lock = threading.Lock()
        self._is_closed = False
        self.threads: list[threading.Thread] = []

    def close(self) -> None:
        """Stop all jobs, and those that are started from now on."""
        with self._lock:
            self._is_closed = True
            jobs = list(self._jobs.values())
        for job in jobs:
            job.stop.set()

    def start(self, what: str, work: Callable[[Job], Any]) -> Job:
        """Begin work in a thread of its own; it calls `report` and returns its result."""
        job = self._noted(what)
        thread = threading.Thread(target=self._run, args=(job, work), daemon=True, name=f"job {job.id}")
        self.threads = [*(each for each in self.threads if each.is_alive()), thread]
        thread.start()
        return job

    def here(self, what: str, work: Callable[[Job], Result], viewer: str = "", patience: float = 0.0) -> Result:
        """Work that its caller waits for. Raises what it raises, and `Cancelled` when it is stopped."""
        job = self._noted(what, viewer, patience)
        try:
            result = work(job)
            job.state, job.share = "done", 1.0
            return result
        except Cancelled:
            job.state = "cancelled"
            raise
        except BaseException:
            job.state = "failed"  # its sentence goes to the one who waits
            raise
        finally:
            self._tell(job)

    def report(self, job: Job, share: float, doing: str) -> None:
        """Report how far a job is; raises `Cancelled` when it shall stop."""
        if job.stop.is_set():
            raise Cancelled(job.what)
        job.share, job.doing = share, doing
        self._tell(job)

    def find(self, job_id: int) -> Job:
        """A job; raises `NotFound`."""
        job = self._jobs.get(job_id)
        if job is None:
            raise NotFound(f"there is no job {job_id}")
        return job

    def _tell(self, job: Job) -> None:
        if job.is_listed:
            self._hub.publish("job", **job.facts())

    def _noted(self, what: str, viewer: str = "", patience: float = 0.0) -> Job:
        job = Job(next(self._numbers), what, viewer, patience)
        with self._lock:
            self._jobs[job.id] = job
            if self._is_closed:
                job.stop.set()
            ended = [known.id for known in self._jobs.values() if known.state != "running"]
            for old in ended[: max(0, len(ended) - _MOST_ENDED)]:
                del self._jobs[old]
        return job

    def _run(self, job: Job, work: Callable[[Job], Any]) -> None:
        try:
            job.result = work(job)
            job.state, job.share = "done", 1.0
        except (Cancelled, Closed):
            job.state = "cancelled"
        except Exception as error:
            if not isinstance(error, EscalaError | OSError | MemoryError):
                _LOG.exception("unexpected, while %s", job.what)
            job.error, job.error_kind = sentence_of(error), type(error).__name__
            job.state = "failed"
        self._tell(job)
