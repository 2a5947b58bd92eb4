"""Takes the pictures of docs/screenshots from the demo: `python -m tests.browser.screenshots` (make screenshots).

Run `make demo` once before, so that the demo's render is finished; its files are copied.
"""

import re
import shutil
import sys
import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect, sync_playwright

from escala.media.configs import SOFT, colour_config
from escala.media.stills import encode_png
from escala.stage.render import StageJob
from escala.web.settings import default_home
from tests.browser.running import CHROMIUM, FLAGS, BrowserTest, RunningServer, print_refused

TARGET = Path(__file__).parents[2] / "docs" / "screenshots"
# Stations, and words that are there once a station has what it shows.
STATIONS = {
    "Source": "of 57 passes",
    "Beauty": "Matches.",
    "Finish": "Add look or named transform",
    "Display": "Working space",
}


def main() -> None:
    """One picture of each main view at 1280 × 800."""
    TARGET.mkdir(parents=True, exist_ok=True)
    write_ramps(TARGET.parent / "manual" / "soft-ramps.png")
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
    page.on("response", print_refused)
    page.goto(server.address)
    page.evaluate("localStorage.setItem('escala-hints', '[\"all\"]')")
    page.reload()
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
    page.get_by_role("region", name="Probe").get_by_text("Scene-linear").wait_for()
    helper.at_rest(page)
    _all_drawn(page)
    page.screenshot(path=TARGET / "balance.png")
    page.get_by_role("button", name="Manual", exact=True).click()
    page.get_by_role("heading", name="Balance", level=1).wait_for()
    helper.at_rest(page)
    _all_drawn(page)
    page.screenshot(path=TARGET / "manual.png")
    page.get_by_role("button", name="Manual", exact=True).click()
    for station, words in STATIONS.items():
        page.get_by_role("navigation", name="Path").get_by_role("button", name=station).click()
        page.mouse.move(640, 300)
        page.get_by_text(words).first.wait_for()
        helper.at_rest(page)
        if station == "Beauty":
            expect(page.locator(".lines .small").first).to_have_css("background-image", re.compile("tally"))
        _all_drawn(page)
        page.screenshot(path=TARGET / f"{station.lower()}.png")
    _through_a_camera(page, helper)
    _on_the_plate(page, helper)
    _recolour(page, helper)
    _compare(page, helper)
    page.get_by_role("button", name="History").click()
    page.get_by_role("complementary", name="History").get_by_text("As created").wait_for()
    _all_drawn(page)
    page.screenshot(path=TARGET / "history.png")
    page.get_by_role("complementary", name="History").get_by_role("button", name="Close").click()
    page.get_by_role("button", name="Export").click()
    page.get_by_role("complementary", name="Export").get_by_role("button", name="Export").click()
    page.locator("aside.deliver a").first.wait_for()
    page.screenshot(path=TARGET / "export.png")
    page.on("response", print_refused)
    page.goto(server.address)
    page.locator("button.shot", has_text="Night arrival").click()
    page.get_by_role("button", name="Beacon in time").click()
    helper.go(page, "Balance")
    page.get_by_role("button", name="Over time", exact=True).click()
    page.get_by_role("region", name="Lanes").get_by_role("button", name="Beacon, level").click()
    page.get_by_role("slider", name="Frame").press("End")
    helper.at_rest(page)
    _all_drawn(page)
    page.screenshot(path=TARGET / "arrival.png")
    page.get_by_role("button", name="Over time", exact=True).click()
    _moods(page, helper, server)
    _share(page, server)


SHARED = """async () => {
    const send = (to, body) => fetch(to, {method: 'POST', body: JSON.stringify(body),
        headers: {'Content-Type': 'application/json'}}).then((answer) => answer.json())
    const shot = await (await fetch('/api/shots/1')).json()
    const [first, second] = shot.variants.map((variant) => variant.id)
    const text = 'Calmer here: the reflection of the beacon draws the eye away from the hull.'
    const note = await send('/api/notes', {variant: first, text, author: 'Client', place: [430, 480]})
    await send(`/api/notes/${note.id}/answers`, {text: 'Two stops down; compare with the first.', author: 'Lighting'})
    return (await send('/api/shares', {variants: [first, second], name: 'Night quay, review'})).path }"""


