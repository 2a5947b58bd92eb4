"""The Surface station: which components have a colour pass, and what its change does to each term of a recipe."""

from collections.abc import Callable, Collection
from dataclasses import dataclass
from functools import reduce
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
from ..images import Images, OutsideImage, label_source
from ..mattes.mattes import Mattes
from ..request import EvaluationRequest
from ..viewer.viewport import bands_of, colour_of_pass, filtered
from .labels import labelled


def colour_passes(render: Render) -> dict[str, str]:
    """The colour pass of each component that has one."""
    return {
        p.component: p.name
        for p in render.passes
        if p.role == Role.COMPONENT and p.part == Portion.COLOUR and p.component
    }


def changed_components(render: Render, variant: Variant) -> dict[str, list[AnyChange]]:
    """What changes each component of a render."""
    active = [change for change in variant.surface.changes if change.changes]
    if not active:
        return {}
    colours = colour_passes(render)
    wanted = {name: [c for c in active if c.component in (None, name)] for name in colours}
    return {name: changes for name, changes in wanted.items() if changes}


@dataclass(frozen=True)
class ColourWork:
    """What is done to a colour pass: changes in order, of each its image if it has one, and the mattes they name."""

    colour: str
    changes: tuple[AnyChange, ...]
    images: tuple[OutsideImage | None, ...]
    mattes: tuple[Any, ...]

    @property
    def key(self) -> tuple[Any, ...]:
        """What it is made of."""
        return self.colour, self.changes, tuple(image and image.fingerprint for image in self.images), self.mattes


@dataclass(frozen=True)
class SurfaceContext:
    """What a change of a surface may look at beside the colour: the frame, the place, and its image."""

    terms: Terms
    request: EvaluationRequest
    image: OutsideImage | None


