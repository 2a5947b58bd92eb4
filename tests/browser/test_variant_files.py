"""A variant saved as a file from the menu, and opened again, with a report of what it lacks."""

import json
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.in_image import ImageTest


class VariantFileTest(ImageTest):
    def menu(self, item: str) -> None:
        self.page.get_by_role("button", name="Variants").click()
        self.page.get_by_role("menuitem", name=item).click()

    def test_saved_changed_and_opened_again(self) -> None:
        page = self.page
        self.go(page, "Finish")
        page.get_by_role("button", name="Exposure", exact=True).first.click()
        self.at_rest(page)
        self.type_level(page, "Exposure", "-1")
        page.get_by_role("button", name="Variants").click()
        with page.expect_download() as saved:
            page.get_by_role("menuitem", name="Save as file").click()
        self.assertRegex(saved.value.suggested_filename, r"\.json$")
        path = Path(saved.value.path())
        document = json.loads(path.read_text())
        self.assertEqual(document["finish"]["corrections"][0]["stops"], -1.0)
        document["balance"]["lights"]["sun"] = {"stops": 2}
        changed = self.media / "darker.json"
        changed.write_text(json.dumps(document))
        page.get_by_label("Variant file").set_input_files(str(changed))
        expect(page.get_by_role("button", name="darker", exact=True)).to_have_attribute("aria-pressed", "true")
        self.at_rest(page)
        expect(page.get_by_text("darker was opened; unresolved: sun.")).to_be_visible()
        expect(page.get_by_role("navigation", name="Path")).to_contain_text("exposure −1.00")
        page.get_by_label("Variant file").set_input_files(
            {"name": "notes.json", "mimeType": "application/json", "buffer": b"no json"}
        )
        expect(page.get_by_text("notes.json is not a variant: it holds no JSON.")).to_be_visible()
        self.menu("Delete variant")
        expect(page.get_by_role("button", name="darker", exact=True)).to_have_count(0)
