"""Terms of recipes, reference and residual, as they are stored: what everything else on the path is made of."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from escala.core.beauty.recipes import Recipe, Term, fold_recipe, one_pass, term_planes
from escala.core.planes import Planes
from escala.media.store import StoredFrame
from escala.model.render import Render

from ..cache import ByteCache
from ..evaluation import Evaluation
from ..keys import Key, Keys
from ..looking.look import bands_of, colour_of_pass, filtered, sample_pass

Value = TypeVar("Value")


@dataclass(frozen=True)
class Terms:
    """The passes of one frame as it is read, put together and in the working space; no level touches them."""

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

    @property
    def undenoised(self) -> "Terms | None":
        """The same of the passes as stored, where some of them are denoised."""
        before = self.frame.undenoised
        return None if before is self.frame else Terms(Keys(self.render, before), self.cache)

    def term(self, term: Term, asked: Evaluation) -> Planes:
        """A term of a recipe in the working space. Products are made pixel by pixel, then filtered.

        Passes of one scene-linear space are put together in it; of several, or of an encoded one, each is brought to
        the working space first. What multiplies light is no light: white is 1 in any space, and stays as stored.
        """
        colouring, look = asked.colouring, asked.look
        config, working = colouring.config, colouring.working.name
        together = colouring.sum_space(term.passes)

        def put_together(at: Evaluation) -> Planes:
            return term_planes(term, lambda name: self.stored(name, together, at, term.operator == "multiply"))

        def make() -> Planes:
            if term.is_linear or look.is_full:
                planes = put_together(asked)
            else:
                bands = [put_together(asked.at(band)) for band in bands_of(look)]
                planes = filtered(np.concatenate(bands, axis=1), look)
            return planes if term.operator == "multiply" else config.convert(planes, together, working)

        read_in = [colouring.space_of(name) for name in term.passes]
        chain = ("as stored",) if term.operator == "multiply" else (config.key, *read_in, working)
        return self.kept(self.keys.of_pixels("term", str(term), look, *chain), make, asked)

    def stored(self, name: str, space: str, asked: Evaluation, is_data: bool = False) -> Planes:
        """A pass at a look in a scene-linear space; data, and what has no three channels, as it stands."""
        stored = sample_pass(self.frame, name, asked.look)
        if is_data or stored.shape[0] < 3:
            return stored
        return asked.colouring.config.convert(stored[:3], asked.colouring.space_of(name), space)

    def light_of(self, name: str, asked: Evaluation) -> Planes:
        """A pass as working-space light, (3, H, W)."""
        stored = colour_of_pass(self.frame, name, asked.look)
        found = self.render.find_pass(name)
        if found is None or not found.is_colour:
            return stored
        colouring = asked.colouring
        return colouring.config.convert(stored, colouring.space_of(name), colouring.working.name)

    def reference(self, asked: Evaluation) -> Planes | None:
        """The renderer's own beauty in the working space."""
        if self.render.reference is None:
            return None
        return self.term(Term("reference", one_pass(self.render.reference)), asked)

    def plain(self, asked: Evaluation) -> Planes:
        """The plain beauty: the reference, or the untouched sum where there is none."""
        reference = self.reference(asked)
        if reference is not None:
            return reference
        if not self.render.recipes:
            return np.zeros((3, asked.look.out_height, asked.look.out_width), np.float32)
        recipe = self.render.recipes[0].recipe
        return fold_recipe(recipe, [self.term(t, asked) for t in recipe.terms], alpha=self.cover(recipe, asked))

    def beauty(self, recipe: Recipe, asked: Evaluation) -> Planes | None:
        """The reference, with denoised passes in place of those that it was made of; None without a reference."""
        reference = self.reference(asked)
        if reference is None or self.undenoised is None:
            return reference
        residual = self.residual(recipe, asked)

        def make() -> Planes:
            terms = [self.term(term, asked) for term in recipe.terms]
            return fold_recipe(recipe, terms, base=residual, alpha=self.cover(recipe, asked))

        return self.kept(self.keys.of_reading("denoised", recipe, asked.look, colouring=asked.colouring), make, asked)

    def residual(self, recipe: Recipe, asked: Evaluation) -> Planes | None:
        """Reference less the plain sum of a recipe, of the passes as stored; None without a reference."""
        if self.undenoised is not None:
            return self.undenoised.residual(recipe, asked)
        reference = self.reference(asked)
        if reference is None:
            return None

        def make() -> Planes:
            terms = [self.term(term, asked) for term in recipe.terms]
            return np.subtract(reference, fold_recipe(recipe, terms, alpha=self.cover(recipe, asked)))

        return self.kept(self.keys.of_reading("residual", recipe, asked.look, colouring=asked.colouring), make, asked)

    def alpha(self, asked: Evaluation) -> Planes | None:
        """The render's alpha as stored, (H, W); None where it has none."""
        name = self.render.alpha_pass
        if name is None:
            return None
        key = self.keys.of_pixels("pass", name, asked.look, False)
        return np.asarray(self.kept(key, lambda: sample_pass(self.frame, name, asked.look), asked)[0])

    def cover(self, recipe: Recipe, asked: Evaluation) -> Planes | None:
        """The alpha for terms that are laid over; None where none is."""
        return self.alpha(asked) if any(term.operator == "over" for term in recipe.terms) else None

    def kept(self, key: Key, make: Callable[[], Value], asked: Evaluation) -> Value:
        """What is kept under a key, where the evaluation keeps anything."""
        return self.cache.get(key, make) if asked.is_kept else make()
