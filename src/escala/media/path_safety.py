"""The two doors between names and files: where a name may be written inside a folder, and what may be read at all."""

import re
import stat
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

from escala.core.errors import BadSource

# File systems take 255 bytes a name. What is made of several words keeps each of them short.
MOST_NAME_BYTES, _MOST_WORD_BYTES = 240, 100
_MOST_PATH_BYTES = 1000
# Unicode's control signs, and halves of signs that are no text.
_UNSPEAKABLE = ("Cc", "Cs")
_PATTERN_SIGNS = re.compile(r"[#%@]")


class OutsideRoots(BadSource):
    """A path outside the folders below which files may be read."""

    def __init__(self, given: str | Path, folders: Sequence[Path]) -> None:
        path = Path(given)
        folder = path.parent if path.suffix else path
        roots = ", ".join(map(str, folders)) or "none"
        super().__init__(
            f"{printable(given)} lies outside the media roots ({roots}). Start Escala with its folder "
            f"(make demo MEDIA={printable(folder)}, or --media {printable(folder)}), or choose the files to upload them"
        )


class LinkOutsideRoots(OutsideRoots):
    """A link that leads outside the folders below which files may be read."""

    def __init__(self, file: Path) -> None:
        BadSource.__init__(self, f"{printable(file.name)} is a link to a place outside the media roots")


class NothingThere(BadSource, LookupError):
    """A place at which there is no file or folder."""

    def __init__(self, place: object, where: str = "") -> None:
        super().__init__(f"{printable(place)}: no such file or folder{where}")


def place_in(folder: Path, name: str) -> Path:
    """Where `name` (with `/` between folders) lies in `folder`; the only way from a foreign name to a written file.

    Raises `BadSource` for a name that leads out of the folder, on whatever system, or that no file can bear.
    """
    parts = name.split("/")
    if "\\" in name or name.startswith("/") or ".." in parts or re.match(r"[A-Za-z]:", name):
        raise BadSource(f"{printable(name)}: invalid path, it leaves the target folder")
    if any(not _is_plain(part) for part in parts) or len(_bytes(name)) > _MOST_PATH_BYTES:
        raise BadSource(f"{printable(name)}: invalid file name; use letters, digits, spaces, . _ -")
    place = folder.joinpath(*parts)
    if not place.parent.resolve().is_relative_to(folder.resolve()):
        raise BadSource(f"{printable(name)}: invalid path, it leaves the target folder by a link")
    return place


def plain_name(text: str, otherwise: str) -> str:
    """Words for a file name: letters, figures, `_`, `.`, `-` of any script, of a length that every system takes."""
    plain = re.sub(r"[^\w.-]+", "_", text).strip("._")
    while len(_bytes(plain)) > _MOST_WORD_BYTES:
        plain = plain[:-1].rstrip("._")
    return plain or otherwise


def distinct_names(names: Iterable[str], otherwise: str = "pass") -> list[str]:
    """`plain_name` of each, made distinct by a number where several become one, case left aside."""
    taken: set[str] = set()
    found = []
    for name in names:
        plain, number = plain_name(name, otherwise), 2
        chosen = plain
        while chosen.lower() in taken:
            chosen, number = f"{plain}-{number}", number + 1
        taken.add(chosen.lower())
        found.append(chosen)
    return found


@dataclass(frozen=True)
class Roots:
    """The folders below which files may be read; None: wherever the user of this process may, as at a terminal."""

    folders: tuple[Path, ...] | None = None

    @property
    def is_everywhere(self) -> bool:
        """Whether nothing is forbidden."""
        return self.folders is None

    def readable(self, given: str | Path) -> Path:
        """The file or folder itself, all links followed; a relative path is looked for below each root.

        Raises `OutsideRoots` for one that lies, or leads by a link, outside them, `NothingThere` where there is none.
        """
        inside = False
        for place in self._places(given):
            if not self._holds(place):
                continue
            inside = True
            if _exists(place):
                return place
        if inside:
            raise NothingThere(given, "" if self.folders is None else " under the media roots")
        raise OutsideRoots(given, self.folders or ())

    def sources(self, given: str) -> Path:
        """As `readable`, and also a sequence's pattern in a folder that may be read."""
        path = Path(given)
        if not _PATTERN_SIGNS.search(path.name):
            return self.readable(given)
        try:
            return self.readable(given)
        except NothingThere:
            return self.readable(path.parent) / path.name

    def check(self, files: Iterable[Path]) -> None:
        """Raises `OutsideRoots` for the first of the files that leads outside, by a link of its own perhaps."""
        if self.folders is None:
            return
        folders: dict[Path, Path] = {}
        for file in files:
            parent = folders.get(file.parent) or folders.setdefault(file.parent, _resolved(file.parent))
            real = _resolved(file) if file.is_symlink() else parent / file.name
            if not self._holds(real):
                raise LinkOutsideRoots(file)

    def _places(self, given: str | Path) -> Sequence[Path]:
        path = Path(given)
        if path.is_absolute() or self.folders is None:
            return [_resolved(path)]
        return [_resolved(root / path) for root in self.folders]

    def _holds(self, real: Path) -> bool:
        return self.folders is None or any(real.is_relative_to(_resolved(root)) for root in self.folders)


EVERYWHERE = Roots()


def printable(name: object) -> str:
    """A foreign name as it may stand in a sentence: short, and without signs that no screen shows."""
    text = "".join(sign if sign.isprintable() else "�" for sign in str(name))
    return text if len(text) <= 200 else f"{text[:120]}…{text[-60:]}"


def is_file(path: Path) -> bool:
    """Whether a path is an ordinary file: a pipe or device would keep its reader waiting for ever."""
    try:
        return stat.S_ISREG(path.stat().st_mode)
    except (OSError, ValueError):
        return False


def _resolved(path: Path) -> Path:
    try:
        return path.resolve()
    except (OSError, RuntimeError, ValueError) as error:  # links in a circle, a NUL
        raise BadSource(f"{printable(path)}: no file can be there: {printable(error)}") from error


def _exists(place: Path) -> bool:
    try:
        return place.exists()
    except (OSError, ValueError) as error:
        raise BadSource(f"{printable(place)}: invalid file name") from error


def _is_plain(part: str) -> bool:
    hidden = not part or part.startswith(".")
    speakable = all(unicodedata.category(sign) not in _UNSPEAKABLE for sign in part)
    return not hidden and speakable and len(_bytes(part)) <= MOST_NAME_BYTES


def _bytes(text: str) -> bytes:
    return text.encode("utf-8", "surrogatepass")
