"""The path: its stations in order, how each makes its picture, and what it says of a variant."""

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from escala.core.colour.config import View
from escala.core.errors import choose
from escala.core.planes import Planes
from escala.model.balance import Balance
from escala.model.beauty import TallyChoice
from escala.model.corrections import Correction
from escala.model.pointers import steps_of
from escala.model.render import Render
from escala.model.time import Time
from escala.model.variant import Variant

from .balance.plan import waiting_levels
from .beauty.light_sum import LightSum
from .beauty.removal import left_by_removals
from .corrections.stage import corrections_stage
from .depth.registry import DEPTH_EFFECTS
from .effects import effect_stages
from .frame_context import FrameContext
from .lens.registry import LENS_EFFECTS
from .pipeline import Picture, Stage
from .plate.stages import PLATE_STAGES
from .request import EvaluationRequest
from .surface.changes import colour_passes

Sum = Callable[[LightSum, EvaluationRequest], Planes]
Words = Callable[[Render, Variant, View | None], tuple[str, bool]]


@dataclass(frozen=True)
class Station:
    """A station: what it says of a variant and whether that changes anything, and how its picture is had.

    Up to the beauty by a `sum` of its own, after it by `stages` of the pipeline, which may be none. The view given to
    `words` is None where the variant names a colour that cannot be resolved.
    """

    name: str
    words: Words
    sum: Sum | None = None
    stages: tuple[Stage, ...] = ()


def _source(head: LightSum, request: EvaluationRequest) -> Planes:
    """The reference, or the plain sum where there is none."""
    return head.terms.plain(request)


def _surface(head: LightSum, request: EvaluationRequest) -> Planes:
    """The beauty with changed surfaces alone, every level neutral."""
    plain = request.variant.model_copy(update={"balance": Balance(), "tally": TallyChoice()})
    return head.sum(request.of(plain), with_residual=True)


def _balance(head: LightSum, request: EvaluationRequest) -> Planes:
    """The sum with all levels, without the residual."""
    return head.sum(request, with_residual=False)


def _beauty_link() -> Stage:
    """What is taken out of the CG, then its corrections."""
    corrected = corrections_stage("beauty", lambda variant: variant.beauty)

    def function(picture: Picture, request: EvaluationRequest, frame_context: FrameContext) -> Picture:
        left = left_by_removals(request, frame_context.mattes)
        if left is not None:
            picture = picture.times(left)
        return corrected.function(picture, request, frame_context)

    return replace(corrected, function=function)


def _source_words(render: Render, variant: Variant, view: View | None) -> tuple[str, bool]:
    source = variant.source
    changes = len(source.roles) + len(source.repairs) + (source.twin is not None) + source.denoise.on
    if changes:
        return f"{changes} change{'s' if changes != 1 else ''}", True
    count = len(render.passes)
    return ("1 pass" if count == 1 else f"{count} passes"), False


def _surface_words(render: Render, variant: Variant, view: View | None) -> tuple[str, bool]:
    if not colour_passes(render):
        return "no albedo pass", False
    changes = sum(change.changes for change in variant.surface.changes)
    return (_counted(changes, "change") if changes else "unchanged"), changes > 0


def _counted(count: int, what: str) -> str:
    return f"{count} {what}" if count == 1 else f"{count} {what}s"


def _balance_words(render: Render, variant: Variant, view: View | None) -> tuple[str, bool]:
    changes, waiting = variant.balance.changes, len(waiting_levels(render, variant))
    seen = sum(correction.is_seen for correction in variant.balance.corrections)
    said = [_counted(count, what) for count, what in ((changes, "level"), (seen, "correction")) if count]
    words = ", ".join(said) or "unchanged"
    return f"{words}, {waiting} unresolved" if waiting else words, changes + seen > 0


