"""Documents from files: variants and presets, each refused with the place of what is wrong in it."""

from pathlib import Path

from pydantic import ValidationError

from escala.core.errors import UnreadableFile
from escala.model.balance_preset import BalancePreset
from escala.model.strict_json import from_json
from escala.model.variant import Variant


def read_variant(path: Path) -> Variant:
    """A variant from its file. Raises `UnreadableFile` with the place of what is wrong in it."""
    if not path.is_file():
        raise UnreadableFile(path, "no such file")
    try:
        return _with_own_paths(Variant.model_validate_json(path.read_bytes()), path.parent)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(step) for step in first["loc"])
        raise UnreadableFile(path, f"not a variant: {place + ': ' if place else ''}{first['msg']}") from error


def is_preset(path: Path) -> bool:
    """Whether a file says that it is a preset rather than a variant."""
    try:
        document = from_json(read_text(path))
    except (ValueError, UnreadableFile):
        return False
    return isinstance(document, dict) and "escala" in document


def read_preset(path: Path) -> BalancePreset:
    """A balance preset from its file. Raises `UnreadableFile` with what is wrong in it."""
    try:
        return BalancePreset.model_validate_json(read_text(path))
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(step) for step in first["loc"])
        raise UnreadableFile(path, f"not a balance preset: {place + ': ' if place else ''}{first['msg']}") from error


def read_text(path: Path) -> str:
    """A text file. Raises `UnreadableFile`."""
    if not path.is_file():
        raise UnreadableFile(path, "no such file")
    try:
        return path.read_text(encoding="utf-8-sig")
    except (OSError, ValueError) as error:
        raise UnreadableFile(path, "it is no text file") from error


def _with_own_paths(variant: Variant, folder: Path) -> Variant:
    """The variant with the pictures that it names beside its own file, where they have no whole path."""
    return variant.with_pictures(lambda picture: str(folder / picture))
