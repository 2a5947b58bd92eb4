"""Notes: a client's remark on a share page, answered and marked done by the artist; two browsers at once."""

import json
import re

import numpy as np
from playwright.sync_api import Page, Request, expect

from tests.browser.running import PATIENCE_MS, BrowserTest, print_refused, the_browser
from tests.fixtures import add_up, light, write_layers

MANY_NOTES = """([variant, count]) => Promise.all(Array.from({length: count}, (_, n) => fetch('/api/notes', {
    method: 'POST', headers: {'Content-Type': 'application/json'},
    body: JSON.stringify({variant, text: `Note ${n}`, author: 'Artist'}),
}))).then((answers) => answers.filter((answer) => answer.status === 201).length)"""
# What a browser says when a page is in front again.
SEEN_AGAIN = "document.dispatchEvent(new Event('visibilitychange'))"
KEY, FILL = light(5, 90, 160), light(6, 90, 160)


class NotesTest(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        for number in (1, 2, 3):
            passes = {"": add_up(KEY * number, FILL), "lg_beacon": KEY * number, "lg_cabin": FILL}
            write_layers(self.media / f"review.{number:04d}.exr", passes)
        self.open_file(self.page, self.media / "review.####.exr")

    def shared(self, name: str) -> str:
        """The address of a new share of the open variant."""
        page = self.page
        page.get_by_role("button", name=re.compile(r"^(Notes|\d+ notes? open)$")).click()
        page.get_by_role("textbox", name="Name of the share").fill(name)
        page.get_by_role("button", name="Share", exact=True).click()
        link = page.get_by_role("region", name="Shares").get_by_role("link")
        expect(link).to_be_visible()
        return str(link.get_attribute("href"))

    def client(self, address: str, width: int = 1280) -> Page:
        """Another person's browser on a share."""
        context = the_browser().new_context(viewport={"width": width, "height": 760}, has_touch=width < 500)
        self.addCleanup(context.close)
        page = context.new_page()
        page.set_default_timeout(PATIENCE_MS)
        page.on("response", print_refused)
        page.goto(address)
        expect(page.locator(".image img")).to_have_count(1)
        return page

    def test_a_remark_is_answered_and_marked_done_in_two_browsers(self) -> None:
        client = self.client(self.shared("Client review"))
        box = client.locator(".image").bounding_box()
        assert box is not None
        client.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        client.get_by_role("textbox", name="Note").fill("Calmer here <b>please</b>")
        client.get_by_role("textbox", name="Your name").fill("Client")
        client.get_by_role("button", name="Send").click()
        expect(client.get_by_role("button", name="Note of Client")).to_be_visible()

        page = self.page
        note = page.get_by_role("listitem").filter(has_text="Calmer here <b>please</b>")
        expect(note).to_contain_text("Variant 1, frame 1, revision 0")
        expect(page.get_by_role("button", name=re.compile("^Note .* of Client$"))).to_be_visible()
        expect(page.get_by_role("button", name="1 note open", exact=True)).to_be_visible()
        page.get_by_role("textbox", name="Your name").fill("Artist")
        note.get_by_role("button", name="Answer").click()
        note.get_by_role("textbox", name="Answer").fill("Two stops down now")
        note.get_by_role("button", name="Send").click()
        expect(note).to_contain_text("Artist Two stops down now")
        client.evaluate(SEEN_AGAIN)
        expect(client.get_by_role("listitem")).to_contain_text("Two stops down now")
        note.get_by_role("button", name="Mark done").click()
        expect(note).to_have_count(0)
        expect(client.get_by_role("listitem")).to_contain_text("done")  # at an interval, by itself
        expect(client.get_by_role("button", name="Note of Client")).to_have_count(0)
        page.get_by_role("button", name="Withdraw").first.click()
        expect(page.get_by_role("button", name="Withdraw")).to_have_count(0)
        client.evaluate(SEEN_AGAIN)
        expect(client.get_by_role("alert")).to_contain_text("withdrawn")

    def test_a_share_follows_edits_is_played_and_wiped_by_keyboard_and_on_a_phone(self) -> None:
        client = self.client(self.shared("Phone"), 360)
        scroll = client.evaluate("[document.documentElement.scrollWidth, document.documentElement.clientWidth]")
        self.assertEqual(scroll[0], scroll[1])
        self.assert_accessible(client, "share page")
        image = client.get_by_role("application")
        source = client.locator(".image img").get_attribute("src")
        image.focus()
        image.press("ArrowRight")
        expect(client.get_by_text("Frame 2")).to_be_visible()
        expect(client.locator(".image img")).not_to_have_attribute("src", str(source))
        image.press("+")
        image.press("Space")
        expect(client.get_by_role("button", name="Stop")).to_be_visible()
        image.press("Space")
        self.go(self.page, "Balance")
        self.page.get_by_role("button", name="Notes", exact=True).click()
        self.page.get_by_role("button", name="Beacon").first.click()
        self.type_level(self.page, "Level", "-6")
        client.evaluate(SEEN_AGAIN)
        expect(client.get_by_text(re.compile("revision 1"))).to_be_visible()

    def test_the_image_on_which_a_note_was_written_is_shown_again(self) -> None:
        page = self.page
        self.go(page, "Balance")
        before = self.mean_colour(page)
        page.get_by_role("button", name="Notes", exact=True).click()
        page.get_by_role("textbox", name="Your name").fill("Artist")
        page.get_by_role("textbox", name="Note", exact=True).fill("Beacon too strong")
        page.get_by_role("button", name="Add note").click()
        note = page.get_by_role("listitem").filter(has_text="Beacon too strong")
        expect(note.get_by_role("button", name="Show", exact=True)).to_be_visible()
        expect(note.get_by_role("button", name="Show revision 0")).to_have_count(0)
        page.get_by_role("button", name="Beacon").first.click()
        self.type_level(page, "Level", "-6")
        after = self.mean_colour(page)
        self.assertGreater(sum(before) - sum(after), 20)
        expect(note).to_contain_text("revision 0, the variant is at revision 1")
        note.get_by_role("button", name="Show revision 0").click()
        for was, now in zip(before, self.mean_colour(page), strict=True):
            self.assertAlmostEqual(was, now, delta=1.0)
        expect(page.get_by_role("slider", name="Level")).to_have_attribute("aria-valuetext", re.compile("−6"))

    def test_a_share_page_lists_older_notes(self) -> None:
        written = self.page.evaluate(MANY_NOTES, [int(self.page.url.split("/")[-2]), 205])
        self.assertEqual(written, 205)
        client = self.client(self.shared("Many"))
        items = client.get_by_role("complementary", name="Notes").get_by_role("listitem")
        expect(items).to_have_count(200)
        client.get_by_role("button", name="Show older notes").click()
        expect(items).to_have_count(205)
        expect(client.get_by_role("button", name="Show older notes")).to_have_count(0)

    def test_on_a_slow_line_images_are_smaller_while_they_move_and_exact_on_request(self) -> None:
        grain = np.random.default_rng(3).gamma(1.0, 0.2, (3, 360, 640)).astype(np.float32)
        write_layers(self.media / "grain.exr", {"": grain + grain[:, ::-1], "lg_one": grain, "lg_two": grain[:, ::-1]})
        self.open_file(self.page, self.media / "grain.exr")
        client = self.client(self.shared("Slow"))
        tools = client.get_by_role("status")
        expect(tools).to_have_text("Exact")
        sizes: list[tuple[int, bool]] = []

        def note_size(request: Request) -> None:
            if request.url.endswith("/picture"):
                wish = json.loads(request.post_data or "{}")
                sizes.append((wish["width"] * wish["height"], wish["exact"]))

        client.on("request", note_size)
        line = client.context.new_cdp_session(client)
        line.send("Network.enable")
        slow = {"offline": False, "latency": 20, "downloadThroughput": 60_000, "uploadThroughput": 60_000}
        line.send("Network.emulateNetworkConditions", slow)
        image = client.get_by_role("application")
        image.focus()
        for key in ("+", "-"):
            image.press(key)
            expect(tools).to_have_text("Preview")
            expect(tools).to_have_text("Compressed for a slow line")
        full = max(size for size, _ in sizes)
        self.assertLess(sizes[-2][0], full / 3)
        self.assertFalse([size for size, exact in sizes[1:] if exact], "nothing exact by itself")
        client.get_by_role("button", name="Load exact image").click()
        line.send("Network.emulateNetworkConditions", {**slow, "downloadThroughput": -1, "uploadThroughput": -1})
        expect(tools).to_have_text("Exact")
        self.assertTrue(sizes[-1][1])
