"""The shelf: a variant's mattes as small pictures, what each covers, where it is used, and what it waits for."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from escala.core.planes import Matte
from escala.core.viewer.viewer_aids import show_matte
from escala.media.jpeg import encode_jpeg
from escala.model.mattes import members_of
from escala.model.variant import Variant

from ..evaluator import Evaluator
from ..request import Quality
from ..viewer.viewport import Viewport, whole_viewport
from ..worker import yield_to_urgent
from .kinds import absent_of
from .manifests import crypto_layers
from .objects import ObjectHit, missing_of_layer, pick_objects

TILE_WIDTH, TILES_A_ROW = 112, 8
# Tiles of one sheet: more would make others wait, and a picture that no format holds.
MAX_TILES = 256
# Outlines are drawn by so many pixels along the longer side of what is seen, and by so many lines at most.
_OUTLINE_PIXELS, _MOST_OUTLINES = 960, 400

Outline = list[list[float]]


@dataclass(frozen=True)
class ShelfMatte:
    """A matte of a variant: the share of the picture that it covers, and its tile (row, column) on the sheet.

    `uses`: pointers to the fields in which it limits something; `joined_in`: the mattes that are joined from it;
    `waits`: what it names and the render does not have.
    """

    name: str
    kind: str
    share: float
    row: int
    column: int
    uses: tuple[str, ...]
    members: tuple[str, ...]
    joined_in: tuple[str, ...]
    waits: tuple[str, ...]


@dataclass(frozen=True)
class Shelf:
    """Some of the mattes of a variant, in order of their names; tiles are of one size. `total`: how many it has."""

    mattes: tuple[ShelfMatte, ...]
    total: int
    tile_width: int
    tile_height: int


@dataclass(frozen=True)
class ObjectLayer:
    """A cryptomatte layer: its names, and the share of what is covered that its stored ranks leave out, 0..1."""

    name: str
    names: tuple[str, ...]
    missing: float


@dataclass(frozen=True)
class PickResult:
    """What lies at a place, by layer, nearest rank first; the outline of the first there, as closed lines."""

    found: tuple[ObjectHit, ...]
    outline: list[Outline]


def draw_shelf(evaluator: Evaluator, variant: Variant, first: int = 0, count: int = MAX_TILES) -> tuple[Shelf, bytes]:
    """Mattes of a variant from the `first` on, and their sheet of small pictures as JPEG: white where one covers."""
    viewport = whole_viewport(evaluator.render, TILE_WIDTH)
    request = evaluator.make_request(variant, viewport, Quality.PREVIEW)
    uses: dict[str, list[str]] = {}
    for place, name in variant.matte_uses():
        uses.setdefault(name, []).append(place)
    names = sorted(variant.mattes)[first : first + min(count, MAX_TILES)]
    waits: dict[str, list[str]] = {}
    mattes = []
    for name in names:
        yield_to_urgent()
        waits[name] = [absent for _, absent in absent_of(variant.mattes[name], evaluator.render, evaluator.frame)]
        mattes.append(evaluator.mattes.at(name, request))
    found = tuple(
        ShelfMatte(
            name, variant.mattes[name].kind, float(matte.mean()), index // TILES_A_ROW, index % TILES_A_ROW,
            tuple(uses.get(name, ())), members_of(variant.mattes[name]), tuple(variant.joins_of(name)),
            tuple(waits.get(name, ())),
        )
        for index, (name, matte) in enumerate(zip(names, mattes, strict=True))
    )  # fmt: skip
    return Shelf(found, len(variant.mattes), viewport.out_width, viewport.out_height), encode_jpeg(
        _sheet(mattes, viewport)
    )


def object_layers(evaluator: Evaluator) -> tuple[ObjectLayer, ...]:
    """The cryptomatte layers of a frame; worked out once."""

    def make() -> tuple[ObjectLayer, ...]:
        alpha = evaluator.render.alpha_pass
        return tuple(
            ObjectLayer(layer.name, tuple(sorted(layer.manifest)), missing_of_layer(evaluator.frame, layer, alpha))
            for layer in crypto_layers(evaluator.frame)
        )

    return evaluator.cache.get(evaluator.keys.for_interpretation("object layers"), make)


def objects_at(evaluator: Evaluator, x: int, y: int, width: int, height: int, layer: str | None) -> PickResult:
    """What lies in a rectangle of the displayed picture, in columns and rows, and the outline of the first."""
    raster, (across, down) = evaluator.render.raster, evaluator.render.offset
    left, top = (
        min(max(place + offset, 0), size - 1)
        for place, offset, size in ((x, across, raster.width), (y, down, raster.height))
    )
    place = Viewport(left, top, *_sides(left, top, width, height, raster.width, raster.height))
    found = tuple(pick_objects(evaluator.frame, place, layer))
    if not found:
        return PickResult((), [])
    request = evaluator.make_request(Variant(), _outline_look(evaluator), Quality.PREVIEW)
    cover = evaluator.mattes.of_objects((found[0].name,), request, found[0].layer)
    return PickResult(found, outlines_of(cover, request.viewport, evaluator))


def matte_outlines(evaluator: Evaluator, variant: Variant, name: str) -> list[Outline]:
    """Closed lines around a matte where it covers half, in places of the displayed picture. Raises `UnknownChoice`."""
    request = evaluator.make_request(variant, _outline_look(evaluator), Quality.PREVIEW)
    return outlines_of(evaluator.mattes.at(name, request), request.viewport, evaluator)


def outlines_of(matte: Matte, viewport: Viewport, evaluator: Evaluator) -> list[Outline]:
    """Closed lines around what a matte covers by half, the longest first, in places of the displayed picture."""
    covered = (np.pad(matte, 1) >= 0.5).astype(np.uint8)
    lines, _ = cv2.findContours(covered, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_SIMPLE)
    lines = sorted(lines, key=len, reverse=True)[:_MOST_OUTLINES]
    scale, (across, down) = viewport.width / viewport.out_width, evaluator.render.offset
    corner = np.array([viewport.x - across, viewport.y - down])
    return [np.round((line[:, 0, :] - 0.5) * scale + corner, 2).tolist() for line in lines]


def _outline_look(evaluator: Evaluator) -> Viewport:
    return whole_viewport(evaluator.render, _OUTLINE_PIXELS)


def _sides(left: int, top: int, width: int, height: int, columns: int, rows: int) -> tuple[int, int, int, int]:
    wide, high = max(1, min(width, columns - left)), max(1, min(height, rows - top))
    return wide, high, wide, high


def _sheet(mattes: list[Matte], viewport: Viewport) -> NDArray[np.uint8]:
    rows = max(1, -(-len(mattes) // TILES_A_ROW))
    sheet = np.zeros((rows * viewport.out_height, TILES_A_ROW * viewport.out_width), np.float32)
    for index, matte in enumerate(mattes):
        top, left = index // TILES_A_ROW * viewport.out_height, index % TILES_A_ROW * viewport.out_width
        sheet[top : top + viewport.out_height, left : left + viewport.out_width] = matte
    return show_matte(sheet)
