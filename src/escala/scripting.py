"""Escala from Python: open a render, make variants of it, and have their pictures as arrays.

>>> import escala, tempfile, pathlib
>>> folder = tempfile.TemporaryDirectory()
>>> path = escala.render_demo(pathlib.Path(folder.name), size=(64, 36), samples=1)
>>> with escala.open(path) as shot:
...     look = shot.variant().set("balance/lights/beacon/stops", -2)
...     brighter = look.set("finish/corrections/-", {"kind": "exposure", "stops": 1})
...     shot.lights, look.picture().shape, bool(brighter.picture().mean() > look.picture().mean())
(['beacon', 'cabin', 'moon', 'quay_lamps', 'sky'], (36, 64, 3), True)
>>> folder.cleanup()
"""

import copy
import os
import tempfile
from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from escala.core.errors import BadSource, choose
from escala.model.pointers import steps_of
from escala.model.render import RenderPass
from escala.model.variant import Variant as Document

if TYPE_CHECKING:
    from escala.engine.evaluator import Evaluator
    from escala.engine.request import EvaluationRequest

Pixels = NDArray[np.float32]
Result = TypeVar("Result")
_SHOT = 0
_STORE_BYTES = 16 * 2**30


class Shot:
    """A render that was opened. Close it, or use it in a `with` statement: its decoded frames are deleted then."""

    def __init__(self, sources: Sequence[str | os.PathLike[str]], fit: bool = False) -> None:
        from escala.engine.evaluator_pool import EvaluatorPool  # takes a while to import

        self._folder = tempfile.TemporaryDirectory(prefix="escala-")
        self._pool: EvaluatorPool = EvaluatorPool(Path(self._folder.name), _STORE_BYTES)
        try:
            self._render, _ = self._pool.read([os.fspath(source) for source in sources], fit)
        except BaseException:
            self.close()
            raise

    def __enter__(self) -> "Shot":
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Stop evaluating, and delete the decoded frames."""
        self._pool.close()
        self._folder.cleanup()

    def __repr__(self) -> str:
        return f"<Shot {self.name}: {len(self.passes)} passes, {len(self.frames)} frames>"

    @property
    def name(self) -> str:
        """The name of the render."""
        return self._render.name

    @property
    def width(self) -> int:
        """Width of the displayed picture in pixels."""
        return self._render.width

    @property
    def height(self) -> int:
        """Height of the displayed picture in pixels."""
        return self._render.height

    @property
    def frames(self) -> list[int]:
        """The frame numbers, rising."""
        return sorted(self._render.frames)

    @property
    def passes(self) -> tuple[RenderPass, ...]:
        """The passes, each with `name`, `role`, `light`, `component` and more."""
        return self._render.passes

    @property
    def lights(self) -> list[str]:
        """The lights whose levels can change."""
        from escala.engine.balance.plan import render_lights

        return render_lights(self._render)

    @property
    def components(self) -> list[str]:
        """The components whose levels can change."""
        from escala.engine.balance.plan import render_components

        return render_components(self._render)

    def variant(self, document: Mapping[str, Any] | str | os.PathLike[str] | None = None) -> "Variant":
        """A variant: neutral, from a document, or from its file. Raises `EscalaError` in a sentence.

        Paths in a document are relative to the working folder, in a file relative to it.
        """
        if document is None:
            return Variant(self, Document())
        if isinstance(document, Mapping):
            return Variant(self, _validated(document))
        from escala.delivery.documents import read_variant

        return Variant(self, read_variant(Path(document)))

    def _on(self, document: Document, frame: int | None, work: "Callable[[Evaluator], Result]") -> Result:
        """What work gives on a frame as a variant reads it, on the thread that evaluates."""
        from escala.engine.worker import LONG

        if frame is not None and frame not in self._render.frames:
            raise BadSource(f"{self.name} has no frame {frame}")
        opened = self._pool.open(_SHOT, self._render, document, frame)
        try:
            return self._pool.evaluate(lambda: work(opened.interpret()), LONG)
        finally:
            self._pool.trim()


class Variant:
    """A variant of a shot. It never changes: `set` gives another one."""

    def __init__(self, shot: Shot, document: Document) -> None:
        self.shot = shot
        self._document = document

    def __repr__(self) -> str:
        return f"<Variant of {self.shot.name}>"

    @property
    def document(self) -> dict[str, Any]:
        """The document, as plain values."""
        return self._document.model_dump(mode="json", by_alias=True)

    def set(self, pointer: str, value: Any) -> "Variant":
        """A new variant with another value at a pointer, as in `balance/lights/key/stops`.

        Entries of lists go by id or index; `-` adds one at the end. Raises `EscalaError` in a sentence.
        """
        document = copy.deepcopy(self.document)
        _put(document, steps_of(pointer), value, pointer)
        return Variant(self.shot, _validated(document))

    def picture(
        self,
        frame: int | None = None,
        station: str = "finish",
        space: str | None = None,
        display: str | None = None,
        view: str | None = None,
    ) -> Pixels:
        """The displayed picture at a station, (H, W, 3), float32.

        `frame`: None for the first. In `space`, None for the working space; or as `display` and `view` show it. Raises
        `EscalaError` in a sentence.
        """
        as_view = display is not None or view is not None
        if space is not None and as_view:
            raise BadSource("a space and a display or view exclude each other")
        chosen = self._document.display.model_copy(
            update={"view": view} | ({} if display is None else {"display": display})
        )
        document = self._document.model_copy(update={"display": chosen}) if as_view else self._document

        def work(evaluator: "Evaluator") -> Pixels:
            from escala.engine.stations import STATION_BY_NAME

            choose("station", station, STATION_BY_NAME)
            request = _whole(evaluator, document)
            colour = request.colour_pipeline
            if as_view:
                return _packed(evaluator.shown(request, station).colour)
            if space is None:
                return _packed(evaluator.at(station, request))
            name = colour.config.space(space)
            if colour.config.is_scene_linear(name):
                return _packed(evaluator.delivered(request, name, station).colour)
            return _packed(colour.config.convert(evaluator.at(station, request), colour.working.name, name))

        return self.shot._on(document, frame, work)

    def alpha(self, frame: int | None = None) -> Pixels:
        """The alpha of the finished picture, (H, W), float32; 1 everywhere where there is none."""

        def work(evaluator: "Evaluator") -> Pixels:
            request = _whole(evaluator, self._document)
            found = evaluator.picture(request, "finish").alpha
            return np.ones((self.shot.height, self.shot.width), np.float32) if found is None else np.array(found)

        return self.shot._on(self._document, frame, work)

    def matte(self, name: str, frame: int | None = None) -> Pixels:
        """A matte of the document, (H, W), 0..1, float32. Raises `EscalaError` for one that it lacks."""
        choose("matte", name, self._document.mattes)

        def work(evaluator: "Evaluator") -> Pixels:
            return np.array(evaluator.mattes.at(name, _whole(evaluator, self._document)), np.float32)

        return self.shot._on(self._document, frame, work)

    def solve(
        self, reference: NDArray[Any], lock: Iterable[str] = (), tints: bool = False, cells: bool = False
    ) -> dict[str, Any]:
        """The non-negative levels that bring the sum nearest to a reference, (H, W, 3) in the working space.

        Returns `{"lights": {name: {"stops", "tint"}}, "before": {"rms"}, "after": {"rms"}, "locked", "pixels"}`, with
        `cells` instead of `lights` where these are solved. Raises `EscalaError` in a sentence.
        """
        planes = np.ascontiguousarray(np.moveaxis(np.asarray(reference, np.float32), -1, 0))
        if planes.shape != (3, self.shot.height, self.shot.width):
            height, width = self.shot.height, self.shot.width
            raise BadSource(
                f"a reference of shape {np.shape(reference)} does not fit: ({height}, {width}, 3) is wanted"
            )

        def work(evaluator: "Evaluator") -> dict[str, Any]:
            from escala.engine.balance.solving import solve_levels

            variant = self._document.settled(evaluator.time(self._document))
            return solve_levels(evaluator, variant, lambda rows: planes[:, rows], tuple(lock), tints, cells).facts

        return self.shot._on(self._document, None, work)

    def deliver(
        self, preset: "Mapping[str, Any] | str | os.PathLike[str]", out: str | os.PathLike[str], resume: bool = False
    ) -> list[Path]:
        """Write all frames by a delivery preset, a document or its file, into a folder. Returns the files.

        `resume`: keep files that are there whole. A frame that cannot be read does not stop the others; then, and for
        a preset that cannot be followed, `EscalaError` is raised in a sentence.
        """
        from escala.delivery.checking import check_order
        from escala.delivery.documents import delivery_preset, read_delivery_preset
        from escala.delivery.order import Order, files_of_preset
        from escala.delivery.queue import deliver

        pool, render = self.shot._pool, self.shot._render
        wanted = delivery_preset(preset) if isinstance(preset, Mapping) else read_delivery_preset(Path(preset))
        files = files_of_preset(Path(out), wanted.files, render, "variant")
        order = Order(_SHOT, render, self._document, tuple(self.shot.frames), files, pool.place, keeps=resume)
        check_order(pool, order)
        reports = list(deliver(pool, order))
        failed = [report.error for report in reports if report.error]
        if failed:
            raise BadSource("; ".join(failed))
        return [path for report in reports for path in report.files]

    def sheet(self, space: str | None = None) -> list[dict[str, Any]]:
        """The light sheet: a row for each light, for each frame where its level moves; None is every frame.

        `space`: of the effective gains, None for the working space.
        """
        from escala.engine.balance.light_sheet import light_rows
        from escala.engine.colour.pipeline import resolve_colour
        from escala.engine.source.intake import time_of
        from escala.model.time import Time

        render = self.shot._render
        read = self.shot._pool.interpretation_of(_SHOT, render, self._document)
        colour = resolve_colour(read, self._document)
        rate = self._document.source.frame_rate or render.frame_rate
        frames = [(number, Time(time_of(render, number), rate)) for number in self.shot.frames]
        rows = light_rows(read, self._document, colour, space or colour.working.name, frames)
        return [row.values for row in rows]


def open_shot(*sources: str | os.PathLike[str], fit: bool = False) -> Shot:
    """Open a render: one multi-channel EXR, a folder, files of passes, or a sequence (`####`, `%04d`).

    `fit`: resize files to match the first. Raises `EscalaError` in a sentence.
    """
    if not sources:
        raise BadSource("name at least one file to open")
    return Shot(sources, fit)


def render_demo(folder: Path, size: tuple[int, int] = (320, 180), samples: int = 4, frame: int = 12) -> Path:
    """A frame of the made-up demo scene, rendered into a folder by the stand-in renderer. Returns its file."""
    from escala.stage.render import StageJob, render_frame

    path = Path(folder) / f"night_quay.{frame:04d}.exr"
    render_frame(StageJob(*size, samples), frame, path)
    return path


def _validated(document: Mapping[str, Any]) -> Document:
    try:
        return Document.model_validate(dict(document))
    except ValidationError as error:
        from escala.delivery.documents import first_fault

        raise BadSource(f"not a variant: {first_fault(error)}") from error


def _put(document: dict[str, Any], steps: list[str], value: Any, pointer: str) -> None:
    part: Any = document
    for step in steps[:-1]:
        part = part[_place(part, step, pointer)] if isinstance(part, list) else part.setdefault(step, {})
        if not isinstance(part, dict | list):
            raise BadSource(f"{pointer} leads through {step}, which holds nothing")
    if isinstance(part, dict):
        part[steps[-1]] = value
    elif steps[-1] == "-":
        part.append(value)
    else:
        part[_place(part, steps[-1], pointer)] = value


def _place(entries: list[Any], step: str, pointer: str) -> int:
    ids = [entry.get("id") if isinstance(entry, dict) else None for entry in entries]
    if step in ids:
        return ids.index(step)
    if step.isdecimal() and int(step) < len(entries):
        return int(step)
    raise BadSource(f"{pointer} names no entry {step!r}")


def _whole(evaluator: "Evaluator", document: Document) -> "EvaluationRequest":
    from escala.engine.request import Quality
    from escala.engine.viewer.viewport import full_viewport

    (left, top), display = evaluator.render.offset, evaluator.render.display
    return evaluator.make_request(document, full_viewport(left, top, display.width, display.height), Quality.EXPORT)


def _packed(planes: NDArray[Any]) -> Pixels:
    return np.ascontiguousarray(np.moveaxis(planes, 0, -1), np.float32)
