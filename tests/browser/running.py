"""A real server in a process of its own, and a real browser on it."""

import atexit
import fcntl
import json
import multiprocessing
import os
import re
import shutil
import sys
import tempfile
import unittest
import urllib.request
from contextlib import suppress
from dataclasses import replace
from functools import cache
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from multiprocessing.util import Finalize
from pathlib import Path
from typing import Any, ClassVar

from playwright.sync_api import (
    Browser,
    BrowserContext,
    Error,
    Locator,
    Page,
    Response,
    expect,
    sync_playwright,
)

from escala.cli import main
from escala.stage.render import StageJob, render_frame
from escala.stage.skies import write_skies
from escala.web.demo import ARRIVAL, FINISHED, NEAR, STILL, DemoRender
from tests.runner import SHARED_FOLDER

# Without a screen it takes a third less time than with one that nobody sees.
CHROMIUM = shutil.which("chromium-headless-shell") or shutil.which("chromium") or "/usr/bin/chromium"
FLAGS = (
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
)  # fmt: skip
PATIENCE_MS = int(os.environ.get("ESCALA_TEST_PATIENCE_MS", "60000"))
# A machine that others use too takes its time.
expect.set_options(timeout=PATIENCE_MS)
AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
SMALL_DEMO = StageJob(320, 180, 4)
SMALL_ARRIVAL = StageJob(160, 90, 1)


@cache
def finished_demo(job: StageJob) -> Path:
    """The demo's renders, small, as if they had been finished before; made once for all processes of a run."""
    shared = os.environ.get(SHARED_FOLDER)
    if shared is None:
        shared = tempfile.mkdtemp(prefix="escala-demo-")
        atexit.register(shutil.rmtree, shared, ignore_errors=True)
    folder = Path(shared) / f"demo-{job.width}x{job.height}"
    folder.mkdir(exist_ok=True)
    parts = {
        STILL: (job, (12,)),
        NEAR: (replace(job, layer="near"), (12,)),
        ARRIVAL: (SMALL_ARRIVAL, (7, 8, 10)),
    }
    # What another process makes meanwhile is waited for only once nothing else is left to make.
    for how in (fcntl.LOCK_NB, 0):
        for demo, (render, frames) in parts.items():
            with open(folder / f"{demo.folder or 'still'}.lock", "w") as lock, suppress(BlockingIOError):
                fcntl.flock(lock, fcntl.LOCK_EX | how)
                render_demo(demo, folder / demo.folder, render, frames)
    return folder


def render_demo(demo: DemoRender, place: Path, job: StageJob, frames: tuple[int, ...]) -> None:
    """One of the demo's renders, unless it is finished; the first one comes with the skies beside it."""
    if (place / FINISHED).exists():
        return
    place.mkdir(exist_ok=True)
    if demo is STILL:
        write_skies(place / "plates")
    for frame in frames:
        render_frame(job, frame, place / f"{demo.source.split('.')[0]}.{frame:04d}.exr")
    (place / FINISHED).touch()


# Servers are forked from a process that has imported their modules, which takes longer than most of what tests do.
FORKS = multiprocessing.get_context("forkserver")
FORKS.set_forkserver_preload(["escala.web.server", "numba"])


def run_command(arguments: list[str], output: Connection, environment: dict[str, str]) -> None:
    """A command of Escala in this process, which prints into `output`."""
    os.environ.clear()
    os.environ.update(environment)
    os.dup2(output.fileno(), 1)
    sys.stdout = os.fdopen(1, "w", buffering=1)
    main(arguments)


class RunningServer:
    """`escala demo` on a home of its own, whose demo is a small finished render."""

    def __init__(self, home: Path, job: StageJob | None) -> None:
        self.home = home
        # The system gives a port at the first start, so that no two servers want the same; later starts keep it.
        self.port, self.address = 0, ""
        self.process: BaseProcess | None = None
        self.printed: Connection | None = None
        Finalize(None, self.kill, exitpriority=1)  # before children are waited for, whatever became of the test
        if job and not (home / "demo" / FINISHED).exists():
            shutil.copytree(
                finished_demo(job), home / "demo", dirs_exist_ok=True, ignore=shutil.ignore_patterns("*.lock")
            )

    def start(self, command: str = "demo", *options: str) -> None:
        """Start, and wait until it says that it is ready."""
        arguments = [command, "--home", str(self.home), "--port", str(self.port), *options]
        self.printed, output = FORKS.Pipe(duplex=False)  # kept open: the server may print more
        self.process = FORKS.Process(target=run_command, args=(arguments, output, dict(os.environ)))
        self.process.start()
        output.close()
        with open(self.printed.fileno(), closefd=False) as lines:
            line = lines.readline()
        found = re.search(r"ready: open (http://[\d.]+:(\d+))", line)
        if not found:
            raise RuntimeError(f"the server did not start: {line!r}")
        self.address, self.port = found[1], int(found[2])
        while command == "demo" and not self.shots():
            if not self.process.is_alive():
                raise RuntimeError("the server ended")

    def shots(self) -> list[Any]:
        """The shots that the server has by now."""
        with urllib.request.urlopen(f"{self.address}/api/shots", timeout=30) as answer:
            return list(json.load(answer)["shots"])

    def kill(self) -> None:
        """End it at once, as a power cut would."""
        if self.process:
            self.process.kill()
            self.process.join()
            self.process = None


