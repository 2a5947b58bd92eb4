"""What users read uses the terms of the glossary: words and phrases that were replaced do not come back."""

import ast
import re
import unittest
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent.parent
# Each with the term to use instead.
GONE = {
    r"taken? (something )?away|takes? away": "remove",
    r"brings? (it )?back|brought back": "restore",
    r"brings? in|brought in|bringing in": "import or upload",
    r"puts? aside|put aside": "archive",
    r"turned round|turn round": "invert, or swap near and far",
    r"(bright|dark) room": "light theme",
    r"\blaid on\b|\blay (it )?on\b": "add or apply",
    r"left out|leave out|leaves out": "exclude",
    r"as it was found|found by itself|changed by hand": "reset to detected, detected, edited",
    r"let(s)? go\b": "remove",
    r"where everywhere": "Matte: none",
    r"(over|above|around|from) (middle )?grey": "stops (0 = 0.18)",
    r"not exact|make it exact": "exact image",
    r"under the hand|\bthe hand\b": "pointer",
    r"broken off": "interrupted",
    r"sure to \d|\bsure to\b": "confidence",
    r"on purpose": "resize to match",
    r"read as (display-)?encoded": "decode",
    r"as displayed|as seen": "display values, display-referred",
    r"in light\b": "scene-linear",
    r"\bseen large\b|see it large": "view pass",
    r"\blooks? (it )?over\b": "check",
    r"\bwaits for a render\b": "unresolved",
    r"no number\b|not-a-number": "NaN/Inf",
    r"worst place": "largest at",
    r"what no (term|pass) holds": "not explained by any term",
    r"\bis gone into\b|read anew|made anew": "again",
    r"\bpicture here\b|picture taken": "view at this station",
    r"in focus, number": "focus distance",
    r"never wider than": "max blur radius",
    r"\bunfold": "show",
    r"\d\u00a0?\u00a0%|\} %": "12%",
}
PATTERN = re.compile("|".join(rf"(?:(?<!\w)(?:{pattern})(?!\w))" for pattern in GONE), re.IGNORECASE)


def python_strings(file: Path) -> Iterator[tuple[int, str]]:
    """Literals of a module, docstrings left out: what may be shown or printed."""
    tree = ast.parse(file.read_text())
    documented = (ast.Module, ast.ClassDef, ast.FunctionDef)
    docstrings = {
        id(node.body[0].value) for node in ast.walk(tree) if isinstance(node, documented) and is_documented(node)
    }
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in docstrings:
            yield node.lineno, node.value


def is_documented(node: ast.Module | ast.ClassDef | ast.FunctionDef) -> bool:
    first = node.body[0] if node.body else None
    return isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant)


def front_end_lines(file: Path) -> Iterator[tuple[int, str]]:
    """Lines of a component or module without comments and styles."""

    def blank(found: re.Match[str]) -> str:
        return "\n" * found[0].count("\n")

    text = re.sub(r"<style.*?</style>|/\*.*?\*/|<!--.*?-->", blank, file.read_text(), flags=re.DOTALL)
    for number, line in enumerate(text.splitlines(), 1):
        yield number, re.sub(r"(^|\s)//.*", "", line)


class WordsTest(unittest.TestCase):
    def check(self, files: Iterator[Path], read: object) -> None:
        count = 0
        for file in files:
            count += 1
            for number, text in read(file):  # type: ignore[operator]
                found = PATTERN.search(text)
                with self.subTest(f"{file.relative_to(ROOT)}:{number}"):
                    self.assertIsNone(found, f"{found and found[0]!r} in {text.strip()[:160]!r}")
        self.assertGreater(count, 5)

    def test_strings_of_the_server_and_the_command_line(self) -> None:
        files = (f for f in (ROOT / "src/escala").rglob("*.py") if "versions" not in f.parts)
        self.check(files, python_strings)

    def test_the_front_end(self) -> None:
        found = (f for f in (ROOT / "frontend/src").rglob("*") if f.suffix in (".vue", ".ts"))
        self.check((f for f in found if f.name != "schema.d.ts"), front_end_lines)

    def test_the_manual(self) -> None:
        files = (*(ROOT / "docs/manual").glob("*.md"), ROOT / "README.md", ROOT / "CONTRIBUTING.md")
        self.check(iter(files), lambda file: enumerate(file.read_text().splitlines(), 1))
