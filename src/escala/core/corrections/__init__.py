"""Corrections, and how they are limited."""
