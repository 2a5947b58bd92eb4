"""`drag`: a light dragged in a real browser on a real server, from the pointer's event to the painted pixels."""

import json
import os
import shutil
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np

from escala.core.errors import BadSource

from .figures import Figure
from .shot import BigShot

_FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update"]
_MOVES = 160
_MOVE_SECONDS = 1 / 60
_WARM_SECONDS = 20
_WATCH = """() => {
  window.moves = []
  addEventListener('pointerrawupdate', (e) => moves.push([e.timeStamp, e.clientX]), true)
}"""
_READ = """() => ({ moves, marks: performance.getEntriesByName('picture painted')
  .filter((m) => !m.detail.settled && m.detail.patch.length)
  .map((m) => [m.startTime, m.detail.patch[0].value.stops]) })"""


def bench_drag(shot: BigShot) -> Figure:
    """p95 over the pictures of a drag of some seconds at 60 pointer events a second."""
    with _server(shot.file.parent) as address, _page(address) as page:
        _open_shot(address, shot.file)
        page.goto(address)
        page.locator("button.shot").first.click(timeout=60_000)
        page.wait_for_selector("canvas[data-settled=true]", timeout=60_000)
        handle = page.locator(".board .tile, .board .head-cell").first
        handle.wait_for()
        _drag(page, handle, _MOVES // 4)
        time.sleep(_WARM_SECONDS)  # the baked view is refined behind everything else
        _drag(page, handle, _MOVES // 4)  # the page takes the size of moving pictures from the drag before
        page.evaluate(_WATCH)
        start = _drag(page, handle, _MOVES)
        latencies = _latencies(page.evaluate(_READ), start)
    if len(latencies) < 20:
        raise BadSource(f"only {len(latencies)} pictures came while a light was dragged: too few to judge")
    p95 = float(np.percentile(latencies, 95))
    return Figure(p95, "ms", p95 / 50, "p95 ≤ 50 ms from pointer to paint", p95 <= 50)


def _drag(page: Any, handle: Any, moves: int) -> tuple[float, float]:
    """Drag there and back in even steps; the column at which it began, and the level there."""
    box = handle.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    due = time.perf_counter()
    for step in range(1, moves + 1):
        page.mouse.move(x + 100 * np.sin(step * 2 * np.pi / moves) + step * 0.13, y)
        due += _MOVE_SECONDS
        time.sleep(max(0.0, due - time.perf_counter()))
    page.mouse.move(x, y)
    page.mouse.up()
    page.wait_for_selector("canvas[data-settled=true]", timeout=60_000)
    return x, 0.0


def _latencies(seen: dict[str, Any], start: tuple[float, float]) -> list[float]:
    """Milliseconds from the pointer event that made a level to the screen refresh in which its picture was painted."""
    moves = [(at, round((x - start[0]) / 48 * 100) / 100 + start[1]) for at, x in seen["moves"]]
    found = []
    for painted, stops in seen["marks"]:
        asked = [at for at, level in moves if abs(level - stops) < 0.006 and at <= painted]
        if asked:
            found.append(float(painted - asked[-1]))
    return found


@contextmanager
def _server(media: Path) -> Iterator[str]:
    """A server of its own; its address."""
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
def _page(address: str) -> Iterator[Any]:
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


def _open_shot(address: str, file: Path) -> None:
    body = json.dumps({"sources": [str(file)]}).encode()
    headers = {"Content-Type": "application/json"}
    with urllib.request.urlopen(urllib.request.Request(f"{address}/api/shots", body, headers)) as answer:
        job = json.load(answer)
    while job["state"] == "running":
        time.sleep(0.2)
        with urllib.request.urlopen(f"{address}/api/jobs/{job['id']}") as answer:
            job = json.load(answer)
    if job["state"] != "done":
        raise BadSource(str(job["error"]))
