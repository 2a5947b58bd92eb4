"""The manual beside the work: opened at each station, searched, read on a page of its own; addresses of the work."""

import re

from playwright.sync_api import Locator, Page, expect

from tests.browser.running import BrowserTest

STATIONS = ("Source", "Surface", "Balance", "Beauty", "Depth", "Plate", "Lens", "Finish", "Display")


class ManualTest(BrowserTest):
    def manual(self, page: Page) -> Locator:
        return page.get_by_role("complementary", name="Manual")

    def assert_title(self, page: Page, title: str) -> None:
        expect(self.manual(page).get_by_role("heading", level=1)).to_have_text(title)

    def test_it_opens_at_every_station_and_panel(self) -> None:
        page = self.page
        self.enter_demo(page)
        page.get_by_role("button", name="Manual", exact=True).click()
        for station in STATIONS:
            self.go(page, station)
            self.assert_title(page, station)
        for opened, title in (("Export", "Export"), ("Notes", "Notes and shares"), ("Over time", "Time")):
            page.get_by_role("button", name=re.compile(f"^{opened}$|note")).first.click()
            self.assert_title(page, title)
            page.get_by_role("button", name=re.compile(f"^{opened}$|note")).first.click()
        self.assert_accessible(page, "manual beside the work")
        page.keyboard.press("F1")
        expect(self.manual(page)).to_have_count(0)

    def test_it_stands_beside_the_controls_and_covers_nothing(self) -> None:
        page = self.page
        self.enter_demo(page)
        self.go(page, "Balance")
        page.keyboard.press("F1")
        self.at_rest(page)
        panel, bench = (
            found.bounding_box()
            for found in (self.manual(page), page.get_by_role("complementary", name="Balance bench"))
        )
        assert panel is not None and bench is not None
        self.assertLessEqual(bench["x"] + bench["width"], panel["x"] + 0.5)
        self.assertLessEqual(panel["x"] + panel["width"], 1280)
        picture = self.manual(page).get_by_role("img").first
        picture.scroll_into_view_if_needed()
        self.assertGreater(picture.evaluate("async (image) => (await image.decode(), image.naturalWidth)"), 600)

    def test_pages_are_found_by_words_and_linked(self) -> None:
        page = self.page
        self.enter_demo(page)
        page.keyboard.press("F1")
        search = self.manual(page).get_by_role("searchbox", name="Search the manual")
        search.fill("inverse squre")
        found = self.manual(page).get_by_role("list", name="Found in the manual").get_by_role("button")
        expect(found.first).to_contain_text("Balance: Added lights")
        expect(found.first).to_contain_text("inverse square")
        found.first.click()
        self.assert_title(page, "Balance")
        heading = self.manual(page).get_by_role("heading", name="Added lights")
        expect(heading).to_be_in_viewport()
        expect(search).to_have_value("")
        search.fill("zzzz")
        expect(self.manual(page)).to_contain_text("Nothing in the manual matches “zzzz”")
        search.fill("")
        self.manual(page).get_by_role("button", name="Contents").click()
        self.assert_title(page, "Manual")
        self.manual(page).get_by_role("link", name="Mattes").click()
        self.assert_title(page, "Mattes")
        expect(page).to_have_url(re.compile(r"/shots/\d+/\d+/balance$"))

    def test_it_has_pages_of_its_own(self) -> None:
        page = self.page
        page.goto(f"{self.server.address}/manual/balance#added-lights")
        expect(page.get_by_role("heading", name="Added lights")).to_be_in_viewport()
        pages = page.get_by_role("navigation", name="Pages of the manual")
        expect(pages.get_by_role("link", name="Balance")).to_have_attribute("aria-current", "page")
        pages.get_by_role("link", name="Lens").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Lens")
        expect(page).to_have_url(re.compile("/manual/lens$"))
        self.assert_accessible(page, "manual")
        page.go_back()
        expect(page.get_by_role("heading", level=1)).to_have_text("Balance")
        page.goto(f"{self.server.address}/manual/unknown")
        expect(page.get_by_role("heading", level=1)).to_have_text("Manual")

    def test_an_address_names_shot_variant_and_station(self) -> None:
        page = self.page
        self.enter_demo(page)
        self.go(page, "Lens")
        expect(page).to_have_url(re.compile(r"/shots/\d+/\d+/lens$"))
        address = page.url
        page.get_by_role("button", name="Escala").click()
        page.locator("button.shot").first.wait_for()
        self.assertEqual(page.url.removesuffix("/"), self.server.address)
        page.go_back()
        self.at_rest(page)
        self.assertEqual(page.url, address)
        page.goto(f"{self.server.address}/")
        page.locator("button.shot").first.wait_for()
        page.goto(address)
        self.at_rest(page)
        step = page.get_by_role("navigation", name="Path").locator("[aria-current=step]")
        expect(step).to_contain_text("Lens")
        page.route("**/api/variants/*", lambda one: one.fulfill(status=500, json={"detail": "it is broken"}))
        page.goto(address)
        page.locator("button.shot").first.wait_for()
        expect(page.get_by_role("alert").first).to_contain_text("it is broken")
        page.unroute("**/api/variants/*")
        page.goto(f"{self.server.address}/shots/999999/1/lens")
        page.locator("button.shot").first.wait_for()
        self.assertEqual(page.url.removesuffix("/"), self.server.address)
