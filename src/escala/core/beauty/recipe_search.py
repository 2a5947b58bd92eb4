"""Finding the recipe: plausible readings of each pass are tried against the beauty, and proof decides."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from ..planes import Planes
from ..roles import SHADE_ROLES, PassRole, Portion, Role
from .proof import UNIT_ROUNDOFF
from .recipes import (
    COMPONENTS,
    GRID,
    LIGHTS,
    Factor,
    Recipe,
    Term,
    one_pass,
    term_magnitude,
    term_planes,
)

OTHER = "other"
# The light of a beauty that chosen lights leave.
EVERYTHING_ELSE = "everything else"
# The order in which components are listed; others follow by name.
COMPONENT_ORDER = (
    "diffuse", "specular", "coat", "sheen", "transmission", "subsurface", "volume", "emission", "environment",
)  # fmt: skip
_ROUNDS = 4
# So many pixels may differ for other reasons, fireflies for one, when a factor explains all the rest.
_STRAY_SHARE = 0.03
# Where more pixels than this differ, a recipe does not explain the beauty at all.
_LOST_SHARE = 0.5
# How well the factor itself is known, relative.
_FACTOR_SLACK = 1e-3
_SHADE_WAYS = ("lit", "dark", "subtracted")
_MOST_SHADES, _MOST_MASKS = 3, 3
_PAIR_LIMIT = 14


@dataclass(frozen=True)
class SampledPass:
    """A pass as the search sees it: role, stored pixel type, and its values at the sampled places (C, 1, N).

    `step`: how far its values may be off beyond rounding, where they come from whole numbers.
    """

    name: str
    role: PassRole
    pixel_type: str
    values: Planes
    step: float = 0.0


@dataclass(frozen=True)
class Candidate:
    """A recipe with how well it does on the sample: share of pixels outside rounding, and relative RMS.

    `scaled`: it does so only times a constant factor per channel, as when an exposure was baked into the beauty.
    `is_remainder`: it does so since one term is all of the beauty that the others do not hold.
    """

    recipe: Recipe
    outside_share: float
    relative_rms: float
    scaled: bool = False
    is_remainder: bool = False

    @property
    def fits(self) -> bool:
        """Whether rounding explains every sampled pixel."""
        return self.outside_share == 0.0 and not self.scaled

    @property
    def order(self) -> tuple[int, float, float]:
        """What comes first: what fits, then what fits but for a factor or by a remainder, then what comes nearest."""
        return (0 if self.fits and not self.is_remainder else 1 if self.scaled or self.is_remainder else 2), *self.cost

    @property
    def cost(self) -> tuple[float, float]:
        """What the search makes small."""
        return self.outside_share, self.relative_rms


Option = Term | None
Slot = tuple[Option, ...]


def sample_places(planes: Iterable[Planes], count: int = 4096, bright: int = 48) -> NDArray[np.int64]:
    """Flat pixel indices that show every pass: an even spread, and the brightest places of each pass."""
    planes = list(planes)
    size = planes[0][0].size
    spread = np.linspace(0, size - 1, min(count, size)).astype(np.int64)
    peaks = []
    for picture in planes:
        level = np.nan_to_num(np.abs(picture[:3]).max(axis=0).ravel(), nan=0.0, posinf=0.0)
        top = np.argpartition(level, -min(bright, size))[-min(bright, size) :]
        peaks.append(top[level[top] > 0])
    return np.unique(np.concatenate([spread, *peaks]))


def search_recipes(passes: Sequence[SampledPass], beauty: SampledPass | None) -> list[Candidate]:
    """The best recipe of each kind that the passes allow, best first.

    Exact recipes come first, and among them the one that can be balanced along more axes. Without a beauty nothing
    can be proven: the plausible reading of each kind is returned as it is.
    """
    families = _twin_families(passes)
    candidates: list[Candidate] = []
    for family in families:
        for name, slots in _kinds(family):
            if any(slot for slot in slots):
                candidates.append(_Search(family, beauty).best(name, slots))
                candidates += _otherwise(family, beauty, name, slots, candidates[-1])
        candidates += _selected_lights(family, beauty)
    best: dict[str, Candidate] = {}
    for candidate in candidates:
        kind = candidate.recipe.name
        if _is_of_its_kind(candidate.recipe) and (kind not in best or candidate.order < best[kind].order):
            best[kind] = candidate
    rank = {GRID: 0, LIGHTS: 1, COMPONENTS: 2}
    return sorted(best.values(), key=lambda c: (c.order[0], rank[c.recipe.name] if c.order[0] < 2 else 0, c.cost))


def _selected_lights(family: list[SampledPass], beauty: SampledPass | None) -> list[Candidate]:
    """Lights that are chosen out of many: what of the beauty they do not hold is one more, everything else.

    Only where that is light: nowhere less than 0.
    """
    lights = [p for p in family if p.role.role == Role.LIGHT]
    if beauty is None or not lights or not all(p.role.is_selected for p in lights):
        return []
    rest = Factor((beauty.name,), minus=tuple(p.name for p in lights))
    terms = [Term(_label(p), one_pass(p.name), light=p.role.light) for p in lights]
    terms.append(Term(EVERYTHING_ELSE, (rest,), light=EVERYTHING_ELSE))
    search = _Search([*family, beauty], beauty)
    planes, bound = search.picture(terms[-1])
    finite = np.isfinite(planes)
    if np.any(planes[finite] < -bound[finite] - np.float32(2.0**-24)) or not np.any(planes[finite] > bound[finite]):
        return []
    return [Candidate(Recipe(LIGHTS, tuple(terms)), *search.cost(terms), is_remainder=True)]


def _is_of_its_kind(recipe: Recipe) -> bool:
    """Whether it holds what its name promises: a sum of lights has a light."""
    wanted = {LIGHTS: (recipe.lights,), GRID: (recipe.lights, recipe.components)}.get(recipe.name, (recipe.terms,))
    return all(wanted)


def _otherwise(
    family: list[SampledPass], beauty: SampledPass | None, name: str, slots: list[Slot], plain: Candidate
) -> list[Candidate]:
    """Where the plain sum fails: the sum times a constant factor, if that explains the beauty.

    Else the same sum with shadow and occlusion passes multiplied in or taken off.
    """
    if beauty is None or plain.fits:
        return []
    scaled = _Search(family, beauty, scaled=True).best(name, slots)
    return [scaled] if scaled.outside_share <= _STRAY_SHARE else _with_shade(family, beauty, name, slots)


def _with_shade(family: list[SampledPass], beauty: SampledPass, name: str, slots: list[Slot]) -> list[Candidate]:
    shades = [p for p in family if p.role.role in SHADE_ROLES]
    ways = [[_shade_term(p, way)] for p in shades[:_MOST_SHADES] for way in _SHADE_WAYS]
    if len(shades) > 1:
        ways.append([_shade_term(p, "lit") for p in shades[:_MOST_SHADES]])
    usual = [slot[0] for slot in slots]
    searches = [_Search(family, beauty, tuple(shade)) for shade in ways]
    nearest = min(searches, key=lambda search: search.cost(usual), default=None)
    return [nearest.best(name, slots)] if nearest else []


def _shade_term(p: SampledPass, way: str) -> Term:
    """A shadow or occlusion pass as a term: white is lit, white is dark, or light that is to be subtracted."""
    if way == "subtracted":
        return Term(p.name, one_pass(p.name), operator="subtract")
    return Term(p.name, (Factor((p.name,), inverted=way == "dark"),), operator="multiply")


def _twin_families(passes: Sequence[SampledPass]) -> list[list[SampledPass]]:
    """Where passes come noisy and denoised, each family has one of the two; plain passes are in both."""
    twins = {p.role.twin for p in passes if p.role.twin}
    if not twins:
        return [list(passes)]
    return [twin_family(passes, twin) for twin in (*sorted(twins), None)]


def twin_family(passes: Sequence[SampledPass], twin: str | None) -> list[SampledPass]:
    """Of passes that come noisy and denoised the wanted ones; those that have no such twin stay."""
    chosen = {_meaning(p.role): p for p in passes if p.role.twin is None}
    chosen |= {_meaning(p.role): p for p in passes if p.role.twin == twin}
    kept = {p.name for p in chosen.values()}
    return [p for p in passes if p.name in kept or not p.role.is_colour]


def _meaning(role: PassRole) -> tuple[object, ...]:
    return role.role, role.light, role.component, role.portion


def _kinds(passes: list[SampledPass]) -> list[tuple[str, list[Slot]]]:
    lights = [p for p in passes if p.role.role == Role.LIGHT]
    unknown = [p for p in passes if p.role.role == Role.OTHER and p.values.shape[0] >= 3]
    components = _component_slots(passes)
    # What no word explains may still complete a sum: it is then one more light, or one more component.
    lit: list[Slot] = [(None, Term(p.name, one_pass(p.name), light=p.name)) for p in unknown]
    made: list[Slot] = [(None, Term(p.name, one_pass(p.name), component=p.name)) for p in unknown]
    kinds: list[tuple[str, list[Slot]]] = []
    if components:
        kinds.append((COMPONENTS, components + made))
    if lights:
        whole: list[Slot] = [(Term(_label(p), one_pass(p.name), light=p.role.light), None) for p in lights]
        kinds.append((LIGHTS, whole + _optional(components) + lit))
    elif len(unknown) > 1:
        guessed: list[Slot] = [(Term(p.name, one_pass(p.name), light=p.name), None) for p in unknown]
        kinds.append((LIGHTS, guessed + _optional(components)))
    cells = _grid_slots(passes, lights)
    if cells:
        kinds.append((GRID, cells + _optional(components) + made))
    return kinds


def _label(p: SampledPass) -> str:
    return p.role.light or p.name


def _optional(slots: list[Slot]) -> list[Slot]:
    """Component slots as extras of a sum of lights: absent first, and without the colour passes' variants twice."""
    return [(None, *(option for option in slot if option is not None)) for slot in slots]


