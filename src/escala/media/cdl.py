"""ASC CDL files (.cdl, .cc, .ccc), read and written by OpenColorIO."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

import PyOpenColorIO as ocio

from escala.core.errors import BadSource, UnreadableFile, choose

from .path_safety import is_file, printable

# By the file's extension, the library's word for the format.
FORMATS = {".cc": "ColorCorrection", ".ccc": "ColorCorrectionCollection", ".cdl": "ColorDecisionList"}


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


def cdl_text(decisions: Mapping[str, CdlValues], suffix: str) -> str:
    """Decisions by their identifiers as the text of a file with this extension; a `.cc` holds the first alone.

    Raises `UnknownChoice` for another extension, `BadSource` where there is nothing to write.
    """
    kind = choose("file extension of a colour decision", suffix, FORMATS)
    if not decisions:
        raise BadSource("there is no CDL to export: add a CDL first")
    group = ocio.GroupTransform()
    for identifier, values in list(decisions.items())[: 1 if suffix == ".cc" else None]:
        transform = ocio.CDLTransform()
        transform.setID(identifier)
        transform.setSlope(values.slope)
        transform.setOffset(values.offset)
        transform.setPower(values.power)
        transform.setSat(values.saturation)
        group.appendTransform(transform)
    return str(group.write(formatName=kind, config=ocio.Config.CreateRaw()))
