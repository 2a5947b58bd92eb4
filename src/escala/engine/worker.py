"""One thread owns evaluation: urgent work first, clients in fair turns, and nothing waits for ever."""

import itertools
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future, wait
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any, TypeVar

from escala.core.errors import EscalaError

Result = TypeVar("Result")

PREVIEW, EXACT, SMALL, LONG = range(4)
# Requests that may wait in all, and those of one client; long work (deliveries, intake) is not counted: it waits.
_MOST_WAITING, _MOST_OF_CLIENT = 128, 64
# Seconds after which waiting work goes next, by urgency: a probe within a second, an exact image in the end.
_AGED_AFTER = {PREVIEW: 0.5, SMALL: 0.4, EXACT: 4.0, LONG: 8.0}
# What is short may interrupt anything once it has waited so long; but not more than so many deep.
_SHORT, _MAX_DEPTH = (PREVIEW, SMALL), 8
# Seconds for which work under way lets others go before it does a piece of its own again.
_MOST_YIELDED = 1.0
# Seconds between two looks for urgent work while a library works in another thread.
_BESIDE_SECONDS = 0.01


class Superseded(EscalaError):
    """A request that a newer one of the same viewer has replaced."""


class Overloaded(EscalaError):
    """More evaluations are requested than anybody would wait for."""


class Closed(EscalaError):
    """The evaluation thread has ended."""

    def __init__(self) -> None:
        super().__init__("the server is stopping")


@dataclass(eq=False)
class _Waiting:
    """A job that waits. `viewer`: whose older jobs it replaces; `client`: whose share of the time it takes."""

    priority: int
    number: int
    viewer: str | None
    client: str
    job: Callable[[], Any]
    future: Future[Any] = field(default_factory=Future)
    since: float = field(default_factory=time.monotonic)

    def is_aged(self, now: float) -> bool:
        """Whether it was requested so long ago that it goes next."""
        return now - self.since > _AGED_AFTER[self.priority]


