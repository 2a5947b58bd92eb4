"""The head of the path: terms, reference, residual and levels, one sum for picture, board, probe and tally alike."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from escala.core.balance.mixing import mix_planes
from escala.core.balance.ratio import gain_ratio
from escala.core.beauty.folding import SUMMED
from escala.core.beauty.recipes import Recipe, Term, fold_recipe, one_pass, term_planes
from escala.core.planes import Planes
from escala.media.store import StoredFrame
from escala.model.render import Render

from ..balance.plan import BalancePlan, Gains, plan_balance, term_gains
from ..cache import ByteCache
from ..evaluation import Evaluation
from ..keys import Key, Keys
from ..looking.look import Look, bands_of, filtered, sample_pass
from ..surface.changes import SurfaceWork, changed_components

Value = TypeVar("Value")


@dataclass(frozen=True)
class Head:
    """The sum of one frame as it is read."""

    keys: Keys
    cache: ByteCache

    @property
    def render(self) -> Render:
        """The render as it is read."""
        return self.keys.render

    @property
    def frame(self) -> StoredFrame:
        """Its frame."""
        return self.keys.frame

    def term(self, term: Term, asked: Evaluation) -> Planes:
        """A term of a recipe in the working space. Products are made pixel by pixel, then filtered.

        Passes of one scene-linear space are put together in it; of several, or of an encoded one, each is brought to
        the working space first. What multiplies light is no light: white is 1 in any space, and stays as stored.
        """
        colouring, look = asked.colouring, asked.look
        config, working = colouring.config, colouring.working.name
        together = colouring.sum_space(term.passes)

        def pass_at(name: str, place: Look) -> Planes:
            stored = sample_pass(self.frame, name, place)
            if term.operator == "multiply" or stored.shape[0] < 3:
                return stored
            return config.convert(stored[:3], colouring.space_of(name), together)

        def make() -> Planes:
            if term.is_linear or look.is_full:
                planes = term_planes(term, lambda name: pass_at(name, look))
            else:
                bands = [term_planes(term, lambda name, b=band: pass_at(name, b)) for band in bands_of(look)]  # type: ignore[misc]
                planes = filtered(np.concatenate(bands, axis=1), look)
            return planes if term.operator == "multiply" else config.convert(planes, together, working)

        read_in = [colouring.space_of(name) for name in term.passes]
        chain = ("as stored",) if term.operator == "multiply" else (config.key, *read_in, working)
        return self._kept(self.keys.of_pixels("term", str(term), look, *chain), make, asked)

    def terms(self, recipe: Recipe, asked: Evaluation) -> list[Planes]:
        """All terms of a recipe before any level, with surfaces as the variant changes them."""
        deltas = self._surface_deltas(recipe, asked)
        found = [self.term(term, asked) for term in recipe.terms]
        return [planes + deltas[i] if i in deltas else planes for i, planes in enumerate(found)]

    def levelled_terms(self, recipe: Recipe, asked: Evaluation) -> list[Planes]:
        """All terms of a recipe, each at its level."""
        gains, _ = term_gains(recipe, asked.variant, asked.colouring.working)
        terms = self.terms(recipe, asked)
        return [planes * gain[:, None, None] for planes, gain in zip(terms, gains, strict=True)]

    def reference(self, asked: Evaluation) -> Planes | None:
        """The renderer's own beauty in the working space."""
        if self.render.reference is None:
            return None
        return self.term(Term("reference", one_pass(self.render.reference)), asked)

    def residual(self, recipe: Recipe, asked: Evaluation) -> Planes | None:
        """Reference less the plain sum of a recipe; None without a reference."""
        reference = self.reference(asked)
        if reference is None:
            return None

        def make() -> Planes:
            terms = [self.term(term, asked) for term in recipe.terms]
            return np.subtract(reference, fold_recipe(recipe, terms, alpha=self._cover(recipe, asked)))

        return self._kept(self.keys.of_reading("residual", recipe, asked.look, colouring=asked.colouring), make, asked)

    def alpha(self, asked: Evaluation) -> Planes | None:
        """The render's alpha as stored, (H, W); None where it has none."""
        name = self.render.alpha_pass
        if name is None:
            return None
        key = self.keys.of_pixels("pass", name, asked.look, False)
        return np.asarray(self._kept(key, lambda: sample_pass(self.frame, name, asked.look), asked)[0])

    def is_neutral(self, asked: Evaluation) -> bool:
        """Whether neither a level nor a surface changes anything."""
        return self._is_neutral(plan_balance(self.render, asked.variant, asked.colouring.working), asked)

    def sum(self, asked: Evaluation, with_residual: bool) -> Planes:
        """The sum with all levels. `with_residual`: and what no term holds; untouched, it is the reference itself."""
        plan = plan_balance(self.render, asked.variant, asked.colouring.working)
        reference = self.reference(asked)
        if plan is None or (with_residual and self._is_neutral(plan, asked) and reference is not None):
            shape = (3, asked.look.out_height, asked.look.out_width)
            return reference if reference is not None else np.zeros(shape, np.float32)
        if with_residual and plan.residual_gain and reference is not None and plan.recipe.is_sum:
            planes = self._changed_beauty(reference, plan, asked)
            deltas = self._surface_deltas(plan.recipe, asked)
            if deltas:
                gains = plan.gains * plan.recipe.weights
                planes = mix_planes(list(deltas.values()), gains[list(deltas)], planes)
        else:
            terms = self.terms(plan.recipe, asked)
            base = self.residual(plan.recipe, asked) if with_residual and bool(plan.residual_gain) else None
            planes = fold_recipe(plan.recipe, terms, plan.gains, base, self._cover(plan.recipe, asked))
        return self._second_axis(planes, plan, asked)

    def _is_neutral(self, plan: BalancePlan | None, asked: Evaluation) -> bool:
        return (plan is None or plan.is_neutral) and not changed_components(self.render, asked.variant)

    def _surface_deltas(self, recipe: Recipe, asked: Evaluation) -> dict[int, Planes]:
        return SurfaceWork(self.keys, self.cache, asked).deltas(recipe)

    def _changed_beauty(self, reference: Planes, plan: BalancePlan, asked: Evaluation) -> Planes:
        """The reference and what the changed levels add to it or take away: terms that stay are not even read."""
        changed = np.flatnonzero((plan.gains != 1.0).any(axis=1)).tolist()
        gains = (plan.gains - np.float32(1.0)) * plan.recipe.weights
        if asked.is_moving:
            moving = self._moving_terms(plan, asked)
            still = [i for i in changed if i not in moving]
            if still and len(still) < len(changed):
                facts = plan.recipe, asked.look, tuple(still), gains[still].tobytes()
                key = self.keys.of_reading("still", *facts, colouring=asked.colouring)
                chosen = [self.term(plan.recipe.terms[i], asked) for i in still]
                reference = self.cache.get(key, lambda: mix_planes(chosen, gains[still], reference))
                changed = [i for i in changed if i in moving]
            terms, factors = self._alike(changed, plan, asked)
        else:
            terms = [self.term(plan.recipe.terms[i], asked) for i in changed]
            factors = list(gains[changed])
        return mix_planes(terms, np.array(factors), reference) if terms else reference

    def _alike(self, changed: list[int], plan: BalancePlan, asked: Evaluation) -> tuple[list[Planes], list[Gains]]:
        """Changed terms, those with one level summed once: a drag then costs one multiply-add, however many move."""
        groups: dict[bytes, list[int]] = {}
        for i in changed:
            groups.setdefault(plan.gains[i].tobytes(), []).append(i)
        weights = plan.recipe.weights

        def together(group: list[int]) -> Planes:
            return mix_planes([self.term(plan.recipe.terms[i], asked) for i in group], weights[group])

        kept_as = self.keys.of_reading("alike", plan.recipe, asked.look, colouring=asked.colouring)
        planes = [self.cache.get((*kept_as, tuple(g)), lambda g=g: together(g)) for g in groups.values()]  # type: ignore[misc]
        return planes, [plan.gains[group[0]] - np.float32(1.0) for group in groups.values()]

    def _moving_terms(self, plan: BalancePlan, asked: Evaluation) -> frozenset[int]:
        """The terms of this viewer's drag: those whose levels changed since the picture before."""
        place = self.keys.of_reading("moving", plan.recipe, asked.look, asked.viewer)
        before = self.cache.peek(place)
        self.cache.put(place, plan.gains)
        if before is None or np.array_equal(before, plan.gains):
            return self.cache.peek((*place, "set")) or frozenset()
        return self._same_drag(place, frozenset(np.flatnonzero((before != plan.gains).any(axis=1)).tolist()))

    def _same_drag(self, place: Key, moving: frozenset[int]) -> frozenset[int]:
        """Keep the set of a drag under way while the terms that move stay within it."""
        known: frozenset[int] = self.cache.peek((*place, "set")) or frozenset()
        chosen = known if moving <= known else moving
        self.cache.put((*place, "set"), chosen)
        return chosen

    def _second_axis(self, planes: Planes, plan: BalancePlan, asked: Evaluation) -> Planes:
        """Times the ratio of the other axis' sum with its levels and surfaces to its plain sum."""
        if plan.second is None:
            return planes
        recipe, gains = plan.second
        summed = [i for i, term in enumerate(recipe.terms) if term.operator in SUMMED]
        terms = [self.term(recipe.terms[i], asked) for i in summed]
        deltas = self._surface_deltas(recipe, asked)
        changed = [term + deltas[i] if i in deltas else term for i, term in zip(summed, terms, strict=True)]
        return planes * gain_ratio(terms, gains[summed], changed)

    def _cover(self, recipe: Recipe, asked: Evaluation) -> Planes | None:
        """The alpha for terms that are laid over; None where none is."""
        return self.alpha(asked) if any(term.operator == "over" for term in recipe.terms) else None

    def _kept(self, key: Key, make: Callable[[], Value], asked: Evaluation) -> Value:
        return self.cache.get(key, make) if asked.is_kept else make()
