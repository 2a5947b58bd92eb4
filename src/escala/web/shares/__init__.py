"""Shares of variants, and what their page asks for."""
