"""Starts the server; with `demo`, the made-up shot renders itself in the background and improves on screen."""

import os
import secrets
import shutil
import subprocess
import sys
import threading
import time
from dataclasses import replace
from pathlib import Path

from waitress import create_server

from escala.core.errors import BadSource, EscalaError
from escala.record.shots import all_shots

from .app import create_app
from .settings import Settings
from .studio import Studio

DEMO_NAME = "Night quay"
DEMO_FILE = "night_quay.0012.exr"
_POLL_SECONDS = 0.5


def serve(settings: Settings, demo: bool = False) -> None:
    """Serve until stopped. Prints the address to open."""
    if not settings.is_loopback and not settings.token:
        settings = replace(settings, token=secrets.token_urlsafe(24))
    if demo:
        settings = replace(settings, media_roots=(*settings.media_roots, demo_folder(settings)))
        demo_folder(settings).mkdir(parents=True, exist_ok=True)
    studio = Studio(settings)
    app = create_app(settings, studio)
    try:
        server = create_server(app, host=settings.host, port=settings.port, threads=16, ident="Escala")
    except OSError as error:
        raise BadSource(f"port {settings.port} cannot be used: {error.strerror}; choose another with --port") from error
    query = f"/?token={settings.token}" if settings.token else ""
    host = f"[{settings.host}]" if ":" in settings.host else settings.host
    print(f"Escala is ready: open http://{host}:{server.effective_port}{query}", flush=True)
    if demo:
        threading.Thread(target=_keep_demo, args=(studio,), daemon=True, name="demo").start()
    server.run()


def demo_folder(settings: Settings) -> Path:
    """Where the demo's renders are kept."""
    return settings.home / "demo"


def _keep_demo(studio: Studio) -> None:
    """Render the demo's still unless it is there, and show every better state of it."""
    folder = demo_folder(studio.settings)
    done = folder / "finished"
    renderer = None
    if not done.exists():
        command = [sys.executable, "-m", "escala.cli", "stage", "--for", str(os.getpid()), "--out", str(folder)]
        if shutil.which("nice"):  # whoever works in the application comes first
            command = ["nice", "-n", "10", *command]
        renderer = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    job = studio.jobs.start("rendering the demo", lambda job: _watch_renderer(studio, job, renderer, done))
    kept = done.exists() and _demo_shot(studio, folder / DEMO_FILE) is not None
    seen = _time_of(folder / DEMO_FILE) if kept else 0.0
    while job.state == "running" or seen != _time_of(folder / DEMO_FILE):
        newest = _time_of(folder / DEMO_FILE)
        if newest != seen:
            seen = newest
            _show_demo(studio, folder / DEMO_FILE)
        time.sleep(_POLL_SECONDS)


def _watch_renderer(studio: Studio, job: object, renderer: "subprocess.Popen[bytes] | None", done: Path) -> None:
    if renderer is None:
        return
    try:
        while renderer.poll() is None:
            time.sleep(_POLL_SECONDS)
    finally:
        renderer.terminate()
    if renderer.returncode != 0:
        raise EscalaError(f"the stand-in renderer stopped with status {renderer.returncode}")
    done.touch()


def _time_of(file: Path) -> float:
    return file.stat().st_mtime if file.is_file() else 0.0


def _demo_shot(studio: Studio, file: Path) -> int | None:
    with studio.session() as session:
        return next((shot.id for shot in all_shots(session) if str(file) in shot.sources), None)


def _show_demo(studio: Studio, file: Path) -> None:
    shot_id = _demo_shot(studio, file)
    try:
        if shot_id is None:
            job = studio.take_in([str(file)], DEMO_NAME)
            while job.state == "running":
                time.sleep(_POLL_SECONDS)
        else:
            studio.reread(shot_id)
    except EscalaError as error:
        studio.hub.tell("trouble", sentence=str(error))
