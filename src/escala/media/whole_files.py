"""Whether a delivered file is there whole: what a copy cut short, or another program left, is not."""

from pathlib import Path

import OpenImageIO as oiio

from escala.core.errors import EscalaError

from .exr import check_end
from .optional_packages import video_package
from .path_safety import is_file
from .video_writer import CODECS

_JPEG = (".jpg", ".jpeg")
# The last frame begins so many frames before the end of a file, at most.
_FRAMES_SHORT = 1.5


def is_whole(path: Path) -> bool:
    """Whether a file of a format that is delivered exists and can be read to its end."""
    if not is_file(path) or path.stat().st_size < 2:
        return False
    try:
        if path.suffix.lower() == ".exr":
            check_end(path)
            return True
    except EscalaError:
        return False
    return _video_is_whole(path) if path.suffix.lower() in CODECS else _still_is_whole(path)


def _still_is_whole(path: Path) -> bool:
    if path.suffix.lower() in _JPEG and not _ends_with(path, b"\xff\xd9"):
        return False  # the library fills what is missing with grey
    source = oiio.ImageInput.open(str(path))
    if source is None:
        oiio.geterror()
        return False
    try:
        bottom = source.spec().height
        is_read = source.read_scanlines(bottom - 1, bottom, 0, 0, 1, oiio.UINT8) is not None
        source.geterror()
        return bool(is_read)
    finally:
        source.close()


def _ends_with(path: Path, mark: bytes) -> bool:
    with path.open("rb") as file:
        file.seek(-len(mark), 2)
        return file.read() == mark


def _video_is_whole(path: Path) -> bool:
    av = video_package()

    try:
        with av.open(str(path)) as file:
            stream = file.streams.video[0]
            ends = [float(p.pts * p.time_base) for p in file.demux(stream) if p.size and p.pts is not None]
            length = (file.duration or 0) / av.time_base
            return bool(ends) and max(ends) + _FRAMES_SHORT / float(stream.average_rate or 1) >= length
    except (OSError, ValueError, IndexError):
        return False