TWO_FRAMES = "() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))"
SETTLED = """() => document.querySelector('canvas[data-settled=true]')
    && !document.querySelector('.saved')?.textContent.includes('Saving')"""
# The picture's canvas as `c`, and a copy of what it shows to read pixels from as `t`.
COPY = """const c = document.querySelector('canvas');
    const t = new OffscreenCanvas(c.width, c.height).getContext('2d'); t.drawImage(c, 0, 0);"""
PIXELS = f"""(places) => {{ {COPY}
    return places.map(([x, y]) => [...t.getImageData(c.width * x, c.height * y, 1, 1).data].slice(0, 3)) }}"""
MEAN_COLOUR = f"""() => {{ {COPY}
    const d = t.getImageData(c.width*.2, c.height*.1, c.width*.6, c.height*.8).data;
    const s = [0, 0, 0]; for (let i = 0; i < d.length; i += 4) for (let k = 0; k < 3; k++) s[k] += d[i + k];
    return s.map((v) => v / (d.length / 4)) }}"""


@cache
def the_browser() -> Browser:
    """The one browser of a run."""
    playwright = sync_playwright().start()
    atexit.register(playwright.stop)
    browser = playwright.chromium.launch(executable_path=CHROMIUM, args=list(FLAGS))
    atexit.register(browser.close)
    return browser


@cache
def the_context() -> BrowserContext:
    """What pages of a run share: what they loaded before, so that each opens at once."""
    return the_browser().new_context(viewport={"width": 1280, "height": 800})


def print_refused(answer: Response) -> None:
    """Say which requests are refused: where that was not expected, a test fails for it later."""
    if answer.status >= 400:
        print(answer.status, answer.request.method, answer.url, (answer.request.post_data or "")[:1000], flush=True)


# The page that no test uses just now: what a page has loaded once, it has compiled.
FREE: list[Page] = []


def new_page() -> Page:
    """A page that no test has used."""
    page = the_context().new_page()
    page.set_default_timeout(PATIENCE_MS)
    page.on("response", print_refused)
    return page


def set_free(page: Page, server: "RunningServer") -> None:
    """Leave a page as a fresh one is, for the next test; a second one, or one that cannot be left so, is closed."""
    if FREE:
        return page.close()
    try:
        page.unroute_all(behavior="ignoreErrors")
        page.mouse.move(0, 0)
        page.goto(f"{server.address}/mark.svg")
        page.evaluate("() => { localStorage.clear(); sessionStorage.clear() }")
        page.bring_to_front()  # others are painted once a second
        FREE.append(page)
    except Error:
        page.close()


def started_server(folder: Path) -> RunningServer:
    """A server with the small demo, whose media lie in `folder`/media."""
    (folder / "media").mkdir()
    server = RunningServer(folder / "home", SMALL_DEMO)
    server.start("demo", "--media", str(folder / "media"))
    return server


@cache
def the_server() -> RunningServer:
    """The one server of all tests that do nothing to it but use it."""
    folder = tempfile.TemporaryDirectory(prefix="escala-browser-")
    atexit.register(folder.cleanup)
    return started_server(Path(folder.name))


