"""Finish: corrections on everything."""

from .corrections import Corrections
from .render import Document


class Finish(Document):
    """Corrections on everything, in order."""

    corrections: Corrections = ()

    @property
    def changes(self) -> bool:
        """Whether any of them does anything."""
        return any(correction.changes for correction in self.corrections)
