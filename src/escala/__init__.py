"""Escala: take a render apart, prove that it goes back together, change its lights."""
