"""A render read: its files found, its first frame decoded and recognised."""

from collections.abc import Callable, Mapping, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any, TypeVar

from escala.core.errors import BadSource
from escala.core.roles import can_hold
from escala.core.source.diagnostics import Diagnostic
from escala.media.intake import Decoder, import_frame
from escala.media.path_safety import EVERYWHERE, Roots
from escala.media.sources import RenderSource, SourceFile, find_render, source_stamp, split_frame
from escala.media.store import FITTED, StoredFrame, StoredPass
from escala.media.windows import Window
from escala.model.render import Render, RenderPass, SourceEntry, WindowBox

from ..progress import Progress, no_progress
from .recognition import recognise_frame, with_recipes

Result = TypeVar("Result")

Evaluate = Callable[[Callable[[], Any]], Any]


def at_once(work: Callable[[], Result]) -> Result:
    """Run work here and now."""
    return work()


USUAL_FRAME_RATE = 24.0
MOST_FRAME_RATE = 1000.0


def read_render(
    sources: Sequence[str | Path],
    store: Path,
    progress: Progress = no_progress,
    fit: bool = False,
    roots: Roots = EVERYWHERE,
    evaluate: Evaluate = at_once,
    decoder: Decoder | None = None,
) -> tuple[Render, StoredFrame]:
    """The render that these sources name, and its first frame. Raises errors that say what is wrong, in a sentence.

    `evaluate` runs what computes on pixels: where several read at once, on the one thread that owns evaluation.
    """
    source = find_render(sources, fit, roots)
    stamp = source_stamp(source)
    progress(0.0, "decoding")
    frame = import_frame(source.first, store, lambda share: progress(0.8 * share, "decoding"), decoder)
    progress(0.85, "finding recipe")
    render = evaluate(lambda: recognise_render(source, frame)).model_copy(update={"stamp": stamp})
    progress(1.0, "ready")
    return render, frame


def frame_files(render: Render, number: int) -> tuple[SourceFile, ...]:
    """The files of a frame of a render."""
    return tuple(SourceFile(Path(entry.path), entry.label, entry.fit) for entry in render.frames[number])


def render_of_frame(render: Render, number: int, frame: StoredFrame) -> Render:
    """The render as this frame has it: roles, recipes and kinds of depth of the render, all else of the frame.

    Raises `BadSource` when the frame lacks a pass that the picture is made of, or one cannot have its role; data that
    it lacks leave unresolved what uses them.
    """
    needed = {name for found in render.recipes for term in found.recipe.terms for name in term.passes}
    needed |= {name for name in (render.reference, render.alpha_pass) if name}
    missing = next((p.name for p in render.passes if p.name in needed and p.name not in frame.passes), None)
    if missing is not None:
        raise BadSource(f"frame {number} of {render.name} lacks the pass {missing}")
    passes = tuple(_pass_of_frame(p, frame.passes[p.name], number) for p in render.passes if p.name in frame.passes)
    return render.model_copy(
        update={
            "display": _box(frame.header.display),
            "raster": _box(frame.header.raster),
            "pixel_aspect": frame.header.pixel_aspect,
            "attributes": frame.header.attributes,
            "passes": passes,
        }
    )


def _pass_of_frame(known: RenderPass, stored: StoredPass, number: int) -> RenderPass:
    """A pass with its role, and what this frame's file says of it."""
    count = len(stored.channels)
    if not can_hold(count, known.role):
        channels = f"{count} channel{'s' if count != 1 else ''}"
        raise BadSource(f"frame {number}: {known.name} has {channels}, it cannot be {known.role.value}")
    return known.model_copy(
        update={
            "file": stored.file,
            "file_part": stored.part_name,
            "channels": stored.channels,
            "pixel_type": stored.pixel_type,
            "colour": stored.colour,
            "statistics": stored.statistics,
        }
    )


def time_of(render: Render, number: int) -> int:
    """The number by which what moves over time is as it is at a frame: a still whose name has none is at 0."""
    entry = render.frames[number][0]
    return number if len(render.frames) > 1 or split_frame(Path(entry.path).stem)[1] is not None else 0


def recognise_render(source: RenderSource, frame: StoredFrame) -> Render:
    """Roles, recipes and diagnostics of a decoded frame."""
    recognised = recognise_frame(frame)
    render = Render(
        name=source.name,
        frames={number: tuple(_entry(file) for file in files) for number, files in source.frames.items()},
        missing_frames=source.missing,
        frame_rate=_frame_rate(frame.header.attributes),
        display=_box(frame.header.display),
        raster=_box(frame.header.raster),
        pixel_aspect=frame.header.pixel_aspect,
        passes=recognised.passes,
        reference=recognised.reference,
        recipes=(),
        attributes=frame.header.attributes,
        diagnostics=tuple(_render_diagnostics(source, recognised.reference, frame.header.attributes)),
    )
    return with_recipes(render, frame, [candidate.recipe for candidate in recognised.candidates])


def _entry(file: SourceFile) -> SourceEntry:
    return SourceEntry(path=str(file.path), label=file.label, fit=file.fit)


def _frame_rate(attributes: Mapping[str, str]) -> float:
    """Frames a second as the header says, else 24."""
    text = next((value for name, value in attributes.items() if name.lower() == "framespersecond"), "")
    try:
        rate = float(Fraction(text)) if len(text) < 40 else 0.0
    except (ValueError, ZeroDivisionError, OverflowError):
        return USUAL_FRAME_RATE
    return rate if 1.0 <= rate <= MOST_FRAME_RATE else USUAL_FRAME_RATE


def _box(window: Window) -> WindowBox:
    return WindowBox(x=window.x, y=window.y, width=window.width, height=window.height)


def _render_diagnostics(source: RenderSource, reference: str | None, attributes: Mapping[str, str]) -> list[Diagnostic]:
    fitted = {key.removeprefix(FITTED): size for key, size in attributes.items() if key.startswith(FITTED)}
    found = [Diagnostic("fitted", f"{name} was resized: {size}.") for name, size in fitted.items()]
    if source.missing:
        shown = ", ".join(map(str, source.missing[:8])) + (" and more" if len(source.missing) > 8 else "")
        found.append(Diagnostic("missing_frames", f"Frames {shown} are missing: render or copy them, then open again."))
    if reference is None:
        found.append(Diagnostic("no_beauty", "No beauty pass: sums cannot be verified, the plain sum is shown."))
    return found
