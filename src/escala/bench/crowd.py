"""`crowd`: a drag on a server that others use too: pages that ask for events, share pages, workers."""

import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path

import numpy as np

from escala.core.errors import BadSource

from .camera import DEPTH, LENS, write_camera_frame
from .figures import Figure, once, write_big_shot
from .server import call, fetch, open_shot, served

_SIZE, _LIGHTS, _DRAGS, _SAVE_EVERY = (1920, 1080), 15, 300, 20
_FRAMES, _FRAME_SIZE = 400, (1280, 720)
_PAGES, _PAGE_SECONDS = 20, 1.0
# As the page of a share does it: it asks so often, and an exact image follows once a revision stays for so long.
_SHARES, _SHARE_SECONDS, _STAYS_SECONDS = 8, 5.0, 6.0
_LIMIT = 1.5

Ask = Callable[[], object]


def bench_crowd() -> Figure:
    """p95 of an edit over HTTP beside the busiest of three crowds, over the same alone."""
    with tempfile.TemporaryDirectory(prefix="escala-bench-") as name:
        folder = Path(name).resolve()
        write_big_shot(folder / "big.exr", *_SIZE, _LIGHTS)
        write_camera_frame(folder / "frame.0001.exr", *_FRAME_SIZE)
        for number in range(2, _FRAMES + 1):
            (folder / f"frame.{number:04d}.exr").hardlink_to(folder / "frame.0001.exr")
        with served(folder) as address:
            variant = _variant_of(address, open_shot(address, folder / "big.exr"))
            sequence = _variant_of(address, open_shot(address, folder / "frame.####.exr"))
            _edits(address, variant)
            alone = [_edits(address, variant)]
            found = {}
            for words, crowd in (
                (f"{_PAGES} pages", lambda: _asking(_PAGES, _PAGE_SECONDS, _page(address))),
                (f"{_SHARES} share pages", lambda: _asking(_SHARES, _SHARE_SECONDS, _share_page(address, variant))),
                ("2 workers", lambda: _writing(address, sequence)),
            ):
                with crowd():
                    beside = _edits(address, variant)
                alone.append(_edits(address, variant))
                found[words] = beside / min(alone[-2:])
    worst = max(found.values())
    told = ", ".join(f"{ratio:.2f} beside {words}" for words, ratio in found.items())
    target = f"≤ {_LIMIT} × alone, {np.median(alone) * 1000:.1f} ms p95 (here {told})"
    return Figure(worst, "", worst / _LIMIT, target, worst <= _LIMIT)


def _variant_of(address: str, shot: int) -> int:
    return int(call(f"{address}/api/shots/{shot}")["variants"][0]["id"])


def _edits(address: str, variant: int) -> float:
    """p95 of the time from a level to its image, in seconds; now and then an edit is saved."""
    times = []
    for step in range(_DRAGS):
        patch = [{"op": "add", "path": "/balance/lights/l05", "value": {"stops": step % 40 / 10 - 2}}]
        region = {"x": 0, "y": 0, "width": _SIZE[0], "height": _SIZE[1]}
        body = {"patch": patch, "region": region, "out_width": 1280, "out_height": 720, "live": True, "viewer": "bench"}
        times.append(once(lambda b=body: fetch(f"{address}/api/variants/{variant}/picture", b)))  # type: ignore[misc]
        if step % _SAVE_EVERY == 0:
            base = call(f"{address}/api/variants/{variant}")["head"]
            call(f"{address}/api/variants/{variant}/edits", {"base": base, "patch": patch, "label": "level"})
    return float(np.percentile(times, 95))


@contextmanager
def _asking(count: int, seconds: float, made: Callable[[], Ask]) -> Iterator[None]:
    """So many clients, each of which asks again and again while the block runs. Raises what one of them raised."""
    over = threading.Event()

    def run(ask: Ask, first: float) -> None:
        pause = first
        while not over.wait(pause):
            ask()
            pause = seconds

    with ThreadPoolExecutor(count) as pool:
        clients = [pool.submit(run, made(), seconds * index / count) for index in range(count)]
        try:
            yield
        finally:
            over.set()
        for client in clients:
            client.result()


def _page(address: str) -> Callable[[], Ask]:
    """An open page: it asks for events, and for the state of a variant that it shows."""

    def made() -> Ask:
        mark = ""

        def ask() -> None:
            nonlocal mark
            mark = call(f"{address}/api/events?after={mark}&shot=1")["mark"]

        return ask

    return made


def _share_page(address: str, variant: int) -> Callable[[], Ask]:
    """The page of a share: it loads a quick image of each new revision, and an exact one once that stays."""
    token = call(f"{address}/api/shares", {"variants": [variant], "name": "bench", "follow": True})["token"]
    share = f"{address}/api/share/{token}"

    def made() -> Ask:
        shown, since = -1, 0.0

        def ask() -> None:
            nonlocal shown, since
            call(f"{share}/notes?limit=200")
            revision = call(share)["variants"][0]["revision"]
            is_new = revision != shown
            if not is_new and time.monotonic() - since < _STAYS_SECONDS:
                return
            region = {"x": 0, "y": 0, "width": _SIZE[0], "height": _SIZE[1]}
            body = {"variant": variant, "region": region, "width": 960, "height": 540, "exact": not is_new}
            fetch(f"{share}/picture", body)
            shown, since = revision, time.monotonic()

        return ask

    return made


@contextmanager
def _writing(address: str, variant: int) -> Iterator[None]:
    """Two workers write frames with all of Depth and Lens; begun once the first is there."""
    base = call(f"{address}/api/variants/{variant}")["head"]
    patch = [
        {"op": "replace", "path": f"/{part}", "value": value} for part, value in (("depth", DEPTH), ("lens", LENS))
    ]
    call(f"{address}/api/variants/{variant}/edits", {"base": base, "patch": patch, "label": "camera"})
    order = {"files": [{"what": "result", "format": "exr"}], "workers": 2}
    job = call(f"{address}/api/variants/{variant}/deliveries", order)

    def done() -> int:
        delivery = call(f"{address}/api/variants/{variant}/deliveries")["deliveries"][0]
        if delivery["state"] != "running":
            raise BadSource(f"the delivery is {delivery['state']}: {delivery['error']}")
        return len(delivery["done"])

    while done() < 2:
        time.sleep(0.2)
    try:
        yield
        done()
    finally:
        call(f"{address}/api/jobs/{job['id']}/cancel", {})
