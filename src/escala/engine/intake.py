"""A render read: files found, first frame decoded, passes recognised, recipes found and proven."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from fractions import Fraction
from math import isfinite
from pathlib import Path

import numpy as np

from escala.core.colour import DEFAULT_CONFIG, colour_config
from escala.core.cryptomatte import declared_layers
from escala.core.diagnostics import Diagnostic, diagnose_pass
from escala.core.errors import BadSource
from escala.core.naming import NamedPass, recognise_passes
from escala.core.planes import as_planes
from escala.core.recipe_search import Candidate, SampledPass, sample_places, search_recipes
from escala.core.recipes import LIGHTS, RECIPE_SENTENCES, Recipe
from escala.core.roles import PassRole, Role
from escala.media.intake import take_in_frame
from escala.media.naming_table import naming_table
from escala.media.sources import RenderSource, SourceFile, find_render, source_stamp
from escala.media.store import StoredFrame, StoredPass
from escala.media.windows import Window
from escala.model.render import FoundRecipe, Render, RenderPass, SourceEntry, WindowBox

from .proofs import prove_recipe

Progress = Callable[[float, str], None]

USUAL_FRAME_RATE = 24.0
ENCODED_SPACE = "sRGB Encoded Rec.709 (sRGB)"


def read_render(
    sources: Sequence[str | Path], store: Path, progress: Progress = lambda share, doing: None
) -> tuple[Render, StoredFrame]:
    """The render that these sources name, and its first frame. Raises errors that say what is wrong, in a sentence."""
    source = find_render(sources)
    stamp = source_stamp(source)
    progress(0.0, "decoding")
    frame = take_in_frame(source.first, store, lambda share: progress(0.8 * share, "decoding"))
    progress(0.85, "finding the recipe")
    render = recognise_render(source, frame).model_copy(update={"stamp": stamp})
    progress(1.0, "ready")
    return render, frame


def frame_files(render: Render, number: int) -> tuple[SourceFile, ...]:
    """The files of a frame of a render."""
    return tuple(SourceFile(Path(entry.path), entry.label) for entry in render.frames[number])


def render_of_frame(render: Render, number: int, frame: StoredFrame) -> Render:
    """The render as this frame has it: its own windows. Raises `BadSource` when the frame lacks a pass."""
    missing = [p.name for p in render.passes if p.name not in frame.passes]
    if missing:
        raise BadSource(f"frame {number} of {render.name} lacks the pass {missing[0]}")
    windows = {"display": _box(frame.header.display), "raster": _box(frame.header.raster)}
    return render.model_copy(update=windows)


def recognise_render(source: RenderSource, frame: StoredFrame) -> Render:
    """Roles, recipes and diagnostics of a decoded frame."""
    stored = list(frame.passes.values())
    named = [NamedPass(p.name, p.letters) for p in stored]
    roles = recognise_passes(named, naming_table(), declared_layers(frame.header.attributes))
    roles = _one_beauty(stored, roles)
    candidates, roles = _search(frame, stored, roles)
    reference = next((p.name for p, role in zip(stored, roles, strict=True) if role.role == Role.BEAUTY), None)
    space, reason = _input_space(frame)
    render = Render(
        name=source.name,
        frames={n: tuple(SourceEntry(path=str(f.path), label=f.label) for f in fs) for n, fs in source.frames.items()},
        missing_frames=source.missing,
        frame_rate=_frame_rate(frame.header.attributes),
        display=_box(frame.header.display),
        raster=_box(frame.header.raster),
        pixel_aspect=frame.header.pixel_aspect,
        input_space=space,
        input_space_reason=reason,
        passes=tuple(_render_pass(p, role) for p, role in zip(stored, roles, strict=True)),
        reference=reference,
        recipes=(),
        attributes=frame.header.attributes,
        diagnostics=tuple(_render_diagnostics(source, reference)),
    )
    found = [_found(render, frame, candidate) for candidate in candidates]
    found.sort(key=lambda f: not f.exact)
    frame.release()
    return render.model_copy(update={"recipes": tuple(found)})


def _one_beauty(stored: list[StoredPass], roles: list[PassRole]) -> list[PassRole]:
    """Several passes may look like the beauty; the surest stays, the others become plain colour passes."""
    beauties = [i for i, role in enumerate(roles) if role.role == Role.BEAUTY]
    if len(beauties) < 2:
        return roles
    best = max(beauties, key=lambda i: (roles[i].sure, roles[i].twin is None, -i))
    reason = f"the beauty is {stored[best].name}"
    others = set(beauties) - {best}
    return [
        replace(role, role=Role.OTHER, sure=0.3, reason=reason) if i in others else role for i, role in enumerate(roles)
    ]


def _search(
    frame: StoredFrame, stored: list[StoredPass], roles: list[PassRole]
) -> tuple[list[Candidate], list[PassRole]]:
    """Recipes by proof on sampled pixels; passes that no word explained become lights where the proof says so."""
    useful = {Role.BEAUTY, Role.COMPONENT, Role.LIGHT, Role.LIGHT_COMPONENT, Role.ALPHA, Role.OTHER}
    chosen = [(p, role) for p, role in zip(stored, roles, strict=True) if role.role in useful and _is_light(p, role)]
    if not chosen:
        return [], roles
    level = min(2, min(len(p.levels) for p, _ in chosen) - 1)
    coarse = [as_planes(frame.planes(p.name, level)) for p, _ in chosen]
    places = _full_places(sample_places(coarse), coarse[0].shape[1:], level, stored[0].levels[0][1:])
    samples = [
        SampledPass(p.name, role, p.pixel_type, as_planes(frame.planes(p.name)[:3, places[0], places[1]])[:, None, :])
        for p, role in chosen
    ]
    beauty = next((s for s in samples if s.role.role == Role.BEAUTY), None)
    candidates = search_recipes([s for s in samples if s is not beauty and s.role.role != Role.BEAUTY], beauty)
    return candidates, _promote(stored, roles, candidates)


def _is_light(p: StoredPass, role: PassRole) -> bool:
    return role.role == Role.ALPHA or (len(p.channels) >= 3 and p.pixel_type != "uint")


def _full_places(
    flat: np.ndarray, shape: tuple[int, ...], level: int, full: tuple[int, int]
) -> tuple[np.ndarray, np.ndarray]:
    """Rows and columns at full size of flat indices into a coarser level."""
    rows, columns = np.divmod(flat, shape[1])
    step = 1 << level
    return np.minimum(rows * step, full[0] - 1), np.minimum(columns * step, full[1] - 1)


def _promote(stored: list[StoredPass], roles: list[PassRole], candidates: list[Candidate]) -> list[PassRole]:
    proven = {
        term.passes[0]: term.light
        for candidate in candidates
        if candidate.fits and candidate.recipe.name == LIGHTS
        for term in candidate.recipe.terms
        if term.light and len(term.passes) == 1
    }
    return [
        replace(role, role=Role.LIGHT, light=proven[p.name], sure=0.9, reason="as a light it completes the sum exactly")
        if role.role == Role.OTHER and p.name in proven
        else role
        for p, role in zip(stored, roles, strict=True)
    ]


def _found(render: Render, frame: StoredFrame, candidate: Candidate) -> FoundRecipe:
    proof = prove_recipe(render, frame, candidate.recipe)
    return FoundRecipe(
        recipe=candidate.recipe,
        sentence=recipe_sentence(candidate.recipe),
        exact=bool(proof and proof.exact),
        max_abs=proof.max_abs if proof else 0.0,
        rms=proof.rms if proof else 0.0,
        psnr=proof.psnr if proof and isfinite(proof.psnr) else None,
        outside_share=proof.outside_share if proof else 1.0,
    )


def recipe_sentence(recipe: Recipe) -> str:
    """A recipe in words."""
    return RECIPE_SENTENCES[recipe.name].format(lights=len(recipe.lights), components=len(recipe.components))


def _input_space(frame: StoredFrame) -> tuple[str, str]:
    config = colour_config(DEFAULT_CONFIG)
    if frame.header.encoded:
        return config.space(ENCODED_SPACE), "PNG and TIFF files are taken as sRGB-encoded"
    return config.space_of_gamut(frame.header.chromaticities)


def _frame_rate(attributes: Mapping[str, str]) -> float:
    """Frames a second as the header says, else 24."""
    told = next((value for name, value in attributes.items() if name.lower() == "framespersecond"), "")
    try:
        return max(float(Fraction(told)), 1.0) if told else USUAL_FRAME_RATE
    except (ValueError, ZeroDivisionError):
        return USUAL_FRAME_RATE


def _box(window: Window) -> WindowBox:
    return WindowBox(x=window.x, y=window.y, width=window.width, height=window.height)


def _render_pass(p: StoredPass, role: PassRole) -> RenderPass:
    return RenderPass(
        name=p.name,
        role=role.role,
        light=role.light,
        component=role.component,
        part=role.portion,
        twin=role.twin,
        sure=role.sure,
        reason=role.reason,
        file=p.file,
        file_part=p.part_name,
        channels=p.channels,
        pixel_type=p.pixel_type,
        statistics=p.statistics,
        diagnostics=tuple(diagnose_pass(role, p.statistics)),
    )


def _render_diagnostics(source: RenderSource, reference: str | None) -> list[Diagnostic]:
    found = []
    if source.missing:
        shown = ", ".join(map(str, source.missing[:8])) + (" and more" if len(source.missing) > 8 else "")
        found.append(Diagnostic("missing_frames", f"Frames {shown} are missing: render or copy them, then open again."))
    if reference is None:
        found.append(Diagnostic("no_beauty", "There is no beauty pass: sums cannot be proven, the plain sum is shown."))
    return found
