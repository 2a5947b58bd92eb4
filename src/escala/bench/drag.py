"""`drag`, `label`: being dragged in a real browser, from the pointer's event to the painted pixels."""

import time
from typing import Any

import numpy as np

from escala.core.errors import BadSource

from .browser import AT_REST, Page, page_of
from .figures import Figure
from .server import call, open_shot, served
from .shot import BigShot
from .where import HEIGHT, MATTES, WIDTH, WhereShot

_MOVES, _REACH_PX = 160, 100.0
_WARM_SECONDS = 20
_FEWEST = 20
_WATCH = """
  var moves = []
  addEventListener('pointerrawupdate', (e) => moves.push([e.timeStamp, performance.now()]), true)
"""
_READ = """({ moves, marks: performance.getEntriesByName('picture painted')
  .filter((m) => !m.detail.settled && m.detail.patch.length).map((m) => [m.startTime, m.detail.requestedAt]) })"""


def bench_drag(shot: BigShot) -> Figure:
    """A light's level: p95 over the pictures of a drag of some seconds at 60 pointer events a second."""
    with served(shot.file.parent) as address, page_of() as page:
        open_shot(address, shot.file)
        enter_shot(page, address)
        left, top, width, height = page.box(".board .tile, .board .head-cell")
        p95 = dragged(page, left + width / 2, top + height / 2)
    return Figure(p95, "ms", p95 / 45, "p95 ≤ 45 ms from pointer to paint", True, limit=45)


def bench_label(shot: WhereShot) -> Figure:
    """As `drag`, a label moved on the surface that it lies on."""
    with served(shot.file.parent) as address, page_of() as page:
        variant = call(f"{address}/api/shots/{open_shot(address, shot.file)}")["variants"][0]["id"]
        _lay_label(address, variant, str(shot.emblem))
        enter_shot(page, address)
        page.click("nav[aria-label=Path] button", "Surface")
        page.click("button", "Move")
        left, top, width, height = page.box("canvas")
        scale = min(width / WIDTH, height / HEIGHT)
        p95 = dragged(page, left + (width - WIDTH * scale) / 2 + WIDTH * scale * 0.15, top + height / 2)
    return Figure(p95, "ms", p95 / 60, "p95 ≤ 60 ms from pointer to paint", True, limit=60)


def _lay_label(address: str, variant: int, emblem: str) -> None:
    label = {"kind": "label", "pictures": [emblem], "scale": [0.4, 0.4], "matte": "hull"}
    patch = [
        {"op": "add", "path": "/mattes", "value": MATTES},
        {"op": "add", "path": "/surface/changes", "value": [label]},
    ]
    base = call(f"{address}/api/variants/{variant}")["head"]
    call(f"{address}/api/variants/{variant}/edits", {"base": base, "patch": patch, "label": "a label"})


def enter_shot(page: Page, address: str) -> None:
    page.go(address)
    page.click("button.shot")
    page.wait_for(AT_REST)


def dragged(page: Page, x: float, y: float) -> float:
    """The p95 in milliseconds while something is dragged there and back from a place of the page."""
    page.drag_along(_way(x, y, _MOVES // 4))
    time.sleep(_WARM_SECONDS)  # the baked view is refined behind everything else
    page.drag_along(_way(x, y, _MOVES // 4))  # the page takes the size of moving pictures from the drag before
    page.evaluate(_WATCH)
    page.drag_along(_way(x, y, _MOVES))
    latencies = _latencies(page.evaluate(_READ))
    if len(latencies) < _FEWEST:
        raise BadSource(f"only {len(latencies)} pictures came while something was dragged: too few to judge")
    return float(np.percentile(latencies, 95))


def _way(x: float, y: float, moves: int) -> list[tuple[float, float]]:
    """There and back in even steps."""
    return [(x + _REACH_PX * np.sin(step * 2 * np.pi / moves) + step * 0.13, y) for step in range(moves + 1)]


def _latencies(seen: dict[str, Any]) -> list[float]:
    """Milliseconds from the pointer's last event before an image request to the refresh in which it was painted.

    An event counts from when the pointer moved, and is before a request once the page has received it.
    """
    found = []
    for painted, request in seen["marks"]:
        received = [at for at, received_at in seen["moves"] if received_at <= request]
        if received:
            found.append(float(painted - received[-1]))
    return found