def _share(page: Page, server: RunningServer) -> None:
    """The page of a share, with a note, one variant wiped against another."""
    page.goto(f"{server.address}{page.evaluate(SHARED)}")
    page.get_by_label("Compare").select_option(index=2)
    expect(page.locator(".image img")).to_have_count(2)
    page.wait_for_timeout(2500)
    page.screenshot(path=TARGET / "share.png")


MOODS = {
    "Warm cabin": {"balance": {"lights": {"cabin": {"stops": 0.7, "kelvin": 3000}, "beacon": {"stops": -2}}}},
    "Deep mist": {"balance": {"components": {"volume": {"stops": 2.5}}}, "lens": {"glow": {"on": True}}},
    "Moonlit": {"balance": {"lights": {"moon": {"stops": 1}, "quay_lamps": {"stops": -4}, "cabin": {"stops": -1}}}},
}
ADD = """(moods) => Promise.all(Object.entries(moods).map(([name, document]) => fetch('/api/shots/1/variants',
    {method: 'POST', body: JSON.stringify({name, document}), headers: {'Content-Type': 'application/json'}})))"""


def _moods(page: Page, helper: BrowserTest, server: RunningServer) -> None:
    """Several variants of the still beside one another."""
    page.evaluate(ADD, MOODS)
    page.goto(f"{server.address}/shots/1")
    helper.at_rest(page)
    page.get_by_role("button", name="Variants").click()
    page.get_by_role("menuitem", name="Moods").click()
    expect(page.get_by_role("region", name="Moods").get_by_role("img")).to_have_count(4)
    _all_drawn(page)
    page.wait_for_timeout(1500)
    page.screenshot(path=TARGET / "moods.png")


def _on_the_plate(page: Page, helper: BrowserTest) -> None:
    """Another sky, mist at a distance and the ropes merged by depth; then as rendered again."""
    helper.go(page, "Plate")
    page.get_by_role("button", name="Mute environment").click()
    helper.at_rest(page)
    for name in ("dawn_sky.exr", "mist.exr", "Ropes and gulls"):
        page.get_by_role("button", name="Add a layer").click()
        page.get_by_role("button", name=name, exact=True).click()
        helper.at_rest(page)
    page.get_by_role("group", name="Layers, seen from above").get_by_role("button", name="mist.exr").click()
    page.get_by_role("button", name="At a distance").click()
    helper.at_rest(page)
    page.get_by_label("Operator").select_option("merge by depth")
    helper.at_rest(page)
    page.get_by_role("group", name="Layers, seen from above").get_by_text("at 20 units · merged").wait_for()
    _all_drawn(page)
    page.screenshot(path=TARGET / "plate.png")
    for _ in range(6):
        page.get_by_role("button", name="Undo").click()
        helper.at_rest(page)


def _through_a_camera(page: Page, helper: BrowserTest) -> None:
    """The lantern in focus and the harbour soft, then the lamps glowing; then as rendered again."""
    helper.go(page, "Depth")
    helper.at_rest(page)
    box = page.locator("canvas").first.bounding_box()
    assert box
    page.mouse.click(box["x"] + 0.372 * box["width"], box["y"] + 0.74 * box["height"])
    expect(page.get_by_role("textbox", name="Focus distance, number")).not_to_have_value("1.00")
    helper.type_level(page, "Blur radius at infinity", "11")
    page.mouse.move(box["x"] + 0.6 * box["width"], box["y"] + 0.42 * box["height"])
    expect(page.locator(".named")).to_contain_text("blur radius")
    page.screenshot(path=TARGET / "depth.png")
    helper.go(page, "Lens")
    page.get_by_role("button", name="Glow", exact=True).click()
    helper.type_level(page, "Amount", "0.6")
    page.get_by_role("switch", name="Vignette on").click()
    helper.at_rest(page)
    page.mouse.move(640, 780)
    page.screenshot(path=TARGET / "lens.png")
    for _ in range(4):
        page.get_by_role("button", name="Undo").click()
        helper.at_rest(page)
    helper.go(page, "Display")
    helper.at_rest(page)


