"""The path: its stations in order, what each shows when tapped, and what it says of a variant."""

from collections.abc import Callable
from dataclasses import dataclass

from escala.core.colour.config import View
from escala.core.planes import Planes
from escala.model.render import Render
from escala.model.variant import Variant

from .evaluation import Evaluation
from .picture import FrameEngine
from .surface.changes import colour_passes

Tap = Callable[[FrameEngine, Evaluation], Planes]
Words = Callable[[Render, Variant, View | None], tuple[str, bool]]


@dataclass(frozen=True)
class Station:
    """A station. `tap` gives the picture there in the working space; `words` says what it does, and whether.

    The view is None where the variant names a colour that is not to be had.
    """

    name: str
    tap: Tap
    words: Words


def _source(engine: FrameEngine, asked: Evaluation) -> Planes:
    return engine.source(asked)


def _surface(engine: FrameEngine, asked: Evaluation) -> Planes:
    return engine.surface(asked)


def _balance(engine: FrameEngine, asked: Evaluation) -> Planes:
    return engine.balance(asked)


def _beauty(engine: FrameEngine, asked: Evaluation) -> Planes:
    return engine.beauty(asked)


def _finish(engine: FrameEngine, asked: Evaluation) -> Planes:
    return engine.finish(asked)


def _source_words(render: Render, variant: Variant, view: View | None) -> tuple[str, bool]:
    source = variant.source
    changes = len(source.roles) + len(source.repairs) + (source.twin is not None)
    if changes:
        return f"{changes} change{'s' if changes != 1 else ''}", True
    return f"{len(render.passes)} passes", False


def _surface_words(render: Render, variant: Variant, view: View | None) -> tuple[str, bool]:
    if not colour_passes(render):
        return "no colour pass", False
    changes = sum(change.changes for change in variant.surface.recolours)
    return (f"{changes} colour{'s' if changes != 1 else ''}" if changes else "unchanged"), changes > 0


def _balance_words(render: Render, variant: Variant, view: View | None) -> tuple[str, bool]:
    changes = variant.balance.changes
    return (f"{changes} level{'s' if changes != 1 else ''}" if changes else "unchanged"), changes > 0


def _beauty_words(render: Render, variant: Variant, view: View | None) -> tuple[str, bool]:
    if not render.recipes:
        return "no recipe", False
    if render.reference is None:
        return "no reference", False
    words = ["matches" if render.recipes[0].exact else "differs"]
    if variant.tally.changes_recipe or variant.tally.changes_picture:
        words.append("changed")
    if not variant.residual:
        words.append("no residual")
    return ", ".join(words), len(words) > 1


_CORRECTION_WORDS = {"exposure": "exposure", "cdl": "CDL", "lut": "LUT"}


def _finish_words(render: Render, variant: Variant, view: View | None) -> tuple[str, bool]:
    active = [c for c in variant.finish.corrections if c.on]
    if not active:
        return "unchanged", False
    if len(active) == 1 and active[0].kind == "exposure":
        return f"exposure {active[0].stops:+.2f}".replace("-", "−"), True
    return ", ".join(c.name if c.kind == "config" else _CORRECTION_WORDS[c.kind] for c in active), True


def _display_words(render: Render, variant: Variant, view: View | None) -> tuple[str, bool]:
    if view is None:
        return "cannot be shown", False
    return f"{view.view.split(' - ')[0]} · {view.display.removesuffix(' - Display')}", False


def _still(words: str) -> Words:
    return lambda render, variant, view: (words, False)


# In the order in which a picture is made. Stations that change nothing yet pass on what comes before them.
STATIONS: tuple[Station, ...] = (
    Station("source", _source, _source_words),
    Station("surface", _surface, _surface_words),
    Station("balance", _balance, _balance_words),
    Station("beauty", _beauty, _beauty_words),
    Station("depth", _beauty, _still("off")),
    Station("plate", _beauty, _still("none")),
    Station("lens", _beauty, _still("off")),
    Station("finish", _finish, _finish_words),
    Station("display", _finish, _display_words),
)
STATION_BY_NAME = {station.name: station for station in STATIONS}
