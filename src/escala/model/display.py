"""Display: the display, its view, and a look."""

from .render import Document


class DisplayChoice(Document):
    """Display and view; None: the config's default. `look`: in place of the view's own; "" is none at all."""

    display: str | None = None
    view: str | None = None
    look: str | None = None
