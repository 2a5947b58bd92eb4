"""The tally: the recipe as a sum, line by line, with running pictures, the residual, and the verdict in words."""

from dataclasses import dataclass

import numpy as np

from escala.core.balance.mixing import channel_means
from escala.core.beauty.folding import SUMMED, Folded, fold_terms
from escala.core.beauty.recipes import Recipe
from escala.core.planes import Planes
from escala.core.roles import SHADE_ROLES, Role
from escala.core.viewer.lift import lift_of
from escala.media.jpeg import encode_jpeg
from escala.media.stills import encode_png
from escala.model.render import RenderPass
from escala.model.variant import Variant

from ..balance.board import draw_sheet
from ..balance.plan import level_recipe
from ..colour.pipeline import ColourPipeline
from ..evaluator import Evaluator
from ..viewer.screen import difference_bytes
from ..viewer.viewport import whole_viewport
from .diagnosis import Finding, explain_difference
from .proofs import beauty_factor, compare_recipe, prove_recipe


@dataclass(frozen=True)
class TallyLine:
    """A term: name, formula, operator, share of the sum's energy (0..1). Its pictures are in row `row` of the sheet.

    `lift`: stops by which its own picture is lifted on a lifted sheet.
    """

    name: str
    formula: str
    operator: str
    share: float
    row: int
    lift: int


@dataclass(frozen=True)
class Verdict:
    """How the sum compares with the reference, in numbers and words. `worst`: column and row in the picture."""

    exact: bool
    words: str
    max_abs: float
    max_channels: tuple[float, float, float]
    rms: float
    allowed: float
    outside: int
    pixels: int
    worst: tuple[int, int]
    factor: tuple[float, float, float] | None
    causes: tuple[Finding, ...]


@dataclass(frozen=True)
class Tally:
    """A recipe laid out. The sheet has two columns: the term, and the running picture after it."""

    kind: str
    sentence: str
    lines: tuple[TallyLine, ...]
    residual_share: float
    reference: str | None
    verdict: Verdict | None
    others: tuple[str, ...]
    unused: tuple[str, ...]
    tile_width: int
    tile_height: int


def tally_of(evaluator: Evaluator, variant: Variant) -> Tally | None:
    """The tally of the variant's recipe, or None where none was found."""
    recipe = evaluator.render.chosen_recipe(variant.recipe)
    if recipe is None:
        return None
    viewport = whole_viewport(evaluator.render)
    request = evaluator.make_request(variant, viewport)
    energies = [_energy(evaluator.terms.term(term, request), request.colour_pipeline) for term in recipe.terms]
    residual = evaluator.terms.residual(recipe, request)
    left = _energy(np.abs(residual), request.colour_pipeline) if residual is not None else 0.0
    total = max(sum(e for t, e in zip(recipe.terms, energies, strict=True) if t.operator in SUMMED), 1e-12)
    lines = [
        TallyLine(t.name, str(t), t.operator, max(0.0, e / total), i, lift_of(e))
        for i, (t, e) in enumerate(zip(recipe.terms, energies, strict=True))
    ]
    found = next(f for f in evaluator.render.recipes if f.recipe.name == recipe.name)
    return Tally(
        kind=recipe.name,
        sentence=found.sentence,
        lines=tuple(lines),
        residual_share=left / total,
        reference=evaluator.render.reference,
        verdict=evaluator.cache.get(
            evaluator.keys.for_interpretation("verdict", recipe), lambda: _verdict(evaluator, recipe)
        ),
        others=tuple(f.recipe.name for f in evaluator.render.recipes if f.recipe.name != recipe.name),
        unused=tuple(p.name for p in evaluator.render.passes if _could_be_term(p, recipe, evaluator.render.reference)),
        tile_width=viewport.out_width,
        tile_height=viewport.out_height,
    )


