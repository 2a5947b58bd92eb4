"""Depth: distances, haze, and what an aperture and a shutter do to a picture."""
