"""What the bench of Plate shows of each layer: a small picture, where it stands, and how its file is read, in words."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import PurePath

import numpy as np
from numpy.typing import NDArray

from escala.core.planes import Planes
from escala.core.roles import Portion, Role
from escala.core.viewer.lift import lift_of
from escala.media.clips import Clip
from escala.media.jpeg import encode_jpeg
from escala.model.balance import level_of
from escala.model.plate import (
    AnyLayer,
    CgLayer,
    PictureLayer,
    RenderLayer,
    ShadowLayer,
    SolidBackdrop,
)
from escala.model.render import Render
from escala.model.variant import Variant

from ..balance.plan import render_components, render_lights
from ..evaluator import Evaluator
from ..images import OutsideImage
from ..request import EvaluationRequest, Quality
from ..viewer.screen import moving_bytes
from ..viewer.viewport import whole_viewport
from ..worker import yield_to_urgent
from .clips import clip_frame, layer_source, shot_rate
from .depth import spread_distance
from .layers import LayerInput, layer_input, layer_picture
from .pictures import image_space

TILE_WIDTH = 96
# A difference of rates or shapes that nobody sees.
_SAME = 1e-3


@dataclass(frozen=True)
class PassFacts:
    """How a pass of a further render is read, and why."""

    name: str
    role: Role
    light: str | None
    component: str | None
    part: Portion | None
    twin: str | None
    reason: str


@dataclass(frozen=True)
class LayerFacts:
    """A layer of a plate, and its tile (row) on the sheet.

    `state`: "ready", "missing" (no such file, pass or render), "out of range" (nothing of its clip is shown at this
    frame) or "off". `words`: what it shows, in short; `notes`: how it is read and fitted, in sentences. `near`, `far`:
    where it stands in the scene; None where it has no depth. `lift`: stops by which its tile is brightened. `passes`:
    those of a further render; `proof`: whether their sum matches its beauty.
    """

    id: str
    kind: str
    title: str
    state: str
    words: str
    notes: tuple[str, ...]
    near: float | None
    far: float | None
    row: int
    lift: int
    passes: tuple[PassFacts, ...] = ()
    proof: str = ""


@dataclass(frozen=True)
class PlateFacts:
    """The layers from back to front, the CG among them, and what is said of the alpha of all."""

    layers: tuple[LayerFacts, ...]
    alpha: tuple[str, ...]
    tile_width: int
    tile_height: int


def draw_plate(evaluator: Evaluator, variant: Variant) -> tuple[PlateFacts, bytes]:
    """The layers of a variant's plate at a frame, and their tiles below one another as JPEG."""
    viewport = whole_viewport(evaluator.render, TILE_WIDTH)
    request = evaluator.make_request(variant, viewport, Quality.PREVIEW)
    given = LayerInput(evaluator.frame_context, request)
    facts, tiles = [], []
    for row, layer in enumerate(request.variant.plate.in_order):
        yield_to_urgent()
        found = _facts_of(layer, given, evaluator, row)
        tile, lift = _tile(layer, given, evaluator, found.state)
        facts.append(replace(found, lift=lift))
        tiles.append(tile)
    sheet = PlateFacts(tuple(facts), _alpha_words(evaluator, request), viewport.out_width, viewport.out_height)
    return sheet, encode_jpeg(np.concatenate(tiles))


def _tile(layer: AnyLayer, given: LayerInput, evaluator: Evaluator, state: str) -> tuple[NDArray[np.uint8], int]:
    """A layer by itself over black, dark ones brightened; a shadow as what it leaves of the light."""
    request, viewport = given.request, given.request.viewport
    planes: Planes = np.zeros((3, viewport.out_height, viewport.out_width), np.float32)
    if isinstance(layer, CgLayer):
        planes = evaluator.picture(request, "depth").colour
    elif state in ("ready", "off") and (own := layer_input(layer, given)) is not None:
        planes = layer_picture(layer, own, given).colour
        if isinstance(layer, ShadowLayer):
            planes = np.float32(1.0) - planes
    weights = request.colour_pipeline.working.luminance_weights
    lift = lift_of(float(np.tensordot(weights, np.nan_to_num(planes).mean(axis=(1, 2)), 1)))
    return moving_bytes(np.asarray(planes * np.float32(2.0**lift), np.float32), request.colour_pipeline), lift


def _facts_of(layer: AnyLayer, given: LayerInput, evaluator: Evaluator, row: int) -> LayerFacts:
    title, words, notes, state = _described(layer, given)
    near, far = _extent(layer, given)
    state = state if layer.on else "off"
    facts = LayerFacts(layer.id, layer.kind, layer.name or title, state, words, tuple(notes), near, far, row, 0)
    own = layer_input(layer, given) if isinstance(layer, RenderLayer) else None
    return facts if own is None else _with_reading(facts, own.frame_context.render)


