"""What somebody sees who never saw Escala: the first page, the passes, the first minute."""

import json
import re
import time

import numpy as np
from playwright.sync_api import expect

from tests.browser.running import TWO_FRAMES, BrowserTest
from tests.fixtures import add_up, light, write_layers

DIM, BRIGHT = light(4, 90, 160, 0.02), light(5, 90, 160)


class FirstPageTest(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.open_file(self.page, write_layers(self.media / "harbour wall.exr", {"": BRIGHT}))
        self.page.get_by_role("button", name="Escala").click()
        self.shots = self.page.get_by_role("region", name="Shots")
        self.card = self.shots.get_by_role("article").filter(has_text="Harbour wall").first

    def test_it_says_what_this_is_what_to_do_and_what_it_takes(self) -> None:
        main = self.page.get_by_role("main")
        expect(main).to_contain_text("Open a finished render split into passes")
        expect(main).to_contain_text("drag up or down in the image")
        expect(main).to_contain_text("OpenEXR (multi-channel or one file per pass)")
        expect(self.card).to_contain_text("160 × 90 · 1 pass · still")
        expect(self.card).to_contain_text("opened")

    def test_what_somebody_else_opens_appears_and_takes_nobody_along(self) -> None:
        file = write_layers(self.media / "breakwater.exr", {"": DIM})
        script = (
            """([url, body]) => fetch(url, { method: 'POST', body, headers: { 'Content-Type': 'application/json' } })"""
        )
        elsewhere = self.open_page()
        elsewhere.evaluate(script, ["/api/shots", json.dumps({"sources": [str(file)]})])
        expect(self.shots.get_by_role("article").filter(has_text="Breakwater")).to_have_count(1)
        self.page.evaluate(TWO_FRAMES)
        expect(self.card).to_be_visible()
        self.assertEqual(self.page.locator("canvas").count(), 0)

    def test_a_shot_is_renamed_archived_deleted_and_restored(self) -> None:
        self.card.get_by_role("button", name="Rename").click()
        field = self.shots.get_by_role("textbox", name="Shot name")
        field.fill("Sea wall")
        field.press("Enter")
        card = self.shots.get_by_role("article").filter(has_text="Sea wall")
        expect(card).to_have_count(1)
        card.get_by_role("button", name="Archive", exact=True).click()
        self.shots.get_by_text("1 archived shot").click()
        card.get_by_role("button", name="Unarchive").click()
        expect(self.shots.get_by_text("archived shot")).to_have_count(0)
        card.get_by_role("button", name="delete").click()
        expect(card).to_have_count(0)
        expect(self.shots).to_contain_text("Sea wall deleted. Source files are kept.")
        self.shots.get_by_role("button", name="Restore").click()
        expect(card).to_have_count(1)
        card.get_by_role("button", name="delete").click()
        expect(card).to_have_count(0)


class PassesTest(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        passes = {"": add_up(DIM, BRIGHT), "lg_dim": DIM, "lg_bright": BRIGHT}
        self.open_file(self.page, write_layers(self.media / "dim.exr", passes))

    def test_a_pass_is_seen_large_and_back_again(self) -> None:
        page = self.page
        self.go(page, "Source")
        sheet = page.get_by_role("region", name="Contact sheet")
        expect(sheet).to_be_visible()
        whole = self.mean_colour(page)
        tile = sheet.get_by_role("button", name=re.compile("lg_dim"))
        expect(tile).to_contain_text("+4 stops")
        tile.dblclick()
        expect(sheet).to_have_count(0)
        self.assertLess(sum(self.mean_colour(page)), sum(whole) / 2)
        page.get_by_role("button", name="Pass lg_dim · all passes").click()
        expect(sheet).to_be_visible()
        tile.click()
        page.get_by_role("button", name="View pass").click()
        expect(sheet).to_have_count(0)
        page.keyboard.press("Escape")
        expect(sheet).to_be_visible()
        sheet.get_by_role("button", name="View image").click()
        expect(sheet).to_have_count(0)
        self.assertAlmostEqual(sum(self.mean_colour(page)), sum(whole), delta=6)

    def test_dark_pictures_are_lifted_and_one_switch_shows_them_as_they_are(self) -> None:
        page = self.page
        board = page.get_by_role("region", name="Board")
        dark = board.locator(".small[data-lift='+4']")
        expect(dark).to_have_count(1)
        board.get_by_role("button", name="Brighten dark thumbnails").click()
        expect(dark).to_have_count(0)
        self.go(page, "Source")
        sheet = page.get_by_role("region", name="Contact sheet")
        expect(sheet).not_to_contain_text("+4 stops")
        sheet.get_by_role("button", name="Brighten dark thumbnails").click()
        expect(sheet).to_contain_text("+4 stops")

    def test_many_lights_stand_in_rows_that_can_be_read(self) -> None:
        page = self.page
        names = [f"lantern{number:02d}" for number in range(20)]
        passes = {f"lg_{name}": BRIGHT * np.float32(0.04) for name in names}
        total = np.sum(list(passes.values()), axis=0, dtype=np.float32)
        self.open_file(page, write_layers(self.media / "harbour.exr", {"": total, **passes}, np.float32))
        board = page.get_by_role("region", name="Board")
        heads = board.locator(".head-cell")
        expect(heads).to_have_count(len(names))
        around, boxes = board.bounding_box(), [heads.nth(place).bounding_box() for place in range(len(names))]
        fold = page.get_by_role("button", name="Hide panel: board").first.bounding_box()
        for box in boxes:
            self.assertGreater(box["width"], 80)
            self.assertGreaterEqual(box["x"], around["x"] + 100)
            self.assertLessEqual(box["y"] + box["height"], around["y"] + around["height"])
            self.assertFalse(box["y"] < fold["y"] + fold["height"] and box["x"] + box["width"] > fold["x"] > box["x"])
        self.assertGreater(len({box["y"] for box in boxes}), 1)
        cut = heads.locator(".name").evaluate_all("all => all.filter((e) => e.scrollWidth > e.clientWidth).length")
        self.assertEqual(cut, 0)

    def test_mist_without_a_pass_has_a_row_of_its_own(self) -> None:
        page = self.page
        key = BRIGHT * np.float32([0.2, 0.1, 0.1])[:, None, None]
        mist = BRIGHT * np.float32([0.0, 0.0, 0.3])[:, None, None]
        passes = {"": key + mist, "lg_key": key, "lg_fill": key * 0}
        self.open_file(page, write_layers(self.media / "mist.exr", passes, np.float32))
        red, _, blue = self.mean_colour(page)
        board = page.get_by_role("region", name="Board")
        board.get_by_role("button", name=re.compile("^Residual")).first.click()
        controls = page.get_by_role("region", name="Residual")
        controls.get_by_role("button", name="Mute").click()
        self.at_rest(page)
        expect(board.get_by_role("button", name=re.compile("^Residual")).first).to_contain_text("mute")
        muted = self.mean_colour(page)
        self.assertLess(muted[2], blue - 10)
        self.assertAlmostEqual(muted[0], red, delta=6)
        controls.get_by_role("button", name="Reset").click()
        self.type_level(page, "Level", "1")
        self.assertGreater(self.mean_colour(page)[2], blue + 10)
        expect(page.get_by_role("navigation", name="Path").get_by_role("button", name="Balance")).to_contain_text(
            "1 level"
        )

    def test_a_guess_is_reported_with_its_reason_and_confirmed_by_one_click(self) -> None:
        page = self.page
        rows, columns = np.mgrid[0:90, 0:160].astype(np.float32)
        passes = {"": BRIGHT, "lg_sun": BRIGHT, "thing": 3 + rows / 9 + columns / 50}
        self.open_file(page, write_layers(self.media / "guess.exr", passes, np.float32))
        self.go(page, "Source")
        tile = page.get_by_role("region", name="Contact sheet").get_by_role("button", name=re.compile("thing"))
        expect(tile).to_contain_text("depth")
        tile.click()
        bench = page.get_by_role("complementary", name="Source bench")
        expect(bench).to_contain_text("a guess: one channel with smooth values beyond 1, as distance has; it holds")
        expect(bench).to_contain_text("50% confidence.")
        bench.get_by_role("button", name="Confirm role").click()
        expect(bench).to_contain_text("set manually; it holds planar (along camera axis)")
        expect(bench).to_contain_text("100% confidence.")
        expect(bench.get_by_role("button", name="Confirm role")).to_have_count(0)

    def test_escape_closes_what_lies_over_the_work(self) -> None:
        page = self.page
        for name, panel in (("History", "History"), ("Export", "Export"), ("Keyboard shortcuts",) * 2):
            page.get_by_role("button", name=name, exact=True).click()
            shown = page.get_by_role("complementary", name=panel)
            expect(shown).to_be_visible()
            page.keyboard.press("Escape")
            expect(shown).to_have_count(0)


class FirstMinuteTest(BrowserTest):
    def test_a_newcomers_first_minute(self) -> None:
        """Open the demo, darken the beacon by its reflection, warm the cabin, compare, deliver; the clock reports."""
        page, begun = self.page, time.monotonic()
        self.enter_demo(page)
        before = self.mean_colour(page)
        box = page.locator("canvas").bounding_box()
        assert box
        x, y = box["x"] + box["width"] * 0.505, box["y"] + box["height"] * 0.9
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x, y + 4)
        page.mouse.move(x, y + 20)
        expect(page.locator(".bubble")).to_contain_text("Beacon")
        page.mouse.move(x, y + 96)
        expect(page.locator(".head-cell.chosen")).to_contain_text("−2.00")
        page.mouse.up()
        self.at_rest(page)
        expect(page.locator(".head-cell.chosen .name")).to_have_text("Beacon")
        self.light_head(page, "Cabin").click()
        self.type_level(page, "Temperature", "3400")
        changed = self.mean_colour(page)
        self.assertLess(changed[2], before[2])
        page.get_by_role("button", name="Compare with").click()
        page.get_by_role("menuitem", name="Renderer’s beauty").click()
        page.get_by_role("group", name="Compare mode").get_by_role("button", name="Wipe").click()
        expect(page.locator(".wipe-handle")).to_be_visible()
        page.get_by_role("button", name="Export", exact=True).click()
        page.get_by_role("complementary", name="Export").get_by_role("button", name="Export").click()
        expect(page.get_by_role("link", name=re.compile(r"\.exr$")).first).to_be_visible()
        print(f"the first minute took {time.monotonic() - begun:.1f} s")
        page.keyboard.press("Escape")
        for _ in range(2):
            page.get_by_role("button", name="Undo").click()
            self.at_rest(page)
