"""Delivery presets: the shipped ones, and those of one's own, for every shot."""

from contextlib import suppress
from typing import Any

from pydantic import ValidationError

from escala.core.errors import BadSource
from escala.database.deliveries import all_delivery_presets, drop_delivery_preset, keep_delivery_preset
from escala.delivery.shipped_presets import SHIPPED

from ..app_context import app_context
from ..routing import Routes
from .schemas import DeliveryPresetKept, DeliveryPresetName, DeliveryPresetOut, DeliveryPresets

routes = Routes("delivery_presets", __name__, url_prefix="/api/delivery-presets")


@routes.get("", responses={200: DeliveryPresets})
def list_delivery_presets() -> dict[str, Any]:
    """The shipped presets, then one's own."""
    return {"presets": [preset.model_dump(mode="json") for preset in _presets()]}


@routes.put("", responses={200: DeliveryPresetOut})
def put_delivery_preset(body: DeliveryPresetKept) -> dict[str, Any]:
    """Keep files under a name. Raises `BadSource` for the name of a shipped preset."""
    if any(preset.name == body.name for preset in SHIPPED):
        raise BadSource(f"{body.name!r} is a preset of the application: choose another name")
    with app_context().database.writing() as session:
        keep_delivery_preset(session, body.name, [file.model_dump(mode="json") for file in body.files])
    return DeliveryPresetOut(name=body.name, shipped=False, files=body.files).model_dump(mode="json")


@routes.delete("")
def delete_delivery_preset(query: DeliveryPresetName) -> tuple[str, int]:
    """Remove a preset of one's own."""
    with app_context().database.writing() as session:
        drop_delivery_preset(session, query.name)
    return "", 204


def _presets() -> list[DeliveryPresetOut]:
    with app_context().database.reading() as session:
        own = [(row.name, row.files) for row in all_delivery_presets(session)]
    shipped = [DeliveryPresetOut(name=one.name, shipped=True, files=list(one.files)) for one in SHIPPED]
    kept = []
    for name, files in own:
        with suppress(ValidationError):  # of another version: it stays in the database
            kept.append(DeliveryPresetOut(name=name, shipped=False, files=files))
    return [*shipped, *kept]
