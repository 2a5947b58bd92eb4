"""A separate server for benchmarks, and requests to it."""

import json
import os
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from escala.core.errors import BadSource


@contextmanager
def served(media: Path) -> Iterator[str]:
    """A server that reads a folder; its address."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    with tempfile.TemporaryDirectory(prefix="escala-bench-home-") as home:
        command = ["serve", "--home", home, "--media", str(media), "--port", str(port)]
        environment = {**os.environ, "PYTHONUNBUFFERED": "1"}
        with subprocess.Popen(
            [sys.executable, "-m", "escala.cli", *command], stdout=subprocess.PIPE, text=True, env=environment
        ) as server:
            assert server.stdout is not None
            server.stdout.readline()
            try:
                yield f"http://127.0.0.1:{port}"
            finally:
                server.terminate()


def call(address: str, body: dict[str, Any] | None = None) -> Any:
    """What the server answers to a question, or to a body that is posted."""
    return json.loads(fetch(address, body))


def fetch(address: str, body: dict[str, Any] | None = None) -> bytes:
    """As `call`, the bytes of the answer."""
    data = None if body is None else json.dumps(body).encode()
    with urllib.request.urlopen(urllib.request.Request(address, data, {"Content-Type": "application/json"})) as answer:
        return bytes(answer.read())


def open_shot(address: str, file: Path) -> int:
    """A new shot of a file; its number."""
    job = call(f"{address}/api/shots", {"sources": [str(file)]})
    while job["state"] == "running":
        time.sleep(0.2)
        job = call(f"{address}/api/jobs/{job['id']}")
    if job["state"] != "done":
        raise BadSource(str(job["error"]))
    return int(job["result"]["shot_id"])
