"""Finish: corrections on everything."""

from .corrections import Corrected


class Finish(Corrected):
    """Corrections on everything, in order."""
