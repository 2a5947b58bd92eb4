"""Runs benchmarks by name."""

from collections.abc import Callable, Iterator, Sequence
from functools import partial

from escala.core.errors import choose

from .camera import CameraShot, bench_defocus, bench_glow, bench_lens, bench_motion, bench_settle
from .crowd import bench_crowd
from .deliver import bench_deliver, bench_workers
from .drag import bench_drag, bench_label
from .figures import Figure, unmeasured
from .kernels import bench_mix, bench_view
from .many import bench_many
from .plate import bench_plate
from .play import bench_play
from .shot import BigShot, bench_edit, bench_intake, bench_memory, bench_open
from .solve import bench_solve
from .start import bench_start
from .where import WhereShot, bench_matte, bench_stack
from .yardstick import steadily

ALONE: dict[str, Callable[[], Figure]] = {
    "mix": bench_mix,
    "many": bench_many,
    "view": bench_view,
    "intake": bench_intake,
    "deliver": bench_deliver,
    "workers": bench_workers,
    "crowd": bench_crowd,
    "start": bench_start,
    "defocus": bench_defocus,
    "motion": bench_motion,
    "glow": bench_glow,
    "plate": bench_plate,
    "play": bench_play,
    "solve": bench_solve,
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
ON_CAMERA_SHOT: dict[str, Callable[[CameraShot], Figure]] = {"lens": bench_lens, "settle": bench_settle}
NAMES = (
    "mix", "many", "edit", "drag", "view", "intake", "open", "memory", "deliver", "workers", "crowd", "matte", "stack",
    "label", "plate", "solve", "play", "defocus", "motion", "glow", "lens", "settle", "start",
)  # fmt: skip


def run_benchmarks(names: Sequence[str]) -> Iterator[tuple[str, Figure]]:
    """Each benchmark's name and figure, in the order of `names`; all when it is empty."""
    wanted = list(names) or list(NAMES)
    for name in wanted:
        choose("benchmark", name, dict.fromkeys(NAMES))
    shot: BigShot | None = None
    where: WhereShot | None = None
    camera: CameraShot | None = None
    try:
        for name in wanted:
            try:
                if name in ALONE:
                    measure = ALONE[name]
                elif name in ON_WHERE_SHOT:
                    where = where or WhereShot()
                    measure = partial(ON_WHERE_SHOT[name], where)
                elif name in ON_CAMERA_SHOT:
                    camera = camera or CameraShot(3840, 2160)
                    measure = partial(ON_CAMERA_SHOT[name], camera)
                else:
                    shot = shot or BigShot()
                    measure = partial(ON_BIG_SHOT[name], shot)
                figure = steadily(measure)
            except Exception as error:  # one that cannot be measured says so, and ends no other
                figure = unmeasured(error)
            yield name, figure
    finally:
        for made in (shot, where, camera):
            if made:
                made.close()
