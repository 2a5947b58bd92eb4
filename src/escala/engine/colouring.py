"""Which spaces and view apply to a shot: the variant's choices, else the render's and the config's own."""

import atexit
import os
import sys
import threading
from dataclasses import dataclass
from functools import lru_cache

from escala.core.baked_view import BakedView
from escala.core.colour import ColourConfig, View, colour_config
from escala.core.levels import WorkingSpace
from escala.model.render import Render
from escala.model.variant import Variant


@dataclass(frozen=True)
class Colouring:
    """The colour chain of a picture, from file to screen."""

    config: ColourConfig
    input_space: str
    working: WorkingSpace
    view: View

    @property
    def words(self) -> tuple[str, ...]:
        """The chain in words."""
        return f"{self.input_space} file", self.working.name, self.view.view, self.view.display


def colouring_of(render: Render, variant: Variant) -> Colouring:
    """Resolve every name; raises `UnknownChoice` or `ColourError` in a sentence."""
    choice = variant.colour
    config = colour_config(choice.config)
    wanted_input = choice.input_space or render.input_space
    known = choice.input_space is not None or config.has_space(wanted_input)
    input_space = config.space(wanted_input if known else config.default_working_space)
    working = config.space(choice.working_space or config.default_working_space)
    return Colouring(config, input_space, _working_space(config, working), _view(config, variant))


def _view(config: ColourConfig, variant: Variant) -> View:
    chosen, default = variant.display, config.default_view
    if chosen.display is None:
        return config.check_view(View(default.display, chosen.view or default.view))
    views = config.views.get(chosen.display, [""])
    return config.check_view(View(chosen.display, chosen.view or views[0]))


@lru_cache(maxsize=16)
def _working_space(config: ColourConfig, name: str) -> WorkingSpace:
    return config.working_space(name)


_closing = threading.Event()
_refining: list[threading.Thread] = []


@lru_cache(maxsize=8)
def baked_view(config: ColourConfig, space: str, view: View) -> BakedView:
    """The fast table of a view, made once; it is refined in the background, behind everything else."""
    made = BakedView(config, space, view)
    thread = threading.Thread(target=_refine, args=(made,), name="refining a view", daemon=True)
    _refining.append(thread)
    thread.start()
    return made


def finish_refining() -> None:
    """Wait until every view in use is refined."""
    for thread in _refining:
        thread.join()


def _refine(view: BakedView) -> None:
    if sys.platform == "linux":
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), 15)
    view.refine(_closing.is_set)


@atexit.register
def _stop_refining() -> None:
    """Native code must not run on while the interpreter goes."""
    _closing.set()
    finish_refining()
