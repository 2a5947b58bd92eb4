"""Orders written by this process, by worker processes of this machine, or by those of an existing cluster."""

import logging
import multiprocessing
import os
import time
import warnings
from collections import Counter, deque
from collections.abc import Iterable, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from escala.core.errors import BadSource, EscalaError, NoRoom
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.progress import Progress, no_progress, subrange
from escala.environment import DEFAULTS
from escala.media.atomic_write import remove_stale
from escala.media.optional_packages import cluster_package
from escala.media.whole_files import is_whole
from escala.model.render import Render

from .frames import FrameReport, deliver_frame, deliver_frames
from .order import Order, paths_of
from .videos import deliver_videos

# Seconds in which a scheduler has to answer, and between two looks at what is done.
_PATIENCE, _BEAT = 30.0, 0.05
# How a warning of the library begins that tells users nothing about what they do.
_SLOW_DISK = "Creating scratch directories"
# Frames that are with the cluster at once, for each of its threads.
_UNDER_WAY = 2
# A worker that ends while it writes a frame is replaced, and the frame is written again, so many times.
_RETRIES = 2


@dataclass(frozen=True)
class Workforce:
    """Who writes frames. `workers`: processes on this machine; with 1 this process does.

    `scheduler`: the address of a cluster instead, whose workers read and write the same paths. `threads`: of each
    worker, with None all cores of the machine are shared out. `niceness`: by how much workers of this machine give way.
    """

    workers: int = 1
    scheduler: str | None = None
    threads: int | None = None
    niceness: int = 0

    def is_here(self, frames: int) -> bool:
        """Whether this process writes so many frames itself."""
        return self.scheduler is None and self.threads is None and min(self.workers, frames) < 2


def deliver(
    evaluator_pool: EvaluatorPool,
    order: Order,
    progress: Progress = no_progress,
    workforce: Workforce = Workforce(),
) -> Iterator[FrameReport]:
    """Write an order, and tell how each frame ended, as it does; then its videos, in this process.

    The bits are the same whatever writes them. Raises `BadSource` for a scheduler that does not answer, `NoRoom` where
    a disk is full, and what `progress` raises.
    """
    read = evaluator_pool.interpretation_of(order.shot, order.render, order.variant)
    folders = {path.parent for one in order.files for path in paths_of(order, one, read, min(order.frames))}
    share = len(order.stills) / len(order.files)
    try:
        _clear(folders)
        failed = set[int | None]()
        for report in _stills(evaluator_pool, order, read, subrange(progress, 0.0, share), workforce):
            if report.error is not None:
                failed.add(report.number)
            yield report
        for report in deliver_videos(evaluator_pool, order, subrange(progress, share, 1.0)):
            if report.error is None or report.number not in failed:
                yield report
    finally:
        _clear(folders)


def _clear(folders: Iterable[Path]) -> None:
    """Delete what killed processes left half-written."""
    for folder in folders:
        remove_stale(folder)


def _stills(
    evaluator_pool: EvaluatorPool, order: Order, read: Render, progress: Progress, workforce: Workforce
) -> Iterator[FrameReport]:
    """The files of each frame; frames whose files are all there whole are not even decoded where these are kept."""
    left = list(order.frames) if order.stills else []
    for number in order.frames if order.keeps and left else ():
        paths = tuple(path for one in order.stills for path in paths_of(order, one, read, number))
        if all(is_whole(path) for path in paths):
            left.remove(number)
            yield FrameReport(number, paths)
    if not left:
        return
    rest = replace(order, frames=tuple(left))
    is_here = workforce.is_here(len(left))
    yield from deliver_frames(evaluator_pool, rest, progress) if is_here else _shared(rest, progress, workforce)


