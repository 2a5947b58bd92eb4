"""The door through which files are written: each appears whole, on the disk, or not at all."""

import errno
import os
import platform
import re
import shutil
import tempfile
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path

import psutil

from escala.core.errors import EscalaError, NoRoom, UnreadableFile

_UNFINISHED = re.compile(r"\.escala-(?:(\d+)-(\d+)-)?|\.new-")
_FULL = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG)
_FULL_WORDS = ("no space left", "disk is full", "disk full", "quota exceeded", "file too large")


def write_atomically(path: Path, write: Callable[[Path], None]) -> Path:
    """Let `write` make a file beside `path`, then put it in its place in one step, once the disk has it.

    Raises `NoRoom` where the disk is full, `UnreadableFile` where it cannot be written for another reason.
    """
    with translate_write_errors(path), tempfile.TemporaryDirectory(prefix=unfinished(), dir=path.parent) as folder:
        growing = Path(folder) / path.name
        write(growing)
        with growing.open("rb+") as file:
            os.fsync(file.fileno())
        os.replace(growing, path)
    return path


def write_bytes(path: Path, chunks: Iterable[bytes]) -> Path:
    """A file of these bytes, whole or not at all; errors as of `write_atomically`."""

    def write(growing: Path) -> None:
        with growing.open("wb") as file:
            for chunk in chunks:
                file.write(chunk)

    return write_atomically(path, write)


def make_folder(parent: Path, prefix: str) -> Path:
    """A new folder of its own, its name beginning with `prefix`. Raises as `write_atomically`."""
    with translate_write_errors(parent):
        return Path(tempfile.mkdtemp(prefix=prefix, dir=parent))


@contextmanager
def translate_write_errors(path: object) -> Iterator[None]:
    """Turns what the system or a library says while it writes into a sentence of ours."""
    try:
        yield
    except EscalaError:
        raise
    except (OSError, RuntimeError) as error:
        if is_full(error):
            raise NoRoom(path) from error
        reason = getattr(error, "strerror", None) or " ".join(str(error).split())[:200]
        raise UnreadableFile(path, f"it cannot be written: {reason}") from error


def is_full(error: BaseException) -> bool:
    """Whether an error says that a disk is full, however it says it."""
    words = str(error).lower()
    return getattr(error, "errno", None) in _FULL or any(known in words for known in _FULL_WORDS)


@cache
def unfinished() -> str:
    """How the name begins of what grows beside its place until it is whole: it identifies the process."""
    return f".escala-{owner()}-"


@cache
def owner() -> str:
    """This process, distinguished from a later one of the same number by its start time."""
    return f"{os.getpid()}-{_start_time(os.getpid())}"


def is_alive(process: str) -> bool:
    """Whether the process of this `owner()` still runs."""
    number, _, began = process.partition("-")
    try:
        return _start_time(int(number)) == int(began)
    except (OSError, psutil.Error, ValueError, OverflowError):
        return False


def _start_time(number: int) -> int:
    """When a process started: on Linux in clock ticks since the system started, which no set clock changes."""
    if platform.system() != "Linux":
        return int(psutil.Process(number).create_time())
    after_name = Path(f"/proc/{number}/stat").read_text().rpartition(")")[2]
    return int(after_name.split()[19])


def remove_stale(folder: Path) -> int:
    """Delete what killed processes left half-written directly in a folder or in its folders; how many there were."""
    swept = 0
    for entry in (*folder.glob(".*"), *folder.glob("*/.*")):
        found = _UNFINISHED.match(entry.name)
        if not found or (found[1] and is_alive(f"{found[1]}-{found[2]}")):
            continue
        swept += 1
        if entry.is_dir() and not entry.is_symlink():
            shutil.rmtree(entry, ignore_errors=True)
        else:
            entry.unlink(missing_ok=True)
    return swept
