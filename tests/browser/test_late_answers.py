"""Nothing is lost where answers come late: quick gestures, edits on their way, other variants, other clients."""

import json
import re
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from playwright.sync_api import Page, Route, expect

from tests.browser.running import FRESH, DemoTest

# The variant in the address.
OPEN = r"/shots/\d+/(\d+)/"


# Two steps of a key within the time in which they become one edit, however slow the machine is.
QUICK_STEPS = """(slider) => { for (const _ of [1, 2])
    slider.dispatchEvent(new KeyboardEvent('keydown', {key: 'ArrowLeft', bubbles: true, cancelable: true})) }"""


class LateAnswerTest(DemoTest):
    def state(self) -> dict[str, Any]:
        return self.api(f"/api/variants/{self.variant}")

    def edit_elsewhere(self, light: str, stops: float) -> None:
        patch = [{"op": "add", "path": f"/balance/lights/{light}", "value": {"stops": stops}}]
        self.api(f"/api/variants/{self.variant}/edits", {"base": self.state()["head"], "patch": patch, "label": "e"})

    @contextmanager
    def held_back(self, pattern: str) -> Iterator[list[Route]]:
        """Answers to requests of an address come only at the end of the block."""
        held: list[Route] = []
        is_over: list[bool] = []
        self.page.route(pattern, lambda route: route.continue_() if is_over else held.append(route))
        yield held
        is_over.append(True)
        for route in held:
            route.continue_()

    def pull(self, page: Page, begin: tuple[float, float], by: tuple[int, int]) -> None:
        """Press in the image, pull in two moves, let go: as quick as a hand can be."""
        box = page.locator("canvas").first.bounding_box()
        assert box
        x, y = box["x"] + box["width"] * begin[0], box["y"] + box["height"] * begin[1]
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + by[0] / 2, y + by[1] / 2)
        page.mouse.move(x + by[0], y + by[1])
        page.mouse.up()

    def drag_head(self, name: str, by: int) -> None:
        box = self.light_head(self.page, name).bounding_box()
        assert box
        self.page.mouse.move(box["x"] + 40, box["y"] + 10)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 40 + by / 2, box["y"] + 10)
        self.page.mouse.move(box["x"] + 40 + by, box["y"] + 10)
        self.page.mouse.up()

    def stops(self, name: str) -> float:
        return float(self.state()["document"]["balance"]["lights"].get(name, {}).get("stops", 0))

    def test_a_quick_drag_at_balance(self) -> None:
        self.go(self.page, "Balance")
        with self.held_back("**/probe") as held:
            self.pull(self.page, (0.5, 0.75), (0, 90))
            self.until(lambda: held)
        self.until(lambda: self.state()["document"]["balance"]["lights"])
        expect(self.page.locator(".head-cell.chosen")).to_contain_text("−1.")
        levels = self.state()["document"]["balance"]["lights"]
        self.assertEqual(len(levels), 1)
        self.assertAlmostEqual(next(iter(levels.values()))["stops"], -90 / 48, delta=0.05)

    def test_a_quick_drag_at_every_matte_that_is_pulled(self) -> None:
        self.page.keyboard.press("m")
        for number, words in enumerate(("Luminance", "Hue", "Normal", "Depth", "Position"), 1):
            with self.subTest(way=words):
                kinds = self.page.get_by_role("group", name="Create a matte")
                kinds.get_by_role("button", name=words, exact=True).click()
                with self.held_back("**/values") as held:
                    self.pull(self.page, (0.5, 0.8), (60, -20))
                    self.until(lambda: held)  # the moves are answered by nobody
                self.wait_for_mattes(number)

    def wait_for_mattes(self, count: int) -> None:
        for _ in range(100):
            if len(self.state()["document"]["mattes"]) == count:
                return
            self.page.wait_for_timeout(50)
        self.fail(f"{count} mattes were expected: {self.state()['document']['mattes']}")

    def test_a_quick_drag_at_depth(self) -> None:
        self.go(self.page, "Depth")
        self.page.get_by_role("button", name="Set haze range").click()
        with self.held_back("**/depth/sample"):
            self.pull(self.page, (0.5, 0.9), (0, -120))
        self.until(lambda: self.state()["document"]["depth"]["haze"]["on"])
        self.page.get_by_role("button", name="Set focus").click()
        with self.held_back("**/depth/sample"):
            box = self.page.locator("canvas").bounding_box()
            self.page.mouse.click(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.9)
        self.until(lambda: self.state()["document"]["depth"]["defocus"]["on"])

    def until(self, is_so: Any) -> None:
        for _ in range(100):
            if is_so():
                return
            self.page.wait_for_timeout(50)
        self.fail("it did not come")

    def test_a_second_drag_begins_while_the_first_is_saved(self) -> None:
        self.go(self.page, "Balance")
        with self.held_back("**/edits"):
            self.drag_head("Beacon", -96)
            expect(self.page.locator(".saved")).to_contain_text("Saving")
            self.drag_head("Cabin", 48)
            expect(self.light_head(self.page, "Beacon")).to_contain_text("−2.00")
            expect(self.light_head(self.page, "Cabin")).to_contain_text("+1.00")
        self.at_rest(self.page)
        self.assertEqual((self.stops("beacon"), self.stops("cabin")), (-2.0, 1.0))

    def test_a_drag_goes_on_while_another_is_saved(self) -> None:
        self.go(self.page, "Balance")
        with self.held_back("**/edits"):
            self.drag_head("Beacon", -96)
            box = self.light_head(self.page, "Cabin").bounding_box()
            assert box
            self.page.mouse.move(box["x"] + 40, box["y"] + 10)
            self.page.mouse.down()
            self.page.mouse.move(box["x"] + 64, box["y"] + 10)
            self.page.mouse.move(box["x"] + 88, box["y"] + 10)
        expect(self.page.locator(".saved")).not_to_contain_text("Saving")
        expect(self.light_head(self.page, "Cabin")).to_contain_text("+1.00")
        self.page.mouse.up()
        self.at_rest(self.page)
        self.assertEqual((self.stops("beacon"), self.stops("cabin")), (-2.0, 1.0))

    def test_a_step_of_a_key_is_saved_whatever_comes_next(self) -> None:
        self.go(self.page, "Balance")
        self.light_head(self.page, "Beacon").click()
        before = self.state()["head"]
        level = self.page.get_by_role("slider", name="Level")
        level.focus()
        level.evaluate(QUICK_STEPS)
        self.light_head(self.page, "Cabin").click()
        self.go(self.page, "Finish")
        self.at_rest(self.page)
        self.until(lambda: self.stops("beacon") < -0.5)
        self.assertEqual((self.stops("cabin"), self.state()["head"]), (0.0, before + 1))

    def test_an_answer_for_another_variant_changes_nothing_here(self) -> None:
        page = self.page
        page.get_by_role("button", name="Variants").click()
        page.get_by_role("menuitem", name="New variant").click()
        expect(page).not_to_have_url(re.compile(rf"/shots/\d+/{self.variant}/"))
        other = int(re.search(OPEN, page.url)[1])
        self.go(page, "Balance")
        with self.held_back("**/edits"):
            self.drag_head("Beacon", -96)
            page.get_by_role("group", name="Variants").get_by_role("button", name=FRESH).click()
        expect(page).to_have_url(re.compile(rf"/shots/\d+/{self.variant}/"))
        self.at_rest(page)
        expect(self.light_head(page, "Beacon")).not_to_contain_text("−2.00")
        self.assertEqual(self.stops("beacon"), 0.0)
        self.assertEqual(self.api(f"/api/variants/{other}")["document"]["balance"]["lights"]["beacon"]["stops"], -2.0)

    def test_a_drag_goes_on_while_another_client_edits(self) -> None:
        self.go(self.page, "Balance")
        box = self.light_head(self.page, "Beacon").bounding_box()
        assert box
        self.page.mouse.move(box["x"] + 40, box["y"] + 10)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 20, box["y"] + 10)
        self.page.mouse.move(box["x"] - 8, box["y"] + 10)
        self.edit_elsewhere("cabin", 1.5)
        expect(self.light_head(self.page, "Cabin")).to_contain_text("+1.50")
        expect(self.light_head(self.page, "Beacon")).to_contain_text("−1.00")
        self.page.mouse.move(box["x"] - 56, box["y"] + 10)
        self.page.mouse.up()
        self.at_rest(self.page)
        self.assertEqual((self.stops("beacon"), self.stops("cabin")), (-2.0, 1.5))

    def test_an_edit_that_this_page_does_not_know_is_not_undone(self) -> None:
        self.go(self.page, "Balance")
        self.drag_head("Beacon", -96)
        self.at_rest(self.page)
        self.page.route("**/api/events*", lambda route: route.abort())
        self.edit_elsewhere("cabin", 1.5)
        self.page.get_by_role("button", name="Undo").click()
        expect(self.page.get_by_text("was changed elsewhere")).to_be_visible()
        expect(self.light_head(self.page, "Cabin")).to_contain_text("+1.50")
        self.assertEqual((self.stops("beacon"), self.stops("cabin")), (-2.0, 1.5))
        self.page.unroute("**/api/events*")

    def test_an_image_superseded_by_an_aborted_request_is_requested_again(self) -> None:
        superseded: list[bool] = []

        def once_each(route: Route) -> None:
            live = bool(route.request.post_data_json["live"])
            if live in superseded:
                return route.continue_()
            superseded.append(live)
            document = {"type": "about:blank", "status": 409, "title": "Superseded", "detail": "Superseded."}
            route.fulfill(status=409, content_type="application/problem+json", body=json.dumps(document))

        self.go(self.page, "Balance")
        self.page.route("**/picture", once_each)
        self.drag_head("Beacon", -48)
        self.at_rest(self.page)
        self.page.unroute("**/picture")
        self.assertEqual(superseded, [True, False])

    def test_a_new_correction_is_edited_before_it_is_saved(self) -> None:
        page = self.page
        self.go(page, "Finish")
        corrections = page.get_by_role("region", name="Corrections")
        with self.held_back("**/edits"):
            corrections.get_by_role("button", name="Contrast", exact=True).click()
            amount = corrections.get_by_role("group", name="Contrast", exact=True).get_by_label("Amount, number")
            amount.fill("2")
            amount.press("Enter")
            expect(corrections.locator(".sentence")).to_contain_text("contrast 2.00")
            opacity = corrections.get_by_label("Opacity, number")
            opacity.fill("50")
            with page.expect_response(lambda answer: "/opacity" in (answer.request.post_data or "")) as shown:
                opacity.press("Enter")
            self.assertEqual(shown.value.status, 200)
        self.at_rest(page)
        kept = self.state()["document"]["finish"]["corrections"]
        self.assertEqual([(one["id"], one["amount"], one["opacity"]) for one in kept], [("contrast1", 2.0, 0.5)])
        self.assertEqual(page.get_by_role("alert").all_inner_texts(), [""])

    def test_an_image_request_that_comes_after_the_save_of_its_edit(self) -> None:
        page = self.page
        self.go(page, "Finish")
        corrections = page.get_by_role("region", name="Corrections")
        with self.held_back("**/picture"):
            with (
                self.held_back("**/edits"),
                page.expect_request(lambda r: r.url.endswith("/picture") and '"contrast1"' in (r.post_data or "")),
            ):
                corrections.get_by_role("button", name="Contrast", exact=True).click()
            expect(page.locator(".saved")).not_to_contain_text("Saving")
        self.at_rest(page)
        self.assertEqual(page.get_by_role("alert").all_inner_texts(), [""])
