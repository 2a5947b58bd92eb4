"""Presets of corrections."""
