"""The report of `rebuild` on a render."""

from pathlib import Path
from typing import Any

from escala.core.beauty.recipes import fold_recipe, term_planes
from escala.core.errors import BadSource
from escala.core.planes import as_planes
from escala.engine.beauty.diagnosis import explain_difference
from escala.engine.beauty.proofs import beauty_factor
from escala.engine.viewer.viewport import full_viewport, sample_pass
from escala.media.exr import write_exr
from escala.media.store import StoredFrame
from escala.media.windows import Window
from escala.model.render import Render


def rebuild_report(render: Render, frame: StoredFrame) -> dict[str, Any]:
    """The stable JSON of `rebuild`."""
    found = render.recipes[0] if render.recipes else None
    factor = beauty_factor(render, frame, found.recipe) if found and render.reference is not None else None
    causes = explain_difference(render, frame, found.recipe) if found and not found.exact else []
    return {
        "recipe": [{"term": t.name, "passes": list(t.passes), "formula": str(t)} for t in found.recipe.terms]
        if found
        else [],
        "kind": found.recipe.name if found else None,
        "reference": render.reference,
        "max_abs": found.max_abs if found else None,
        "rms": found.rms if found else None,
        "psnr": found.psnr if found else None,
        "outside_share": found.outside_share if found else None,
        "exact": bool(found and found.exact),
        "factor": list(factor) if factor else None,
        "causes": [
            {"code": c.code, "message": c.message, "explained": c.explained, "repair": c.repair} for c in causes
        ],
    }


def format_rebuild(render: Render, report: dict[str, Any]) -> str:
    if not report["recipe"]:
        return "No recipe: the render has no components or lights."
    lines = [f"{render.recipes[0].sentence}:"]
    lines.extend(f"  + {term['term']:28} {term['formula']}" for term in report["recipe"])
    if render.reference is None:
        return "\n".join([*lines, "No beauty to compare with."])
    verdict = "Matches" if report["exact"] else "Does not match"
    lines.append(f"{verdict}. Largest difference {report['max_abs']:.6g}, RMS {report['rms']:.6g}.")
    if not report["exact"]:
        lines.append(f"{report['outside_share']:.2%} of the pixels are outside rounding tolerance.")
        lines.extend(cause["message"] for cause in report["causes"])
    return "\n".join(lines)


def write_sum(render: Render, frame: StoredFrame, path: Path) -> None:
    raster = Window(**render.raster.model_dump())
    look = full_viewport(0, 0, raster.width, raster.height)
    if not render.recipes:
        raise BadSource(f"{render.name}: no recipe, the render has no components or lights")
    recipe = render.recipes[0].recipe
    pictures = [term_planes(term, lambda name: sample_pass(frame, name, look)) for term in recipe.terms]
    planes = fold_recipe(recipe, pictures)
    channels = dict(zip("RGB", as_planes(planes), strict=True))
    write_exr(path, channels, raster, Window(**render.display.model_dump()))
