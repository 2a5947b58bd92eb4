"""The head of the path: terms, levels, surfaces and residual, one sum for picture, board, probe and tally alike."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from escala.core.balance.mixing import mix_planes
from escala.core.balance.ratio import gain_ratio
from escala.core.beauty.folding import SUMMED, fold_terms
from escala.core.beauty.recipes import Recipe, fold_recipe, folded_terms
from escala.core.planes import Planes

from ..balance.added import AddedLights
from ..balance.part_corrections import CorrectedPart, corrected_change, corrected_parts
from ..balance.plan import BalancePlan, Gains, Levelled, Part, level_recipe, plan_balance
from ..cache import ByteCache
from ..corrections.registry import files_of
from ..keys import CacheKeys, Key
from ..mattes.mattes import Mattes
from ..pipeline import Picture
from ..request import EvaluationRequest, Quality
from ..surface.changes import Surfaces, changed_components
from ..viewer.viewport import resize_planes
from .streaming import stream_name, stream_sum
from .terms import Terms

# Terms of a sum take this share of the cache at most; where they are more, they are summed as they are stored.
_CACHE_SHARE = 0.4
# Parts that are in memory at once while an exact sum is made.
_AT_ONCE = 8


@dataclass(frozen=True)
class LightSum:
    """The sum of one frame as it is read."""

    terms: Terms
    mattes: Mattes
    surfaces: Surfaces

    @property
    def keys(self) -> CacheKeys:
        """The keys of the frame."""
        return self.terms.keys

    @property
    def added(self) -> AddedLights:
        """The lights that are made from passes."""
        return AddedLights(self.terms, self.mattes)

    @property
    def cache(self) -> ByteCache:
        """What is kept."""
        return self.terms.cache

    def changed_terms(
        self, recipe: Recipe, request: EvaluationRequest, places: Sequence[int] | None = None
    ) -> list[Planes]:
        """Terms of a recipe before any level, with surfaces as the variant changes them; all, or those at `places`."""
        wanted = range(len(recipe.terms)) if places is None else places
        deltas = self.surfaces.deltas(recipe, request, wanted)
        found = {i: self.terms.term(recipe.terms[i], request) for i in wanted}
        return [planes + deltas[i] if i in deltas else planes for i, planes in found.items()]

    def levelled_terms(
        self, recipe: Recipe, request: EvaluationRequest, places: Sequence[int] | None = None
    ) -> list[Planes]:
        """Terms of a recipe, each at its level; all, or those at `places`."""
        levelled, _ = level_recipe(recipe, request.variant, request.colour_pipeline.working)
        wanted = range(len(recipe.terms)) if places is None else places
        terms = self.changed_terms(recipe, request, wanted)
        return [planes * self._gain_of(levelled, i, request) for i, planes in zip(wanted, terms, strict=True)]

    def levelled_residual(self, request: EvaluationRequest) -> Planes | None:
        """What no term holds, at its level; None where the sum has no reference."""
        plan = plan_balance(self.terms.render, request.variant, request.colour_pipeline.working)
        residual = self.terms.residual(plan.recipe, request) if plan else None
        if plan is None or residual is None or not plan.residual_gain:
            return None if residual is None else np.zeros_like(residual)
        if plan.residual is None:
            return residual
        return np.asarray(residual + self._residual_change(plan.recipe, plan.residual, request))

    def is_neutral(self, request: EvaluationRequest) -> bool:
        """Whether neither a level, a surface nor a correction of a part changes anything."""
        plan = plan_balance(self.terms.render, request.variant, request.colour_pipeline.working)
        is_stored = self.terms.undenoised is None and not self.added.is_seen(request.variant)
        return is_stored and self._is_neutral(plan, request) and not corrected_parts(self.terms.render, request.variant)

    def files(self, request: EvaluationRequest) -> tuple[Any, ...]:
        """The contents of the outside files that the sum is made with: tables of corrections, pictures of labels."""
        return files_of(request.variant.balance.corrections), self.surfaces.files(request.variant)

    def sum(self, request: EvaluationRequest, with_residual: bool) -> Planes:
        """The sum with all levels, the corrections of its parts, and added lights.

        `with_residual`: and what no term holds; untouched, it is the reference itself.
        """
        plan = plan_balance(self.terms.render, request.variant, request.colour_pipeline.working)
        parts = corrected_parts(self.terms.render, request.variant, plan.recipe if plan else None)
        if not parts:
            return self.added.on(self._levelled_sum(plan, request, with_residual), request)
        if any(part.reach > 0 for part in parts) and not request.viewport.is_level:
            whole = self.sum(request.at(request.viewport.on_level()), with_residual)
            return resize_planes(whole, request.viewport.out_width, request.viewport.out_height)
        planes = self.added.on(self._levelled_sum(plan, request, with_residual), request)
        for part in parts:
            planes = np.asarray(planes + self.correction_change(part, request))
        return planes

    def correction_change(self, part: CorrectedPart, request: EvaluationRequest) -> Planes:
        """What the corrections of a part add to the sum at a viewport on a level, (3, H, W)."""
        raster = self.terms.render.raster
        grown = request.at(request.viewport.grown(part.reach, raster.width, raster.height))
        before = Picture(self._part_of_sum(part, grown), lambda: self.terms.alpha(grown))
        return corrected_change(part, before, grown, request, self.mattes)

    def folded_contributions(self, recipe: Recipe, request: EvaluationRequest) -> list[Planes]:
        """What each term of a recipe changes in the sum of those before it, at its level and by its operator."""
        levelled, _ = level_recipe(recipe, request.variant, request.colour_pipeline.working)
        terms, gains = self._gained_terms(levelled, request)
        factor = np.array(recipe.factor, np.float32)[:, None, None]
        total, found = np.zeros_like(terms[0]), list[Planes]()
        for folded in folded_terms(recipe, terms, gains, self.terms.cover(recipe, request)):
            after = fold_terms([folded], total)
            found.append(np.asarray((after - total) * factor))
            total = after
        return found

    def _levelled_sum(self, plan: BalancePlan | None, request: EvaluationRequest, with_residual: bool) -> Planes:
        reference = self.terms.beauty(plan.recipe, request) if plan else self.terms.reference(request)
        if plan is None or (with_residual and self._is_neutral(plan, request) and reference is not None):
            shape = (3, request.viewport.out_height, request.viewport.out_width)
            return reference if reference is not None else np.zeros(shape, np.float32)
        if with_residual and plan.residual_gain and reference is not None and plan.recipe.is_sum:
            planes = self._changed_sum(reference, plan.first, plan.first.neutral, request)
        else:
            base = self.terms.residual(plan.recipe, request) if with_residual and bool(plan.residual_gain) else None
            planes = self._folded(plan.first, base, request)
        if with_residual and plan.residual_gain and plan.residual is not None:
            planes = planes + self._residual_change(plan.recipe, plan.residual, request)
        return self._second_axis(planes, plan, request)

    def _residual_change(
        self, recipe: Recipe, level: tuple[Gains, str | None], request: EvaluationRequest
    ) -> Planes | np.float32:
        """What the level of the residual adds to the sum, in which the residual is as it is."""
        residual = self.terms.residual(recipe, request)
        if residual is None:
            return np.float32(0.0)
        gain, matte = level
        change = (gain - np.float32(1.0))[:, None, None] * residual
        return np.asarray(change if matte is None else change * self.mattes.at(matte, request))

    def _is_neutral(self, plan: BalancePlan | None, request: EvaluationRequest) -> bool:
        return (plan is None or plan.is_neutral) and not changed_components(self.terms.render, request.variant)

    def _gain_of(self, levelled: Levelled, term: int, request: EvaluationRequest) -> Planes:
        """The gain of a term at each pixel, (3, 1, 1) or, where mattes limit it, (3, H, W)."""
        gain: Planes = levelled.gains[term][:, None, None]
        for mattes, limited in levelled.limits_of(term):
            gain = gain + limited[:, None, None] * self.mattes.product(mattes, request)
        return gain

    def _part(self, recipe: Recipe, part: Part, request: EvaluationRequest) -> Planes:
        """A term as far as mattes cover it."""
        term = recipe.terms[part.term]
        if not part.mattes:
            return self.terms.term(term, request)
        made_of = tuple(request.variant.joined_from(name) for name in part.mattes)
        facts = part.mattes, tuple(tuple(m.items()) for m in made_of), request.viewport, request.is_preview
        key = self.keys.for_interpretation("part", str(term), *facts, colour_pipeline=request.colour_pipeline)
        return self.terms.kept(key, lambda: self._limited(self.terms.term(term, request), part, request), request)

    def _limited(self, planes: Planes, part: Part, request: EvaluationRequest) -> Planes:
        return np.asarray(planes * self.mattes.product(part.mattes, request)) if part.mattes else planes

    def _folded(self, levelled: Levelled, base: Planes | None, request: EvaluationRequest) -> Planes:
        """The terms combined at their levels, each by its operator."""
        if levelled.recipe.is_sum:
            shape = (3, request.viewport.out_height, request.viewport.out_width)
            start = np.zeros(shape, np.float32) if base is None else base
            return self._changed_sum(start, levelled, np.zeros_like(levelled.neutral), request)
        recipe = levelled.recipe
        terms, gains = self._gained_terms(levelled, request)
        return fold_recipe(recipe, terms, gains, base, self.terms.cover(recipe, request))

    def _gained_terms(self, levelled: Levelled, request: EvaluationRequest) -> tuple[list[Planes], Gains]:
        """Terms before they are combined, and the gains at which they are: mattes are multiplied in already."""
        recipe, gains = levelled.recipe, levelled.gains[: len(levelled.recipe.terms)].copy()
        terms = self.changed_terms(recipe, request)
        for i in {part.term for part in levelled.parts if part.mattes}:
            gain, one = self._gain_of(levelled, i, request), np.float32(1.0)
            multiplies = recipe.terms[i].operator == "multiply"
            terms[i] = np.asarray(one - gain * (one - terms[i]) if multiplies else gain * terms[i])
            gains[i] = 1.0
        return terms, gains

    def _changed_sum(self, base: Planes, levelled: Levelled, held: Gains, request: EvaluationRequest) -> Planes:
        """A base, and what levels and surfaces add to it or remove: what stays is not even read.

        `held`: the gains at which the base holds each part already, (n, 3): neutral ones for the reference, else 0.
        """
        deltas = self.surfaces.deltas(levelled.recipe, request)
        differences = (levelled.gains - held) * levelled.weights
        changed = np.flatnonzero((levelled.gains != held).any(axis=1)).tolist()
        if request.is_preview:
            moving = self._moving_parts(levelled, request)
            still = [i for i in changed if levelled.parts[i] not in moving]
            if still and len(still) < len(changed):
                base = self._with_still(base, bool(held.any()), levelled, still, differences, request)
                changed = [i for i in changed if levelled.parts[i] in moving]
            if not self._fits(changed, request):
                base, changed = self._with_streamed(base, levelled, changed, differences, request)
            pictures, factors = self._alike(changed, levelled, levelled.gains - held, request)
            planes = mix_planes(pictures, np.array(factors), base) if pictures else base
        else:
            parts = [levelled.parts[i] for i in changed]
            planes = self._with_parts(base, levelled.recipe, parts, differences[changed], request)
        gained = [i for i, part in enumerate(levelled.parts) if part.term in deltas]
        if not gained:
            return planes
        pictures = [self._limited(deltas[levelled.parts[i].term], levelled.parts[i], request) for i in gained]
        return mix_planes(pictures, levelled.gains[gained] * levelled.weights[gained], planes)

    def _fits(self, parts: Sequence[object], request: EvaluationRequest) -> bool:
        """Whether so many images of a viewport fit into the cache, beside all else that is in it."""
        return (
            len(parts) * 12 * request.viewport.out_width * request.viewport.out_height
            <= _CACHE_SHARE * self.cache.budget
        )

    def _with_parts(
        self, base: Planes, recipe: Recipe, parts: Sequence[Part], factors: Gains, request: EvaluationRequest
    ) -> Planes:
        """A base and parts added to it, some at a time: many would take gigabytes together. The order is theirs."""
        request = request if self._fits(parts, request) else replace(request, quality=Quality.EXPORT)
        for first in range(0, len(parts), _AT_ONCE):
            some = slice(first, first + _AT_ONCE)
            base = mix_planes([self._part(recipe, part, request) for part in parts[some]], factors[some], base)
        return base

    def _with_streamed(
        self, base: Planes, levelled: Levelled, changed: list[int], differences: Gains, request: EvaluationRequest
    ) -> tuple[Planes, list[int]]:
        """A base with all parts that can be streamed, and the parts that cannot."""
        names = {i: stream_name(levelled.parts[i], levelled.recipe, self.terms, request) for i in changed}
        streamed = [i for i, name in names.items() if name is not None]
        if not streamed:
            return base, changed
        total = stream_sum([str(names[i]) for i in streamed], differences[streamed], self.terms, request)
        return base + total, [i for i in changed if names[i] is None]

    def _with_still(
        self,
        base: Planes,
        is_reference: bool,
        levelled: Levelled,
        still: list[int],
        differences: Gains,
        request: EvaluationRequest,
    ) -> Planes:
        """A base with what the parts change that do not move in this drag."""
        parts = tuple(levelled.parts[i] for i in still)
        facts = levelled.recipe, request.viewport, parts, differences[still].tobytes(), self._made_of(parts, request)
        key = self.keys.for_interpretation("still", is_reference, *facts, colour_pipeline=request.colour_pipeline)

        def make() -> Planes:
            if self._fits(still, request):
                return self._with_parts(base, levelled.recipe, parts, differences[still], request)
            streamed, others = self._with_streamed(base, levelled, still, differences, request)
            left = [levelled.parts[i] for i in others]
            return self._with_parts(streamed, levelled.recipe, left, differences[others], request)

        return self.cache.get(key, make)

    def _alike(
        self, changed: list[int], levelled: Levelled, changes: Gains, request: EvaluationRequest
    ) -> tuple[list[Planes], list[Gains]]:
        """Changed parts, those with one level summed once: a drag then costs one multiply-add, however many move."""
        recipe, weights = levelled.recipe, levelled.weights
        groups: dict[bytes, list[int]] = {}
        for i in changed:
            groups.setdefault(changes[i].tobytes(), []).append(i)

        def together(group: list[int]) -> Planes:
            return mix_planes([self._part(recipe, levelled.parts[i], request) for i in group], weights[group])

        pictures, factors = [], []
        for group in groups.values():
            if len(group) == 1:
                pictures.append(self._part(recipe, levelled.parts[group[0]], request))
                factors.append(changes[group[0]] * weights[group[0]])
                continue
            parts = tuple(levelled.parts[i] for i in group)
            facts = recipe, request.viewport, parts, self._made_of(parts, request)
            key = self.keys.for_interpretation("alike", *facts, colour_pipeline=request.colour_pipeline)
            pictures.append(self.cache.get(key, lambda g=group: together(g)))  # type: ignore[misc]
            factors.append(changes[group[0]])
        return pictures, factors

    def _made_of(self, parts: tuple[Part, ...], request: EvaluationRequest) -> tuple[object, ...]:
        """The mattes of parts, as the variant has them."""
        names = dict.fromkeys(name for part in parts for name in part.mattes)
        return tuple(tuple(request.variant.joined_from(name).items()) for name in names)

    def _moving_parts(self, levelled: Levelled, request: EvaluationRequest) -> frozenset[Part]:
        """The parts of this viewer's drag: those whose levels changed since the picture before."""
        place = self.keys.for_interpretation("moving", levelled.recipe, request.viewport, request.viewer)
        now = {part: gain.tobytes() for part, gain in zip(levelled.parts, levelled.gains, strict=True)}
        before = self.cache.peek(place)
        self.cache.put(place, now)
        if before is None or before == now:
            return self.cache.peek((*place, "set")) or frozenset()
        moved = frozenset(part for part in now.keys() | before.keys() if now.get(part) != before.get(part))
        return self._same_drag(place, moved)

    def _same_drag(self, place: Key, moving: frozenset[Part]) -> frozenset[Part]:
        """Keep the set of a drag under way while the parts that move stay within it."""
        known: frozenset[Part] = self.cache.peek((*place, "set")) or frozenset()
        chosen = known if moving <= known else moving
        self.cache.put((*place, "set"), chosen)
        return chosen

    def _second_axis(self, planes: Planes, plan: BalancePlan, request: EvaluationRequest) -> Planes:
        """Times the ratio of the other axis' sum with its levels and surfaces to its plain sum."""
        if plan.second is None:
            return planes
        recipe = plan.second.recipe
        summed = [i for i, term in enumerate(recipe.terms) if term.operator in SUMMED]
        changed = self.changed_terms(recipe, request, summed)
        levelled = [t * self._gain_of(plan.second, i, request) for i, t in zip(summed, changed, strict=True)]
        return planes * gain_ratio([self.terms.term(recipe.terms[i], request) for i in summed], levelled)

    def _part_of_sum(self, part: CorrectedPart, request: EvaluationRequest) -> Planes:
        """The levelled sum of the terms that corrections act on."""
        return mix_planes(self.levelled_terms(part.recipe, request, part.terms), part.recipe.weights_of(part.terms))
