"""Colour: configs and what they offer, configs imported, CDL files, the colours of stops."""

import shutil
import tempfile
from contextlib import suppress
from dataclasses import asdict
from pathlib import Path
from typing import Any
from urllib.parse import quote

from flask import Response, request

from escala.core.errors import BadSource
from escala.core.viewer.viewer_aids import BELOW, stop_colours
from escala.database.shots import find_variant, variant_document
from escala.engine.colour.warnings import colour_warnings
from escala.engine.worker import SMALL
from escala.media.atomic_write import translate_write_errors, unfinished
from escala.media.cdl import CdlValues, cdl_text, read_cdl
from escala.media.config_files import config_place, find_config, unpack_archives
from escala.media.configs import colour_config
from escala.media.path_safety import place_in, plain_name, printable
from escala.model.colour import ColourChoice
from escala.model.corrections import CdlCorrection
from escala.model.variant import Variant

from ..app_context import AppContext, app_context, keep_body
from ..clients import client_name
from ..routing import Routes
from ..schemas import VariantPath
from .schemas import (
    BatchQuery,
    CdlOut,
    CdlQuery,
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

_CDL_LIMIT = 1 << 20
_CONFIG_LIMIT = 512 << 20

routes = Routes("colour", __name__, url_prefix="/api")


@routes.get("/colour", responses={200: ColourOut})
def get_colour(query: ColourQuery) -> dict[str, Any]:
    """What a config offers, and the configs to choose from."""
    context = app_context()
    variables = dict(entry.split("=", 1) for entry in query.context if "=" in entry)
    choice = context.resolve_paths(Variant(colour=ColourChoice(config=query.config, context=variables))).colour
    config = colour_config(choice.config, variables, context.roots)
    return colour_out(query.config, config, _brought(context)).model_dump()


@routes.put("/configs/<string:name>/files")
def put_config_file(path: ConfigPath, query: ConfigFileQuery) -> dict[str, str]:
    """Bring in one file of a config; it waits until the whole is there."""
    context = app_context()
    target = config_place(_unfinished(context, path.name, query.batch), query.path)
    keep_body(request.stream, target, _CONFIG_LIMIT)
    return {"path": query.path}


@routes.post("/configs/<string:name>", responses={201: ConfigOut})
def finish_config(path: ConfigPath, query: BatchQuery) -> tuple[dict[str, Any], int]:
    """Make a config of the files that were imported, and try all that it offers."""
    context = app_context()
    folder = _unfinished(context, path.name, query.batch)
    try:
        unpack_archives(folder, _CONFIG_LIMIT)
        found = find_config(folder).relative_to(folder)
        colour_config(str(folder / found), roots=context.roots)
        target = _free_folder(context, path.name)
        with translate_write_errors(target):
            folder.rename(target)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    source = str(target / found)
    config = colour_config(source, roots=context.roots)
    return ConfigOut(source=source, title=target.name, faults=list(config.faults)).model_dump(), 201


@routes.get("/variants/<int:variant_id>/colour-warnings", responses={200: WarningsOut})
def get_colour_warnings(path: VariantPath) -> dict[str, Any]:
    """The mistakes of a variant's colour pipeline, with their shares and places."""
    context = app_context()
    with context.database.reading() as session:
        row = find_variant(session, path.variant_id)
        document, shot_id = context.resolve_paths(variant_document(row)), row.shot_id
    opened = context.open(shot_id, document)
    found = context.evaluator_pool.evaluate(
        lambda: colour_warnings(opened.interpret(), document), SMALL, client=client_name()
    )
    return {"warnings": [asdict(warning) for warning in found]}


@routes.get("/false-colour-legend", responses={200: StopColours})
def get_stop_colours() -> dict[str, Any]:
    """The colours of the bands of one stop."""
    colours = [(int(red), int(green), int(blue)) for red, green, blue in stop_colours()]
    return {"stops": [{"stop": i - BELOW, "colour": colour} for i, colour in enumerate(colours)]}


@routes.get("/variants/<int:variant_id>/cdl")
def write_cdl_file(path: VariantPath, query: CdlQuery) -> Response:
    """The CDL corrections of a variant as a file, each by its id."""
    with app_context().database.reading() as session:
        row = find_variant(session, path.variant_id)
        variant, name = variant_document(row), plain_name(row.name.lower(), "grade")
    decisions = {
        c.id: CdlValues(c.slope, c.offset, c.power, c.saturation)
        for c in variant.corrections
        if isinstance(c, CdlCorrection) and c.is_seen
    }
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}.{query.format}"}
    return Response(cdl_text(decisions, f".{query.format}"), mimetype="application/xml", headers=headers)


@routes.post("/cdl", responses={200: CdlOut})
def read_cdl_file() -> dict[str, Any]:
    """The numbers of a colour decision file."""
    name = request.args.get("name", "grade.cdl")
    if Path(name).suffix.lower() not in (".cdl", ".cc", ".ccc"):
        raise BadSource(f"{printable(name)}: a CDL file must be .cdl, .cc or .ccc")
    with translate_write_errors(name), tempfile.TemporaryDirectory(prefix="escala-") as folder:
        values = read_cdl(keep_body(request.stream, place_in(Path(folder), name), _CDL_LIMIT))
    return {"slope": values.slope, "offset": values.offset, "power": values.power, "saturation": values.saturation}


def _config_name(name: str) -> str:
    plain = plain_name(name, "")
    if not plain:
        raise BadSource(f"{printable(name)!r} is no name for a config")
    return plain


def _unfinished(context: AppContext, name: str, batch: str) -> Path:
    """The folder in which the files of a config gather until it is whole."""
    return context.settings.configs / f"{unfinished()}{_config_name(name)}.{batch}"


def _free_folder(context: AppContext, name: str) -> Path:
    """A folder that no config has yet: one that is in use by variants is never replaced."""
    wanted = _config_name(name)
    names = [wanted, *(f"{wanted}-{n}" for n in range(2, 1000))]
    return next(folder for folder in (context.settings.configs / n for n in names) if not folder.exists())


def _brought(context: AppContext) -> list[ConfigName]:
    """The configs that were imported."""
    found = []
    for folder in sorted(f for f in context.settings.configs.iterdir() if f.is_dir() and not f.name.startswith(".")):
        with suppress(BadSource):  # a folder that somebody emptied or filled manually
            found.append(ConfigName(source=str(find_config(folder)), title=folder.name))
    return found
