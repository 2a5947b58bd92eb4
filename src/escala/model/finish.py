"""Finish: corrections on everything."""

from .corrections import Correction
from .render import Document


class Finish(Document):
    """Corrections on everything, in order."""

    corrections: tuple[Correction, ...] = ()

    @property
    def changes(self) -> bool:
        """Whether any of them does anything."""
        return any(correction.changes for correction in self.corrections)
