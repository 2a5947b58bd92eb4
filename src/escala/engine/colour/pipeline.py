"""Which spaces and view apply to a shot: the variant's choices, else the render's and the config's own."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Protocol

import numpy as np

from escala.core.balance.levels import WorkingSpace
from escala.core.colour.baked_view import BakedView
from escala.core.colour.config import ColourConfig, View
from escala.core.colour.file_colour import FileColour, InputSpace, input_space_of
from escala.core.colour.gamuts import gamut_matrix
from escala.core.colour.matrix import apply_matrix
from escala.core.colour.transfer import srgb_decode
from escala.core.planes import as_planes
from escala.media.configs import colour_config
from escala.media.path_safety import EVERYWHERE, Roots
from escala.model.colour import ColourChoice
from escala.model.display import DisplayChoice
from escala.model.render import Render

from .refining import REFINER


class Choices(Protocol):
    """What somebody chose of colour: a variant, as a rule."""

    @property
    def colour(self) -> ColourChoice: ...

    @property
    def display(self) -> DisplayChoice: ...


@dataclass(frozen=True)
class NoChoices:
    """Nothing chosen: a render as it comes."""

    colour: ColourChoice = field(default_factory=ColourChoice)
    display: DisplayChoice = field(default_factory=DisplayChoice)


@dataclass(frozen=True)
class ColourPipeline:
    """The colour pipeline of a picture, from file to screen. `inputs`: by pass, the space of its file, and why."""

    config: ColourConfig
    inputs: Mapping[str, InputSpace]
    reference: str | None
    working: WorkingSpace
    view: View

    @property
    def input(self) -> InputSpace:
        """How the beauty is read, or the first pass where there is none."""
        return self.inputs[self.reference or next(iter(self.inputs))]

    @property
    def input_space(self) -> str:
        """The space that the beauty is read in."""
        return self.input.name

    @property
    def delivery_space(self) -> str:
        """The scene-linear space in which results leave: that of the file, else the working space."""
        return self.input_space if self.config.is_scene_linear(self.input_space) else self.working.name

    @property
    def key(self) -> tuple[str, ...]:
        """What decides the working-space values of every pass."""
        return self.config.key, self.working.name, *(space.name for space in self.inputs.values())

    @property
    def words(self) -> tuple[str, ...]:
        """The chain in words."""
        inputs = list(dict.fromkeys(space.name for space in self.inputs.values()))
        files = f"{self.input_space} file" if len(inputs) == 1 else f"{self.input_space} and other files"
        look = (f"look {self.view.look}",) if self.view.look else ()
        return files, self.working.name, *look, self.view.view, self.view.display

    def sum_space(self, names: Iterable[str]) -> str:
        """Where passes are combined: the scene-linear space that all of them are read in, else the working one."""
        spaces = {self.space_of(name) for name in names}
        space = spaces.pop()
        return space if not spaces and self.config.is_scene_linear(space) else self.working.name

    def space_of(self, name: str) -> str:
        """The space that a pass is read in."""
        return self.inputs[name].name


def resolve_colour(render: Render, choices: Choices, roots: Roots = EVERYWHERE) -> ColourPipeline:
    """Resolve every name; raises `UnknownChoice` or `ColourError` in a sentence. `roots`: where tables may lie."""
    choice = choices.colour
    config = colour_config(choice.config, choice.context, roots)
    working = config.space(choice.working_space or config.default_working_space)
    inputs = {p.name: _input(config, choice, p.colour) for p in render.passes}
    return ColourPipeline(
        config, inputs, render.reference, _working_space(config, working), _view(config, choices.display)
    )


def _input(config: ColourConfig, choice: ColourChoice, file: FileColour) -> InputSpace:
    """The space of a file: as chosen for it, as chosen for all, or as it says itself."""
    chosen = choice.file_spaces.get(file.name) or choice.input_space
    return InputSpace(config.space(chosen), "set manually") if chosen else input_space_of(config, file)


def _view(config: ColourConfig, chosen: DisplayChoice) -> View:
    default = config.default_view
    display = chosen.display or default.display
    first = default.view if chosen.display is None else config.views.get(display, [""])[0]
    return config.check_view(View(display, chosen.view or first, chosen.look))


@lru_cache(maxsize=16)
def _working_space(config: ColourConfig, name: str) -> WorkingSpace:
    return config.working_space(name)


@lru_cache(maxsize=12)
def baked_view(config: ColourConfig, space: str, view: View) -> BakedView:
    """The fast table of a view, made once and refined in the background."""
    made = BakedView(config, space, view)
    REFINER.add(made)
    return made


def working_colour(colour: tuple[float, float, float], colour_pipeline: ColourPipeline) -> tuple[float, float, float]:
    """A colour of an sRGB screen, 0..1, as scene-linear light of the working space."""
    linear = srgb_decode(np.array(colour, np.float64)).reshape(3, 1, 1)
    to_ap0 = apply_matrix(as_planes(linear), as_planes(gamut_matrix("Rec.709", "AP0")))
    ap0 = colour_pipeline.config.space_of_gamut("AP0")
    found = to_ap0 if ap0 is None else colour_pipeline.config.convert(to_ap0, ap0, colour_pipeline.working.name)
    red, green, blue = found[:, 0, 0].tolist()
    return red, green, blue
