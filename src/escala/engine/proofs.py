"""Proof of a recipe on every pixel of a frame, in bands, in the space of the file."""

import numpy as np

from escala.core.planes import Planes
from escala.core.proof import UNIT_ROUNDOFF, Proof, add_magnitude, constant_factor, join_proofs, prove, rounding_bound
from escala.core.recipes import Recipe, sum_terms, term_planes, term_roundoff, three_channels
from escala.media.store import StoredFrame
from escala.model.render import Render

from .look import Look, full_look, sample_pass

_BAND_ROWS = 256


def prove_recipe(render: Render, frame: StoredFrame, recipe: Recipe) -> Proof | None:
    """How the plain sum of a recipe compares with the reference; None without a reference."""
    if render.reference is None or not recipe.terms:
        return None
    bands = []
    for top in range(0, render.raster.height, _BAND_ROWS):
        rows = min(_BAND_ROWS, render.raster.height - top)
        band = full_look(0, top, render.raster.width, rows)
        reference, rebuilt, bound = compare_recipe(render, frame, recipe, band)
        bands.append((top, prove(reference, rebuilt, bound)))
    return join_proofs(bands)


def compare_recipe(render: Render, frame: StoredFrame, recipe: Recipe, look: Look) -> tuple[Planes, Planes, Planes]:
    """Reference, rebuilt sum and rounding bound over a region, each (3, H, W), in the space of the file."""
    assert render.reference is not None
    roundoff = {p.name: UNIT_ROUNDOFF[p.pixel_type] for p in frame.passes.values()}
    planes = {name: sample_pass(frame, name, look) for name in recipe.passes}
    reference = sample_pass(frame, render.reference, look)[:3]
    terms = [term_planes(term, planes.__getitem__) for term in recipe.terms]
    magnitudes = np.zeros_like(reference)
    for term, picture in zip(recipe.terms, terms, strict=True):
        if term.is_linear:
            for name in term.passes:
                add_magnitude(magnitudes, three_channels(planes[name]), roundoff[name])
        else:
            add_magnitude(magnitudes, picture, term_roundoff(term, roundoff.__getitem__))
    stored_type = frame.passes[render.reference].pixel_type
    return reference, sum_terms(terms), rounding_bound(reference, stored_type, magnitudes, len(terms))


def beauty_factor(render: Render, frame: StoredFrame, recipe: Recipe) -> tuple[float, float, float] | None:
    """The constant factor per channel from the sum to the reference, when it explains the difference; else None."""
    raster = render.raster
    step = max(1, raster.width // 960)
    look = Look(0, 0, raster.width, raster.height, -(-raster.width // step), -(-raster.height // step))
    reference, rebuilt, bound = compare_recipe(render, frame, recipe, look)
    factor = constant_factor(reference, rebuilt)
    scaled = rebuilt * factor.astype(np.float32)[:, None, None]
    before, after = prove(reference, rebuilt, bound), prove(reference, scaled, bound * np.float32(max(factor.max(), 1)))
    if before.exact:
        return (1.0, 1.0, 1.0)
    explained = after.outside_share < 0.02 or after.rms < 0.1 * before.rms
    return (float(factor[0]), float(factor[1]), float(factor[2])) if explained else None
