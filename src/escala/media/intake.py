"""Frames into the pass store, through a child process that may fall without taking the caller with it."""

import json
import os
import subprocess
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

from escala.core.errors import BadSource, EscalaError

from .sources import SourceFile
from .store import INDEX, StoredFrame, frame_key

Progress = Callable[[float], None]


class DecodeFailed(EscalaError, OSError):
    """The child process told why a frame cannot be read, or fell."""


def take_in_frame(files: Sequence[SourceFile], store: Path, progress: Progress = lambda share: None) -> StoredFrame:
    """The decoded frame of these files, from the store when it is there, else decoded now.

    `progress` is told the share done, 0..1. Raises `DecodeFailed` or `BadSource` with a sentence for the user.
    """
    folder = store / frame_key(files)
    if not (folder / INDEX).is_file():
        _decode(files, folder, progress)
    os.utime(folder / INDEX)
    return StoredFrame(folder)


def _decode(files: Sequence[SourceFile], folder: Path, progress: Progress) -> None:
    job = {"files": [[str(f.path), f.label] for f in files], "folder": str(folder)}
    child = subprocess.Popen(
        [sys.executable, "-m", "escala.media.decode"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
    )
    assert child.stdin is not None and child.stdout is not None
    with child:
        child.stdin.write(json.dumps(job))
        child.stdin.close()
        answer: dict[str, object] = {}
        for line in child.stdout:
            answer = json.loads(line)
            if "progress" in answer:
                progress(float(str(answer["progress"])))
    if "error" in answer:
        kind = BadSource if answer["error"] == "BadSource" else DecodeFailed
        raise kind(str(answer["message"]))
    if "done" not in answer:
        raise DecodeFailed(f"{files[0].path}: the reader fell on it (status {child.returncode}); the file is damaged")
