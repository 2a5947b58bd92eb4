"""The Surface station: which components have a colour pass, and what its change does to each term of a recipe."""

from dataclasses import dataclass
from functools import reduce

import numpy as np

from escala.core.errors import BadSource, UnknownChoice
from escala.core.folding import SUMMED
from escala.core.planes import Matte, Planes
from escala.core.recipes import Recipe, Term, term_planes
from escala.core.roles import Portion, Role
from escala.core.surfaces import recolour, surface_change
from escala.media.store import StoredFrame
from escala.model.render import Render
from escala.model.variant import Recolour, Variant

from .cache import ByteCache
from .colouring import Colouring
from .look import Look, bands_of, resize_planes, sample_pass
from .mattes import matte_of_objects


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
    """Changing the surfaces of one frame. `live`: from filtered passes; else pixel by pixel, then filtered."""

    render: Render
    frame: StoredFrame
    cache: ByteCache
    colouring: Colouring
    live: bool
    keep: bool

    def deltas(self, variant: Variant, recipe: Recipe, look: Look) -> dict[int, Planes]:
        """What terms of a recipe gain, in the working space, by their index; terms that gain nothing are not in."""
        changes, colours = changed_components(self.render, variant), colour_passes(self.render)
        return {
            index: self._delta(term, colours[term.component], changes[term.component], look)
            for index, term in enumerate(recipe.terms)
            if term.component in changes and term.operator in SUMMED
        }

    def _delta(self, term: Term, colour: str, changes: list[Recolour], look: Look) -> Planes:
        def make() -> Planes:
            if self.live or look.is_full:
                return self._delta_at(term, colour, changes, look)
            bands = [self._delta_at(term, colour, changes, band) for band in bands_of(look)]
            return resize_planes(np.concatenate(bands, axis=1), look.out_width, look.out_height)

        key = (self.frame.folder.name, "surface", str(term), look, self.live, tuple(changes), self.colouring.key)
        return self.cache.get(key, make) if self.keep else make()

    def _delta_at(self, term: Term, colour: str, changes: list[Recolour], look: Look) -> Planes:
        """The light of a term times the change of its colour. Lit passes are divided by the colour for that."""
        together = self.colouring.sum_space((*term.passes, colour))
        lit = term_planes(term, lambda name: self._pass_in(name, together, look))
        changed = lit * self._change(colour, changes, together, look)
        return self.colouring.config.convert(changed, together, self.colouring.working.name)

    def _pass_in(self, name: str, space: str, look: Look) -> Planes:
        stored = sample_pass(self.frame, name, look)
        return self.colouring.config.convert(stored[:3], self.colouring.space_of(name), space)

    def _change(self, name: str, changes: list[Recolour], space: str, look: Look) -> Planes:
        """The change of a colour pass for each unit of light in a scene-linear space; (3, H, W)."""
        config, working = self.colouring.config, self.colouring.working.name

        def make() -> Planes:
            colour = self._pass_in(name, space, look)
            before = config.convert(colour, space, working)
            changed = reduce(lambda planes, change: self._recoloured(planes, change, look), changes, before)
            return surface_change(colour, config.convert(changed, working, space))

        # All terms of a component, one for each light, share it.
        key = (self.frame.folder.name, "change", name, space, look, tuple(changes), self.colouring.key)
        return self.cache.get(key, make) if self.keep else make()

    def _recoloured(self, colour: Planes, change: Recolour, look: Look) -> Planes:
        """As far as the object covers; a change of an object that this render does not have waits for one that does."""
        wanted = recolour(colour, change.hue, change.saturation, change.value)
        if change.object_name is None:
            return wanted
        try:
            cover = object_at(self.frame, self.cache, change.object_name, look)
        except (BadSource, UnknownChoice):
            return colour
        return np.asarray(colour + cover * (wanted - colour))


def object_at(frame: StoredFrame, cache: ByteCache, name: str, look: Look) -> Matte:
    """The coverage of a named object at a look; worked out once for a frame."""
    key = (frame.folder.name, "object", name)
    whole: Matte = cache.get(key, lambda: matte_of_objects(frame, [name], None))
    part = whole[None, look.y : look.y + look.height, look.x : look.x + look.width]
    return np.asarray(resize_planes(part, look.out_width, look.out_height)[0], np.float32)
