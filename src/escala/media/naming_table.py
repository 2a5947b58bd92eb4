"""The naming table, read from the data file beside this module."""

import tomllib
from functools import cache
from importlib import resources

from escala.core.source.naming import NamingTable


@cache
def naming_table() -> NamingTable:
    """The words by which passes are recognised."""
    text = resources.files(__package__).joinpath("naming.toml").read_text(encoding="utf-8")
    return NamingTable.from_sections(tomllib.loads(text))
