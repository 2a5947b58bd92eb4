"""The board: every cell's share of the picture's energy, and all its small live pictures on one sheet."""

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from escala.core.balance.mixing import channel_means, mix_planes
from escala.core.beauty.recipes import COMPONENTS, GRID, LIGHTS, Recipe
from escala.core.planes import Planes, as_planes
from escala.core.viewer.lift import lift_of
from escala.media.jpeg import encode_jpeg
from escala.model.variant import Variant

from ..colour.pipeline import ColourPipeline
from ..evaluator import Evaluator
from ..request import EvaluationRequest, Quality
from ..viewer.screen import moving_bytes, resting_bytes
from ..viewer.viewport import Viewport, whole_viewport
from .plan import plan_balance

ALL = "all"

LEAST_RESIDUAL = 1e-3
"""Of the beauty's energy: a residual below is the rounding of passes, and has no row."""


@dataclass(frozen=True)
class BoardCell:
    """A cell: its light and component (`all`: the whole row or column), its share 0..1, its place on the sheet.

    `lift`: stops by which its picture is lifted on a lifted sheet.
    """

    light: str
    component: str
    share: float
    row: int
    column: int
    lift: int


@dataclass(frozen=True)
class Board:
    """Rows and columns of the board; `light_colours` are display bytes of each light's own tint.

    A render with one axis only has one column, or one row, named `all`. `added`: the lights that are made from passes.
    `residual`: what no pass holds, None where that is nothing and has no level.
    """

    lights: tuple[str, ...]
    components: tuple[str, ...]
    cells: tuple[BoardCell, ...]
    added: tuple[BoardCell, ...]
    residual: BoardCell | None
    light_colours: dict[str, tuple[int, int, int]]
    is_grid: bool
    tile_width: int
    tile_height: int


def board_recipes(evaluator: Evaluator) -> list[Recipe]:
    """The grid where the render has both axes, else the strips that it has."""
    grid = evaluator.render.recipe(GRID)
    if grid:
        return [grid]
    return [recipe for name in (LIGHTS, COMPONENTS) if (recipe := evaluator.render.recipe(name))]


def draw_board(evaluator: Evaluator, variant: Variant, lifted: bool = False) -> tuple[Board, bytes]:
    """The board of a variant and its sheet of pictures as JPEG, cell (row, column) at that place in tiles.

    It is drawn once for a variant's state: the two are requested one after the other. `lifted`: each picture as many
    stops brighter as its cell says, to be seen.
    """
    files = evaluator.light_sum.files(evaluator.make_request(variant, whole_viewport(evaluator.render)))
    facts = variant.model_dump_json(), files, lifted
    key = evaluator.keys.for_interpretation("board", *facts, colour_pipeline=evaluator.colour_pipeline(variant))
    return evaluator.cache.get(key, lambda: _drawn(evaluator, variant, lifted))


def _drawn(evaluator: Evaluator, variant: Variant, lifted: bool) -> tuple[Board, bytes]:
    viewport = whole_viewport(evaluator.render)
    request = evaluator.make_request(variant, viewport, Quality.PREVIEW)
    colour_pipeline = request.colour_pipeline
    size = (viewport.out_width, viewport.out_height)
    recipes = board_recipes(evaluator)
    if not recipes:
        return Board((), (), (), (), None, {}, False, *size), encode_jpeg(np.zeros((8, 8, 3), np.uint8))
    parts = [evaluator.light_sum.levelled_terms(recipe, request) for recipe in recipes]
    cells, tiles = _grid_cells(recipes[0], parts[0]) if recipes[0].name == GRID else _strip_cells(recipes, parts)
    added = [light for light in request.variant.balance.added if light.on]
    residual = _residual(evaluator, request)
    beside = [evaluator.light_sum.added.levelled(light, request) for light in added]
    beside += [] if residual is None else [residual]
    rows = itertools.count(1 + max(row for _, _, row, _ in cells))
    names = [*(light.name for light in added), ALL]
    cells += [(name, ALL, next(rows), 0) for name, _ in zip(names, beside, strict=False)]
    tiles += beside
    counted = [*parts[0], *beside]
    total = max(sum(_energy(planes, colour_pipeline) for planes in counted), 1e-12)
    energies = [_energy(tile, colour_pipeline) for tile in tiles]
    placed = tuple(
        BoardCell(light, component, max(0.0, energy / total), row, column, lift_of(energy))
        for (light, component, row, column), energy in zip(cells, energies, strict=True)
    )
    lights = dict.fromkeys(light for recipe in recipes for light in recipe.lights)
    components = dict.fromkeys(name for recipe in recipes for name in recipe.components)
    whole = {cell.light: tile for cell, tile in zip(placed, tiles, strict=True) if cell.component == ALL}
    own = {light: tile for light, tile in whole.items() if light != ALL}
    colours = dict(zip(own, _own_colours(list(own.values()), colour_pipeline), strict=True))
    first = len(placed) - len(beside)
    shown, made, left = placed[:first], placed[first : first + len(added)], placed[first + len(added) :]
    is_grid = recipes[0].name == GRID
    board = Board(tuple(lights), tuple(components), shown, made, next(iter(left), None), colours, is_grid, *size)
    places = [(cell.row, cell.column) for cell in placed]
    if lifted:
        tiles = [tile * np.float32(2**cell.lift) for tile, cell in zip(tiles, placed, strict=True)]
    return board, encode_jpeg(draw_sheet(tiles, places, viewport, colour_pipeline))