def _shared(order: Order, progress: Progress, workforce: Workforce) -> Iterator[FrameReport]:
    """Frames by the workers of a cluster, as they end. Few are under way at once: each task carries the order."""
    how = order, os.getcwd(), workforce.niceness
    coming, count, done = deque(order.frames), len(order.frames), 0
    attempts = Counter[int]()
    with _client(workforce, count) as client:
        waiting: dict[Any, int] = {}
        while done < count:
            most = _UNDER_WAY * max(1, sum(client.nthreads().values()))
            while coming and len(waiting) < most:
                number = coming.popleft()
                attempts[number] += 1
                waiting[client.submit(_reported, number, *how, pure=False, retries=_RETRIES)] = number
            progress(done / count, f"{done} of {count} frames")
            ended = [future for future in waiting if future.status != "pending"]
            if not ended:
                time.sleep(_BEAT)
            for future in ended:
                number = waiting.pop(future)
                report = _report_of(future, number)
                if report is None and attempts[number] <= _RETRIES:
                    coming.append(number)
                    continue
                done += 1
                yield report or FrameReport(number, error=f"frame {number}: the workers that wrote it ended")


def _reported(number: int, order: Order, folder: str, niceness: int) -> FrameReport:
    """A frame written in a worker, whose working folder becomes that of the order."""
    if niceness:
        os.setpriority(os.PRIO_PROCESS, 0, niceness)
    try:
        os.chdir(folder)
        return FrameReport(number, deliver_frame(order, number))
    except (EscalaError, OSError) as error:
        return FrameReport(number, error=str(error), is_final=isinstance(error, NoRoom))


def _report_of(future: Any, number: int) -> FrameReport | None:
    """How a frame ended; None where its worker ended before it could say so. Raises `DeliveryStopped`."""
    try:
        report: FrameReport = future.result(timeout=_PATIENCE)
    except Exception:  # the worker ended, and the result with it: the library has several errors for that
        return None
    if report.is_final:
        raise DeliveryStopped(report.error or "")
    return report


class DeliveryStopped(EscalaError):
    """What one worker met would stop every other, too."""


@contextmanager
def _client(workforce: Workforce, frames: int) -> Iterator[Any]:
    """A client of the cluster; one of this machine's own ends with the block. Others of this machine cannot join it."""
    distributed = cluster_package()
    warnings.filterwarnings("ignore", _SLOW_DISK)
    with ExitStack() as stack:
        if workforce.scheduler is not None:
            yield stack.enter_context(_connected(workforce.scheduler))
            return
        count = min(workforce.workers, frames)
        threads = str(workforce.threads or max(1, (os.cpu_count() or 1) // count))
        stack.enter_context(_forked_workers(distributed))
        cluster = distributed.LocalCluster(
            n_workers=count,
            threads_per_worker=1,
            processes=True,
            host="127.0.0.1",
            dashboard_address="127.0.0.1:0",
            security=True,
            silence_logs=logging.CRITICAL,
            memory_limit=0,
            env={
                **DEFAULTS,
                "NUMBA_NUM_THREADS": threads,
                "OMP_NUM_THREADS": threads,
                "PYTHONWARNINGS": f"ignore:{_SLOW_DISK}",
            },
        )
        yield stack.enter_context(distributed.Client(stack.enter_context(cluster), set_as_default=False))


@contextmanager
def _forked_workers(distributed: Any) -> Iterator[None]:
    """Fork workers from a process that has imported what they need, where the system can."""
    if "forkserver" not in multiprocessing.get_all_start_methods():
        yield
        return
    with distributed.dask.config.set({"distributed.worker.multiprocessing-method": "forkserver"}):
        distributed.utils.get_mp_context().set_forkserver_preload(["distributed", "escala.delivery.frames"])
        yield


def _connected(address: str) -> Any:
    distributed = cluster_package()
    try:
        client = distributed.Client(address, timeout=_PATIENCE, set_as_default=False)
    except (OSError, ValueError, TypeError) as error:
        raise BadSource(f"the scheduler {address} does not answer within {_PATIENCE:g} s") from error
    try:
        client.wait_for_workers(1, timeout=_PATIENCE)
    except (OSError, TimeoutError) as error:
        client.close()
        raise BadSource(f"the scheduler {address} has no worker") from error
    return client
