"""Colour: spaces, configs, views."""
