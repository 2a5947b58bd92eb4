"""Environment variables that libraries read when they are loaded; set by entry points, before anything computes."""

import os

_DEFAULTS = {
    # Matrices are small: threads of the linear algebra library would only be started, and wait by spinning.
    "OPENBLAS_NUM_THREADS": "1",
    # Threads that wait must not keep a core from those that work: where cores are shared, that made one image in
    # twenty ten times as slow.
    "OMP_WAIT_POLICY": "passive",
}


def prepare_environment() -> None:
    """Set the variables that the user has not set."""
    for name, value in _DEFAULTS.items():
        os.environ.setdefault(name, value)
