"""Escala: take a render apart, prove that it goes back together, change its lights."""

import os

# Matrices here are small: threads of the linear algebra library would only be started, and wait by spinning.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
