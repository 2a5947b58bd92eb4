"""Proof of a recipe on every pixel of a frame, in bands, in the space of the file."""

from collections.abc import Callable

import numpy as np

from escala.core.balance.mixing import mix_planes
from escala.core.beauty.folding import fold_bounds
from escala.core.beauty.proof import UNIT_ROUNDOFF, Proof, constant_factor, join_proofs, prove, rounding_bound
from escala.core.beauty.recipes import (
    NO_FACTOR,
    Recipe,
    fold_recipe,
    folded_terms,
    term_magnitude,
    term_planes,
    three_channels,
)
from escala.core.colour.transfer import decoded_step, srgb_decode
from escala.core.planes import Planes, as_planes
from escala.media.store import StoredFrame
from escala.model.render import Render

from ..viewer.viewport import Viewport, bands_of, full_viewport, sample_pass

_BAND_ROWS = 256


def prove_recipe(
    render: Render, frame: StoredFrame, recipe: Recipe, report_progress: Callable[[float], None] = lambda share: None
) -> Proof | None:
    """How the plain sum of a recipe compares with the reference; None without a reference."""
    if render.reference is None or not recipe.terms:
        return None
    bands = []
    for band in bands_of(full_viewport(0, 0, render.raster.width, render.raster.height), _BAND_ROWS):
        reference, rebuilt, bound = compare_recipe(render, frame, recipe, band)
        bands.append((band.y, prove(reference, rebuilt, bound)))
        report_progress((band.y + band.height) / render.raster.height)
    return join_proofs(bands)


def compare_recipe(
    render: Render, frame: StoredFrame, recipe: Recipe, viewport: Viewport
) -> tuple[Planes, Planes, Planes]:
    """Reference, rebuilt sum and rounding bound over a region, each (3, H, W), in the space of the file."""
    assert render.reference is not None
    roundoff = {p.name: UNIT_ROUNDOFF[p.pixel_type] for p in frame.passes.values()}
    planes = {name: _linear_pass(frame, name, viewport) for name in recipe.passes}
    reference = three_channels(_linear_pass(frame, render.reference, viewport))
    terms = [term_planes(term, planes.__getitem__) for term in recipe.terms]
    alpha = _alpha(render, frame, viewport) if any(term.operator == "over" for term in recipe.terms) else None
    magnitudes = [term_magnitude(term, planes.__getitem__, roundoff.__getitem__) for term in recipe.terms]
    if recipe.is_sum:
        carried = mix_planes(magnitudes, recipe.plain_gains)
    else:
        carried = fold_bounds(folded_terms(recipe, terms, recipe.plain_gains, alpha), magnitudes)
    if recipe.factor != NO_FACTOR:
        carried = carried * np.array(recipe.factor, np.float32)[:, None, None]
    stored_type = frame.passes[render.reference].pixel_type
    rebuilt = fold_recipe(recipe, terms, alpha=alpha)
    if frame.passes[render.reference].colour.encoded:
        step = decoded_step(sample_pass(frame, render.reference, viewport)[:3])
        carried = carried + np.float32(step * (len(terms) + 1))
    return reference, rebuilt, rounding_bound(reference, stored_type, carried, len(terms))


def _linear_pass(frame: StoredFrame, name: str, viewport: Viewport) -> Planes:
    """A pass as light is added: colour of files that hold display values is decoded."""
    planes = sample_pass(frame, name, viewport)
    if not frame.passes[name].colour.encoded or planes.shape[0] < 3:
        return planes
    return as_planes(srgb_decode(planes.astype(np.float64)))


def _alpha(render: Render, frame: StoredFrame, viewport: Viewport) -> Planes | None:
    name = render.alpha_pass
    return None if name is None else sample_pass(frame, name, viewport)[0]


def beauty_factor(render: Render, frame: StoredFrame, recipe: Recipe) -> tuple[float, float, float] | None:
    """The constant factor per channel from the sum to the reference, when it explains the difference; else None."""
    raster = render.raster
    step = max(1, raster.width // 960)
    viewport = Viewport(0, 0, raster.width, raster.height, -(-raster.width // step), -(-raster.height // step))
    reference, rebuilt, bound = compare_recipe(render, frame, recipe, viewport)
    factor = constant_factor(reference, rebuilt)
    scaled = rebuilt * factor.astype(np.float32)[:, None, None]
    before, after = prove(reference, rebuilt, bound), prove(reference, scaled, bound * np.float32(max(factor.max(), 1)))
    if before.exact:
        return (1.0, 1.0, 1.0)
    explained = after.outside_share < 0.02 or after.rms < 0.1 * before.rms
    return (float(factor[0]), float(factor[1]), float(factor[2])) if explained else None
