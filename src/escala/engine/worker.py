"""One thread owns evaluation: the most urgent goes first, a viewer's newer request replaces its waiting one."""

import heapq
import itertools
import threading
from collections.abc import Callable
from concurrent.futures import Future
from typing import Any, TypeVar

from escala.core.errors import EscalaError

Result = TypeVar("Result")

MOVING, RESTING, SMALL, LONG = range(4)


class Superseded(EscalaError):
    """A request that a newer one of the same viewer has replaced before it began."""


class EvaluationThread:
    """Runs jobs one after another. Lower urgency numbers go first, older before newer."""

    def __init__(self) -> None:
        self._waiting: list[tuple[int, int, str | None, Callable[[], Any], Future[Any]]] = []
        self._newest: dict[str, int] = {}
        self._count = itertools.count()
        self._changed = threading.Condition()
        self._thread = threading.Thread(target=self._run, name="evaluation", daemon=True)
        self._thread.start()

    def run(self, job: Callable[[], Result], urgency: int, viewer: str | None = None) -> Result:
        """The job's result. With `viewer`, waiting jobs of that viewer are given up and raise `Superseded`."""
        future: Future[Result] = Future()
        with self._changed:
            number = next(self._count)
            if viewer is not None:
                self._newest[viewer] = number
            heapq.heappush(self._waiting, (urgency, number, viewer, job, future))
            self._changed.notify()
        return future.result()

    @property
    def waiting(self) -> int:
        """How many jobs wait."""
        with self._changed:
            return len(self._waiting)

    def _run(self) -> None:
        while True:
            with self._changed:
                while not self._waiting:
                    self._changed.wait()
                _, number, viewer, job, future = heapq.heappop(self._waiting)
                stale = viewer is not None and self._newest.get(viewer) != number
            if stale:
                future.set_exception(Superseded("a newer picture was asked for"))
                continue
            try:
                future.set_result(job())
            except BaseException as error:  # handed to the one who asked
                future.set_exception(error)
