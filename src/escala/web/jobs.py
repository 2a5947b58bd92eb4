"""Long work in the background, with progress, its outcome, and a way to stop it."""

import itertools
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from escala.core.errors import EscalaError
from escala.record.shots import NotFound

from .events import EventHub


class Cancelled(EscalaError):
    """The user stopped the work."""


@dataclass
class Job:
    """One piece of work: what it does, how far it is (0..1), and its result or the sentence of its failure."""

    id: int
    what: str
    state: str = "running"
    share: float = 0.0
    doing: str = ""
    error: str | None = None
    error_kind: str | None = None
    result: Any = None
    started: float = field(default_factory=time.monotonic)
    stop: threading.Event = field(default_factory=threading.Event)

    @property
    def seconds_left(self) -> float | None:
        """An estimate, once there is something to estimate from."""
        spent = time.monotonic() - self.started
        return spent / self.share * (1 - self.share) if self.share > 0.05 and self.state == "running" else None

    def facts(self) -> dict[str, Any]:
        """What pages are told."""
        return {
            "id": self.id,
            "what": self.what,
            "state": self.state,
            "share": self.share,
            "doing": self.doing,
            "error": self.error,
            "error_kind": self.error_kind,
            "result": self.result,
            "seconds_left": self.seconds_left,
        }


class JobBoard:
    """Starts jobs, remembers them, tells pages of their progress."""

    def __init__(self, hub: EventHub) -> None:
        self._hub = hub
        self._jobs: dict[int, Job] = {}
        self._numbers = itertools.count(1)

    def start(self, what: str, work: Callable[[Job], Any]) -> Job:
        """Begin work in a thread of its own; it calls `report` and returns its result."""
        job = Job(next(self._numbers), what)
        self._jobs[job.id] = job
        threading.Thread(target=self._run, args=(job, work), daemon=True, name=f"job {job.id}").start()
        return job

    def report(self, job: Job, share: float, doing: str) -> None:
        """Tell how far a job is; raises `Cancelled` when it shall stop."""
        if job.stop.is_set():
            raise Cancelled("stopped")
        job.share, job.doing = share, doing
        self._hub.tell("job", **job.facts())

    def find(self, job_id: int) -> Job:
        """A job; raises `NotFound`."""
        if job_id not in self._jobs:
            raise NotFound(f"there is no job {job_id}")
        return self._jobs[job_id]

    def _run(self, job: Job, work: Callable[[Job], Any]) -> None:
        try:
            job.result = work(job)
            job.state, job.share = "done", 1.0
        except Cancelled:
            job.state = "cancelled"
        except (EscalaError, OSError, MemoryError) as error:
            job.state, job.error, job.error_kind = "failed", str(error), type(error).__name__
        except Exception as error:
            job.state, job.error = "failed", f"unexpected: {error!r}"
            self._hub.tell("job", **job.facts())
            raise
        self._hub.tell("job", **job.facts())
