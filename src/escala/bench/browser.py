"""A real browser for benchmarks of latency, driven over its own pipe.

What drives browsers for tests hears of every request and answer of a page; while pictures come one after another, that
alone takes a third of a core from what is measured. Here only pointer events are sent to the browser.
"""

import json
import os
import shutil
import subprocess
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from escala.core.errors import BadSource

_FLAGS = (
    "--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-sync", "--disable-extensions",
    "--disable-background-networking", "--disable-component-update", "--hide-scrollbars", "--remote-debugging-pipe",
)  # fmt: skip
_WIDTH, _HEIGHT = 1280, 800
_MOVE_SECONDS = 1 / 60
_LOOK_SECONDS, _PATIENCE_SECONDS = 0.05, 60.0
AT_REST = "canvas[data-settled=true]"


class Page:
    """A page of a browser, and the pointer on it."""

    def __init__(self, read: int, write: int) -> None:
        self._read, self._write = read, write
        self._heard = b""
        self._count = 0
        self._session: str | None = None
        target = self._ask("Target.createTarget", url="about:blank")["targetId"]
        self._session = self._ask("Target.attachToTarget", targetId=target, flatten=True)["sessionId"]
        size = {"width": _WIDTH, "height": _HEIGHT, "deviceScaleFactor": 1, "mobile": False}
        self._ask("Emulation.setDeviceMetricsOverride", **size)

    def go(self, address: str) -> None:
        """Open an address."""
        self._ask("Page.navigate", url=address)

    def evaluate(self, expression: str) -> Any:
        """What an expression of JavaScript is; raises `BadSource` where it fails."""
        answer = self._ask("Runtime.evaluate", expression=expression, returnByValue=True)
        if "exceptionDetails" in answer:
            raise BadSource(f"the page failed: {answer['exceptionDetails'].get('exception', {}).get('description')}")
        return answer["result"].get("value")

    def wait_for(self, selector: str) -> None:
        """Wait until something is there; raises `BadSource` when it does not come."""
        self._wait_until(f"!!document.querySelector({json.dumps(selector)})", selector)

    def click(self, selector: str, text: str = "") -> None:
        """Click the first of what a selector finds and that holds a text, once it is there."""
        every, holds = f"[...document.querySelectorAll({json.dumps(selector)})]", json.dumps(text)
        found = f"{every}.find((one) => one.textContent.includes({holds}))"
        self._wait_until(f"!!{found}", text or selector)
        self.evaluate(f"{found}.click()")

    def box(self, selector: str) -> tuple[float, float, float, float]:
        """Left, top, width and height of the first of what a selector finds, once it is there."""
        self.wait_for(selector)
        place = f"document.querySelector({json.dumps(selector)}).getBoundingClientRect()"
        left, top, width, height = self.evaluate(f"(b => [b.x, b.y, b.width, b.height])({place})")
        return left, top, width, height

    def drag_along(self, places: Sequence[tuple[float, float]]) -> None:
        """Press at the first of some places, go along all of them evenly, and let go; until the picture rests."""
        self._hand("mouseMoved", places[0])
        self._hand("mousePressed", places[0], button="left", clickCount=1)
        due = time.perf_counter()
        for place in places[1:]:
            self._hand("mouseMoved", place, button="left", buttons=1)
            due += _MOVE_SECONDS
            time.sleep(max(0.0, due - time.perf_counter()))
        self._hand("mouseReleased", places[-1], button="left", clickCount=1)
        self.wait_for(AT_REST)

    def _wait_until(self, expression: str, wanted: str) -> None:
        deadline = time.monotonic() + _PATIENCE_SECONDS
        while not self.evaluate(expression):
            if time.monotonic() > deadline:
                raise BadSource(f"the page does not show {wanted}")
            time.sleep(_LOOK_SECONDS)

    def _hand(self, kind: str, place: tuple[float, float], **more: Any) -> None:
        self._tell("Input.dispatchMouseEvent", type=kind, x=place[0], y=place[1], **more)

    def _tell(self, method: str, **parameters: Any) -> int:
        """Tell the browser something, and do not wait for its answer."""
        self._count += 1
        message = {"id": self._count, "method": method, "params": parameters}
        if self._session:
            message["sessionId"] = self._session
        os.write(self._write, json.dumps(message).encode() + b"\0")
        return self._count

    def _ask(self, method: str, **parameters: Any) -> dict[str, Any]:
        number = self._tell(method, **parameters)
        while True:
            whole, end, rest = self._heard.partition(b"\0")
            if not end:
                more = os.read(self._read, 1 << 16)
                if not more:
                    raise BadSource("the browser has ended")
                self._heard += more
                continue
            self._heard = rest
            answer = json.loads(whole)
            if answer.get("id") == number:
                if "error" in answer:
                    raise BadSource(f"the browser refuses {method}: {answer['error']['message']}")
                return dict(answer["result"])


@contextmanager
def page_of() -> Iterator[Page]:
    """A page of Debian's Chromium, 1280 × 800."""
    chromium = shutil.which("chromium")
    if chromium is None:
        raise BadSource("this benchmark needs chromium: install the package of that name")
    message, tell = os.pipe()
    hear, answers = os.pipe()
    with tempfile.TemporaryDirectory(prefix="escala-bench-browser-", ignore_cleanup_errors=True) as folder:
        # A shell puts the ends of the pipes where the browser looks for them.
        command = [
            "bash",
            "-c",
            f'exec "$0" "$@" 3<&{message} 4>&{answers}',
            chromium,
            *_FLAGS,
            f"--user-data-dir={folder}",
        ]
        nowhere = subprocess.DEVNULL
        with subprocess.Popen(command, pass_fds=(message, answers), stdout=nowhere, stderr=nowhere) as browser:
            os.close(message)
            os.close(answers)
            try:
                yield Page(hear, tell)
            finally:
                browser.terminate()
                browser.wait()
                os.close(tell)
                os.close(hear)