def _with_reading(facts: LayerFacts, render: Render) -> LayerFacts:
    """A layer with how the passes of its render are read, and the proof of its recipe."""
    passes = tuple(PassFacts(p.name, p.role, p.light, p.component, p.part, p.twin, p.reason) for p in render.passes)
    found = render.recipes[0] if render.recipes else None
    proof = "no recipe" if found is None else "matches" if found.exact else "differs"
    return replace(facts, passes=passes, proof=proof)


def _extent(layer: AnyLayer, given: LayerInput) -> tuple[float | None, float | None]:
    """Where a layer stands: from its nearest to its farthest pixel, but for a few."""
    plane = layer.distance_in_scene
    if plane is not None:
        return plane, plane
    if not isinstance(layer, CgLayer | RenderLayer):
        return None, None
    own = layer_input(layer, given) if isinstance(layer, RenderLayer) else given
    if own is None:
        return None, None
    render = own.frame_context.render
    distance = spread_distance(own.frame_context, own.request.at(whole_viewport(render, TILE_WIDTH)))
    there = distance[np.isfinite(distance)]
    if not there.size:
        return None, None
    near, far = np.quantile(there, (0.01, 0.99)).tolist()
    return near, far


def _described(layer: AnyLayer, given: LayerInput) -> tuple[str, str, list[str], str]:
    """Title, words, notes and state of a layer."""
    if isinstance(layer, CgLayer):
        return "CG", _in_scene("the render", layer, given), [], "ready"
    if isinstance(layer, SolidBackdrop):
        return ("Gradient" if layer.gradient else "Solid"), _operator(layer, "a colour"), [], "ready"
    if isinstance(layer, PictureLayer):
        return _described_picture(layer, given)
    if isinstance(layer, RenderLayer):
        return _described_render(layer, given)
    is_there = layer.pass_ in given.frame_context.terms.frame.passes
    notes = [] if is_there else [f"The render has no pass {layer.pass_}: choose another one."]
    state = "ready" if is_there else "missing"
    if isinstance(layer, ShadowLayer):
        return "Shadow", f"pass {layer.pass_}, holds {layer.holds}, strength {layer.strength:.2f}", notes, state
    return "Reflection", _operator(layer, f"pass {layer.pass_}"), notes, state


def _operator(layer: AnyLayer, words: str) -> str:
    share = "" if layer.opacity == 1 else f" {layer.opacity:.0%}"
    how = "merged by depth" if layer.operator == "depth" else f"{layer.operator.replace('_', ' ')}"
    return f"{words} · {how}{share}" if layer.operator != "over" or share else words


def _in_scene(words: str, layer: AnyLayer, given: LayerInput) -> str:
    near, far = _extent(layer, given)
    return words if near is None or far is None else f"{words}, {near:.3g} to {far:.3g} units away"


def _described_picture(layer: PictureLayer, given: LayerInput) -> tuple[str, str, list[str], str]:
    context = given.frame_context
    title = PurePath(layer.path).name
    clip = context.images.find_clip(layer.path)
    if clip is None:
        note = f"{title} cannot be read, or is not there: choose the file again, or put it back."
        return title, "missing file", [note], "missing"
    rate = shot_rate(context.render, given.request.variant)
    frame = clip_frame(layer, clip, context.frame_offset, rate)
    source = layer_source(layer, clip, context.frame_offset, rate)
    notes = list(_clip_notes(layer, clip, rate))
    if frame is None or source is None:
        return title, "nothing at this frame", notes, "out of range"
    image = context.images.find(source)
    if image is None:
        return (
            title,
            "missing file",
            [f"Frame {frame} of {title} cannot be read: it may be damaged.", *notes],
            "missing",
        )
    display = image.frame.header.display
    stands = "" if layer.distance is None else f" · at {layer.distance:.4g} units"
    at = "" if clip.is_still else f" · frame {frame}"
    words = _operator(layer, f"{display.width} × {display.height} · {layer.fit}{at}{stands}")
    return title, words, [*_image_notes(layer, image, given), *notes], "ready"


