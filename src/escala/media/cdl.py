"""ASC CDL files (.cdl, .cc, .ccc), read by OpenColorIO."""

from dataclasses import dataclass
from pathlib import Path

import PyOpenColorIO as ocio

from escala.core.errors import UnreadableFile


@dataclass(frozen=True)
class CdlValues:
    """The ten numbers of a colour decision."""

    slope: tuple[float, float, float]
    offset: tuple[float, float, float]
    power: tuple[float, float, float]
    saturation: float


def read_cdl(path: Path, identifier: str = "") -> CdlValues:
    """The decision of this identifier, or the first of the file. Raises `UnreadableFile`."""
    if not path.is_file():
        raise UnreadableFile(path, "no such file")
    try:
        found = ocio.CDLTransform.CreateFromFile(str(path), identifier)
    except (ocio.Exception, ocio.ExceptionMissingFile) as error:
        raise UnreadableFile(path, f"not a CDL file: {' '.join(str(error).split())[:160]}") from error
    slope, offset, power = (tuple(map(float, v)) for v in (found.getSlope(), found.getOffset(), found.getPower()))
    return CdlValues(slope, offset, power, float(found.getSat()))  # type: ignore[arg-type]
