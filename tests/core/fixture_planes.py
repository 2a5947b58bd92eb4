"""Planes after one step, and figures of planes by numpy alone."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from escala.core.corrections.program import Laid, run_steps
from escala.core.corrections.steps import Step
from escala.core.planes import Planes
from escala.core.source.diagnostics import Figures


def corrected(planes: Planes, step: Step) -> Planes:
    """Planes after one step of corrections."""
    return run_steps(planes, [Laid(step)])


def plane_figures(plane: NDArray[Any]) -> Figures:
    """Figures of a plane (H, W) by numpy alone: lowest, highest, mean, how many are not finite and below 0."""
    values = np.ravel(plane).astype(np.float32).astype(np.float64)
    finite = values[np.isfinite(values)]
    return (
        float(finite.min()),
        float(finite.max()),
        float(finite.mean()),
        values.size - finite.size,
        int((finite < 0).sum()),
    )
