"""Variants: made, edited, walked through their history."""
