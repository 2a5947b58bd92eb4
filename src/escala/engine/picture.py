"""A frame of a shot, evaluated along the path at any look; results are kept by what made them."""

import numpy as np

from escala.core.folding import SUMMED
from escala.core.mixing import mix_planes
from escala.core.planes import Planes
from escala.core.ratio import gain_ratio
from escala.core.recipes import Recipe, Term, fold_recipe, one_pass, term_planes
from escala.media.configs import colour_config
from escala.media.store import StoredFrame
from escala.model.render import Render
from escala.model.variant import Balance, ColourChoice, DisplayChoice, TallyChoice, Variant

from .balance import BalancePlan, Gains, plan_balance
from .cache import ByteCache
from .colouring import Colouring, colouring_of
from .corrections import apply_correction
from .look import Look, bands_of, resize_planes, sample_pass
from .surface import SurfaceWork, changed_components


class FrameEngine:
    """Evaluates variants on one decoded frame of a render."""

    def __init__(self, render: Render, frame: StoredFrame, cache: ByteCache) -> None:
        self.render = render
        self.frame = frame
        self.cache = cache
        self._key = frame.folder.name
        self._colouring: tuple[ColourChoice, DisplayChoice, Colouring] | None = None

    def colouring(self, variant: Variant) -> Colouring:
        """The colour chain of a variant on this render, resolved anew when its choices or their config change."""
        choice, config = variant.colour, colour_config(variant.colour.config, variant.colour.context)
        kept = self._colouring
        if kept is None or kept[0] != choice or kept[1] != variant.display or kept[2].config is not config:
            kept = choice, variant.display, colouring_of(self.render, variant)
            self._colouring = kept
        return kept[2]

    def stored_pass(self, name: str, look: Look, exact: bool = False) -> Planes:
        """A pass as stored, sampled for a look; `exact`: never mixed with its neighbours."""
        key = (self._key, "pass", name, look, exact)
        return self.cache.get(key, lambda: sample_pass(self.frame, name, look, exact))

    def term(self, term: Term, look: Look, colouring: Colouring, keep: bool = True) -> Planes:
        """A term of a recipe in the working space. Products are made pixel by pixel, then filtered.

        Passes of one scene-linear space are put together in it; of several, or of an encoded one, each is brought to
        the working space first. What multiplies light is no light: white is 1 in any space, and stays as stored.
        """
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
                planes = resize_planes(np.concatenate(bands, axis=1), look.out_width, look.out_height)
            return planes if term.operator == "multiply" else config.convert(planes, together, working)

        read_in = [colouring.space_of(name) for name in term.passes]
        chain = ("as stored",) if term.operator == "multiply" else (config.key, *read_in, working)
        key = (self._key, "term", str(term), look, *chain)
        return self.cache.get(key, make) if keep else make()

    def terms(
        self, recipe: Recipe, variant: Variant, look: Look, live: bool = False, keep: bool = True
    ) -> list[Planes]:
        """All terms of a recipe before any level, with surfaces as the variant changes them."""
        colouring = self.colouring(variant)
        deltas = self._surface_deltas(variant, recipe, look, colouring, live, keep)
        found = [self.term(term, look, colouring, keep) for term in recipe.terms]
        return [planes + deltas[i] if i in deltas else planes for i, planes in enumerate(found)]

    def reference(self, look: Look, colouring: Colouring, keep: bool = True) -> Planes | None:
        """The renderer's own beauty in the working space."""
        if self.render.reference is None:
            return None
        return self.term(Term("reference", one_pass(self.render.reference)), look, colouring, keep)

    def residual(self, recipe: Recipe, look: Look, colouring: Colouring, keep: bool = True) -> Planes | None:
        """Reference less the plain sum of a recipe; None without a reference."""
        reference = self.reference(look, colouring, keep)
        if reference is None:
            return None

        def make() -> Planes:
            terms = [self.term(term, look, colouring, keep) for term in recipe.terms]
            return np.subtract(reference, fold_recipe(recipe, terms, alpha=self._cover(recipe, look)))

        key = (self._key, "residual", recipe, look, colouring.key)
        return self.cache.get(key, make) if keep else make()

    def alpha(self, look: Look) -> Planes | None:
        """The render's alpha, (H, W); None where it is ignored."""
        return None if self.render.alpha_ignored else self._file_alpha(look)

    def source(self, variant: Variant, look: Look) -> Planes:
        """The reference, or the plain sum where there is none."""
        colouring = self.colouring(variant)
        reference = self.reference(look, colouring)
        return reference if reference is not None else self.balance(Variant(colour=variant.colour), look)

    def surface(self, variant: Variant, look: Look, live: bool = False) -> Planes:
        """The beauty with changed surfaces alone, every level neutral."""
        return self.beauty(variant.model_copy(update={"balance": Balance(), "tally": TallyChoice()}), look, live)

    def balance(self, variant: Variant, look: Look, live: bool = False, keep: bool = True) -> Planes:
        """The sum with all levels, without the residual."""
        return self._balanced(variant, look, live, keep, with_residual=False)

    def beauty(self, variant: Variant, look: Look, live: bool = False, keep: bool = True) -> Planes:
        """The sum with all levels, and what no term holds. Untouched, it is the reference itself."""
        return self._balanced(variant, look, live, keep, with_residual=True)

    def finish(self, variant: Variant, look: Look, live: bool = False, keep: bool = True) -> Planes:
        """The beauty with the corrections of Finish, in the working space."""
        planes = self.beauty(variant, look, live, keep)
        colouring = self.colouring(variant)
        for correction in variant.finish.corrections:
            planes = apply_correction(planes, correction, self.alpha(look), colouring)
        return planes

    def full_finish(self, variant: Variant, look: Look) -> Planes:
        """As `finish`, pixel by pixel over a region of any size, in bands so that memory stays small."""
        out = np.empty((3, look.height, look.width), np.float32)
        for band in bands_of(look):
            top = band.y - look.y
            out[:, top : top + band.height] = self.finish(variant, band, keep=False)
        self.frame.release()
        return out

    def delivered(self, variant: Variant, look: Look, space: str) -> Planes:
        """The finished picture in a scene-linear space. Untouched, it is the stored beauty, to the bit."""
        colouring = self.colouring(variant)
        reference = self.render.reference
        if reference is not None and self.is_untouched(variant):
            stored = np.concatenate([sample_pass(self.frame, reference, band)[:3] for band in bands_of(look)], axis=1)
            return colouring.config.convert(stored, colouring.space_of(reference), space)
        return colouring.config.convert(self.full_finish(variant, look), colouring.working.name, space)

    def is_untouched(self, variant: Variant) -> bool:
        """Whether nothing along the path changes the render's beauty."""
        plan = plan_balance(self.render, variant, self.colouring(variant).working)
        neutral = (plan is None or plan.is_neutral) and not changed_components(self.render, variant)
        return neutral and not any(c.on for c in variant.finish.corrections)

    def _balanced(self, variant: Variant, look: Look, live: bool, keep: bool, with_residual: bool) -> Planes:
        colouring = self.colouring(variant)
        plan = plan_balance(self.render, variant, colouring.working)
        reference = self.reference(look, colouring, keep)
        neutral = plan is None or (plan.is_neutral and not changed_components(self.render, variant))
        if plan is None or (with_residual and neutral and reference is not None):
            return reference if reference is not None else np.zeros((3, look.out_height, look.out_width), np.float32)
        if with_residual and plan.residual_gain and reference is not None and plan.recipe.is_sum:
            planes = self._changed_beauty(reference, plan, look, colouring, live, keep)
            deltas = self._surface_deltas(variant, plan.recipe, look, colouring, live, keep)
            if deltas:
                gains = plan.gains * plan.recipe.weights
                planes = mix_planes(list(deltas.values()), gains[list(deltas)], planes)
        else:
            terms = self.terms(plan.recipe, variant, look, live, keep)
            residual = with_residual and bool(plan.residual_gain)
            base = self.residual(plan.recipe, look, colouring, keep) if residual else None
            planes = fold_recipe(plan.recipe, terms, plan.gains, base, self._cover(plan.recipe, look))
        return self._second_axis(planes, plan, variant, look, colouring, live, keep)

    def _surface_deltas(
        self, variant: Variant, recipe: Recipe, look: Look, colouring: Colouring, live: bool, keep: bool
    ) -> dict[int, Planes]:
        work = SurfaceWork(self.render, self.frame, self.cache, colouring, live, keep)
        return work.deltas(variant, recipe, look)

    def _changed_beauty(
        self, reference: Planes, plan: BalancePlan, look: Look, colouring: Colouring, live: bool, keep: bool
    ) -> Planes:
        """The reference and what the changed levels add to it or take away: terms that stay are not even read."""
        changed = np.flatnonzero((plan.gains != 1.0).any(axis=1)).tolist()
        gains = (plan.gains - np.float32(1.0)) * plan.recipe.weights
        if live:
            moving = self._moving_terms(plan, look)
            still = [i for i in changed if i not in moving]
            if still and len(still) < len(changed):
                key = (self._key, "still", plan.recipe, look, tuple(still), gains[still].tobytes(), colouring.key)
                chosen = [self.term(plan.recipe.terms[i], look, colouring, keep) for i in still]
                reference = self.cache.get(key, lambda: mix_planes(chosen, gains[still], reference))
                changed = [i for i in changed if i in moving]
            terms, factors = self._alike(changed, plan, look, colouring, keep)
        else:
            terms = [self.term(plan.recipe.terms[i], look, colouring, keep) for i in changed]
            factors = list(gains[changed])
        return mix_planes(terms, np.array(factors), reference) if terms else reference

    def _alike(
        self, changed: list[int], plan: BalancePlan, look: Look, colouring: Colouring, keep: bool
    ) -> tuple[list[Planes], list[Gains]]:
        """Changed terms, those with one level summed once: a drag then costs one multiply-add, however many move."""
        groups: dict[bytes, list[int]] = {}
        for i in changed:
            groups.setdefault(plan.gains[i].tobytes(), []).append(i)
        weights = plan.recipe.weights

        def together(group: list[int]) -> Planes:
            terms = [self.term(plan.recipe.terms[i], look, colouring, keep) for i in group]
            return mix_planes(terms, weights[group])

        kept_as = (self._key, "alike", plan.recipe, look, colouring.key)
        planes = [self.cache.get((*kept_as, tuple(g)), lambda g=g: together(g)) for g in groups.values()]  # type: ignore[misc]
        return planes, [plan.gains[group[0]] - np.float32(1.0) for group in groups.values()]

    def _moving_terms(self, plan: BalancePlan, look: Look) -> frozenset[int]:
        """The terms of the drag under way: those whose levels changed since the picture before."""
        place = (self._key, "moving", plan.recipe, look)
        before = self.cache.peek(place)
        self.cache.put(place, plan.gains)
        if before is None or np.array_equal(before, plan.gains):
            return self.cache.peek((*place, "set")) or frozenset()
        return self._same_drag(place, frozenset(np.flatnonzero((before != plan.gains).any(axis=1)).tolist()))

    def _same_drag(self, place: tuple[object, ...], moving: frozenset[int]) -> frozenset[int]:
        """Keep the set of a drag under way while the terms that move stay within it."""
        known: frozenset[int] = self.cache.peek((*place, "set")) or frozenset()
        chosen = known if moving <= known else moving
        self.cache.put((*place, "set"), chosen)
        return chosen

    def _second_axis(
        self,
        planes: Planes,
        plan: BalancePlan,
        variant: Variant,
        look: Look,
        colouring: Colouring,
        live: bool,
        keep: bool,
    ) -> Planes:
        """Times the ratio of the other axis' sum with its levels and surfaces to its plain sum."""
        if plan.second is None:
            return planes
        recipe, gains = plan.second
        summed = [i for i, term in enumerate(recipe.terms) if term.operator in SUMMED]
        terms = [self.term(recipe.terms[i], look, colouring, keep) for i in summed]
        deltas = self._surface_deltas(variant, recipe, look, colouring, live, keep)
        changed = [term + deltas[i] if i in deltas else term for i, term in zip(summed, terms, strict=True)]
        return planes * gain_ratio(terms, gains[summed], changed)

    def _cover(self, recipe: Recipe, look: Look) -> Planes | None:
        """The alpha for terms that are laid over; None where none is."""
        return self._file_alpha(look) if any(term.operator == "over" for term in recipe.terms) else None

    def _file_alpha(self, look: Look) -> Planes | None:
        name = next((p.name for p in self.render.passes if p.role == "alpha"), None)
        return None if name is None else self.stored_pass(name, look)[0]
