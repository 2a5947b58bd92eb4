"""What results are kept by: each key names all that made it, and is spelled nowhere else."""

import hashlib
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from escala.media.store import StoredFrame
from escala.model.render import Render

from .colour.chain import Colouring

Key = tuple[Any, ...]


@dataclass(frozen=True, eq=False)
class Keys:
    """The keys of one frame as it is read.

    The folder of a frame is named by paths, sizes, times and contents of its files, and by repairs; the reading holds
    roles, reference, recipes, alpha, name and frames of the render.
    """

    render: Render
    frame: StoredFrame

    @cached_property
    def _reading(self) -> str:
        return hashlib.sha256(self.render.model_dump_json().encode()).hexdigest()[:24]

    def of_pixels(self, kind: str, *facts: Any) -> Key:
        """For what follows from the stored pixels alone: shared by all who look at these files."""
        return (self.frame.folder.name, kind, *facts)

    def of_reading(self, kind: str, *facts: Any, colouring: Colouring | None = None) -> Key:
        """For what follows from how the render is read, and from the colour chain where that is given."""
        chain = () if colouring is None else (*colouring.key, colouring.view)
        return (self.frame.folder.name, kind, self._reading, chain, *facts)
