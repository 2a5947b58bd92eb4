"""Mattes: 0..1 pictures made from data."""
