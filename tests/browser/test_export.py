"""Export: presets of one's own; a sequence with a broken frame, killed, resumed; a break-down; the bits of Python."""

import re
from pathlib import Path

import numpy as np
from playwright.sync_api import Locator, expect

import escala
from tests.browser.running import BrowserTest
from tests.fixtures import add_up, light, read_colour, write_layers

KEY, FILL = light(5, 90, 160), light(6, 90, 160)

KEEP = """(preset) => fetch('/api/delivery-presets', {method: 'PUT', body: JSON.stringify(preset),
    headers: {'Content-Type': 'application/json'}}).then((answer) => answer.status)"""


class ExportTest(BrowserTest):
    alone = True

    def setUp(self) -> None:
        super().setUp()
        for number in range(1, 7):
            passes = {"": add_up(KEY * number, FILL), "lg_beacon": KEY * number, "lg_cabin": FILL}
            write_layers(self.media / f"arrival.{number:04d}.exr", passes)
        self.open_file(self.page, self.media / "arrival.####.exr")

    def opened(self) -> Locator:
        self.page.get_by_role("button", name="Export", exact=True).click()
        panel = self.page.get_by_role("complementary", name="Export")
        expect(panel.get_by_role("button", name=re.compile(r"^Export \d+ files?$"))).to_be_enabled()
        return panel

    def begin(self, panel: Locator) -> Locator:
        panel.get_by_role("button", name=re.compile(r"^Export \d+ files?$")).click()
        return panel.get_by_role("article").first

    def test_a_broken_frame_is_named_and_written_again_after_a_kill(self) -> None:
        broken = self.media / "arrival.0004.exr"
        whole = broken.read_bytes()
        broken.write_bytes(whole[: len(whole) // 2])
        panel = self.opened()
        expect(panel.get_by_role("region", name="Before writing")).to_contain_text("All 6 frames are there.")
        panel.get_by_label("Workers").fill("2")
        delivery = self.begin(panel)
        expect(delivery).to_contain_text("1 of 6 failed")
        expect(delivery).to_contain_text("arrival.0004.exr")
        expect(delivery.get_by_role("img")).to_have_attribute("aria-label", "5 of 6 frames written, 1 failed")
        self.server.kill()
        self.server.start("demo", "--media", str(self.media))
        broken.write_bytes(whole)
        self.page.reload()
        self.at_rest(self.page)
        panel = self.opened()
        panel.get_by_role("button", name="Write again").click()
        delivery = panel.get_by_role("article").first
        expect(delivery).to_contain_text("Done, 6 frames")
        delivery.locator("summary").click()
        folder = Path(delivery.get_by_text("Folder: ").inner_text().removeprefix("Folder: "))
        for number in range(1, 7):
            expected = add_up(KEY * number, FILL)
            np.testing.assert_array_equal(read_colour(folder / f"arrival_Variant_1.{number:04d}.exr"), expected)

    def test_a_preset_of_ones_own_and_the_bits_of_python(self) -> None:
        page = self.page
        self.go(page, "Balance")
        page.get_by_role("button", name="Beacon").first.click()
        self.type_level(page, "Level", "-2")
        panel = self.opened()
        panel.get_by_role("button", name="Edit").first.click()
        panel.get_by_role("combobox", name="Colour").click()
        page.get_by_role("option", name="ACEScg", exact=True).click()
        panel.get_by_label("File names").fill("{shot}_own.{frame}")
        panel.get_by_label("File names").press("Tab")
        panel.get_by_label("Preset name").fill("Studio delivery")
        panel.get_by_role("button", name="Save preset").click()
        row = panel.get_by_role("listitem").filter(has_text="Studio delivery")
        expect(row).to_contain_text("The result as EXR half, ZIP in ACEScg")
        expect(row.get_by_role("checkbox")).to_be_checked()
        panel.get_by_role("textbox", name="Frames").fill("2-3")
        delivery = self.begin(panel)
        expect(delivery).to_contain_text("Done, 2 frames")
        link = delivery.get_by_role("link", name="arrival_own.0003.exr")
        with page.expect_download() as download:
            link.click()
        with escala.open(self.media / "arrival.####.exr") as shot:
            look = shot.variant({"balance": {"lights": {"beacon": {"stops": -2}}}})
            file = {"what": "result", "format": "exr", "space": "ACEScg", "pixel_type": "half", "names": "{frame}"}
            look.deliver({"escala": "delivery", "files": [file]}, self.media / "python")
        ours = read_colour(self.media / "python" / "0003.exr")
        np.testing.assert_array_equal(read_colour(Path(download.value.path())), ours)
        panel.get_by_role("button", name="Edit").last.click()
        panel.get_by_role("button", name="Remove preset").click()
        expect(row).to_have_count(0)

    def test_clipped_pixels_are_shown(self) -> None:
        page = self.page
        self.go(page, "Balance")
        page.get_by_role("button", name="Beacon").first.click()
        self.type_level(page, "Level", "6")
        preset = {"name": "Linear PNG", "files": [{"what": "result", "format": "png", "space": "ACEScg"}]}
        kept = page.evaluate(KEEP, preset)
        self.assertEqual(kept, 200)
        panel = self.opened()
        panel.get_by_role("listitem").filter(has_text="Linear PNG").get_by_role("checkbox").check()
        show = panel.get_by_role("button", name="Show clipped pixels")
        self.assertTrue(show.evaluate("(button) => button.scrollWidth <= button.clientWidth"), "its words fit")
        before = self.mean_colour(page)
        show.click()
        expect(show).to_have_attribute("aria-pressed", "true")
        self.assertNotEqual(self.mean_colour(page), before)

    def test_a_breakdown_is_made(self) -> None:
        panel = self.opened()
        panel.get_by_role("checkbox").first.uncheck()
        panel.get_by_role("listitem").filter(has_text="A break-down").get_by_role("checkbox").check()
        delivery = self.begin(panel)
        expect(delivery).to_contain_text("Done")
        expect(delivery.get_by_role("link", name="arrival_Variant_1_breakdown.webm")).to_be_visible()
        panel.get_by_role("textbox", name="Frames").fill("99")
        expect(panel).to_contain_text("No such frames")
        expect(panel.get_by_role("button", name="Export", exact=True)).to_be_disabled()
