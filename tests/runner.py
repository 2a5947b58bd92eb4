"""Run the tests in parallel processes: `python -m tests.runner [--jobs N] [--slowest N] [NAME...]`.

A NAME is a folder, a module or a class below `tests`, as `core`, `web.test_jobs` or `web.test_jobs.JobTest`; without
one, all tests run. Classes are the unit of distribution; each process keeps what its tests share (browser, server).
"""

import argparse
import faulthandler
import io
import multiprocessing
import os
import sys
import tempfile
import threading
import time
import unittest
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from escala.environment import prepare_environment

TOP = Path(__file__).parent
# The packages with the longest classes start first, so that none is left over for one process at the end.
LONGEST_FIRST = ("tests.browser", "tests.test_compiled", "tests.web", "tests.delivery", "tests.test_cli", "tests.stage")
HANG_SECONDS = 900
# Names the folder in which processes of a run share what takes long to make.
SHARED_FOLDER = "ESCALA_TEST_SHARED"


@dataclass(frozen=True)
class Outcome:
    """What one class of tests did: its printed report, its counts, and the seconds of each test."""

    name: str
    report: str
    skipped: int
    failed: tuple[str, ...]
    seconds: dict[str, float]


class TimedResult(unittest.TextTestResult):
    """A result that also measures each test, with set-up and clean-up."""

    def __init__(self, *arguments: Any, **options: Any) -> None:
        super().__init__(*arguments, **options)
        self.seconds: dict[str, float] = {}
        self._started = 0.0

    def startTest(self, test: unittest.TestCase) -> None:
        self._started = time.perf_counter()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        self.seconds[test.id()] = time.perf_counter() - self._started


def classes(suite: unittest.TestSuite) -> Iterator[str]:
    """The full names of the classes of a suite, and of modules that could not be imported."""
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            yield from classes(test)
        else:
            name = test.id()
            yield name if name.startswith("unittest.loader") else name.rpartition(".")[0]


def found(name: str) -> list[str]:
    """The classes under a name below `tests`. Raises `SystemExit` if there are none."""
    loader = unittest.TestLoader()
    folder = TOP.joinpath(*name.split("."))
    suite = (
        loader.discover(str(folder), top_level_dir=str(TOP.parent))
        if folder.is_dir()
        else loader.loadTestsFromName(f"tests.{name}")
    )
    names = list(dict.fromkeys(classes(suite)))
    broken = [found for found in names if found.startswith("unittest.loader")]
    if broken or not names:
        unittest.TextTestRunner().run(suite)
        sys.exit(f"no tests could be loaded from {name!r}")
    return names


def run_class(name: str) -> Outcome:
    """Run the tests of one class in this process."""
    faulthandler.dump_traceback_later(HANG_SECONDS, exit=True)
    stream = io.StringIO()
    runner = unittest.TextTestRunner(stream, verbosity=2, resultclass=TimedResult)
    result = runner.run(unittest.TestLoader().loadTestsFromName(name))
    faulthandler.cancel_dump_traceback_later()
    assert isinstance(result, TimedResult)
    failed = [test.id() for test, _ in (*result.failures, *result.errors)]
    failed += [test.id() for test in result.unexpectedSuccesses]
    return Outcome(name, stream.getvalue(), len(result.skipped), tuple(failed), result.seconds)


def end_with_parent(parent: int) -> None:
    """Set up a process of the runner; it ends once the runner is gone, however that ended."""
    faulthandler.enable()
    prepare_environment()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(1)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


def rank(name: str) -> int:
    """The place of a class in the order of starting."""
    return next((i for i, start in enumerate(LONGEST_FIRST) if name.startswith(start)), len(LONGEST_FIRST))


def run(names: list[str], jobs: int) -> tuple[list[Outcome], list[str]]:
    """Run classes in `jobs` processes, and print the report of each when it is done.

    Returns the outcomes, and the classes that have none because a process ended.
    """
    outcomes, lost = [], []
    context = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(jobs, context, end_with_parent, (os.getpid(),)) as pool:
        futures = {pool.submit(run_class, name): name for name in sorted(names, key=rank)}
        for future in as_completed(futures):
            try:
                outcomes.append(future.result())
                print(outcomes[-1].report, flush=True)
            except BrokenProcessPool:
                lost.append(futures[future])
    return outcomes, lost


def run_all(names: list[str], jobs: int) -> list[Outcome]:
    """Run classes; those that were lost with a process run once more, and fail if that happens again."""
    outcomes, lost = run(names, jobs)
    if lost:
        print(f"A test process ended (its stack is above): {len(lost)} classes run once more.", flush=True)
        again, lost = run(lost, jobs)
        outcomes += again
    return outcomes + [Outcome(name, "", 0, (name,), {}) for name in lost]


def main() -> int:
    """Run what the command line names. Returns the exit status: 0 if every test passed."""
    parser = argparse.ArgumentParser(prog="python -m tests.runner", description=__doc__)
    parser.add_argument("names", nargs="*", default=[""], help="folders, modules or classes below tests")
    # One more than there are processors: tests wait for servers and browsers.
    parser.add_argument("--jobs", type=int, default=(os.cpu_count() or 1) + 1, help="number of processes")
    parser.add_argument("--slowest", type=int, default=15, help="number of slow tests to list")
    options = parser.parse_args()
    names = list(dict.fromkeys(one for name in options.names for one in found(name.removeprefix("tests."))))
    started = time.perf_counter()
    with tempfile.TemporaryDirectory(prefix="escala-tests-") as shared:
        os.environ[SHARED_FOLDER] = shared
        outcomes = run_all(names, min(options.jobs, len(names)))
    seconds = {test: taken for outcome in outcomes for test, taken in outcome.seconds.items()}
    print(f"The {options.slowest} slowest tests:")
    for test, taken in sorted(seconds.items(), key=lambda item: -item[1])[: options.slowest]:
        print(f"{taken:8.1f} s  {test}")
    failed = [test for outcome in outcomes for test in outcome.failed]
    skipped = sum(outcome.skipped for outcome in outcomes)
    print(f"\nRan {len(seconds)} tests in {time.perf_counter() - started:.0f} s, {skipped} skipped.")
    print("\n".join(f"FAILED {test}" for test in failed) or "OK")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
