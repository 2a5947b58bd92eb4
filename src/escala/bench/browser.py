"""A real browser on a real server of its own, for benchmarks of what a hand feels."""

import json
import os
import shutil
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from escala.core.errors import BadSource

_FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update"]
_MOVE_SECONDS = 1 / 60
PATIENCE_MS = 60_000
AT_REST = "canvas[data-settled=true]"


@contextmanager
def served(media: Path) -> Iterator[str]:
    """A server that reads a folder; its address."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    with tempfile.TemporaryDirectory(prefix="escala-bench-home-") as home:
        command = ["serve", "--home", home, "--media", str(media), "--port", str(port)]
        environment = {**os.environ, "PYTHONUNBUFFERED": "1"}
        with subprocess.Popen(
            [sys.executable, "-m", "escala.cli", *command], stdout=subprocess.PIPE, text=True, env=environment
        ) as server:
            assert server.stdout is not None
            server.stdout.readline()
            try:
                yield f"http://127.0.0.1:{port}"
            finally:
                server.terminate()


@contextmanager
def page_of() -> Iterator[Any]:
    """A page of Debian's Chromium, driven by Playwright, which comes with the development packages."""
    try:
        from playwright.sync_api import sync_playwright
    except ImportError as error:
        raise BadSource("the drag benchmark needs the development packages: run make setup") from error
    chromium = shutil.which("chromium")
    if chromium is None:
        raise BadSource("the drag benchmark needs chromium: install the package of that name")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=_FLAGS)
        yield browser.new_page(viewport={"width": 1280, "height": 800})
        browser.close()


def ask(address: str, body: dict[str, Any] | None = None) -> Any:
    """What the server answers to a question, or to a body that is posted."""
    data = None if body is None else json.dumps(body).encode()
    with urllib.request.urlopen(urllib.request.Request(address, data, {"Content-Type": "application/json"})) as answer:
        return json.load(answer)


def open_shot(address: str, file: Path) -> int:
    """A new shot of a file; its number."""
    job = ask(f"{address}/api/shots", {"sources": [str(file)]})
    while job["state"] == "running":
        time.sleep(0.2)
        job = ask(f"{address}/api/jobs/{job['id']}")
    if job["state"] != "done":
        raise BadSource(str(job["error"]))
    return int(job["result"]["shot_id"])


def drag_along(page: Any, places: Sequence[tuple[float, float]]) -> None:
    """Press at the first of some places, go along all of them evenly, and let go; until the picture rests."""
    page.mouse.move(*places[0])
    page.mouse.down()
    due = time.perf_counter()
    for place in places[1:]:
        page.mouse.move(*place)
        due += _MOVE_SECONDS
        time.sleep(max(0.0, due - time.perf_counter()))
    page.mouse.up()
    page.wait_for_selector(AT_REST, timeout=PATIENCE_MS)
