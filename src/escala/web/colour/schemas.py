"""What requests and answers about colour hold."""

from typing import Any, Literal

from pydantic import BaseModel, Field

from escala.core.colour.config import ColourConfig
from escala.engine.colour.pipeline import ColourPipeline
from escala.engine.colour.warnings import ColourWarning
from escala.media.configs import BUILTIN_CONFIGS, DEFAULT_CONFIG
from escala.model.render import Render

from ..query import Query


class ColourQuery(Query):
    """A config by name or path, and values of its variables, each as `NAME=value`."""

    config: str = Field(DEFAULT_CONFIG, min_length=1)
    context: list[str] = Field(default_factory=list)


class ConfigName(BaseModel):
    """A config to choose: what a variant names it by, and its title."""

    source: str
    title: str


class ColourOut(BaseModel):
    """What a config offers, and the configs to choose from. `faults`: what of it does not work, and where."""

    configs: list[ConfigName]
    spaces: list[str]
    scene_spaces: list[str]
    roles: dict[str, str]
    looks: list[str]
    named_transforms: list[str]
    variables: dict[str, str]
    views: dict[str, list[str]]
    working_space: str
    display: str
    view: str
    faults: list[str]


class CdlQuery(Query):
    """The kind of file that colour decisions are written to."""

    format: Literal["cdl", "cc", "ccc"] = "cc"


class BatchQuery(Query):
    """What holds the files of one config together while it is imported, so that no others get among them."""

    batch: str = Field("", pattern=r"^\w{0,40}$")


class ConfigFileQuery(BatchQuery):
    """The place of a file in its config's folder."""

    path: str = Field(min_length=1, max_length=1000)


class ConfigPath(BaseModel):
    """A config imported, by its name, in an address."""

    name: str


class ConfigOut(BaseModel):
    """A config that was imported, and what of it does not work."""

    source: str
    title: str
    faults: list[str]


class FileInput(BaseModel):
    """The space that the passes of a file are read in, and why."""

    file: str
    space: str
    reason: str


class WarningsOut(BaseModel):
    """The mistakes of a colour pipeline."""

    warnings: list[ColourWarning]


class StopColour(BaseModel):
    """The colour of a band of one stop around middle grey."""

    stop: int
    colour: tuple[int, int, int]


class StopColours(BaseModel):
    """The bands of the picture by stops, darkest first."""

    stops: list[StopColour]


class CdlOut(BaseModel):
    """The ten numbers of a colour decision."""

    slope: tuple[float, float, float]
    offset: tuple[float, float, float]
    power: tuple[float, float, float]
    saturation: float


def colour_out(source: str, config: ColourConfig, brought: list[ConfigName]) -> ColourOut:
    """What a config offers; built-in ones are known to work."""
    own = source not in BUILTIN_CONFIGS
    others = [ConfigName(source=name, title=name) for name in BUILTIN_CONFIGS] + brought
    if all(known.source != source for known in others):
        others.append(ConfigName(source=source, title=source))
    return ColourOut(
        configs=others,
        spaces=config.spaces,
        scene_spaces=config.scene_spaces,
        roles=config.roles,
        looks=config.looks,
        named_transforms=config.named_transforms,
        variables=config.variables,
        views=config.views,
        working_space=config.default_working_space,
        display=config.default_view.display,
        view=config.default_view.view,
        faults=list(config.faults) if own else [],
    )


def file_inputs(render: Render, colour_pipeline: ColourPipeline) -> list[dict[str, Any]]:
    """How each file with colour in it is read."""
    found: dict[str, dict[str, Any]] = {}
    for p in render.passes:
        space = colour_pipeline.inputs[p.name]
        if p.is_colour:
            found.setdefault(p.colour.name, {"file": p.colour.name, "space": space.name, "reason": space.reason})
    return list(found.values())