@dataclass(frozen=True)
class Surfaces:
    """Changing the surfaces of one frame: while moving from filtered passes, else pixel by pixel, then filtered."""

    terms: Terms
    mattes: Mattes
    images: Images

    def deltas(
        self, recipe: Recipe, request: EvaluationRequest, places: Collection[int] | None = None
    ) -> dict[int, Planes]:
        """What terms of a recipe gain, in the working space, by their places; terms that gain nothing are not in.

        `places`: of the terms that are wanted; all by default.
        """
        changes, colours = changed_components(self.terms.render, request.variant), colour_passes(self.terms.render)
        works = {name: self._work(colours[name], tuple(wanted), request.variant) for name, wanted in changes.items()}
        return {
            place: self._delta(term, works[term.component], request)
            for place, term in enumerate(recipe.terms)
            if term.component in works and term.operator in SUMMED and (places is None or place in places)
        }

    def files(self, variant: Variant) -> tuple[str | None, ...]:
        """The fingerprints of the images of a variant's labels; None for one whose file is missing."""
        found = (self._image_of(label) for label in variant.labels if label.changes)
        return tuple(image.fingerprint if image else None for image in found)

    def _image_of(self, change: AnyChange) -> OutsideImage | None:
        source = label_source(change) if isinstance(change, Label) else None
        return None if source is None else self.images.find(source)

    def _work(self, colour: str, changes: tuple[AnyChange, ...], variant: Variant) -> ColourWork:
        mattes = [tuple(variant.joined_from(change.matte).items()) for change in changes if change.matte is not None]
        return ColourWork(colour, changes, tuple(map(self._image_of, changes)), tuple(mattes))

    def _delta(self, term: Term, work: ColourWork, request: EvaluationRequest) -> Planes:
        viewport = request.viewport

        def make() -> Planes:
            if request.is_preview or viewport.is_full:
                return self._delta_at(term, work, request)
            bands = [self._delta_at(term, work, request.at(band)) for band in bands_of(viewport)]
            return filtered(np.concatenate(bands, axis=1), viewport)

        key = self.terms.keys.for_interpretation(
            "surface", str(term), viewport, request.is_preview, work.key, colour_pipeline=request.colour_pipeline
        )
        return self.terms.kept(key, make, request)

    def _delta_at(self, term: Term, work: ColourWork, request: EvaluationRequest) -> Planes:
        """What a term gains: its light times the change of its colour; a lit term is divided for that."""
        together = request.colour_pipeline.sum_space((*term.passes, work.colour))
        before, after = self._change(work, together, request)
        fell = self._light_of(term, work.colour, together, request)
        if fell is not None:
            gained = fell * (after - before)
        else:
            gained = self._lit(term, together, request) * surface_change(before, after)
        return request.colour_pipeline.config.convert(
            np.asarray(gained), together, request.colour_pipeline.working.name
        )

    def _light_of(self, term: Term, colour: str, space: str, request: EvaluationRequest) -> Planes | None:
        """The light that a term multiplies with a colour pass; None for a term that is no such product."""
        light = [factor for factor in term.factors if factor.names != (colour,) or factor.inverted]
        if len(light) != len(term.factors) - 1:
            return None

        def make() -> Planes:
            planes = [factor_planes(factor, lambda name: self._pass_in(name, space, request)) for factor in light]
            return reduce(np.multiply, planes) if planes else np.ones_like(self._pass_in(colour, space, request))

        key = self.terms.keys.for_interpretation(
            "fell", str(term), colour, space, request.viewport, colour_pipeline=request.colour_pipeline
        )
        return self.terms.kept(key, make, request)

    def _lit(self, term: Term, space: str, request: EvaluationRequest) -> Planes:
        key = self.terms.keys.for_interpretation(
            "lit", str(term), space, request.viewport, colour_pipeline=request.colour_pipeline
        )
        return self.terms.kept(
            key, lambda: term_planes(term, lambda name: self._pass_in(name, space, request)), request
        )

    def _pass_in(self, name: str, space: str, request: EvaluationRequest) -> Planes:
        stored = colour_of_pass(self.terms.frame, name, request.viewport)
        return request.colour_pipeline.config.convert(stored, request.colour_pipeline.space_of(name), space)

    def _change(self, work: ColourWork, space: str, request: EvaluationRequest) -> tuple[Planes, Planes]:
        """A colour pass in a scene-linear space as it is stored, and as it is changed; each (3, H, W)."""
        config, working = request.colour_pipeline.config, request.colour_pipeline.working.name

        def make() -> tuple[Planes, Planes]:
            stored, before = self._colour_of(work.colour, space, request)
            changed = before
            for change, image in zip(work.changes, work.images, strict=True):
                changed = self._changed(changed, change, image, request)
            return stored, stored if changed is before else config.convert(changed, working, space)

        # All terms of a component, one for each light, share it.
        facts = space, request.viewport, request.is_preview, work.key
        return self.terms.kept(
            self.terms.keys.for_interpretation("change", *facts, colour_pipeline=request.colour_pipeline), make, request
        )

    def _colour_of(self, name: str, space: str, request: EvaluationRequest) -> tuple[Planes, Planes]:
        """A colour pass in a scene-linear space, and in the working space."""

        def make() -> tuple[Planes, Planes]:
            stored = self._pass_in(name, space, request)
            return stored, request.colour_pipeline.config.convert(stored, space, request.colour_pipeline.working.name)

        key = self.terms.keys.for_interpretation(
            "surface colour", name, space, request.viewport, colour_pipeline=request.colour_pipeline
        )
        return self.terms.kept(key, make, request)

    def _changed(
        self, colour: Planes, change: AnyChange, image: OutsideImage | None, request: EvaluationRequest
    ) -> Planes:
        """A colour pass in the working space with one change, as far as its matte covers."""
        where = np.full(colour.shape[1:], change.opacity, np.float32)
        if change.matte is not None:
            where = where * self.mattes.at(change.matte, request)
        context = SurfaceContext(self.terms, request, image)
        return choose("change of a surface", change.kind, CHANGES)(colour, change, where, context)


def _recolour(colour: Planes, change: Recolour, where: Matte, context: SurfaceContext) -> Planes:
    return _as_far(colour, recolour(colour, change.hue, change.saturation, change.value), where)


def _repaint(colour: Planes, change: Repaint, where: Matte, context: SurfaceContext) -> Planes:
    return _as_far(colour, repaint(colour, change.from_, change.to, change.amount), where)


def _label(colour: Planes, change: Label, where: Matte, context: SurfaceContext) -> Planes:
    if context.image is None:
        return colour
    return labelled(colour, change, where, context.image, context.request, context.terms)


def _as_far(colour: Planes, changed: Planes, where: Matte) -> Planes:
    if where.min() == 1.0:
        return changed
    return np.asarray(colour + where * (changed - colour))


Change = Callable[[Planes, Any, Matte, SurfaceContext], Planes]

# One row for each kind: a colour pass in the working space, changed as far as a matte covers.
CHANGES: dict[str, Change] = {"recolour": _recolour, "repaint": _repaint, "label": _label}
