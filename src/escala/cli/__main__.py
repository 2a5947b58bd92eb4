"""`python -m escala.cli`."""

from . import main

main()
