"""Plate over HTTP."""
