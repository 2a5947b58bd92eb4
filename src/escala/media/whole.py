"""Files that appear whole or not at all."""

import os
import tempfile
from collections.abc import Callable
from pathlib import Path


def write_whole(path: Path, write: Callable[[Path], None]) -> None:
    """Let `write` make a file beside `path`, then put it in its place in one step."""
    with tempfile.TemporaryDirectory(prefix=".escala-", dir=path.parent) as folder:
        unfinished = Path(folder) / path.name
        write(unfinished)
        os.replace(unfinished, path)
