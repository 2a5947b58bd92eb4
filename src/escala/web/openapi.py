"""Prints the API's OpenAPI document, from which the front end's types are made: `python -m escala.web.openapi`."""

import json
import tempfile
from pathlib import Path

from .app import create_app
from .settings import Settings


def main() -> None:
    """Print the document, keys sorted."""
    with tempfile.TemporaryDirectory() as folder:
        print(json.dumps(create_app(Settings(Path(folder))).api_doc, indent=1, sort_keys=True))


if __name__ == "__main__":
    main()
