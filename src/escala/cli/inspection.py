"""The report of `inspect` on a render."""

from typing import Any

from escala.engine.colour.pipeline import NoChoices, resolve_colour
from escala.model.render import Render, RenderPass


def inspection(render: Render) -> dict[str, Any]:
    """The stable JSON of `inspect`."""
    space = resolve_colour(render, NoChoices()).input
    return {
        "width": render.width,
        "height": render.height,
        "frames": sorted(render.frames),
        "missing_frames": list(render.missing_frames),
        "passes": [_pass_entry(p) for p in render.passes],
        "diagnostics": [{"code": d.code, "message": d.message} for d in render.diagnostics],
        "input_space": space.name,
        "input_space_reason": space.reason,
    }


def _pass_entry(p: RenderPass) -> dict[str, Any]:
    return {
        "name": p.name,
        "role": p.role.value,
        "light": p.light,
        "component": p.component,
        "part": p.part.value if p.part else None,
        "file": p.file,
        "channels": list(p.channels),
        "pixel_type": p.pixel_type,
        "diagnostics": [{"code": d.code, "message": d.message} for d in p.diagnostics],
        "sure": p.sure,
        "reason": p.reason,
    }


def format_inspection(render: Render) -> str:
    frames = f"{len(render.frames)} frames" if len(render.frames) > 1 else "one frame"
    lines = [
        f"{render.name}: {render.width} × {render.height}, {frames}, {resolve_colour(render, NoChoices()).input_space}"
    ]
    for p in render.passes:
        meaning = " ".join(word for word in (p.role.value, p.light, p.component, p.part and p.part.value) if word)
        lines.append(f"  {p.name:32} {meaning:40} {p.pixel_type:6} {' '.join(p.channels)}")
        lines.extend(f"    {d.message}" for d in p.diagnostics)
    lines.extend(d.message for d in render.diagnostics)
    return "\n".join(lines)
