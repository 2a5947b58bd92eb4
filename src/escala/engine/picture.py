"""A frame of a shot, evaluated along the path at any look."""

from escala.core.planes import Planes
from escala.media.configs import colour_config
from escala.media.places import EVERYWHERE, Roots
from escala.media.store import StoredFrame
from escala.model.balance import Balance
from escala.model.beauty import TallyChoice
from escala.model.colour import ColourChoice
from escala.model.display import DisplayChoice
from escala.model.render import Render
from escala.model.variant import Variant

from .beauty.head import Head
from .cache import ByteCache
from .colour.chain import Colouring, colouring_of
from .corrections.registry import apply_correction
from .evaluation import Evaluation, Purpose
from .keys import Keys
from .looking.look import Look, colour_of_pass, sample_pass


class FrameEngine:
    """Evaluates variants on one decoded frame of a render. `roots`: where colour configs may read their tables."""

    def __init__(self, render: Render, frame: StoredFrame, cache: ByteCache, roots: Roots = EVERYWHERE) -> None:
        self.roots = roots
        self.render = render
        self.frame = frame
        self.cache = cache
        self.keys = Keys(render, frame)
        self.head = Head(self.keys, cache)
        self._colouring: tuple[ColourChoice, DisplayChoice, Colouring] | None = None

    def colouring(self, variant: Variant) -> Colouring:
        """The colour chain of a variant on this render, resolved anew when its choices or their config change."""
        choice, config = variant.colour, colour_config(variant.colour.config, variant.colour.context, self.roots)
        kept = self._colouring
        if kept is None or kept[0] != choice or kept[1] != variant.display or kept[2].config is not config:
            kept = choice, variant.display, colouring_of(self.render, variant, self.roots)
            self._colouring = kept
        return kept[2]

    def ask(self, variant: Variant, look: Look, purpose: Purpose = Purpose.RESTING, viewer: str = "") -> Evaluation:
        """An evaluation of a variant in its own colour chain. `viewer`: each has a drag memory of its own."""
        return Evaluation(variant, self.colouring(variant), look, purpose, viewer)

    def stored_pass(self, name: str, look: Look, exact: bool = False) -> Planes:
        """A pass as stored, sampled for a look; `exact`: never mixed with its neighbours."""
        key = self.keys.of_pixels("pass", name, look, exact)
        return self.cache.get(key, lambda: sample_pass(self.frame, name, look, exact))

    def alpha(self, asked: Evaluation) -> Planes | None:
        """The render's alpha, (H, W); None where it is ignored."""
        return None if self.render.alpha_ignored else self.head.alpha(asked)

    def source(self, asked: Evaluation) -> Planes:
        """The reference, or the plain sum where there is none."""
        reference = self.head.reference(asked)
        return reference if reference is not None else self.balance(asked.of(Variant(colour=asked.variant.colour)))

    def surface(self, asked: Evaluation) -> Planes:
        """The beauty with changed surfaces alone, every level neutral."""
        return self.beauty(asked.of(asked.variant.model_copy(update={"balance": Balance(), "tally": TallyChoice()})))

    def balance(self, asked: Evaluation) -> Planes:
        """The sum with all levels, without the residual."""
        return self.head.sum(asked, with_residual=False)

    def beauty(self, asked: Evaluation) -> Planes:
        """The sum with all levels, and what no term holds. Untouched, it is the reference itself."""
        return self.head.sum(asked, with_residual=True)

    def finish(self, asked: Evaluation) -> Planes:
        """The beauty with the corrections of Finish, in the working space."""
        planes = self._last_beauty(asked) if asked.is_kept else self.beauty(asked)
        for correction in asked.variant.finish.corrections:
            planes = apply_correction(planes, correction, self.alpha(asked), asked.colouring)
        return planes

    def _last_beauty(self, asked: Evaluation) -> Planes:
        """The beauty as before while only what follows it changes: the last of each look of a viewer is kept."""
        v = asked.variant
        made_by = (v.balance, v.tally, v.surface, v.residual, v.recipe, asked.colouring.key)
        place = self.keys.of_reading("last beauty", asked.look, asked.is_moving, asked.viewer)
        kept: tuple[object, Planes] | None = self.cache.peek(place)
        if kept is not None and kept[0] == made_by:
            return kept[1]
        planes = self.beauty(asked)
        self.cache.put(place, (made_by, planes))
        return planes

    def delivered(self, asked: Evaluation, space: str) -> Planes:
        """The finished picture in a scene-linear space. Untouched, it is the stored beauty, to the bit."""
        colouring, reference = asked.colouring, self.render.reference
        if reference is not None and self.is_untouched(asked):
            stored = colour_of_pass(self.frame, reference, asked.look)
            return colouring.config.convert(stored, colouring.space_of(reference), space)
        return colouring.config.convert(self.finish(asked), colouring.working.name, space)

    def is_untouched(self, asked: Evaluation) -> bool:
        """Whether nothing along the path changes the render's beauty."""
        return self.head.is_neutral(asked) and not any(c.on for c in asked.variant.finish.corrections)
