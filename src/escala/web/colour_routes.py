"""Colour: configs and what they offer, configs brought in, CDL files, the colours of stops."""

import re
import shutil
import tempfile
from dataclasses import asdict
from pathlib import Path
from typing import Any

from flask import request
from flask_openapi3 import APIBlueprint

from escala.core.errors import BadSource
from escala.core.viewer_aids import BELOW, stop_colours
from escala.engine.colour_warnings import colour_warnings
from escala.engine.worker import SMALL
from escala.media.cdl import read_cdl
from escala.media.config_files import find_config, place_in, unpack_archives
from escala.media.configs import colour_config
from escala.model.variant import ColourChoice, Variant
from escala.record.shots import find_variant, variant_document

from .colour_schemas import (
    BatchQuery,
    CdlOut,
    ColourOut,
    ColourQuery,
    ConfigFileQuery,
    ConfigName,
    ConfigOut,
    ConfigPath,
    StopColours,
    WarningsOut,
    colour_out,
)
from .schemas import VariantPath
from .studio import Studio, keep_body

_CDL_LIMIT = 1 << 20
_CONFIG_LIMIT = 512 << 20


def colour_routes(studio: Studio) -> APIBlueprint:
    """The blueprint."""
    routes = APIBlueprint("colour", __name__, url_prefix="/api")

    @routes.get("/colour", responses={200: ColourOut})
    def get_colour(query: ColourQuery) -> dict[str, Any]:
        context = dict(entry.split("=", 1) for entry in query.context if "=" in entry)
        studio.check_files(Variant(colour=ColourChoice(config=query.config, context=context)))
        return colour_out(query.config, context, _brought(studio)).model_dump()

    @routes.put("/configs/<string:name>/files")
    def put_config_file(path: ConfigPath, query: ConfigFileQuery) -> dict[str, str]:
        target = place_in(_unfinished(studio, path.name, query.batch), query.path)
        target.parent.mkdir(parents=True, exist_ok=True)
        keep_body(request.stream, target, _CONFIG_LIMIT)
        return {"path": query.path}

    @routes.post("/configs/<string:name>", responses={201: ConfigOut})
    def finish_config(path: ConfigPath, query: BatchQuery) -> tuple[dict[str, Any], int]:
        folder = _unfinished(studio, path.name, query.batch)
        try:
            unpack_archives(folder, _CONFIG_LIMIT)
            found = find_config(folder).relative_to(folder)
            studio.check_files(Variant(colour=ColourChoice(config=str(folder / found))))
            target = _free_folder(studio, path.name)
            folder.rename(target)
        finally:
            shutil.rmtree(folder, ignore_errors=True)
        source = str(target / found)
        config = colour_config(source)
        return ConfigOut(source=source, title=target.name, faults=list(config.faults)).model_dump(), 201

    @routes.get("/variants/<int:variant_id>/colour-warnings", responses={200: WarningsOut})
    def get_colour_warnings(path: VariantPath) -> dict[str, Any]:
        with studio.session() as session:
            row = find_variant(session, path.variant_id)
            document, shot_id = variant_document(row), row.shot_id
        engine = studio.engine_of_variant(shot_id, document)
        found = studio.thread.run(lambda: colour_warnings(engine, document), SMALL)
        return {"warnings": [asdict(warning) for warning in found]}

    @routes.get("/stops", responses={200: StopColours})
    def get_stop_colours() -> dict[str, Any]:
        colours = [(int(red), int(green), int(blue)) for red, green, blue in stop_colours()]
        return {"stops": [{"stop": i - BELOW, "colour": colour} for i, colour in enumerate(colours)]}

    @routes.post("/cdl", responses={200: CdlOut})
    def read_cdl_file() -> dict[str, Any]:
        name = Path(request.args.get("name", "grade.cdl")).name
        if Path(name).suffix.lower() not in (".cdl", ".cc", ".ccc"):
            raise BadSource(f"{name}: a colour decision comes as .cdl, .cc or .ccc")
        with tempfile.TemporaryDirectory(prefix="escala-") as folder:
            file = Path(folder) / name
            file.write_bytes(request.get_data(cache=False)[:_CDL_LIMIT])
            values = read_cdl(file)
        return {"slope": values.slope, "offset": values.offset, "power": values.power, "saturation": values.saturation}

    return routes


def _plain_name(name: str) -> str:
    plain = re.sub(r"[^\w.-]+", "_", name).strip("._")[:80]
    if not plain:
        raise BadSource(f"{name!r} is no name for a config")
    return plain


def _unfinished(studio: Studio, name: str, batch: str) -> Path:
    """The folder in which the files of a config gather until it is whole."""
    return studio.settings.configs / f".{_plain_name(name)}.{batch}.part"


def _free_folder(studio: Studio, name: str) -> Path:
    """A folder that no config has yet: one that is in use by variants is never replaced."""
    wanted = _plain_name(name)
    names = [wanted, *(f"{wanted}-{n}" for n in range(2, 1000))]
    return next(folder for folder in (studio.settings.configs / n for n in names) if not folder.exists())


def _brought(studio: Studio) -> list[ConfigName]:
    """The configs that were brought in."""
    folders = sorted(f for f in studio.settings.configs.iterdir() if f.is_dir() and not f.name.startswith("."))
    whole = [folder for folder in folders if any(folder.rglob("*.ocio"))]
    return [ConfigName(source=str(find_config(folder)), title=folder.name) for folder in whole]
