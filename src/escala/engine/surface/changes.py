"""The Surface station: which components have a colour pass, and what its change does to each term of a recipe."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from escala.core.beauty.folding import SUMMED
from escala.core.beauty.recipes import Recipe, Term, factor_planes, term_planes
from escala.core.errors import choose
from escala.core.planes import Matte, Planes
from escala.core.roles import Portion, Role
from escala.core.surface.recolour import recolour, repaint, surface_change
from escala.model.render import Render
from escala.model.surface import AnyChange, Label, Recolour, Repaint
from escala.model.variant import Variant

from ..beauty.terms import Terms
from ..evaluation import Evaluation
from ..looking.look import bands_of, colour_of_pass, filtered
from ..mattes.mattes import Mattes
from .labels import Pictures, labelled, picture_of

Changes = list[AnyChange]


def colour_passes(render: Render) -> dict[str, str]:
    """The colour pass of each component that has one."""
    return {
        p.component: p.name
        for p in render.passes
        if p.role == Role.COMPONENT and p.part == Portion.COLOUR and p.component
    }


def changed_components(render: Render, variant: Variant) -> dict[str, Changes]:
    """What changes each component of a render."""
    active = [change for change in variant.surface.changes if change.changes]
    if not active:
        return {}
    colours = colour_passes(render)
    wanted = {name: [c for c in active if c.component in (None, name)] for name in colours}
    return {name: changes for name, changes in wanted.items() if changes}


@dataclass(frozen=True)
class Surfaces:
    """Changing the surfaces of one frame: while moving from filtered passes, else pixel by pixel, then filtered."""

    terms: Terms
    mattes: Mattes
    pictures: Pictures

    def deltas(self, recipe: Recipe, asked: Evaluation) -> dict[int, Planes]:
        """What terms of a recipe gain, in the working space, by their index; terms that gain nothing are not in."""
        changes, colours = changed_components(self.terms.render, asked.variant), colour_passes(self.terms.render)
        return {
            index: self._delta(term, colours[term.component], changes[term.component], asked)
            for index, term in enumerate(recipe.terms)
            if term.component in changes and term.operator in SUMMED
        }

    def _delta(self, term: Term, colour: str, changes: Changes, asked: Evaluation) -> Planes:
        look = asked.look

        def make() -> Planes:
            if asked.is_moving or look.is_full:
                return self._delta_at(term, colour, changes, asked)
            bands = [self._delta_at(term, colour, changes, asked.at(band)) for band in bands_of(look)]
            return filtered(np.concatenate(bands, axis=1), look)

        facts = str(term), colour, look, asked.is_moving, self._made_of(changes, asked.variant)
        key = self.terms.keys.of_reading("surface", *facts, colouring=asked.colouring)
        return self.terms.kept(key, make, asked)

    def _delta_at(self, term: Term, colour: str, changes: Changes, asked: Evaluation) -> Planes:
        """What a term gains: its light times the change of its colour; a lit term is divided for that."""
        together = asked.colouring.sum_space((*term.passes, colour))
        before, after = self._change(colour, changes, together, asked)

        def planes_of(name: str) -> Planes:
            return self._pass_in(name, together, asked)

        light = [factor for factor in term.factors if factor.names != (colour,) or factor.inverted]
        if len(light) == len(term.factors) - 1:
            gained = after - before
            for factor in light:
                gained = gained * factor_planes(factor, planes_of)
        else:
            gained = term_planes(term, planes_of) * surface_change(before, after)
        return asked.colouring.config.convert(np.asarray(gained), together, asked.colouring.working.name)

    def _pass_in(self, name: str, space: str, asked: Evaluation) -> Planes:
        stored = colour_of_pass(self.terms.frame, name, asked.look)
        return asked.colouring.config.convert(stored, asked.colouring.space_of(name), space)

    def _change(self, name: str, changes: Changes, space: str, asked: Evaluation) -> tuple[Planes, Planes]:
        """A colour pass in a scene-linear space as it is stored, and as it is changed; each (3, H, W)."""
        config, working = asked.colouring.config, asked.colouring.working.name

        def make() -> tuple[Planes, Planes]:
            stored = self._pass_in(name, space, asked)
            changed = before = config.convert(stored, space, working)
            for change in changes:
                changed = self._changed(changed, change, asked)
            return stored, stored if changed is before else config.convert(changed, working, space)

        # All terms of a component, one for each light, share it.
        facts = name, space, asked.look, asked.is_moving, self._made_of(changes, asked.variant)
        return self.terms.kept(self.terms.keys.of_reading("change", *facts, colouring=asked.colouring), make, asked)

    def _changed(self, colour: Planes, change: AnyChange, asked: Evaluation) -> Planes:
        """A colour pass in the working space with one change, as far as its matte covers."""
        where = np.full(colour.shape[1:], change.opacity, np.float32)
        if change.matte is not None:
            where = where * self.mattes.at(change.matte, asked)
        return choose("change of a surface", change.kind, CHANGES)(self, colour, change, where, asked)

    def _made_of(self, changes: Changes, variant: Variant) -> tuple[Any, ...]:
        """Changes with the mattes that they name and the contents of their pictures."""
        mattes = [tuple(variant.joined_from(change.matte).items()) for change in changes if change.matte is not None]
        found = [picture_of(change, self.pictures) for change in changes if isinstance(change, Label)]
        return tuple(changes), tuple(mattes), tuple(picture and picture.folder for picture in found)


def _recolour(work: Surfaces, colour: Planes, change: Recolour, where: Matte, asked: Evaluation) -> Planes:
    return _as_far(colour, recolour(colour, change.hue, change.saturation, change.value), where)


def _repaint(work: Surfaces, colour: Planes, change: Repaint, where: Matte, asked: Evaluation) -> Planes:
    return _as_far(colour, repaint(colour, change.from_, change.to, change.amount), where)


def _label(work: Surfaces, colour: Planes, change: Label, where: Matte, asked: Evaluation) -> Planes:
    return labelled(colour, change, where, asked, work.terms, work.pictures)


def _as_far(colour: Planes, changed: Planes, where: Matte) -> Planes:
    if where.min() == 1.0:
        return changed
    return np.asarray(colour + where * (changed - colour))


Change = Callable[[Surfaces, Planes, Any, Matte, Evaluation], Planes]

# One row for each kind: a colour pass in the working space, changed as far as a matte covers.
CHANGES: dict[str, Change] = {"recolour": _recolour, "repaint": _repaint, "label": _label}
