"""Colour: configs, what they offer, what is wrong with a chain."""
