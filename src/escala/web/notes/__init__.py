"""Notes on variants, and their answers."""
