"""Notes as text in three formats."""

import csv
import io
from collections.abc import Callable
from typing import Any

from .strict_json import to_json

Notes = list[dict[str, Any]]
_COLUMNS = ("id", "variant", "revision", "frame", "x", "y", "author", "text", "state", "created", "answers")
# What a spreadsheet would take for a formula begins so (OWASP: CSV injection).
_FORMULA = ("=", "+", "-", "@", "\t", "\r", "\n")


def as_json(notes: Notes) -> str:
    """As the API gives them."""
    return to_json({"notes": notes}, indent=2) + "\n"


def as_csv(notes: Notes) -> str:
    """A table with a line for each note; cells that a spreadsheet would take for a formula begin with an apostrophe."""
    out = io.StringIO()
    table = csv.writer(out)
    table.writerow(_COLUMNS)
    for note in notes:
        x, y = note["place"] or ("", "")
        answers = "\n".join(f"{answer['author']}: {answer['text']}" for answer in note["answers"])
        words = (note["author"], note["text"], note["state"], note["created"], answers)
        numbers = (note["id"], note["variant_name"], note["revision"], note["frame"], x, y)
        table.writerow([harmless(cell) for cell in (*numbers, *words)])
    return out.getvalue()


def as_text(notes: Notes) -> str:
    """A paragraph for each note, its answers indented."""
    paragraphs = []
    for note in notes:
        place = f", at {note['place'][0]:g}, {note['place'][1]:g}" if note["place"] else ""
        head = f"{note['variant_name']}, revision {note['revision']}, frame {note['frame']}{place}"
        lines = [f"{note['author']}, {note['created'][:16].replace('T', ' ')}, {note['state']}", head, note["text"]]
        lines += [f"    {answer['author']}: {answer['text']}" for answer in note["answers"]]
        paragraphs.append("\n".join(lines))
    return "\n\n".join(paragraphs) + "\n" if paragraphs else "No notes.\n"


def harmless(cell: Any) -> Any:
    """A cell that no spreadsheet takes for a formula; numbers stay numbers."""
    return f"'{cell}" if isinstance(cell, str) and cell.startswith(_FORMULA) else cell


# By file extension.
FORMATS: dict[str, Callable[[Notes], str]] = {".json": as_json, ".csv": as_csv, ".txt": as_text}
MEDIA_TYPES = {".json": "application/json", ".csv": "text/csv", ".txt": "text/plain"}
