"""Evaluates a variant along the path. Everything that a user sees or delivers comes from here."""