def _recolour(page: Page, helper: BrowserTest) -> None:
    """The hull band in teal, another emblem on the sail, and the shelf; then as rendered again."""
    helper.go(page, "Surface")
    for button, names in (("Recolour", "hull_band"), ("Add label", "sail")):
        page.get_by_role("button", name=button).click()
        page.get_by_role("button", name="Matte: none").and_(page.locator("[aria-expanded=true]")).wait_for()
        page.get_by_text("Select a matte, or create one").wait_for()
        page.get_by_role("textbox", name="Names").fill(names)
        page.get_by_role("textbox", name="Names").press("Enter")
        expect(page.get_by_role("textbox", name="Matte name")).to_have_value(names)
        if button == "Recolour":
            helper.type_level(page, "Hue", "140")
    page.get_by_role("button", name="+ lighthouse.png").click()
    helper.at_rest(page)
    helper.type_level(page, "Size", "0.7")
    _all_drawn(page)
    page.mouse.move(640, 300)
    page.screenshot(path=TARGET / "mattes.png")
    page.get_by_role("button", name="Close", exact=True).click()
    helper.at_rest(page)
    page.screenshot(path=TARGET / "surface.png")
    for _ in range(7):
        page.get_by_role("button", name="Undo").click()
        helper.at_rest(page)
    helper.at_rest(page)
    helper.go(page, "Display")
    helper.at_rest(page)


def _compare(page: Page, helper: BrowserTest) -> None:
    """Two views side by side; then a wipe with pins and a scope."""
    page.get_by_role("button", name="Compare with").click()
    page.get_by_role("menuitem", name="Config Soft").click()
    helper.at_rest(page)
    page.screenshot(path=TARGET / "compare.png")
    page.get_by_role("navigation", name="Path").get_by_role("button", name="Balance").click()
    page.get_by_role("group", name="Compare mode").get_by_role("button", name="Wipe").click()
    page.get_by_label("Angle").fill("20")
    page.get_by_label("Angle").press("Enter")
    page.locator("canvas").click(position={"x": 250, "y": 110}, modifiers=["Shift"])
    page.get_by_role("region", name="Scope").get_by_label("Scope").select_option("parade")
    page.get_by_alt_text("parade of the image").wait_for()
    helper.at_rest(page)
    _all_drawn(page)
    page.screenshot(path=TARGET / "measure.png")
    page.get_by_role("button", name="Remove Soft").click()
    page.get_by_role("navigation", name="Path").get_by_role("button", name="Display").click()
    helper.at_rest(page)


def write_ramps(target: Path) -> None:
    """Ramps of twelve hues under the soft view, and under ACES 2 for comparison, from dark to very bright."""
    turn = np.arange(0, 1, 1 / 12)
    hues = np.clip(np.abs((turn[:, None] * 6 + [0, 4, 2]) % 6 - 3) - 1, 0, 1)
    light = 0.18 * 2.0 ** np.linspace(-5, 12, 960)
    rows = []
    for name in (SOFT, "ACES 2"):
        config = colour_config(name)
        scene = np.repeat(hues[:, None] * light[:, None], 24, axis=0).astype(np.float32)
        shown = config.display_packed(scene, "Linear Rec.709 (sRGB)", config.default_view)
        rows += [shown, np.full((16, 960, 3), 0.24, np.float32)]
    pixels = np.rint(np.clip(np.concatenate(rows[:-1]), 0, 1) * 255).astype(np.uint8)
    target.write_bytes(encode_png(pixels, 9))


def _all_drawn(page: Page) -> None:
    """Wait for every image of the page, those of style sheets too."""
    page.wait_for_function(
        "() => [...document.querySelectorAll('.kinds .small')].every((e) => e.style.backgroundImage.includes('blob'))"
    )
    addresses = "[...document.querySelectorAll('.small')].map((e) => getComputedStyle(e).backgroundImage.slice(5, -2))"
    load = "(a) => { const i = new Image(); i.src = a; return i.decode().catch(() => 0) }"
    page.evaluate(f"Promise.all([...new Set([...[...document.images].map((i) => i.src), ...{addresses}])].map({load}))")


if __name__ == "__main__":
    main()