def tally_sheet(evaluator: Evaluator, variant: Variant, lifted: bool = False) -> bytes:
    """Term and running picture of every line, then residual and sum, then the reference; JPEG.

    `lifted`: each term as many stops brighter as its line says, to be seen.
    """
    recipe = evaluator.render.chosen_recipe(variant.recipe)
    viewport = whole_viewport(evaluator.render)
    request = evaluator.make_request(variant, viewport)
    colour_pipeline = request.colour_pipeline
    tiles: list[Planes] = []
    running = np.zeros((3, viewport.out_height, viewport.out_width), np.float32)
    gains = level_recipe(recipe, Variant(tally=variant.tally), colour_pipeline.working)[0].gains if recipe else ()
    for term, gain in zip(recipe.terms, gains, strict=True) if recipe else ():
        planes = evaluator.terms.term(term, request)
        alpha = evaluator.alpha(request) if term.operator == "over" else None
        running = fold_terms([Folded(planes, term.operator, gain, alpha)], running)
        shown = planes * np.float32(2 ** lift_of(_energy(planes, colour_pipeline))) if lifted else planes
        tiles += [shown, running]
    residual = evaluator.terms.residual(recipe, request) if recipe else None
    if residual is not None:
        tiles += [residual, running + residual]
    reference = evaluator.terms.reference(request)
    tiles += [reference if reference is not None else running] * 2
    places = [(i // 2, i % 2) for i in range(len(tiles))]
    return encode_jpeg(draw_sheet(tiles, places, viewport, colour_pipeline))


def difference_picture(evaluator: Evaluator, variant: Variant, gain: float, width: int) -> bytes:
    """The absolute difference of reference and plain sum times `gain`, as PNG: data, so without a view."""
    recipe = evaluator.render.chosen_recipe(variant.recipe)
    viewport = whole_viewport(evaluator.render, width)
    if recipe is None or evaluator.render.reference is None:
        return encode_png(np.zeros((viewport.out_height, viewport.out_width, 3), np.uint8))
    reference, rebuilt, _ = compare_recipe(evaluator.render, evaluator.frame.undenoised, recipe, viewport)
    return difference_bytes(reference, rebuilt, gain)


def _could_be_term(p: RenderPass, recipe: Recipe, reference: str | None) -> bool:
    shade = p.role in SHADE_ROLES
    return (
        p.name != reference
        and p.name not in recipe.passes
        and (shade or len(p.channels) >= 3)
        and (shade or p.is_colour or p.role == Role.OTHER)
    )


def _energy(planes: Planes, colour_pipeline: ColourPipeline) -> float:
    return float(channel_means(planes) @ colour_pipeline.working.luminance_weights)


def _verdict(evaluator: Evaluator, recipe: Recipe) -> Verdict | None:
    frame = evaluator.frame.undenoised
    proof = prove_recipe(evaluator.render, frame, recipe)
    if proof is None:
        return None
    factor = None if proof.exact else beauty_factor(evaluator.render, frame, recipe)
    causes = [] if proof.exact else explain_difference(evaluator.render, frame, recipe)
    numbers = (
        f"Largest difference {_short(proof.max_abs)}, {_rounding(evaluator)} allows {_short(proof.allowed_at_worst)}"
    )
    words = f"Matches. {numbers}." if proof.exact else f"Does not match. {numbers} there."
    if evaluator.frame.denoised:
        words += f" The stored passes are compared; {len(evaluator.frame.denoised)} of them are viewed denoised."
    across, down = evaluator.render.offset
    return Verdict(
        exact=proof.exact,
        words=words,
        max_abs=proof.max_abs,
        max_channels=proof.max_channels,
        rms=proof.rms,
        allowed=proof.allowed_at_worst,
        outside=proof.outside,
        pixels=proof.pixels,
        worst=(proof.worst[0] - across, proof.worst[1] - down),
        factor=factor,
        causes=tuple(causes),
    )


def _rounding(evaluator: Evaluator) -> str:
    kinds = {p.pixel_type for p in evaluator.frame.passes.values() if p.name == evaluator.render.reference}
    return "half-float rounding" if "half" in kinds else "float rounding"


def _short(value: float) -> str:
    return f"{value:.2g}" if value < 0.001 else f"{value:.4f}"
