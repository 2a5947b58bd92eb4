"""Matching the balance of a variant to a reference, or to wishes."""
