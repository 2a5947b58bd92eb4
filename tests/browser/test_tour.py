"""The tasks that the demo invites, in the browser on the real application."""

import json
import re
import urllib.request
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.running import BrowserTest, RunningServer
from tests.engine.fixture_shot import one_axis_passes
from tests.fixtures import read_colour, write_layers


class TourTest(BrowserTest):
    def fresh_variant(self, page: Page) -> None:
        before = page.url
        page.get_by_role("button", name="Variants").click()
        page.get_by_role("menuitem", name="New variant").click()
        page.wait_for_function("(before) => location.href !== before", arg=before)
        self.at_rest(page)

    def test_beacon_down_cabin_warmer_undo_compare_export_reload(self) -> None:
        page = self.page
        self.enter_demo(page)
        self.fresh_variant(page)
        untouched = self.mean_colour(page)

        self.light_head(page, "Beacon").click()
        self.type_level(page, "Level", "-2")
        dimmed = self.mean_colour(page)
        self.assertLess(sum(dimmed), sum(untouched) - 0.5)
        expect(page.get_by_role("navigation", name="Path")).to_contain_text("1 level")

        self.light_head(page, "Cabin").click()
        self.type_level(page, "Temperature", "3000")
        warm = self.mean_colour(page)
        self.assertGreater(warm[0] - warm[2], dimmed[0] - dimmed[2])

        page.get_by_role("button", name="hold this state").click()
        page.get_by_role("button", name="Undo").click()
        np.testing.assert_allclose(self.mean_colour(page), dimmed, atol=0.6)
        page.get_by_role("button", name="Held", exact=True).click()
        self.wait_for_colour(page, warm)
        page.get_by_role("button", name="Current", exact=True).click()
        page.get_by_role("button", name="Redo").click()
        self.at_rest(page)

        page.get_by_role("button", name="Export").click()
        page.get_by_role("complementary", name="Export").get_by_role("button", name="Export").click()
        with page.expect_download() as download:
            page.get_by_role("link", name=re.compile(r"\.exr$")).click()
        delivered = read_colour(Path(download.value.path()))
        beauty = read_colour(self.server.home / "demo" / "night_quay.0012.exr")
        self.assertEqual(delivered.shape, beauty.shape)
        self.assertLess(float(delivered[1].mean()), float(beauty[1].mean()))

        before = self.mean_colour(page)
        page.reload()
        self.at_rest(page)
        expect(page.get_by_role("navigation", name="Path")).to_contain_text("2 levels")
        np.testing.assert_allclose(self.mean_colour(page), before, atol=0.6)
        self.assertIn("−2.00", self.light_head(page, "Beacon").inner_text())

    def wait_while_held(self, page: Page, before: list[float]) -> None:
        """Until the picture has grown darker, with the hand still on the light."""
        for _ in range(300):
            if sum(self.mean_colour_now(page)) < sum(before) - 1:
                return
            page.wait_for_timeout(100)
        self.fail("the picture does not follow the hand")

    def wait_for_colour(self, page: Page, wanted: list[float], slack: float = 1.0) -> None:
        """Until the picture has a mean colour; with what lies under it it may be a little larger or smaller."""
        for _ in range(300):
            if np.allclose(self.mean_colour(page), wanted, atol=slack):
                return
            page.wait_for_timeout(100)
        np.testing.assert_allclose(self.mean_colour(page), wanted, atol=slack)

    def test_dragging_on_the_board_is_live_and_one_undo(self) -> None:
        page = self.page
        self.enter_demo(page)
        self.fresh_variant(page)
        head = self.light_head(page, "Quay lamps")
        box = head.bounding_box()
        assert box
        before = self.mean_colour(page)
        page.mouse.move(box["x"] + 60, box["y"] + 12)
        page.mouse.down()
        for step in range(1, 13):
            page.mouse.move(box["x"] + 60 - 12 * step, box["y"] + 12)
        page.wait_for_function("document.querySelector('canvas').dataset.settled === 'false'")
        self.wait_while_held(page, before)
        expect(page.get_by_role("contentinfo")).to_contain_text("Preview")
        expect(head).to_contain_text("−3.00")
        page.mouse.up()
        self.at_rest(page)
        self.assertIn("−3.00", head.inner_text())
        self.assertLess(sum(self.mean_colour(page)), sum(before) - 1)
        page.get_by_role("button", name="Undo").click()
        np.testing.assert_allclose(self.mean_colour(page), before, atol=0.6)
        expect(page.get_by_role("button", name="Undo")).to_be_disabled()

    def test_the_ruler_is_a_slider_for_keyboard_and_screen_reader(self) -> None:
        page = self.page
        self.enter_demo(page)
        self.fresh_variant(page)
        slider = page.get_by_role("slider", name="Level")
        slider.focus()
        slider.press("ArrowUp")
        expect(slider).to_have_attribute("aria-valuetext", "+0.33 stops")
        slider.press("Shift+ArrowDown")
        expect(slider).to_have_attribute("aria-valuetext", "+0.30 stops")
        slider.press("Home")
        expect(slider).to_have_attribute("aria-valuetext", "0 stops")

    def test_alone_shows_one_light_and_off_none_of_it(self) -> None:
        page = self.page
        self.enter_demo(page)
        self.fresh_variant(page)
        whole = self.mean_colour(page)
        self.light_head(page, "Sky").click()
        page.get_by_role("button", name="Solo", exact=True).click()
        sky = self.mean_colour(page)
        self.assertGreater(sky[2], sky[0] * 1.5)
        page.get_by_role("button", name="Solo", exact=True).click()
        page.get_by_role("button", name="Mute", exact=True).click()
        self.assertLess(self.mean_colour(page)[2], whole[2])

    def test_the_pin_reports_what_a_place_is_made_of(self) -> None:
        page = self.page
        self.enter_demo(page)
        page.locator("canvas").click(position={"x": 462, "y": 120})
        panel = page.get_by_role("region", name="Probe")
        expect(panel).to_contain_text("Scene-linear")
        panel.get_by_text("Details").click()
        shares = [float(text) for text in re.findall(r"([\d.]+)%", panel.inner_text())]
        self.assertGreaterEqual(len(shares), 5)
        page.locator("canvas").press("ArrowRight")

    def test_viewer_exposure_is_plainly_marked_and_never_kept(self) -> None:
        page = self.page
        self.enter_demo(page)
        before = self.mean_colour(page)
        page.get_by_role("button", name="Viewer settings").click()
        field = page.get_by_role("textbox", name="Viewer exposure, number")
        field.fill("2")
        field.press("Enter")
        self.assertGreater(sum(self.mean_colour(page)), sum(before) + 10)
        expect(page.get_by_role("button", name="Viewer: +2.00 stops")).to_be_visible()
        page.get_by_role("combobox", name="Show").click()
        page.get_by_role("option", name="Stops (false colour)").click()
        expect(page.get_by_role("list", name="Stops (0 = 0.18)").get_by_role("listitem")).to_have_count(17)
        page.get_by_role("complementary", name="Viewer settings").get_by_role("button", name="Reset").click()
        np.testing.assert_allclose(self.mean_colour(page), before, atol=0.6)
        expect(page.get_by_role("button", name="Undo")).to_have_count(1)

    def test_the_history_brings_any_state_back(self) -> None:
        page = self.page
        self.enter_demo(page)
        self.fresh_variant(page)
        untouched = self.mean_colour(page)
        self.light_head(page, "Moon").click()
        self.type_level(page, "Level", "-3")
        dimmed = self.mean_colour(page)
        self.assertLess(sum(dimmed), sum(untouched) - 8)
        page.get_by_role("button", name="History").click()
        history = page.get_by_role("complementary", name="History")
        expect(history.get_by_role("listitem")).to_have_count(2)
        history.get_by_role("listitem").nth(1).get_by_role("button", name="Compare").click()
        self.wait_for_colour(page, untouched)
        page.get_by_role("button", name="Current", exact=True).click()
        self.wait_for_colour(page, dimmed)
        history.get_by_role("listitem").nth(1).get_by_role("button", name="Restore").click()
        self.at_rest(page)
        self.wait_for_colour(page, untouched)
        expect(history.get_by_role("listitem").first).to_contain_text("Restored: As created")

    def test_zoom_to_the_pixel_and_back(self) -> None:
        page = self.page
        self.enter_demo(page)
        page.get_by_role("button", name="1:1").click()
        self.at_rest(page)
        expect(page.get_by_label("Zoom", exact=True)).to_have_text("100%")
        page.locator("canvas").dblclick()
        self.at_rest(page)
        expect(page.get_by_role("button", name="fit")).to_have_attribute("aria-pressed", "true")

    def test_tally_and_contact_sheet_and_finish(self) -> None:
        page = self.page
        self.enter_demo(page)
        self.fresh_variant(page)
        path = page.get_by_role("navigation", name="Path")
        path.get_by_role("button", name="Beauty").click()
        tally = page.get_by_role("region", name="Tally")
        expect(page.get_by_role("complementary", name="Beauty bench")).to_contain_text(
            re.compile(r"Matches\. Largest difference .*half-float rounding allows")
        )
        expect(tally).to_contain_text("Residual")
        path.get_by_role("button", name="Source").click()
        expect(page.get_by_role("region", name="Contact sheet")).to_contain_text("quay lamps · specular")
        page.get_by_role("searchbox", name="Find a pass").fill("depth")
        expect(page.get_by_role("region", name="Contact sheet")).to_contain_text("1 of")
        path.get_by_role("button", name="Finish").click()
        before = self.mean_colour(page)
        page.get_by_role("group", name="Kinds of correction").get_by_role("button", name="Exposure").click()
        self.type_level(page, "Exposure", "1")
        self.assertGreater(sum(self.mean_colour(page)), sum(before) + 3)
        expect(path).to_contain_text("exposure +1.00")

    def test_views_change_the_picture_and_the_chain_in_words(self) -> None:
        page = self.page
        self.enter_demo(page)
        self.fresh_variant(page)
        page.get_by_role("navigation", name="Path").get_by_role("button", name="Display").click()
        before = self.mean_colour(page)
        page.get_by_role("combobox", name="Colour config").click()
        page.get_by_role("option", name="ACES 1.3").click()
        self.at_rest(page)
        expect(page.get_by_label("Colour pipeline")).to_contain_text("ACES 1.0 - SDR Video")
        self.assertFalse(np.allclose(self.mean_colour(page), before, atol=0.5))

    def test_two_tabs_never_overwrite_each_other_in_silence(self) -> None:
        first = self.page
        self.enter_demo(first)
        self.fresh_variant(first)
        second = self.open_page()
        second.goto(first.url)
        self.at_rest(second)
        self.type_level(first, "Level", "1")
        slider = second.get_by_role("slider", name="Level")
        expect(slider).to_have_attribute("aria-valuetext", "+1.00 stops")

    def test_a_deleted_variant_is_restored_with_its_history(self) -> None:
        page = self.page
        self.enter_demo(page)
        self.fresh_variant(page)
        self.type_level(page, "Level", "-3")
        variants = page.get_by_role("group", name="Variants")
        count = variants.locator(".tab").count()
        page.get_by_role("button", name="Variants").click()
        page.get_by_role("menuitem", name="Delete variant").click()
        expect(variants.locator(".tab")).to_have_count(count - 1)
        self.at_rest(page)
        # Nothing is asked for of the variant that is gone.
        expect(page.get_by_role("alert")).to_be_empty()
        page.get_by_role("button", name="Variants").click()
        page.get_by_role("menuitem", name="Restore “New variant”").click()
        expect(variants.locator(".tab")).to_have_count(count)
        self.at_rest(page)
        expect(page.get_by_role("slider", name="Level")).to_have_attribute("aria-valuetext", "−3.00 stops")
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("slider", name="Level")).to_have_attribute("aria-valuetext", "0 stops")

    def test_a_render_is_imported_and_a_broken_one_explained(self) -> None:
        page = self.page
        folder = Path(self._folder.name)
        write_layers(folder / "street.exr", one_axis_passes())
        (folder / "broken.exr").write_text("hello")
        page.locator("input[type=file]").set_input_files(folder / "broken.exr")
        expect(page.get_by_role("alert")).to_contain_text("broken.exr: not an OpenEXR file")
        page.locator("input[type=file]").set_input_files(folder / "street.exr")
        self.at_rest(page)
        board = page.get_by_role("region", name="Board")
        expect(board).to_contain_text("Lights")
        expect(board).to_contain_text("Components")
        # The address names the shot, so that it can be opened again.
        expect(page).to_have_url(re.compile(r"/shots/\d+/\d+/balance$"))
        page.reload()
        self.at_rest(page)
        expect(board).to_contain_text("Lights")
        page.get_by_role("button", name="Escala").click()
        page.get_by_role("button", name="Street").first.wait_for()

    def test_no_serious_finding_of_accessibility(self) -> None:
        page = self.page
        page.locator("button.shot").first.wait_for()
        self.assert_accessible(page, "start")
        self.enter_demo(page)
        page.keyboard.press("k")
        for theme in ("dark", "light"):
            for station in ("Source", "Surface", "Balance", "Beauty", "Depth", "Lens", "Finish", "Display"):
                page.get_by_role("navigation", name="Path").get_by_role("button", name=station).click()
                self.at_rest(page)
                self.assert_accessible(page, f"{theme} {station}")
            for opened in ("History", "Export", "Notes", "Keyboard shortcuts", "Viewer settings", "Mattes"):
                with self.subTest(opened=opened):
                    page.get_by_role("button", name=opened).click()
                    self.assert_accessible(page, f"{theme} {opened}")
                    page.get_by_role("button", name="Close", exact=True).click(timeout=5000)
            if theme == "dark":
                page.get_by_role("button", name="Light theme").click()


class KilledServerTest(BrowserTest):
    alone = True

    def test_nothing_acknowledged_is_lost(self) -> None:
        def call(path: str, body: object = None) -> dict:
            data = None if body is None else json.dumps(body).encode()
            request = urllib.request.Request(self.server.address + path, data, {"Content-Type": "application/json"})
            with urllib.request.urlopen(request, timeout=30) as answer:
                return json.load(answer)

        self.enter_demo(self.page)
        for number in range(3):
            patch = [{"op": "add", "path": "/balance/lights/beacon", "value": {"stops": -number - 1}}]
            call("/api/variants/1/edits", {"base": number, "patch": patch, "label": "beacon"})
            self.server.kill()
            self.server.start()
            state = call("/api/variants/1")
            self.assertEqual(state["head"], number + 1)
            self.assertEqual(state["document"]["balance"]["lights"]["beacon"]["stops"], -number - 1)


class ServerStartTest(BrowserTest):
    def test_a_port_in_use_is_reported_in_one_line(self) -> None:
        other = RunningServer(Path(self._folder.name) / "other", None)
        other.port = self.server.port
        with self.assertRaises(RuntimeError):
            other.start("serve")
        other.kill()