def _component_slots(passes: list[SampledPass]) -> list[Slot]:
    portions: dict[str, dict[Portion, str]] = {}
    for p in passes:
        if p.role.role == Role.COMPONENT and p.role.component and p.role.portion:
            portions.setdefault(p.role.component, {})[p.role.portion] = p.name
    albedo = portions.get("diffuse", {}).get(Portion.COLOUR)
    alpha = next((p.name for p in passes if p.role.role == Role.ALPHA), None)
    masks = [p.name for p in passes if p.role.role == Role.MASK and p.values.shape[0] == 1][:_MOST_MASKS]
    slots = []
    for component, named in sorted(portions.items(), key=lambda item: _rank(item[0])):
        options = _component_options(component, named, albedo if component in ("direct", "indirect") else None)
        if component == "environment" and options:
            options[1:1] = [_under(options[0], name) for name in (alpha, *masks) if name]
        if options:
            slots.append((*options, None))
    return slots


def _under(environment: Term, cover: str) -> Term:
    """An environment behind what alpha or a mask covers."""
    return Term(
        environment.name, (Factor((cover,), inverted=True), *environment.factors), component=environment.component
    )


def _rank(component: str) -> tuple[int, str]:
    known = component in COMPONENT_ORDER
    return (COMPONENT_ORDER.index(component) if known else len(COMPONENT_ORDER)), component


