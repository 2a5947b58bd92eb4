import unittest
from urllib.parse import quote

from escala.bench.browser import page_of
from escala.core.errors import BadSource

PAGE = """
<canvas data-settled="true" style="position: absolute; left: 40px; top: 30px; width: 200px; height: 100px"></canvas>
<button>one</button><button onclick="pressed += 1">the other</button>
<script>
  var pressed = 0, seen = []
  for (const kind of ["pointerdown", "pointermove", "pointerup"])
    addEventListener(kind, (e) => seen.push([kind, e.clientX, e.buttons]))
</script>"""


class PageTest(unittest.TestCase):
    def test_a_pointer_on_a_page(self) -> None:
        with page_of() as page:
            page.go(f"data:text/html,{quote(PAGE)}")
            self.assertEqual(page.box("canvas"), (40, 30, 200, 100))
            self.assertEqual(page.evaluate("[innerWidth, innerHeight]"), [1280, 800])
            page.click("button", "other")
            self.assertEqual(page.evaluate("pressed"), 1)
            page.drag_along([(50, 60), (70, 60), (90, 60)])
            seen = page.evaluate("seen")
            down, up = (place for place, (kind, *_) in enumerate(seen) if kind != "pointermove")
            self.assertEqual([seen[down], seen[up]], [["pointerdown", 50, 1], ["pointerup", 90, 0]])
            # Moves that come before the page is drawn again are told as one.
            self.assertIn([x for _, x, _ in seen[down + 1 : up]], ([70, 90], [90]))
            with self.assertRaisesRegex(BadSource, "gone is not defined"):
                page.evaluate("gone")
