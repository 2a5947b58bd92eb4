"""Finish: corrections on everything."""

from .corrections import Correction
from .render import Document


class Finish(Document):
    """Corrections on everything, in order."""

    corrections: tuple[Correction, ...] = ()
