"""Colour configs imported as a folder or an archive: unpacked, and the config in them found."""

import zipfile
from pathlib import Path, PurePosixPath

from escala.core.errors import BadSource, EscalaError, TooLarge

from .atomic_write import write_bytes
from .configs import UNREADABLE_ZIP
from .path_safety import place_in, printable

ARCHIVES = (".ocioz", ".zip")
_CHUNK = 1 << 20
# What a config and its tables may come as; anything else is excluded.
KEPT = (
    ".ocio", ".cube", ".3dl", ".spi1d", ".spi3d", ".spimtx", ".csp", ".clf", ".ctf", ".cc", ".ccc", ".cdl", ".lut",
    ".vf", ".mga", ".m3d", ".itx", ".look", ".hdl", ".icc", ".icm", ".cub",
)  # fmt: skip


def config_place(folder: Path, name: str) -> Path:
    """Where a file of a config lies; raises `BadSource` for a name that leads out of the folder or is of no use."""
    if PurePosixPath(name).suffix.lower() not in (*KEPT, *ARCHIVES):
        raise BadSource(f"{printable(name)}: a colour config comes as .ocio with its tables, or as one .ocioz or .zip")
    return place_in(folder, name)


def unpack_archives(folder: Path, limit: int) -> None:
    """Unpack every archive in a folder beside itself, and delete it. `limit`: the most bytes of all files together."""
    for archive in [file for file in folder.rglob("*") if file.suffix.lower() in ARCHIVES]:
        try:
            with zipfile.ZipFile(archive) as packed:
                _unpack(packed, archive, limit)
        except (EscalaError, *UNREADABLE_ZIP) as error:
            if isinstance(error, EscalaError):
                raise
            raise BadSource(f"{archive.name}: the archive cannot be read: {printable(error)}") from error
        archive.unlink()


def _unpack(packed: zipfile.ZipFile, archive: Path, limit: int) -> None:
    wanted = [info for info in packed.infolist() if _is_wanted(PurePosixPath(info.filename))]
    if sum(info.file_size for info in wanted) > limit:
        raise TooLarge(archive.name, f"its files are larger than the limit of {limit >> 20} MiB together")
    for info in wanted:
        target = config_place(archive.parent, info.filename)
        target.parent.mkdir(parents=True, exist_ok=True)
        with packed.open(info) as source:
            write_bytes(target, iter(lambda file=source: file.read(_CHUNK), b""))  # type: ignore[misc]


def _is_wanted(name: PurePosixPath) -> bool:
    return name.suffix.lower() in KEPT and not any(part[:1] == "." != part[1:2] for part in name.parts)


def find_config(folder: Path) -> Path:
    """The config in a folder: the one nearest to its top. Raises `BadSource` where there is none, or two as near."""
    found = sorted(folder.rglob("*.ocio"), key=lambda file: (len(file.parts), file.name != "config.ocio", file.name))
    if not found:
        raise BadSource(f"{folder.name}: there is no .ocio file in it")
    rivals = [f for f in found if len(f.parts) == len(found[0].parts)]
    if len(rivals) > 1 and found[0].name != "config.ocio":
        raise BadSource(f"{folder.name} holds several configs: {', '.join(f.name for f in rivals)}; load one of them")
    return found[0]
