"""Colour: the config and its spaces."""

from pydantic import Field, field_validator

from escala.core.colour.config import DEFAULT_CONFIG

from .render import Document


class ColourChoice(Document):
    """Config and spaces. None: what the render's files say, and the config's own working space.

    `context`: values of the config's variables. `file_spaces`: input spaces by file, where they differ.
    """

    config: str = DEFAULT_CONFIG
    context: dict[str, str] = Field(default_factory=dict)
    input_space: str | None = None
    file_spaces: dict[str, str] = Field(default_factory=dict)
    working_space: str | None = None

    @field_validator("config")
    @classmethod
    def _named(cls, config: str) -> str:
        if not config:
            raise ValueError("a config is a name, as ACES 2, or a path")
        return config
