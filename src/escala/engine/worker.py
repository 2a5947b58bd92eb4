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
_MOST_WAITING = 128


class Superseded(EscalaError):
    """A request that a newer one of the same viewer has replaced."""


class Overloaded(EscalaError):
    """More evaluations are asked for than anybody would wait for."""


class EvaluationThread:
    """Runs jobs one after another. Lower urgency numbers go first, older before newer.

    Work that takes long calls `give_way` now and then: whatever is more urgent and waits is done in between, and what
    a newer request of its viewer has replaced is given up.
    """

    def __init__(self) -> None:
        self._waiting: list[tuple[int, int, str | None, Callable[[], Any], Future[Any]]] = []
        self._newest: dict[str, int] = {}
        self._count = itertools.count()
        self._changed = threading.Condition()
        self._thread = threading.Thread(target=self._run, name="evaluation", daemon=True)
        self._thread.start()

    def run(self, job: Callable[[], Result], urgency: int, viewer: str | None = None) -> Result:
        """The job's result. With `viewer`, older jobs of that viewer are given up and raise `Superseded`.

        Raises `Overloaded` at once when too many wait already.
        """
        future: Future[Result] = Future()
        with self._changed:
            if len(self._waiting) >= _MOST_WAITING:
                raise Overloaded(f"{_MOST_WAITING} pictures are asked for and not yet made: try again in a moment")
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
                    self._newest.clear()
                    self._changed.wait()
            self._work_off(LONG + 1)

    def _work_off(self, below: int) -> None:
        """Do the most urgent waiting job, if it is more urgent than `below`."""
        with self._changed:
            if not self._waiting or self._waiting[0][0] >= below:
                return
            urgency, number, viewer, job, future = heapq.heappop(self._waiting)

        def between() -> None:
            self._between(urgency)
            self._check(number, viewer)

        before, _HERE.give_way = getattr(_HERE, "give_way", None), between
        try:
            self._check(number, viewer)
            future.set_result(job())
        except BaseException as error:  # handed to the one who asked
            future.set_exception(error)
        finally:
            _HERE.give_way = before

    def _check(self, number: int, viewer: str | None) -> None:
        with self._changed:
            if viewer is not None and self._newest.get(viewer) != number:
                raise Superseded("a newer picture was asked for")

    def _between(self, urgency: int) -> None:
        while True:
            with self._changed:
                if not self._waiting or self._waiting[0][0] >= urgency:
                    return
            self._work_off(urgency)


_HERE = threading.local()


def give_way() -> None:
    """A place in long work where more urgent work of others may be done first; outside the thread nothing happens.

    Raises `Superseded` where a newer request has replaced the work.
    """
    between = getattr(_HERE, "give_way", None)
    if between is not None:
        between()
