"""What can be written of a variant: for each kind the names, and their planes at a viewport."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from escala.core.planes import Planes
from escala.engine.balance.contributions import contribution_names, contributions
from escala.engine.breakdown import breakdown_steps, step_image
from escala.engine.evaluator import Evaluator
from escala.engine.request import EvaluationRequest
from escala.engine.viewer.viewport import crop_pass
from escala.model.render import Render
from escala.model.time import Time
from escala.model.variant import Variant


@dataclass(frozen=True)
class Layer:
    """Planes under a name, (C, H, W). `space`: that of colour; None for data and mattes, which are never converted.

    `letters`: its channels. `pixel_type`: as it is stored ("half", "float", "uint"); None where it is computed.
    """

    name: str
    planes: Planes
    space: str | None
    letters: str | tuple[str, ...] = "RGB"
    pixel_type: str | None = None
    alpha: Planes | None = None


# Layers of the wanted names; as pixels of a view, at a station (the result alone).
MakeLayers = Callable[[Evaluator, EvaluationRequest, Sequence[str], str, bool], list[Layer]]


@dataclass(frozen=True)
class Output:
    """A kind of what can be written. `names`: of a render as it is read, and a variant, at a time."""

    names: Callable[[Render, Variant, Time], list[str]]
    layers: MakeLayers


def _result(
    evaluator: Evaluator, request: EvaluationRequest, names: Sequence[str], station: str, as_shown: bool
) -> list[Layer]:
    if as_shown:
        picture, space = evaluator.picture(request, station), request.colour_pipeline.working.name
    else:
        picture, space = evaluator.finished(request, station)
    return [Layer("", picture.colour, space, alpha=picture.alpha)]


def _contributions(what: str) -> Output:
    def names(render: Render, variant: Variant, time: Time) -> list[str]:
        return contribution_names(render, variant.settled(time), what)

    def layers(
        evaluator: Evaluator, request: EvaluationRequest, names: Sequence[str], station: str, as_shown: bool
    ) -> list[Layer]:
        found, space = contributions(evaluator.light_sum, request, what), request.colour_pipeline.working.name
        return [Layer(name, found[name], space) for name in names]

    return Output(names, layers)


def _passes(
    evaluator: Evaluator, request: EvaluationRequest, names: Sequence[str], station: str, as_shown: bool
) -> list[Layer]:
    """Passes as stored, before they were denoised."""
    frame, found = evaluator.frame.undenoised, []
    for name in names:
        stored, read = frame.passes[name], evaluator.render.find_pass(name)
        space = request.colour_pipeline.space_of(name) if read is not None and read.is_colour else None
        planes = crop_pass(frame, name, request.viewport)
        space = space if planes.shape[0] >= 3 else None
        found.append(Layer(name, planes, space, stored.letters, stored.pixel_type))  # type: ignore[arg-type]
    return found


def _mattes(
    evaluator: Evaluator, request: EvaluationRequest, names: Sequence[str], station: str, as_shown: bool
) -> list[Layer]:
    found = {name: np.ascontiguousarray(evaluator.mattes.at(name, request)) for name in names}
    return [Layer(name, matte[None], None, "A", "float") for name, matte in found.items()]


def _breakdown(
    evaluator: Evaluator, request: EvaluationRequest, names: Sequence[str], station: str, as_shown: bool
) -> list[Layer]:
    steps = breakdown_steps(evaluator.render, request.variant, evaluator.time(request.variant))
    space = request.colour_pipeline.working.name
    return [Layer(s.label, step_image(evaluator, request, s), space) for s in steps if s.label in names]


OUTPUTS: dict[str, Output] = {
    "result": Output(lambda render, variant, time: [""], _result),
    "lights": _contributions("lights"),
    "components": _contributions("components"),
    "cells": _contributions("cells"),
    "passes": Output(lambda render, variant, time: [p.name for p in render.passes], _passes),
    "mattes": Output(lambda render, variant, time: list(variant.mattes), _mattes),
    "breakdown": Output(
        lambda render, variant, time: [step.label for step in breakdown_steps(render, variant, time)], _breakdown
    ),
}
