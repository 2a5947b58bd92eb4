"""Lens: what glass, and the film behind it, do to a picture; all in scene-linear light."""