def _component_options(component: str, named: Mapping[Portion, str], albedo: str | None) -> list[Term]:
    """The ways to read one component, the most usual first."""
    total, direct, indirect = (named.get(p) for p in (Portion.TOTAL, Portion.DIRECT, Portion.INDIRECT))
    raw = named.get(Portion.RAW)
    colour = named.get(Portion.COLOUR, albedo)
    light = tuple(name for name in (direct, indirect) if name)
    factors: list[tuple[Factor, ...]] = []
    if total:
        factors.append(one_pass(total))
    if light:
        factors.append((Factor(light),))
    if light and colour:
        factors.append((Factor(light), Factor((colour,))))
    if total and colour:
        factors.append((Factor((total,)), Factor((colour,))))
    if raw and colour:
        factors.append((Factor((raw,)), Factor((colour,))))
    if raw:
        factors.append(one_pass(raw))
    if total and light:
        factors.append((Factor((total, *light)),))
    if len(light) == 2:
        factors.extend(one_pass(name) for name in light)
    return [Term(component, f, component=component) for f in factors]


def _grid_slots(passes: list[SampledPass], lights: list[SampledPass]) -> list[Slot]:
    """A slot for each light × component pass, and for what a light's whole holds beyond its parts."""
    parts: dict[str, dict[str, dict[Portion, str]]] = {}
    for p in passes:
        if p.role.role == Role.LIGHT_COMPONENT and p.role.light and p.role.component and p.role.portion:
            parts.setdefault(p.role.light.lower(), {}).setdefault(p.role.component, {})[p.role.portion] = p.name
    whole = {p.role.light.lower(): p for p in lights if p.role.light}
    labels = {p.role.light.lower(): p.role.light for p in passes if p.role.light}
    slots: list[Slot] = []
    for key, components in parts.items():
        light = labels[key]
        used: list[str] = []
        for component, named in sorted(components.items(), key=lambda item: _rank(item[0])):
            options = _component_options(component, named, None)
            if options:
                slots.append((Term(f"{light} {component}", options[0].factors, light, component),))
                used.extend(options[0].passes)
        if key in whole:
            rest = Factor((whole[key].name,), minus=tuple(used))
            slots.append((Term(f"{light} {OTHER}", (rest,), light, OTHER), None))
    if slots:
        for key, p in whole.items():
            if key not in parts:
                slots.append((Term(f"{labels[key]} {OTHER}", one_pass(p.name), labels[key], OTHER), None))
    return slots


