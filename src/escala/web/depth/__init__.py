"""Depth of a variant."""
