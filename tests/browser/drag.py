"""Measures a drag in a real browser on a demo of full size: pointer event to painted pixels, p95 of 100.

`python -m tests.browser.drag [HOME]`, with the home of a finished demo. A measurement, not a test.
"""

import shutil
import sys
import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import sync_playwright

from escala.stage.render import StageJob
from escala.web.settings import default_home
from tests.browser.running import CHROMIUM, FLAGS, BrowserTest, RunningServer

MOVES = 100
# Waits for the picture of a pointer event to be drawn: the mark, then the frame after it.
WATCH = """() => {
  window.times = []; let begun = 0
  window.addEventListener('pointermove', (e) => { begun = e.timeStamp }, true)
  new PerformanceObserver(() => requestAnimationFrame(() => requestAnimationFrame((now) => {
    if (begun) { window.times.push(now - begun); begun = 0 } }))).observe({ entryTypes: ['mark'] })
}"""


def main() -> None:
    """Print p50 and p95 in milliseconds."""
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder)
        finished = (Path(sys.argv[1]) if len(sys.argv) > 1 else default_home()) / "demo"
        if (finished / "finished").exists():
            shutil.copytree(finished, home / "demo")
        server = RunningServer(home, StageJob())
        server.start()
        try:
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=CHROMIUM, args=list(FLAGS))
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.goto(server.address)
                BrowserTest().enter_demo(page)
                box = page.locator(".head-cell").last.bounding_box()
                assert box
                page.evaluate(WATCH)
                page.mouse.move(box["x"] + 60, box["y"] + 12)
                page.mouse.down()
                for step in range(MOVES):
                    page.mouse.move(box["x"] + 60 - 0.7 * step, box["y"] + 12)
                    count = page.evaluate("window.times.length")
                    page.wait_for_function(
                        "(n) => window.times.length > n || !document.hasFocus()", arg=count, timeout=2000
                    )
                page.mouse.up()
                times = page.evaluate("window.times")
                browser.close()
        finally:
            server.kill()
    p50, p95 = np.percentile(times, [50, 95])
    print(f"drag: p50 {p50:.0f} ms, p95 {p95:.0f} ms of {len(times)} moves; target p95 ≤ 60 ms")


if __name__ == "__main__":
    main()