def _image_notes(layer: PictureLayer, image: OutsideImage, given: LayerInput) -> Iterator[str]:
    """How an image is read and fitted."""
    space = image_space(image, given.request.colour_pipeline)
    yield f"Read as {space.name}: {space.reason}."
    declared = image.colour_pass.colour.told
    if declared == "CMYK":
        yield "The file holds inks (CMYK): they are converted without a profile, so colours are approximate."
    elif declared and not layer.space and declared != space.name:
        yield f"The file says {declared}, for which this config has no space of that name: choose the space."
    yield _fit_note(layer, image, given)
    kinds = {
        "associated": "Alpha is associated: colour is taken as multiplied by it.",
        "unassociated": "Alpha is unassociated: colour is multiplied by it.",
        "none": "Alpha is ignored: the picture covers everything.",
    }
    yield kinds[str(image.source.alpha)] if image.has_alpha else "The file has no alpha: the picture covers everything."


def _fit_note(layer: PictureLayer, image: OutsideImage, given: LayerInput) -> str:
    """How a picture of another size or shape is brought to the frame."""
    display, header = image.frame.header.display, image.frame.header
    render = given.frame_context.render
    width, height = display.width * header.pixel_aspect / render.pixel_aspect, float(display.height)
    if (display.width, display.height) == (render.width, render.height):
        return "It has the size of the frame."
    ratio = (width / height) / (render.width / render.height)
    larger = "larger" if width * height > render.width * render.height else "smaller"
    if layer.fit == "actual":
        return f"It is {larger} than the frame and shown pixel by pixel, centred."
    if layer.fit == "stretch":
        change = "" if abs(ratio - 1) < _SAME else f", its shape changed by {max(ratio, 1 / ratio) - 1:.0%}"
        return f"It is {larger} than the frame and stretched to it{change}."
    if abs(ratio - 1) < _SAME:
        return f"It is {larger} than the frame, of the same shape, and resized to it."
    side, lost = ("width", 1 - 1 / ratio) if ratio > 1 else ("height", 1 - ratio)
    shape = "portrait, " if height > width and render.width > render.height else ""
    if layer.fit == "fill":
        return f"It is {shape}{larger} than the frame and fills it: {lost:.0%} of its {side} is cropped."
    return f"It is {shape}{larger} than the frame and fits into it: {lost:.0%} of the frame stays empty."


def _clip_notes(layer: PictureLayer, clip: Clip, rate: float) -> Iterator[str]:
    """How the frames of a sequence or video are shown."""
    if clip.is_still:
        return
    own = layer.frame_rate or clip.frame_rate
    what = "video" if clip.is_video else "sequence"
    if own is None:
        yield f"The {what} names no frame rate: that of the shot, {rate:g}, is used."
    elif abs(own - rate) > _SAME:
        more = "some frames are skipped" if own > rate else "some frames are shown twice"
        yield f"It runs at {own:g} frames a second, the shot at {rate:g}: {more}."
    if clip.missing:
        shown = ", ".join(map(str, clip.missing[:6])) + (" and more" if len(clip.missing) > 6 else "")
        yield f"Frames {shown} are missing: the one before is shown."


def _described_render(layer: RenderLayer, given: LayerInput) -> tuple[str, str, list[str], str]:
    own = layer_input(layer, given)
    if own is None:
        note = f"The shot has no render {layer.render} with this frame and size: add it, or choose another one."
        return layer.render, "missing render", [note], "missing"
    notes = []
    lights = set(render_lights(own.frame_context.render)) & set(render_lights(given.frame_context.render))
    if lights - set(layer.lights):
        notes.append(f"Levels of {', '.join(sorted(lights - set(layer.lights)))} are those of Balance.")
    recipes = own.frame_context.render.recipes
    if recipes and not recipes[0].exact:
        notes.append("Its sum differs from its beauty: the residual is kept.")
    if layer.operator == "depth" and own.frame_context.depth.distance(own.request, None) is None:
        notes.append("It has no depth pass: it lies behind everything.")
    return layer.render, _operator(layer, _in_scene("render", layer, given)), notes, "ready"


def _alpha_words(evaluator: Evaluator, request: EvaluationRequest) -> tuple[str, ...]:
    """What is associated, where colour lies under alpha 0, and what is delivered."""
    alpha, colour = evaluator.alpha(request), evaluator.beauty(request).colour
    if alpha is None:
        return ("The CG has no alpha: it covers everything, and layers behind it are not seen.",)
    words = ["The alpha of the CG is associated: colour is multiplied by it."]
    total = float(np.nan_to_num(np.abs(colour)).sum())
    clear = float(np.nan_to_num(np.abs(colour[:, alpha <= 0])).sum())
    if total > 0 and clear / total > _SAME:
        words.append(
            f"{clear / total:.0%} of the CG's light lies where its alpha is 0, and is added to what is behind it."
        )
        sky = level_of(request.variant.balance.components, "environment")
        if "environment" in render_components(evaluator.render) and not sky.mute:
            words[-1] += " Mute the environment to see another backdrop."
    words.append("Exported files have the alpha of this station.")
    return tuple(words)
