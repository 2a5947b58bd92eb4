"""Runs benchmarks by name."""

from collections.abc import Callable, Iterator, Sequence

from escala.core.errors import choose

from .deliver import bench_deliver
from .drag import bench_drag
from .figures import Figure
from .kernels import bench_mix, bench_view
from .shot import BigShot, bench_edit, bench_intake, bench_memory, bench_open
from .start import bench_start
from .where import WhereShot, bench_label, bench_matte, bench_stack

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
ON_WHERE_SHOT: dict[str, Callable[[WhereShot], Figure]] = {
    "matte": bench_matte,
    "stack": bench_stack,
    "label": bench_label,
}
NAMES = ("mix", "edit", "drag", "view", "intake", "open", "memory", "deliver", "matte", "stack", "label", "start")


def run_benchmarks(names: Sequence[str]) -> Iterator[tuple[str, Figure]]:
    """Each benchmark's name and figure, in the order of `names`; all when it is empty."""
    wanted = list(names) or list(NAMES)
    for name in wanted:
        choose("benchmark", name, dict.fromkeys(NAMES))
    shot: BigShot | None = None
    where: WhereShot | None = None
    try:
        for name in wanted:
            if name in ALONE:
                yield name, ALONE[name]()
            elif name in ON_WHERE_SHOT:
                where = where or WhereShot()
                yield name, ON_WHERE_SHOT[name](where)
            else:
                shot = shot or BigShot()
                yield name, ON_BIG_SHOT[name](shot)
    finally:
        for made in (shot, where):
            if made:
                made.close()
