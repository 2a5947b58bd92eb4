"""`start`: what a pipeline pays for calling a command a thousand times."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

from .figures import Figure, write_big_shot

_WIDTH, _HEIGHT, _LIGHTS, _CALLS = 320, 180, 2, 5


def bench_start() -> Figure:
    """Processor time of `escala inspect` on a small file, in seconds; the ratio is that of `--help`, in seconds too."""
    with tempfile.TemporaryDirectory(prefix="escala-bench-") as folder:
        file = Path(folder) / "small.exr"
        write_big_shot(file, _WIDTH, _HEIGHT, _LIGHTS)
        inspect = min(_processor_seconds("inspect", str(file)) for _ in range(_CALLS))
    help_ = min(_processor_seconds("--help") for _ in range(_CALLS))
    return Figure(inspect, "s", help_, "inspect ≤ 1.0 s, --help ≤ 0.25 s", inspect <= 1.0 and help_ <= 0.25)


def _processor_seconds(*arguments: str) -> float:
    """User and system time of a command and all that it starts."""
    before = os.times()
    command = [sys.executable, "-m", "escala.cli", *arguments]
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
    after = os.times()
    return after.children_user + after.children_system - before.children_user - before.children_system
