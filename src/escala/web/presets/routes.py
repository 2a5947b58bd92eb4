"""Presets: corrections kept under a name, for every shot."""

from typing import Any

from pydantic import BaseModel, Field

from escala.database.presets import all_presets, drop_preset, keep_preset
from escala.model.corrections import Corrected, Correction

from ..app_context import app_context
from ..routing import Routes

routes = Routes("presets", __name__, url_prefix="/api/presets")


class PresetName(BaseModel):
    """The name of a preset; any signs may stand in it, so it is no part of an address."""

    name: str = Field(min_length=1, max_length=120)


class PresetKept(PresetName, Corrected):
    """Corrections to keep under a name."""


class PresetOut(BaseModel):
    """Corrections under a name."""

    name: str
    corrections: list[Correction]


class PresetsOut(BaseModel):
    """All presets."""

    presets: list[PresetOut]


@routes.get("", responses={200: PresetsOut})
def list_presets() -> dict[str, Any]:
    """All presets by their names."""
    with app_context().database.reading() as session:
        return {"presets": [{"name": row.name, "corrections": row.corrections} for row in all_presets(session)]}


@routes.put("", responses={200: PresetOut})
def put_preset(body: PresetKept) -> dict[str, Any]:
    """Keep corrections under a name; where and of what they were is excluded."""
    with app_context().database.writing() as session:
        row = keep_preset(session, body.name, body.corrections)
        return {"name": row.name, "corrections": row.corrections}


@routes.delete("")
def delete_preset(query: PresetName) -> tuple[str, int]:
    """Take a preset away."""
    with app_context().database.writing() as session:
        drop_preset(session, query.name)
    return "", 204
