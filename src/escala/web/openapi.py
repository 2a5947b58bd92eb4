"""What the front end is built from: the API's OpenAPI document, and the defaults of what documents hold.

`python -m escala.web.openapi` prints the first, `python -m escala.web.openapi defaults` the second.
"""

import json
import sys
from typing import Any

from pydantic import BaseModel

from escala.model.balance import Level
from escala.model.beauty import TermEdit
from escala.model.corrections import CdlCorrection, ExposureCorrection
from escala.model.depth import Depth
from escala.model.lens import Lens
from escala.model.source import Denoise
from escala.model.surface import Recolour

from .app import api_document
from .pictures.schemas import Aids

_WITH_DEFAULTS: tuple[type[BaseModel], ...] = (
    Level, TermEdit, Recolour, ExposureCorrection, CdlCorrection, Denoise, Depth, Lens, Aids
)  # fmt: skip


def defaults() -> dict[str, Any]:
    """By the name of each kind what it is when nothing is said."""
    return {kind.__name__: kind().model_dump(mode="json") for kind in _WITH_DEFAULTS}


def main() -> None:
    """Print the requested description, keys sorted."""
    print(json.dumps(defaults() if "defaults" in sys.argv[1:] else api_document(), indent=1, sort_keys=True))


if __name__ == "__main__":
    main()
