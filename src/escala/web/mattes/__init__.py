"""Mattes: the shelf, what lies under the pointer, outlines."""