def _beauty_words(render: Render, variant: Variant, view: View | None) -> tuple[str, bool]:
    if not render.recipes:
        return "no recipe", False
    if render.reference is None:
        return "no reference", False
    words = ["matches" if render.recipes[0].exact else "differs"]
    if variant.tally.changes_recipe or variant.tally.changes_picture:
        words.append("recipe edited")
    if not variant.residual:
        words.append("no residual")
    if variant.beauty.removals:
        words.append(f"{len(variant.beauty.removals)} removed")
    if any(c.is_seen for c in variant.beauty.corrections):
        words.append(_named([c for c in variant.beauty.corrections if c.is_seen]))
    return ", ".join(words), len(words) > 1


_CORRECTION_WORDS = {"cdl": "CDL", "lut": "LUT", "roll_off": "roll-off"}


def _named(corrections: Sequence[Correction]) -> str:
    """Corrections by their kinds, in order."""
    known = _CORRECTION_WORDS
    return ", ".join(c.name if c.kind == "config" else known.get(c.kind, c.kind.replace("_", " ")) for c in corrections)


def _finish_words(render: Render, variant: Variant, view: View | None) -> tuple[str, bool]:
    active = [c for c in variant.finish.corrections if c.on]
    if not active:
        return "unchanged", False
    if len(active) == 1 and active[0].kind == "exposure":
        return f"exposure {active[0].stops:+.2f}".replace("-", "−"), True
    return _named(active), True


def _display_words(render: Render, variant: Variant, view: View | None) -> tuple[str, bool]:
    if view is None:
        return "not available", False
    return f"{view.view.split(' - ')[0]} · {view.display.removesuffix(' - Display')}", False


def _depth_words(render: Render, variant: Variant, view: View | None) -> tuple[str, bool]:
    depth = variant.depth
    said = [name for name in ("haze", "defocus", "motion") if getattr(depth, name).changes]
    if depth.defocus.changes:
        said[said.index("defocus")] = f"focus {depth.defocus.focus:.4g}"
    return ", ".join(said) or "off", bool(said)


def _lens_words(render: Render, variant: Variant, view: View | None) -> tuple[str, bool]:
    return ", ".join(variant.lens.changing) or "off", bool(variant.lens.changing)


def _plate_words(render: Render, variant: Variant, view: View | None) -> tuple[str, bool]:
    if not variant.plate.changes:
        return "none", False
    return _counted(len(variant.plate.seen), "layer"), True


# In the order in which a picture is made.
STATIONS: tuple[Station, ...] = (
    Station("source", _source_words, sum=_source),
    Station("surface", _surface_words, sum=_surface),
    Station("balance", _balance_words, sum=_balance),
    Station("beauty", _beauty_words, stages=(_beauty_link(),)),
    Station("depth", _depth_words, stages=effect_stages("depth", DEPTH_EFFECTS)),
    Station("plate", _plate_words, stages=PLATE_STAGES),
    Station("lens", _lens_words, stages=effect_stages("lens", LENS_EFFECTS)),
    Station("finish", _finish_words, stages=(corrections_stage("finish", lambda variant: variant.finish),)),
    Station("display", _display_words),
)
STATION_BY_NAME = {station.name: station for station in STATIONS}
STAGES: tuple[Stage, ...] = tuple(stage for station in STATIONS for stage in station.stages)


def summaries(render: Render, variant: Variant, view: View | None, time: Time) -> list[tuple[str, str, bool]]:
    """Of each station its name, what it says of a variant at a time, and whether that changes anything."""
    settled = variant.settled(time)
    moving = Counter(steps_of(pointer)[0] for pointer in variant.curves)
    found = []
    for station in STATIONS:
        words, changes = station.words(render, settled, view)
        count = moving[station.name]
        if count:
            words = f"{words}, {count} over time" if changes else f"{count} over time"
        found.append((station.name, words, changes or count > 0))
    return found


def stages_up_to(name: str) -> int:
    """How many stages of the chain come before a station and with it. Raises `UnknownChoice`."""
    last = STATIONS.index(choose("station", name, STATION_BY_NAME))
    return sum(len(station.stages) for station in STATIONS[: last + 1])
