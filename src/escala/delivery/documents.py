"""Documents from files: variants and presets, each refused with the place of what is wrong in it."""

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from escala.core.errors import BadSource, UnreadableFile
from escala.model.balance_preset import BalancePreset
from escala.model.delivery_preset import DeliveryPreset
from escala.model.strict_json import from_json
from escala.model.variant import Variant


def read_variant(path: Path) -> Variant:
    """A variant from its file. Raises `UnreadableFile` with the place of what is wrong in it."""
    if not path.is_file():
        raise UnreadableFile(path, "no such file")
    try:
        return _with_own_paths(Variant.model_validate_json(path.read_bytes()), path.parent)
    except ValidationError as error:
        raise UnreadableFile(path, f"not a variant: {first_fault(error)}") from error


def kind_of(path: Path) -> str:
    """What a file says that it is: "balance" or "delivery"; "variant" where it says nothing."""
    try:
        document = from_json(read_text(path))
    except (ValueError, UnreadableFile):
        return "variant"
    kind = document.get("escala") if isinstance(document, dict) else None
    return "delivery" if kind == "delivery" else "variant" if kind is None else "balance"


def read_preset(path: Path) -> BalancePreset:
    """A balance preset from its file. Raises `UnreadableFile` with what is wrong in it."""
    try:
        return BalancePreset.model_validate_json(read_text(path))
    except ValidationError as error:
        raise UnreadableFile(path, f"not a balance preset: {first_fault(error)}") from error


def read_delivery_preset(path: Path) -> DeliveryPreset:
    """A delivery preset from its file. Raises `UnreadableFile` with what is wrong in it."""
    try:
        return DeliveryPreset.model_validate_json(read_text(path))
    except ValidationError as error:
        raise UnreadableFile(path, f"not a delivery preset: {first_fault(error)}") from error


def delivery_preset(document: Mapping[str, Any]) -> DeliveryPreset:
    """A delivery preset from plain values. Raises `BadSource` with what is wrong in it."""
    try:
        return DeliveryPreset.model_validate(dict(document))
    except ValidationError as error:
        raise BadSource(f"not a delivery preset: {first_fault(error)}") from error


def first_fault(error: ValidationError) -> str:
    """The first thing that is wrong in a document, with its place."""
    first = error.errors()[0]
    place = ".".join(str(step) for step in first["loc"])
    return f"{place + ': ' if place else ''}{first['msg']}"


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