class _Search:
    """Coordinate descent over the slots: each takes the option that leaves the least unexplained."""

    def __init__(
        self,
        passes: list[SampledPass],
        beauty: SampledPass | None,
        shade: tuple[Term, ...] = (),
        scaled: bool = False,
    ) -> None:
        self.shade = shade
        self.scaled = scaled
        self.values = {p.name: p.values for p in passes}
        self.roundoff = {p.name: UNIT_ROUNDOFF[p.pixel_type] for p in passes}
        self.beauty = beauty
        self.pictures: dict[Term, tuple[Planes, Planes]] = {}

    def best(self, name: str, slots: list[Slot]) -> Candidate:
        """The recipe of this kind that explains the beauty best."""
        chosen: list[Option] = [slot[0] for slot in slots]
        if self.beauty is None:
            return Candidate(self._recipe(name, chosen), 1.0, 1.0)
        cost = self.cost(chosen)
        enough = _STRAY_SHARE if self.scaled else 0.0
        for _ in range(_ROUNDS):
            before = cost
            for size in (1, 2) if len(slots) <= _PAIR_LIMIT and not self.scaled else (1,):
                if cost[0] > enough:
                    cost = self._improve(slots, chosen, cost, size)
            if cost == before or cost[0] <= enough:
                break
        if not any(chosen) or cost[0] > _LOST_SHARE:
            # Nothing comes near: the usual reading explains more than one that was trimmed to a smaller difference.
            chosen = [slot[0] for slot in slots]
        self._drop_idle(chosen, slots)
        cost = self.cost(chosen)
        return Candidate(self._recipe(name, chosen), *cost, scaled=self.scaled)

    def _improve(
        self, slots: list[Slot], chosen: list[Option], cost: tuple[float, float], size: int
    ) -> tuple[float, float]:
        """Change `size` slots at a time wherever that lowers the cost; `chosen` is changed in place."""
        for places in combinations(range(len(slots)), size):
            for options in _products([slots[place] for place in places]):
                trial = list(chosen)
                for place, option in zip(places, options, strict=True):
                    trial[place] = option
                value = self.cost(trial)
                if value < cost:
                    chosen[:], cost = trial, value
        return cost

    def _drop_idle(self, chosen: list[Option], slots: list[Slot]) -> None:
        """Leave out optional remainders that hold nothing but rounding."""
        for place, option in enumerate(chosen):
            if option is None or option.component != OTHER or None not in slots[place]:
                continue
            planes, bound = self.picture(option)
            if np.all(np.abs(planes) <= bound + 2.0**-24):
                chosen[place] = None

    def cost(self, chosen: Sequence[Option]) -> tuple[float, float]:
        """Share of sampled pixels outside rounding, then RMS relative to the beauty's."""
        assert self.beauty is not None
        beauty = self.beauty.values[:3]
        total = np.zeros_like(beauty)
        bound = np.abs(beauty) * np.float32(UNIT_ROUNDOFF[self.beauty.pixel_type])
        bound = bound + np.float32((2.0**-24 + self.beauty.step) * (len(chosen) + 1))
        carried: Planes = np.zeros_like(beauty)
        for term in chosen:
            if term is not None:
                planes, allowed = self.picture(term)
                total = total + planes
                carried = carried + allowed
        for term in self.shade:
            planes, allowed = self.picture(term)
            if term.operator == "multiply":
                carried = np.asarray(carried * np.abs(planes) + np.abs(total) * allowed, np.float32)
                total = total * planes
            else:
                total, carried = total - planes, carried + allowed
        if self.scaled:
            factor = _usual_ratio(beauty, total)
            total = np.asarray(total * factor, np.float32)
            carried = np.asarray(carried * np.abs(factor) + np.float32(_FACTOR_SLACK) * np.abs(total), np.float32)
        bound = bound + carried
        difference = np.abs(beauty - total)
        finite = np.isfinite(difference).all(axis=0)
        if not finite.any():
            return 1.0, float("inf")
        outside = (difference > bound).any(axis=0) & finite
        scale = float(np.sqrt(np.mean(beauty[:, finite].astype(np.float64) ** 2))) or 1.0
        rms = float(np.sqrt(np.mean(difference[:, finite].astype(np.float64) ** 2))) / scale
        return float(outside.sum() / finite.sum()), rms

    def picture(self, term: Term) -> tuple[Planes, Planes]:
        """A term's values and the rounding that they may carry."""
        if term not in self.pictures:
            planes_of = self.values.__getitem__
            magnitude = term_magnitude(term, planes_of, self.roundoff.__getitem__)
            self.pictures[term] = term_planes(term, planes_of), magnitude
        return self.pictures[term]

    def _recipe(self, name: str, chosen: Sequence[Option]) -> Recipe:
        return Recipe(name, (*(term for term in chosen if term is not None), *self.shade))


def _usual_ratio(beauty: Planes, total: Planes) -> Planes:
    """The median of beauty over sum, per channel, (3, 1, 1); 1 where all is dark."""
    lit = np.isfinite(beauty) & np.isfinite(total) & (total > 1e-4)
    ratios = [float(np.median(b[m] / t[m])) if m.any() else 1.0 for b, t, m in zip(beauty, total, lit, strict=True)]
    return np.array(ratios, np.float32)[:, None, None]


def _products(slots: list[Slot]) -> Iterable[tuple[Option, ...]]:
    if len(slots) == 1:
        return ((option,) for option in slots[0])
    return ((a, b) for a in slots[0] for b in slots[1])
