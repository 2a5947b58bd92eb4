"""The classic mistakes of colour, noticed along the chain from file to screen."""

import re

from escala.model.render import Render
from escala.model.variant import Variant

from .colouring import colouring_of

# Views that put scene-linear values on the screen as they are.
_RAW_VIEW = re.compile(r"\braw\b|un-?tone-?mapped|\blinear\b", re.IGNORECASE)
_ENCODED = {"encoded", "encoded_twice"}


def colour_warnings(render: Render, variant: Variant) -> list[str]:
    """A sentence for each mistake that the chain of this variant makes; none when it is sound."""
    view = colouring_of(render, variant).view
    reference = render.find_pass(render.reference) if render.reference else None
    codes = {finding.code for finding in reference.diagnostics} if reference else set()
    found = []
    if _RAW_VIEW.search(view.view):
        found.append(
            f"The view {view.view} shows linear light as it is: everything looks dark and contrasty, and nothing above "
            "1 is seen. Choose a view that brings it to the screen."
        )
    elif codes & _ENCODED:
        found.append(
            "The beauty is a display picture already, and the view is laid on it once more: it looks washed out. Read "
            "it as encoded, at Source."
        )
    if "clamped" in codes:
        found.append("The beauty ends at 1: its highlights are gone, and stay grey when they are darkened.")
    return found
