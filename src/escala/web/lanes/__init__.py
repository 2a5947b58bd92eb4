"""Lanes of a variant: what moves over time."""
