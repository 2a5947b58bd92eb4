"""Configs by the names that users see: the built-in ones, our own, and files; each loaded once, anew when changed."""

import hashlib
import itertools
import threading
import zipfile
import zlib
from collections import OrderedDict
from collections.abc import Mapping
from functools import lru_cache
from pathlib import Path, PurePosixPath

from escala.core.colour.config import DEFAULT_CONFIG, ColourConfig, Lut, forget_tables, refers_elsewhere
from escala.core.errors import BadSource, ColourError, EscalaError

from .path_safety import EVERYWHERE, NothingThere, Roots, is_file, printable

SOFT = "Soft"
# The newest of each kind that every supported library has, and our own with a view of lower contrast.
BUILTIN_CONFIGS = {
    DEFAULT_CONFIG: "ocio://cg-config-v4.0.0_aces-v2.0_ocio-v2.5",
    "ACES 1.3": "ocio://cg-config-v2.2.0_aces-v1.3_ocio-v2.4",
    SOFT: str(Path(__file__).parent / "soft" / "config.ocio"),
}
_MOST_LOADED = 16
_MOST_TABLE_BYTES = 64 * 2**20

_Stamp = tuple[int, int] | None
_Key = tuple[str, tuple[tuple[str, str], ...], Roots]


def colour_config(source: str, context: Mapping[str, str] | None = None, roots: Roots = EVERYWHERE) -> ColourConfig:
    """The config of a file, an `ocio://` name or a name of `BUILTIN_CONFIGS`, with values of its context variables.

    It reads tables in its own folder and below `roots`; where those are not everywhere, it knows no environment. One of
    which the file or a table has changed is loaded anew. Raises `ColourError`, which says where it fails.
    """
    address = BUILTIN_CONFIGS.get(source, source)
    key = address, tuple(sorted((context or {}).items())), roots
    with _LOCK:
        known = _LOADED.get(key)
        if known is not None and known[0].is_unchanged:
            _LOADED.move_to_end(key)
            return known[1]
        if known is not None:
            forget_tables()
        files = _NoFiles() if address.startswith("ocio://") else _files_of(address, roots)
        _LOADED[key] = files, _load(address, files, dict(key[1]), roots)
        while len(_LOADED) > _MOST_LOADED:
            _LOADED.popitem(last=False)
        return _LOADED[key][1]


def is_builtin(source: str) -> bool:
    """Whether a config comes with Escala or the library, and so knows nothing of the user's own files."""
    return source in BUILTIN_CONFIGS or source in BUILTIN_CONFIGS.values() or source.startswith("ocio://")


def read_lut(path: Path) -> Lut:
    """The contents of a LUT file. Raises `BadSource` where there is none, `ColourError` for one that is too large."""
    return _lut(path, _stamp(path))


@lru_cache(maxsize=8)
def _lut(path: Path, stamp: _Stamp) -> Lut:
    contents = _contents(path)
    return Lut(path.name, path.suffix.lower(), hashlib.sha256(contents).hexdigest()[:32], contents)


class _NoFiles:
    """What the library brings with it never changes."""

    is_unchanged = True


class _FolderFiles:
    """A config file with its tables, those in its own folder or below the roots."""

    def __init__(self, config: Path, roots: Roots) -> None:
        self._folder, self._roots = config.parent.resolve(), roots
        self._stamps: dict[Path, _Stamp] = {}
        self.text = self._read(config).decode("utf-8", "replace")

    def as_named(self, words: str) -> str:
        """As it is: tables are known by the names that the config has for them."""
        return words

    @property
    def is_unchanged(self) -> bool:
        """Whether every file that was looked for is as it was then, those among them that were not there too."""
        # Another thread may be reading one more table just now.
        return all(_stamp(path) == stamp for path, stamp in self._stamps.copy().items())

    def read(self, name: str) -> bytes:
        """A table; raises `OutsideRoots`, `BadSource` or `ColourError`."""
        place = self._folder / name
        real = place.resolve()
        contents = self._read(real if real.is_relative_to(self._folder) else self._roots.readable(place))
        if not self._roots.is_everywhere and refers_elsewhere(contents):
            raise ColourError(f"{printable(name)} refers to another file: load complete LUTs")
        return contents

    def _read(self, path: Path) -> bytes:
        self._stamps[path] = _stamp(path)
        return _contents(path)


class _ArchiveFiles:
    """A config with its tables in one archive."""

    def __init__(self, archive: Path) -> None:
        self._archive, self._stamp = archive, _stamp(archive)
        self.text = self.read("config.ocio").decode("utf-8", "replace")

    def as_named(self, words: str) -> str:
        """As it is: tables are known by the names that the config has for them."""
        return words

    @property
    def is_unchanged(self) -> bool:
        """Whether the archive is as it was."""
        return _stamp(self._archive) == self._stamp

    def read(self, name: str) -> bytes:
        """A table; raises `BadSource` or `ColourError`."""
        wanted = str(PurePosixPath(name))
        try:
            with zipfile.ZipFile(self._archive) as packed:
                if packed.getinfo(wanted).file_size > _MOST_TABLE_BYTES:
                    raise ColourError(f"{wanted}: larger than {_MOST_TABLE_BYTES >> 20} MiB")
                return packed.read(wanted)
        except KeyError as error:
            raise NothingThere(self._archive / wanted) from error
        except UNREADABLE_ZIP as error:
            raise BadSource(f"{self._archive.name}: the archive cannot be read: {printable(error)}") from error


# What a damaged archive may raise, whatever is damaged in it.
UNREADABLE_ZIP = (zipfile.BadZipFile, zlib.error, OSError, EOFError, NotImplementedError, RuntimeError, ValueError)


def _files_of(address: str, roots: Roots) -> _FolderFiles | _ArchiveFiles:
    path = Path(address)
    try:
        return _ArchiveFiles(path) if path.suffix.lower() in (".ocioz", ".zip") else _FolderFiles(path, roots)
    except ColourError:
        raise
    except EscalaError as error:
        raise ColourError(f"{printable(address)}: no config can be read there: {error}") from error


def _load(
    address: str, files: "_NoFiles | _FolderFiles | _ArchiveFiles", context: dict[str, str], roots: Roots
) -> ColourConfig:
    source = address if isinstance(files, _NoFiles) else files
    key = f"{address} {next(_COUNT)}"
    try:
        return ColourConfig(source, key, context, own=not is_builtin(address), environment=roots.is_everywhere)
    except ColourError as error:
        raise ColourError(f"{printable(address)} is not a colour config: {error}") from error


def _contents(path: Path) -> bytes:
    if not is_file(path):
        raise NothingThere(path)
    if path.stat().st_size > _MOST_TABLE_BYTES:
        raise ColourError(f"{printable(path)}: larger than {_MOST_TABLE_BYTES >> 20} MiB")
    return path.read_bytes()


def _stamp(path: Path) -> _Stamp:
    """Size and time of a file's last change; None for what is no file."""
    try:
        state = path.stat()
    except (OSError, ValueError):
        return None
    return state.st_size, state.st_mtime_ns


_LOADED: "OrderedDict[_Key, tuple[_NoFiles | _FolderFiles | _ArchiveFiles, ColourConfig]]" = OrderedDict()
_LOCK = threading.Lock()
_COUNT = itertools.count(1)
