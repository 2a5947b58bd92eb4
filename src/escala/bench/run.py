"""Runs benchmarks by name."""

from collections.abc import Callable, Iterator, Sequence

from escala.core.errors import choose

from .deliver import bench_deliver
from .drag import bench_drag
from .figures import Figure
from .kernels import bench_mix, bench_view
from .shot import BigShot, bench_edit, bench_intake, bench_memory, bench_open
from .start import bench_start

ALONE: dict[str, Callable[[], Figure]] = {
    "mix": bench_mix,
    "view": bench_view,
    "intake": bench_intake,
    "deliver": bench_deliver,
    "start": bench_start,
}
ON_BIG_SHOT: dict[str, Callable[[BigShot], Figure]] = {
    "edit": bench_edit,
    "drag": bench_drag,
    "open": bench_open,
    "memory": bench_memory,
}
NAMES = ("mix", "edit", "drag", "view", "intake", "open", "memory", "deliver", "start")


def run_benchmarks(names: Sequence[str]) -> Iterator[tuple[str, Figure]]:
    """Each benchmark's name and figure, in the order of `names`; all when it is empty."""
    wanted = list(names) or list(NAMES)
    for name in wanted:
        choose("benchmark", name, dict.fromkeys(NAMES))
    shot: BigShot | None = None
    try:
        for name in wanted:
            if name in ALONE:
                yield name, ALONE[name]()
            else:
                shot = shot or BigShot()
                yield name, ON_BIG_SHOT[name](shot)
    finally:
        if shot:
            shot.close()
