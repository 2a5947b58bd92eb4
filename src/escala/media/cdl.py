"""ASC CDL files (.cdl, .cc, .ccc), read by OpenColorIO."""

from dataclasses import dataclass
from pathlib import Path

import PyOpenColorIO as ocio

from escala.core.errors import UnreadableFile

from .places import is_file, printable


@dataclass(frozen=True)
class CdlValues:
    """The ten numbers of a colour decision."""

    slope: tuple[float, float, float]
    offset: tuple[float, float, float]
    power: tuple[float, float, float]
    saturation: float


def read_cdl(path: Path, identifier: str = "") -> CdlValues:
    """The decision of this identifier, or the first of the file. Raises `UnreadableFile`."""
    if not is_file(path):
        raise UnreadableFile(path, "no such file")
    try:
        found = ocio.CDLTransform.CreateFromFile(str(path), identifier)
    except UnicodeDecodeError as error:  # it quotes a file that is no text
        raise UnreadableFile(path, "not a CDL file: it is no text") from error
    except (ocio.Exception, ocio.ExceptionMissingFile) as error:
        raise UnreadableFile(path, f"not a CDL file: {printable(' '.join(str(error).split()))}") from error
    slope, offset, power = (tuple(map(float, v)) for v in (found.getSlope(), found.getOffset(), found.getPower()))
    return CdlValues(slope, offset, power, float(found.getSat()))  # type: ignore[arg-type]
