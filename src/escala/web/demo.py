"""The made-up demo shots: rendered in the background by the stand-in renderer, kept for later starts."""

import os
import shutil
import subprocess
import sys
import threading
import time
from dataclasses import dataclass
from pathlib import Path

from escala.core.errors import EscalaError
from escala.record.shots import all_shots
from escala.stage.emblems import write_emblems

from .jobs import Job
from .settings import Settings
from .studio import Studio

_POLL_SECONDS = 0.5
FINISHED = "finished"


@dataclass(frozen=True)
class DemoRender:
    """A render of the demo: the shot's name, its folder and source in it, what to render, and from when to show it."""

    name: str
    folder: str
    source: str
    options: tuple[str, ...]
    progressive: bool

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
DEMO_RENDERS = (STILL, ARRIVAL)


def demo_folder(settings: Settings) -> Path:
    """Where the demo's renders are kept."""
    return settings.home / "demo"


def start_demo(studio: Studio) -> None:
    """Render what is not there yet, one after another, and show it; in a thread of its own."""

    def work() -> None:
        write_emblems(demo_folder(studio.settings) / "emblems")
        for render in DEMO_RENDERS:
            _keep(studio, render)

    threading.Thread(target=work, daemon=True, name="demo").start()


def _keep(studio: Studio, render: DemoRender) -> None:
    folder = render.place(studio.settings)
    folder.mkdir(parents=True, exist_ok=True)
    done = folder / FINISHED
    job = (
        None
        if done.exists()
        else studio.jobs.start(f"rendering {render.name}", lambda job: _render(render, folder, job))
    )
    while job and job.state == "running" and not (render.progressive and (folder / render.source).exists()):
        time.sleep(_POLL_SECONDS)
    if job is None or job.state != "failed":
        _show(studio, folder / render.source, render.name)
    while job and job.state == "running":
        time.sleep(_POLL_SECONDS)


def _render(render: DemoRender, folder: Path, job: Job) -> None:
    """Run the stand-in renderer as a process of its own, behind whoever works in the application."""
    options = [*render.options, "--for", str(os.getpid()), "--out", str(folder)]
    command = [sys.executable, "-m", "escala.cli", "stage", *options]
    if shutil.which("nice"):
        command = ["nice", "-n", "10", *command]
    renderer = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        while renderer.poll() is None and not job.stop.is_set():
            time.sleep(_POLL_SECONDS)
    finally:
        renderer.terminate()
        renderer.wait()
    if renderer.returncode != 0:
        raise EscalaError(f"the stand-in renderer stopped with status {renderer.returncode}")
    (folder / FINISHED).touch()


def _show(studio: Studio, source: Path, name: str) -> None:
    """The shot of a demo render, made once; while the render goes on, it is watched like any other."""
    with studio.record.reading() as session:
        if any(str(source) in shot.sources for shot in all_shots(session)):
            return
    job = studio.take_in([str(source)], name)
    while job.state == "running":
        time.sleep(_POLL_SECONDS)
