"""Plate: layers from outside, from the render and from further renders, laid in behind and before the CG."""
