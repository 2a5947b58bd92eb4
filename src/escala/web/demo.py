"""The made-up demo shots: rendered in the background by the stand-in renderer, kept for later starts."""

import os
import shutil
import subprocess
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from escala.core.errors import EscalaError
from escala.database.shots import add_variant, all_shots, find_render
from escala.engine.progress import Cancelled
from escala.model.variant import Variant
from escala.stage.emblems import write_emblems
from escala.stage.skies import write_skies

from .app_context import AppContext
from .job_manager import Job
from .problems import sentence_of
from .settings import Settings

_POLL_SECONDS = 0.5
FINISHED = "finished"


@dataclass(frozen=True)
class DemoRender:
    """A render of the demo: its name, its folder and source in it, what to render, and from when to show it.

    `further_of`: it is a further render of the shot of another; else a shot of its own.
    """

    name: str
    folder: str
    source: str
    options: tuple[str, ...]
    progressive: bool
    further_of: "DemoRender | None" = None

    def place(self, settings: Settings) -> Path:
        """Where its files are kept."""
        return demo_folder(settings) / self.folder


STILL = DemoRender("Night quay", "", "night_quay.0012.exr", (), True)
ARRIVAL = DemoRender(
    "Night arrival",
    "arrival",
    "night_quay.####.exr",
    ("--size", "384x216", "--samples", "6", "--frames", "7-18"),
    False,
)
NEAR = DemoRender("Ropes and gulls", "near", "ropes_and_gulls.0012.exr", ("--layer", "near"), False, STILL)
DEMO_RENDERS = (STILL, NEAR, ARRIVAL)

MOVING_NAME = "Beacon in time"
# The beacon turns once in 48 frames and passes the camera at frame 12.
MOVING = {
    "balance": {"lights": {"beacon": {}, "cabin": {}, "quay_lamps": {}}},
    "curves": {
        "balance/lights/beacon/stops": {
            "kind": "pulse", "low": -5, "high": 0.5, "period": 6, "duty": 0.5, "phase": 8, "soft": 1,
        },
        "balance/lights/cabin/stops": {"kind": "flicker", "amount": 0.25, "rate": 9, "smooth": 1, "seed": 4},
        "balance/lights/quay_lamps/stops": {
            "kind": "follow", "pointer": "balance/lights/cabin/stops", "scale": 0.5, "delay": 3,
        },
    },
}  # fmt: skip


def demo_folder(settings: Settings) -> Path:
    """Where the demo's renders are kept."""
    return settings.home / "demo"


def start_demo(context: AppContext) -> None:
    """Render what is not there yet, one after another, and show it; in a thread of its own."""

    def work() -> None:
        try:
            write_emblems(demo_folder(context.settings) / "emblems")
            write_skies(demo_folder(context.settings) / "plates")
            for render in DEMO_RENDERS:
                _keep(context, render)
        except (EscalaError, OSError) as error:
            context.events.publish("trouble", sentence=f"The demo is not available: {sentence_of(error)}")

    context.run_in_background("demo", work)


def _keep(context: AppContext, render: DemoRender) -> None:
    """Render what is not there yet, and show it."""
    folder = render.place(context.settings)
    folder.mkdir(parents=True, exist_ok=True)
    done = folder / FINISHED
    job = (
        None
        if done.exists()
        else context.jobs.start(f"rendering {render.name}", lambda job: _render(render, folder, job))
    )
    _wait_for(context, job, lambda: render.progressive and (folder / render.source).exists())
    if not context.closing.is_set() and (job is None or job.state != "failed"):
        if render.further_of is None:
            _show(context, folder / render.source, render.name)
        else:
            first = render.further_of
            _add(context, folder / render.source, render.name, str(first.place(context.settings) / first.source))
    _wait_for(context, job)


def _add(context: AppContext, source: Path, name: str, first: str) -> None:
    """A further render of the shot that was opened from `first`, added once."""
    with context.database.reading() as session:
        shot = next((shot for shot in all_shots(session) if first in find_render(shot).sources), None)
        if shot is None or any(str(source) in row.sources for row in shot.renders):
            return
        shot_id = shot.id
    _wait_for(context, context.add_further(shot_id, [str(source)], name))


def _wait_for(context: AppContext, job: Job | None, is_enough: Callable[[], bool] = lambda: False) -> None:
    """Wait for the end of a job, or until there is enough of it, or the server closes."""
    while job and job.state == "running" and not is_enough():
        if context.closing.wait(_POLL_SECONDS):
            return


def _render(render: DemoRender, folder: Path, job: Job) -> None:
    """Run the stand-in renderer as a process of its own, at a lower priority than the application."""
    options = [*render.options, "--for", str(os.getpid()), "--out", str(folder)]
    command = [sys.executable, "-m", "escala.cli", "stage", *options]
    if shutil.which("nice"):
        command = ["nice", "-n", "10", *command]
    renderer = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        while renderer.poll() is None and not job.stop.wait(_POLL_SECONDS):
            pass
    finally:
        renderer.terminate()
        renderer.wait()
    if job.stop.is_set():
        raise Cancelled(job.what)
    if renderer.returncode != 0:
        raise EscalaError(f"the stand-in renderer stopped with status {renderer.returncode}")
    (folder / FINISHED).touch()


def _show(context: AppContext, source: Path, name: str) -> None:
    """The shot of a demo render, made once; while the render goes on, it is watched like any other."""
    with context.database.reading() as session:
        if any(str(source) in find_render(shot).sources for shot in all_shots(session)):
            return
    _wait_for(context, context.take_in([str(source)], name))
    if name == ARRIVAL.name:
        _add_moving_variant(context, str(source))


def _add_moving_variant(context: AppContext, source: str) -> None:
    """Beside the first variant of the arrival one whose lights move: the beacon is on while it sweeps by."""
    with context.database.writing() as session:
        shot = next((shot for shot in all_shots(session) if source in find_render(shot).sources), None)
        if shot is not None and all(variant.name != MOVING_NAME for variant in shot.variants):
            add_variant(session, shot, MOVING_NAME, Variant.model_validate(MOVING))
