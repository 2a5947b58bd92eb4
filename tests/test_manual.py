"""The manual: every station has a page, the site is built of all pages, and nothing is loaded from elsewhere."""

import json
import re
import subprocess
import sys
from pathlib import Path

from escala.engine.stations import STATIONS
from tests.fixtures import FolderTest

ROOT = Path(__file__).parents[1]
PAGES = ROOT / "docs" / "manual"


class ManualTest(FolderTest):
    def test_every_station_has_a_page_with_a_picture(self) -> None:
        for station in (station.name for station in STATIONS):
            text = (PAGES / f"{station}.md").read_text()
            pictures = re.findall(r"!\[[^\]]+\]\(([^)]+)\)", text)
            self.assertTrue(pictures, station)
            for picture in pictures:
                self.assertTrue((PAGES / picture).is_file(), picture)

    def test_the_site_has_every_page_and_needs_no_network(self) -> None:
        site = self.folder / "site"
        command = [sys.executable, "-m", "mkdocs", "build", "--strict", "--quiet", "--site-dir", str(site)]
        run = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, timeout=120, check=False)
        self.assertEqual((run.returncode, run.stderr), (0, ""))
        contents = (site / "manual" / "index.html").read_text()
        for page in PAGES.glob("*.md"):
            name = "index" if page.stem == "README" else page.stem
            text = (site / "manual" / f"{name}.html").read_text()
            self.assertIn(page.read_text().splitlines()[0].removeprefix("# "), text)
            self.assertIn(f'href="{name}.html"' if name != "index" else "Manual", contents)
            loaded = re.findall(r'<(?:script|img|link)[^>]+(?:src|href)="([^"]+)"', text)
            self.assertTrue(loaded)
            self.assertFalse([address for address in loaded if "//" in address], page.name)
        index = json.loads((site / "search" / "search_index.json").read_text())
        self.assertIn("manual/balance.html#added-lights", [document["location"] for document in index["docs"]])
