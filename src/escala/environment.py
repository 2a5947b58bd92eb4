"""The environment: variables that libraries read when they are loaded, and the cache folder of the user."""

import os
import tempfile
from pathlib import Path

DEFAULTS = {
    # Matrices are small: threads of the linear algebra library would only be started, and wait by spinning.
    "OPENBLAS_NUM_THREADS": "1",
    # Threads that wait must not keep a core from those that work: where cores are shared, that made one image in
    # twenty ten times as slow.
    "OMP_WAIT_POLICY": "passive",
}


def prepare_environment() -> None:
    """Set the variables that the user has not set; entry points do so before anything computes."""
    for name, value in DEFAULTS.items():
        os.environ.setdefault(name, value)


def user_cache() -> Path:
    """The folder for what can be computed again (XDG Base Directory Specification)."""
    base = os.environ.get("XDG_CACHE_HOME", "")
    if os.path.isabs(base):
        return Path(base) / "escala"
    try:
        return Path.home() / ".cache" / "escala"
    except RuntimeError:  # a user without a home, as in some containers
        return Path(tempfile.gettempdir()) / f"escala-{os.getuid()}"
