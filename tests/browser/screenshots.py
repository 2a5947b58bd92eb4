"""Takes the pictures of docs/screenshots from the demo: `python -m tests.browser.screenshots` (make screenshots).

Run `make demo` once before, so that the demo's render is finished; its files are copied.
"""

import re
import shutil
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright

from escala.stage.render import StageJob
from escala.web.settings import default_home
from tests.browser.running import CHROMIUM, FLAGS, BrowserTest, RunningServer

TARGET = Path(__file__).parents[2] / "docs" / "screenshots"
# Stations, and words that are there once a station has what it shows.
STATIONS = {"Source": "of 57 passes", "Beauty": "Matches.", "Finish": "ASC CDL", "Display": "Working space"}


def main() -> None:
    """One picture of each main view at 1280 × 800."""
    TARGET.mkdir(parents=True, exist_ok=True)
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
                _take_all(browser.new_page(viewport={"width": 1280, "height": 800}), server)
                browser.close()
        finally:
            server.kill()


def _take_all(page: Page, server: RunningServer) -> None:
    helper = BrowserTest()
    page.goto(server.address)
    page.locator("button.shot", has_text="Night arrival").wait_for()
    _all_drawn(page)
    page.screenshot(path=TARGET / "start.png")
    helper.enter_demo(page)
    for light, label, text in (("Beacon", "Level", "-2"), ("Cabin", "Temperature", "3400")):
        page.get_by_role("rowheader").get_by_role("button").filter(has_text=light).click()
        field = page.get_by_role("textbox", name=f"{label}, number")
        field.fill(text)
        field.press("Enter")
        helper.at_rest(page)
    page.locator("canvas").click(position={"x": 500, "y": 330})
    page.get_by_role("region", name="At the pin").get_by_text("scene-linear").wait_for()
    helper.at_rest(page)
    page.screenshot(path=TARGET / "balance.png")
    for station, words in STATIONS.items():
        page.get_by_role("navigation", name="Path").get_by_role("button", name=station).click()
        page.mouse.move(640, 300)
        page.get_by_text(words).first.wait_for()
        helper.at_rest(page)
        if station == "Beauty":
            expect(page.locator(".lines .small").first).to_have_css("background-image", re.compile("tally"))
        _all_drawn(page)
        page.screenshot(path=TARGET / f"{station.lower()}.png")
    page.get_by_role("button", name="History").click()
    page.get_by_role("complementary", name="History").get_by_text("As created").wait_for()
    _all_drawn(page)
    page.screenshot(path=TARGET / "history.png")
    page.get_by_role("complementary", name="History").get_by_role("button", name="close").click()
    page.get_by_role("button", name="Deliver").click()
    page.get_by_role("button", name="Write the file").click()
    page.locator("aside.deliver a").wait_for()
    page.screenshot(path=TARGET / "deliver.png")
    page.goto(server.address)
    page.locator("button.shot", has_text="Night arrival").click()
    page.get_by_role("slider", name="Frame").press("End")
    helper.at_rest(page)
    page.screenshot(path=TARGET / "arrival.png")


def _all_drawn(page: Page) -> None:
    """Wait for every picture of the page, those of style sheets too."""
    addresses = "[...document.querySelectorAll('.small')].map((e) => getComputedStyle(e).backgroundImage.slice(5, -2))"
    load = "(a) => { const i = new Image(); i.src = a; return i.decode().catch(() => 0) }"
    page.evaluate(f"Promise.all([...new Set([...[...document.images].map((i) => i.src), ...{addresses}])].map({load}))")


if __name__ == "__main__":
    main()
