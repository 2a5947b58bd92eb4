"""The Surface station: which components have a colour pass, and what its change does to each term of a recipe."""

from dataclasses import dataclass
from functools import reduce

import numpy as np

from escala.core.beauty.folding import SUMMED
from escala.core.beauty.recipes import Recipe, Term, term_planes
from escala.core.errors import BadSource, UnknownChoice
from escala.core.planes import Matte, Planes
from escala.core.roles import Portion, Role
from escala.core.surface.recolour import recolour, surface_change
from escala.media.store import StoredFrame
from escala.model.render import Render
from escala.model.surface import Recolour
from escala.model.variant import Variant

from ..cache import ByteCache
from ..colour.chain import Colouring
from ..evaluation import Evaluation
from ..keys import Keys
from ..looking.look import Look, bands_of, colour_of_pass, filtered
from ..mattes.objects import matte_of_objects


def colour_passes(render: Render) -> dict[str, str]:
    """The colour pass of each component that has one."""
    return {
        p.component: p.name
        for p in render.passes
        if p.role == Role.COMPONENT and p.part == Portion.COLOUR and p.component
    }


def changed_components(render: Render, variant: Variant) -> dict[str, list[Recolour]]:
    """The recolourings that change each component of a render."""
    active = [change for change in variant.surface.recolours if change.changes]
    if not active:
        return {}
    colours = colour_passes(render)
    wanted = {name: [c for c in active if c.component in (None, name)] for name in colours}
    return {name: changes for name, changes in wanted.items() if changes}


@dataclass(frozen=True)
class SurfaceWork:
    """Changing the surfaces of one frame: while moving from filtered passes, else pixel by pixel, then filtered."""

    keys: Keys
    cache: ByteCache
    asked: Evaluation

    @property
    def colouring(self) -> Colouring:
        """The colour chain."""
        return self.asked.colouring

    @property
    def frame(self) -> StoredFrame:
        """The frame whose surfaces change."""
        return self.keys.frame

    def deltas(self, recipe: Recipe) -> dict[int, Planes]:
        """What terms of a recipe gain, in the working space, by their index; terms that gain nothing are not in."""
        changes, colours = changed_components(self.keys.render, self.asked.variant), colour_passes(self.keys.render)
        return {
            index: self._delta(term, colours[term.component], changes[term.component], self.asked.look)
            for index, term in enumerate(recipe.terms)
            if term.component in changes and term.operator in SUMMED
        }

    def _delta(self, term: Term, colour: str, changes: list[Recolour], look: Look) -> Planes:
        def make() -> Planes:
            if self.asked.is_moving or look.is_full:
                return self._delta_at(term, colour, changes, look)
            bands = [self._delta_at(term, colour, changes, band) for band in bands_of(look)]
            return filtered(np.concatenate(bands, axis=1), look)

        facts = str(term), colour, look, self.asked.is_moving, tuple(changes)
        key = self.keys.of_reading("surface", *facts, colouring=self.colouring)
        return self.cache.get(key, make) if self.asked.is_kept else make()

    def _delta_at(self, term: Term, colour: str, changes: list[Recolour], look: Look) -> Planes:
        """The light of a term times the change of its colour. Lit passes are divided by the colour for that."""
        together = self.colouring.sum_space((*term.passes, colour))
        lit = term_planes(term, lambda name: self._pass_in(name, together, look))
        changed = lit * self._change(colour, changes, together, look)
        return self.colouring.config.convert(changed, together, self.colouring.working.name)

    def _pass_in(self, name: str, space: str, look: Look) -> Planes:
        stored = colour_of_pass(self.frame, name, look)
        return self.colouring.config.convert(stored, self.colouring.space_of(name), space)

    def _change(self, name: str, changes: list[Recolour], space: str, look: Look) -> Planes:
        """The change of a colour pass for each unit of light in a scene-linear space; (3, H, W)."""
        config, working = self.colouring.config, self.colouring.working.name

        def make() -> Planes:
            colour = self._pass_in(name, space, look)
            before = config.convert(colour, space, working)
            changed = reduce(lambda planes, change: self._recoloured(planes, change, look), changes, before)
            return surface_change(colour, config.convert(changed, working, space))

        # All terms of a component, one for each light, share it.
        key = self.keys.of_reading("change", name, space, look, tuple(changes), colouring=self.colouring)
        return self.cache.get(key, make) if self.asked.is_kept else make()

    def _recoloured(self, colour: Planes, change: Recolour, look: Look) -> Planes:
        """As far as the object covers; a change of an object that this render does not have waits for one that does."""
        wanted = recolour(colour, change.hue, change.saturation, change.value)
        if change.object_name is None:
            return wanted
        try:
            cover = object_at(self.keys, self.cache, change.object_name, look)
        except (BadSource, UnknownChoice):
            return colour
        return np.asarray(colour + cover * (wanted - colour))


def object_at(keys: Keys, cache: ByteCache, name: str, look: Look) -> Matte:
    """The coverage of a named object at a look; worked out once for a frame."""
    whole: Matte = cache.get(keys.of_pixels("object", name), lambda: matte_of_objects(keys.frame, [name], None))
    part = whole[None, look.y : look.y + look.height, look.x : look.x + look.width]
    return np.asarray(filtered(part, look)[0], np.float32)
