"""Terms of recipes, reference and residual, as they are stored: what everything else on the path is made of."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from escala.core.beauty.recipes import Recipe, Term, fold_recipe, one_pass, term_planes
from escala.core.planes import Planes, as_planes
from escala.media.store import StoredFrame
from escala.model.render import Render

from ..cache import ByteCache
from ..keys import CacheKeys, Key
from ..request import EvaluationRequest
from ..viewer.viewport import bands_of, colour_of_pass, filtered, sample_pass

Value = TypeVar("Value")


@dataclass(frozen=True)
class Terms:
    """The passes of one frame as it is read, combined and in the working space; no level touches them."""

    keys: CacheKeys
    cache: ByteCache

    @property
    def render(self) -> Render:
        """The render as it is read."""
        return self.keys.render

    @property
    def frame(self) -> StoredFrame:
        """Its frame."""
        return self.keys.frame

    @property
    def undenoised(self) -> "Terms | None":
        """The same of the passes as stored, where some of them are denoised."""
        before = self.frame.undenoised
        return None if before is self.frame else Terms(CacheKeys(self.render, before), self.cache)

    def term(self, term: Term, request: EvaluationRequest) -> Planes:
        """A term of a recipe in the working space. Products are made pixel by pixel, then filtered.

        Passes of one scene-linear space are combined in it; of several, or of an encoded one, each is brought to
        the working space first. What multiplies light is no light: white is 1 in any space, and stays as stored.
        """
        colour_pipeline, viewport = request.colour_pipeline, request.viewport
        config, working = colour_pipeline.config, colour_pipeline.working.name
        together = colour_pipeline.sum_space(term.passes)

        def put_together(at: EvaluationRequest) -> Planes:
            return term_planes(term, lambda name: self.stored(name, together, at, term.operator == "multiply"))

        def make() -> Planes:
            if term.is_linear or viewport.is_full:
                planes = put_together(request)
            else:
                bands = [put_together(request.at(band)) for band in bands_of(viewport)]
                planes = filtered(np.concatenate(bands, axis=1), viewport)
            return planes if term.operator == "multiply" else config.convert(planes, together, working)

        read_in = [colour_pipeline.space_of(name) for name in term.passes]
        pipeline = ("as stored",) if term.operator == "multiply" else (config.key, *read_in, working)
        return self.kept(self.keys.for_pixels("term", str(term), viewport, *pipeline), make, request)

    def stored(self, name: str, space: str, request: EvaluationRequest, is_data: bool = False) -> Planes:
        """A pass at a viewport in a scene-linear space; data, and what has no three channels, as it stands."""
        stored = sample_pass(self.frame, name, request.viewport)
        if is_data or stored.shape[0] < 3:
            return stored
        return request.colour_pipeline.config.convert(stored[:3], request.colour_pipeline.space_of(name), space)

    def light_of(self, name: str, request: EvaluationRequest) -> Planes:
        """A pass as working-space light, (3, H, W)."""
        stored = colour_of_pass(self.frame, name, request.viewport)
        found = self.render.find_pass(name)
        if found is None or not found.is_colour:
            return stored
        colour_pipeline = request.colour_pipeline
        return colour_pipeline.config.convert(stored, colour_pipeline.space_of(name), colour_pipeline.working.name)

    def reference(self, request: EvaluationRequest) -> Planes | None:
        """The renderer's own beauty in the working space."""
        if self.render.reference is None:
            return None
        return self.term(Term("reference", one_pass(self.render.reference)), request)

    def plain(self, request: EvaluationRequest) -> Planes:
        """The plain beauty: the reference, or the untouched sum where there is none."""
        reference = self.reference(request)
        if reference is not None:
            return reference
        if not self.render.recipes:
            return np.zeros((3, request.viewport.out_height, request.viewport.out_width), np.float32)
        recipe = self.render.recipes[0].recipe
        return fold_recipe(recipe, [self.term(t, request) for t in recipe.terms], alpha=self.cover(recipe, request))

    def beauty(self, recipe: Recipe, request: EvaluationRequest) -> Planes | None:
        """The reference, with denoised passes in place of those that it was made of; None without a reference."""
        reference = self.reference(request)
        if reference is None or self.undenoised is None:
            return reference
        residual = self.residual(recipe, request)

        def make() -> Planes:
            terms = [self.term(term, request) for term in recipe.terms]
            return fold_recipe(recipe, terms, base=residual, alpha=self.cover(recipe, request))

        return self.kept(
            self.keys.for_interpretation("denoised", recipe, request.viewport, colour_pipeline=request.colour_pipeline),
            make,
            request,
        )

    def residual(self, recipe: Recipe, request: EvaluationRequest) -> Planes | None:
        """Reference less the plain sum of a recipe, of the passes as stored; None without a reference."""
        if self.undenoised is not None:
            return self.undenoised.residual(recipe, request)
        reference = self.reference(request)
        if reference is None:
            return None

        def make() -> Planes:
            terms = [self.term(term, request) for term in recipe.terms]
            return np.subtract(reference, fold_recipe(recipe, terms, alpha=self.cover(recipe, request)))

        return self.kept(
            self.keys.for_interpretation("residual", recipe, request.viewport, colour_pipeline=request.colour_pipeline),
            make,
            request,
        )

    def alpha(self, request: EvaluationRequest) -> Planes | None:
        """The render's alpha as stored, (H, W); None where it has none."""
        name = self.render.alpha_pass
        if name is None:
            return None
        key = self.keys.for_pixels("pass", name, request.viewport, False)
        return np.asarray(self.kept(key, lambda: sample_pass(self.frame, name, request.viewport), request)[0])

    def cover(self, recipe: Recipe, request: EvaluationRequest) -> Planes | None:
        """The alpha for terms that are laid over; None where none is."""
        return self.alpha(request) if any(term.operator == "over" for term in recipe.terms) else None

    def data(self, name: str, request: EvaluationRequest) -> Planes:
        """A data pass at a viewport by its nearest pixels, (C, H, W)."""
        key = self.keys.for_pixels("pass", name, request.viewport, True)
        return self.kept(key, lambda: as_planes(sample_pass(self.frame, name, request.viewport, True)), request)

    def kept(self, key: Key, make: Callable[[], Value], request: EvaluationRequest) -> Value:
        """What is kept under a key, where the evaluation keeps anything."""
        return self.cache.get(key, make) if request.is_cacheable else make()