def _residual(evaluator: Evaluator, request: EvaluationRequest) -> Planes | None:
    """What no pass holds at its level, where the board has a row for it."""
    plan = plan_balance(evaluator.render, request.variant, request.colour_pipeline.working)
    stored = evaluator.terms.residual(plan.recipe, request) if plan else None
    if plan is None or stored is None:
        return None
    beauty = evaluator.terms.beauty(plan.recipe, request)
    whole = 0.0 if beauty is None else _energy(np.abs(beauty), request.colour_pipeline)
    is_seen = _energy(np.abs(stored), request.colour_pipeline) > LEAST_RESIDUAL * whole
    if not is_seen and request.variant.balance.residual.is_neutral:
        return None
    return evaluator.light_sum.levelled_residual(request)


def draw_sheet(
    tiles: list[Planes], places: list[tuple[int, int]], viewport: Viewport, colour_pipeline: ColourPipeline
) -> NDArray[np.uint8]:
    """Many small pictures on one, each at its (row, column), as display bytes."""
    rows, columns = 1 + max(row for row, _ in places), 1 + max(column for _, column in places)
    sheet = np.zeros((3, rows * viewport.out_height, columns * viewport.out_width), np.float32)
    for tile, (row, column) in zip(tiles, places, strict=True):
        top, left = row * viewport.out_height, column * viewport.out_width
        sheet[:, top : top + viewport.out_height, left : left + viewport.out_width] = tile
    return moving_bytes(sheet, colour_pipeline)


def _energy(planes: Planes, colour_pipeline: ColourPipeline) -> float:
    return float(channel_means(planes) @ colour_pipeline.working.luminance_weights)


def _own_colours(tiles: list[Planes], colour_pipeline: ColourPipeline) -> list[tuple[int, int, int]]:
    """The mean tint of each light, as bright as the screen shows it."""
    if not tiles:
        return []
    means = np.maximum([channel_means(planes) for planes in tiles], 0.0)
    bright = 0.5 * means / np.maximum(means.max(axis=1, keepdims=True), 1e-12)
    shown = resting_bytes(as_planes(bright.T).reshape(3, 1, -1), colour_pipeline)[0]
    return [(int(red), int(green), int(blue)) for red, green, blue in shown]


Place = tuple[str, str, int, int]


def _grid_cells(recipe: Recipe, parts: list[Planes]) -> tuple[list[Place], list[Planes]]:
    """Cells of the grid, then the whole of each row in a last column and of each column in a last row."""
    lights, components = list(recipe.lights), list(recipe.components)
    places: list[Place] = []
    tiles: list[Planes] = []
    for term, planes in zip(recipe.terms, parts, strict=True):
        if term.light and term.component:
            places.append((term.light, term.component, lights.index(term.light), components.index(term.component)))
            tiles.append(planes)
    for row, light in enumerate(lights):
        places.append((light, ALL, row, len(components)))
        tiles.append(_sum([p for t, p in zip(recipe.terms, parts, strict=True) if t.light == light]))
    for column, component in enumerate(components):
        places.append((ALL, component, len(lights), column))
        tiles.append(_sum([p for t, p in zip(recipe.terms, parts, strict=True) if t.component == component]))
    return places, tiles


def _strip_cells(recipes: list[Recipe], parts: list[list[Planes]]) -> tuple[list[Place], list[Planes]]:
    """A strip of lights in the first row, a strip of components in the second; what both sums hold is shown once."""
    places: list[Place] = []
    tiles: list[Planes] = []
    for row, (recipe, pictures) in enumerate(zip(recipes, parts, strict=True)):
        later = {name for other in recipes[row + 1 :] for name in other.components}
        own = [(t, p) for t, p in zip(recipe.terms, pictures, strict=True) if t.light or t.component not in later]
        for column, (term, planes) in enumerate(own):
            on_lights = recipe.name == LIGHTS and term.light
            names = (term.light or ALL, ALL) if on_lights else (ALL, term.component or ALL)
            places.append((*names, row, column))
            tiles.append(planes)
    return places, tiles


def _sum(parts: list[Planes]) -> Planes:
    return mix_planes(parts, np.ones((len(parts), 3), np.float32))