class BrowserTest(unittest.TestCase):
    """Tests that share a server and a browser; each has a page of its own."""

    # Whether the tests of a class need a server that others do not use.
    alone: ClassVar[bool] = False
    server: ClassVar[RunningServer]
    media: ClassVar[Path]

    @classmethod
    def setUpClass(cls) -> None:
        # A reader of a server that was killed may still write its last frame.
        cls._folder = tempfile.TemporaryDirectory(prefix="escala-browser-", ignore_cleanup_errors=True)
        cls.addClassCleanup(cls._folder.cleanup)
        cls.server = started_server(Path(cls._folder.name)) if cls.alone else the_server()
        if cls.alone:
            cls.addClassCleanup(lambda: cls.server.kill())
        cls.media = cls.server.home.parent / "media"

    def setUp(self) -> None:
        self.page = self.open_page()

    def open_page(self) -> Page:
        """A fresh page on the first shot's first picture; errors of the page fail the test."""
        page = FREE.pop() if FREE else new_page()
        errors: list[str] = []

        def note(error: Error) -> None:
            errors.append(str(error))

        page.on("pageerror", note)
        self.addCleanup(set_free, page, self.server)
        self.addCleanup(page.remove_listener, "pageerror", note)
        self.addCleanup(lambda: self.assertEqual(errors, []))
        page.goto(self.server.address + self.address())
        return page

    def address(self) -> str:
        """The address at which pages are opened: the start page."""
        return "/"

    def api(self, path: str, body: Any = None, method: str | None = None) -> Any:
        """What the server answers to a request."""
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(
            self.server.address + path, data, {"Content-Type": "application/json"}, method=method
        )
        with urllib.request.urlopen(request, timeout=PATIENCE_MS / 1000) as answer:
            return json.loads(answer.read() or "null")

    def enter_demo(self, page: Page) -> None:
        """From the start page into the demo shot, at rest."""
        page.locator("canvas, button.shot").first.wait_for()
        if page.locator("canvas").count() == 0:
            page.get_by_role("button", name="Night quay").click()
        self.at_rest(page)

    def open_file(self, page: Page, file: Path) -> None:
        """From the start page into a new shot of a file under a media root."""
        if page.get_by_role("textbox", name="Path").count() == 0:
            page.goto(self.server.address)
        page.get_by_role("textbox", name="Path").fill(str(file))
        page.get_by_role("button", name="Open", exact=True).click()
        page.locator("canvas").wait_for()
        self.at_rest(page)

    def go(self, page: Page, station: str) -> None:
        """To a station of the path."""
        page.get_by_role("navigation", name="Path").get_by_role("button", name=station).click()

    def light_head(self, page: Page, name: str) -> Locator:
        return page.get_by_role("rowheader").get_by_role("button", name=re.compile(f"^{name}"))

    def type_level(self, page: Page, label: str, text: str) -> None:
        field = page.get_by_role("textbox", name=f"{label}, number")
        field.fill(text)
        field.press("Enter")
        self.at_rest(page)

    def at_rest(self, page: Page) -> None:
        """Wait until the exact picture of the newest state is on the screen and everything is kept."""
        page.evaluate(TWO_FRAMES)
        page.wait_for_function(SETTLED)
        page.evaluate(TWO_FRAMES)  # the picture is drawn by a thread of its own, and shown with the next frame

    def pixel(self, page: Page, x: float, y: float) -> list[int]:
        """The colour of the picture at rest, at shares of the canvas's width and height."""
        return self.pixels_at_rest(page, [(x, y)])[0]

    def pixels_at_rest(self, page: Page, places: list[tuple[float, float]]) -> list[list[int]]:
        """Colours of the picture at rest, at shares of the canvas's width and height."""
        found: list[list[int]] = self._read_at_rest(page, PIXELS, places)
        return found

    def pixels(self, page: Page, places: list[tuple[float, float]]) -> list[list[int]]:
        """Colours of the canvas just now, at shares of its width and height."""
        found: list[list[int]] = page.evaluate(PIXELS, places)
        return found

    def mean_colour(self, page: Page) -> list[float]:
        """The mean colour of the middle of the canvas, once the picture is at rest."""
        return [float(value) for value in self._read_at_rest(page, MEAN_COLOUR)]

    def mean_colour_now(self, page: Page) -> list[float]:
        """The mean colour of what is on the screen just now, while something is dragged."""
        return [float(value) for value in page.evaluate(MEAN_COLOUR)]

    def _read_at_rest(self, page: Page, script: str, argument: Any = None) -> Any:
        """What a script reads from the canvas while the picture is at rest: a late event may have it drawn again."""
        self.at_rest(page)
        at_rest = f"(argument) => ({SETTLED})() && ({script})(argument)"
        return page.wait_for_function(at_rest, arg=argument).json_value()

    def assert_accessible(self, page: Page, view: str) -> None:
        """No serious finding in what the page shows."""
        with self.subTest(view=view):
            if not page.evaluate("'axe' in window"):
                page.evaluate(f"() => {{ {AXE.read_text()} }}")
            found = page.evaluate("axe.run(document, {resultTypes: ['violations'], reporter: 'no-passes'})")
            bad = [
                f"{v['id']}: {v['nodes'][0]['html'][:160]}"
                for v in found["violations"]
                if v["impact"] in ("serious", "critical")
            ]
            self.assertEqual(bad, [])


# The name of the variant that each test of the demo's still has for itself.
FRESH = "Fresh"


class DemoTest(BrowserTest):
    """Tests on a variant of the demo's still that is fresh for each; what they make beside it is deleted after them."""

    variant: int

    def setUp(self) -> None:
        self.shot = next(shot["id"] for shot in self.server.shots() if shot["name"] == STILL.name)
        before = self.variants()
        self.variant = self.api(f"/api/shots/{self.shot}/variants", {"name": FRESH})["id"]
        self.addCleanup(self.delete_variants_but, before)
        super().setUp()
        self.at_rest(self.page)

    def address(self) -> str:
        return f"/shots/{self.shot}/{self.variant}"

    def variants(self) -> set[int]:
        """The ids of the variants of the shot."""
        return {variant["id"] for variant in self.api(f"/api/shots/{self.shot}")["variants"]}

    def delete_variants_but(self, kept: set[int]) -> None:
        for variant in self.variants() - kept:
            self.api(f"/api/variants/{variant}", method="DELETE")