class EvaluationThread:
    """Runs jobs one after another: lower urgency numbers first, then the client that had least time, then the older.

    Work that takes long calls `yield_to_urgent` now and then: more urgent work that waits runs in between, and what
    a newer request of its viewer has replaced is given up. What has waited too long goes next, whatever its urgency;
    but an image under the pointer never waits for an exact one, which gives way between its bands.
    """

    def __init__(self) -> None:
        self._waiting: list[_Waiting] = []
        self._newest: dict[str, int] = {}
        self._spent: dict[str, float] = {}
        self._count = itertools.count()
        self._changed = threading.Condition()
        self._is_closed = False
        self._thread = threading.Thread(target=self._run, name="evaluation", daemon=True)
        self._thread.start()

    def run(self, job: Callable[[], Result], priority: int, viewer: str | None = None, client: str = "") -> Result:
        """The job's result. With `viewer`, older jobs of that viewer are given up and raise `Superseded`.

        `client`: the client of the request; clients take turns. Raises `Overloaded` at once when too many wait already,
        unless the job is a long one, which waits; `Closed` once the thread has ended.
        """
        waiting = _Waiting(priority, next(self._count), viewer, viewer or client, job)
        with self._changed:
            if self._is_closed:
                raise Closed
            if priority != LONG:
                self._check_room(waiting.client)
            if viewer is not None:
                self._newest[viewer] = waiting.number
            # Who comes anew begins beside those who wait, with no credit for the time before.
            least = min((self._spent.get(each.client, 0.0) for each in self._waiting), default=0.0)
            self._spent[waiting.client] = max(self._spent.get(waiting.client, 0.0), least)
            self._waiting.append(waiting)
            self._changed.notify()
        result: Result = waiting.future.result()
        return result

    def close(self) -> None:
        """End the thread: work under way is given up at its next `yield_to_urgent`, all that waits raises `Closed`."""
        with self._changed:
            self._is_closed = True
            waiting, self._waiting = self._waiting, []
            self._changed.notify()
        for each in waiting:
            each.future.set_exception(Closed())
        if threading.current_thread() is not self._thread:
            self._thread.join()

    def _check_room(self, client: str) -> None:
        counted = [each.client for each in self._waiting if each.priority != LONG]
        if len(counted) >= _MOST_WAITING or counted.count(client) >= _MOST_OF_CLIENT:
            raise Overloaded(f"The server is busy ({len(counted)} requests waiting): try again in a moment.")

    def _run(self) -> None:
        while True:
            with self._changed:
                while not self._waiting and not self._is_closed:
                    self._newest.clear()
                    self._spent.clear()
                    self._changed.wait()
                if self._is_closed:
                    return
            self._run_next(LONG + 1)

    def _next(self, below: int, depth: int) -> _Waiting | None:
        """Take the job that goes next, if it may interrupt work of the urgency `below`, `depth` others deep."""
        now = time.monotonic()
        found, best = None, (0.0, 0.0, 0)
        for each in self._waiting:
            aged = each.is_aged(now)
            if each.priority >= below and not (aged and each.priority in _SHORT and depth < _MAX_DEPTH):
                continue
            spent = 0.0 if aged else self._spent.get(each.client, 0.0)
            rank = (-1.0 if aged else each.priority, spent, each.number)
            if found is None or rank < best:
                found, best = each, rank
        if found is not None:
            self._waiting.remove(found)
        return found

    def _run_next(self, below: int) -> bool:
        """Do the job that goes next, if there is one; whether there was."""
        inner: list[float] = _HERE.__dict__.setdefault("inner", [])
        with self._changed:
            found = self._next(below, len(inner))
        if found is None:
            return False

        def between() -> None:
            # Small work that has waited long gives way to images under the pointer only.
            is_late = found.priority == SMALL and found.is_aged(time.monotonic())
            self._between(EXACT if is_late else found.priority)
            self._check(found)

        before, _HERE.yield_to_urgent = getattr(_HERE, "yield_to_urgent", None), between
        started = time.monotonic()
        inner.append(0.0)
        try:
            self._check(found)
            found.future.set_result(found.job())
        except BaseException as error:  # raised where the job was requested
            found.future.set_exception(error)
        finally:
            _HERE.yield_to_urgent = before
            took = time.monotonic() - started
            own = took - inner.pop()
            if inner:
                inner[-1] += took
            with self._changed:
                self._spent[found.client] = self._spent.get(found.client, 0.0) + own
        return True

    def _check(self, job: _Waiting) -> None:
        with self._changed:
            if self._is_closed:
                raise Closed
            if job.viewer is not None and self._newest.get(job.viewer) != job.number:
                raise Superseded("a newer picture was requested")

    def _between(self, priority: int) -> None:
        end = time.monotonic() + _MOST_YIELDED
        while time.monotonic() < end and self._run_next(priority):
            pass


_HERE = threading.local()


def yield_to_urgent() -> None:
    """A place in long work where more urgent work of others may be done first; outside the thread nothing happens.

    Raises `Superseded` where a newer request has replaced the work, `Closed` where the thread ends.
    """
    between = getattr(_HERE, "yield_to_urgent", None)
    if between is not None:
        between()


def run_beside(work: Callable[[], Result]) -> Result:
    """The result of work that cannot yield, as that of a library: it runs in another thread, and more urgent work here.

    It is not given up half-way, so that at most one such thread works at a time: a job that was superseded ends at its
    next `yield_to_urgent`. Outside the evaluation thread the work is called directly.
    """
    if getattr(_HERE, "yield_to_urgent", None) is None:
        return work()
    future: Future[Result] = Future()

    def run() -> None:
        try:
            future.set_result(work())
        except BaseException as error:  # raised where the result is taken
            future.set_exception(error)

    threading.Thread(target=run, name="beside the evaluation").start()
    is_done = False
    while not is_done:
        with suppress(Superseded, Closed):
            yield_to_urgent()
        is_done = bool(wait([future], _BESIDE_SECONDS).done)
    return future.result()
