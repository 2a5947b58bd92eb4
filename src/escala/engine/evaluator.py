"""A frame of a render as it is read, evaluated along the path at any look."""

from dataclasses import replace

import numpy as np

from escala.core.errors import choose
from escala.core.planes import Planes
from escala.media.configs import colour_config
from escala.media.places import EVERYWHERE, Roots
from escala.media.store import StoredFrame
from escala.model.colour import ColourChoice
from escala.model.display import DisplayChoice
from escala.model.render import Render
from escala.model.variant import Variant

from .beauty.head import Head
from .beauty.terms import Terms
from .cache import ByteCache
from .chain import Chain, Picture
from .colour.chain import Colouring, colouring_of
from .evaluation import EvaluationRequest, Quality
from .images import FindImage, no_images
from .keys import Keys
from .looking.look import BAND_REACHES, BAND_ROWS, Look, bands_of, colour_of_pass, sample_pass
from .mattes.mattes import Mattes
from .progress import Progress, subrange, no_progress
from .stations import LINKS, STATION_BY_NAME, links_up_to
from .surface.changes import Surfaces
from .surroundings import Surroundings

# Exact images of more pixels, as an 8K frame at full size, are made in bands where stages look around themselves.
_MAX_AT_ONCE = 9_000_000


class Evaluator:
    """Evaluates variants on one decoded frame of a render.

    `roots`: where colour configs may read their tables. `number`: that of the frame, the first by default; what moves
    over time is as it is then. `find_image`: looks up the decoded images that a variant names.
    """

    def __init__(
        self,
        render: Render,
        frame: StoredFrame,
        cache: ByteCache,
        roots: Roots = EVERYWHERE,
        number: int | None = None,
        find_image: FindImage = no_images,
    ) -> None:
        self.number = render.first_frame if number is None else number
        self.roots = roots
        self.render = render
        self.frame = frame
        self.cache = cache
        self.keys = Keys(render, frame)
        self.terms = Terms(self.keys, cache)
        self.mattes = Mattes(self.terms)
        self.find_image = find_image
        self.around = Surroundings(self.mattes, find_image)
        self.head = Head(self.terms, self.mattes, Surfaces(self.terms, self.mattes, find_image))
        self.chain = Chain(self.keys, cache, self.around, self._beauty, self.head.files, LINKS)
        self._colouring: tuple[ColourChoice, DisplayChoice, Colouring] | None = None

    def colouring(self, variant: Variant) -> Colouring:
        """The colour chain of a variant on this render, resolved anew when its choices or their config change."""
        choice, config = variant.colour, colour_config(variant.colour.config, variant.colour.context, self.roots)
        kept = self._colouring
        if kept is None or kept[0] != choice or kept[1] != variant.display or kept[2].config is not config:
            kept = choice, variant.display, colouring_of(self.render, variant, self.roots)
            self._colouring = kept
        return kept[2]

    def make_request(
        self,
        variant: Variant,
        look: Look,
        quality: Quality = Quality.EXACT,
        viewer: str = "",
        progress: Progress = no_progress,
    ) -> EvaluationRequest:
        """An evaluation of a variant in its own colour chain. `viewer`: each has a drag memory of its own."""
        self.keys.refresh()
        settled, colouring = variant.settled(self.number), self.colouring(variant)
        if quality is not Quality.PREVIEW:
            self.mattes.check_cost(settled)
        return EvaluationRequest(settled, colouring, look, quality, viewer, self.number, progress)

    def at(self, station: str, request: EvaluationRequest) -> Planes:
        """The picture at a station, (3, H, W) in the working space. Raises `UnknownChoice`."""
        return self.picture(request, station).colour

    def picture(self, request: EvaluationRequest, station: str = "display") -> Picture:
        """As `at`, with its alpha."""
        found = choose("station", station, STATION_BY_NAME)
        if found.sum:
            return Picture(found.sum(self.head, request), lambda: self.alpha(request))
        if self._is_made_in_bands(request):
            return self._in_bands(request, station)
        return self.chain.picture(links_up_to(station), request)

    def _is_made_in_bands(self, request: EvaluationRequest) -> bool:
        """Whether an exact image is so large that its stages would take gigabytes at once."""
        is_large = request.look.out_width * request.look.out_height > _MAX_AT_ONCE
        return request.quality is Quality.EXACT and is_large and request.look.is_full and self.chain.reach(request) > 0

    def _in_bands(self, request: EvaluationRequest, station: str) -> Picture:
        """An exact image band by band, as it is exported; the same to the bit."""
        look, bands = request.look, []
        rows = max(BAND_ROWS, int(BAND_REACHES * self.chain.reach(request)))
        for band in bands_of(look, rows):
            begin = (band.y - look.y) / look.height
            band_progress = subrange(request.progress, begin, begin + band.height / look.height)
            part = replace(request.at(band), quality=Quality.EXPORT, progress=band_progress)
            bands.append(self.chain.picture(links_up_to(station), part).settled)
        alphas = [band.alpha for band in bands if band.alpha is not None]
        alpha = np.concatenate(alphas) if alphas else None
        return Picture(np.concatenate([band.colour for band in bands], axis=1), lambda: alpha)

    def shown(self, request: EvaluationRequest, station: str = "display") -> Picture:
        """The picture at a station as the variant's view shows it: display values, by the exact processor."""
        finished, colouring = self.picture(request, station), request.colouring
        shown = colouring.config.display(finished.colour, colouring.working.name, colouring.view)
        return finished.with_colour(shown)

    def delivered(self, request: EvaluationRequest, space: str, station: str = "display") -> Picture:
        """The picture at a station in a scene-linear space. Untouched, it is the stored beauty, to the bit."""
        colouring, reference, config = request.colouring, self.render.reference, request.colouring.config
        is_beauty = station == "source" or (station != "balance" and self.is_untouched(request))
        if reference is not None and is_beauty:
            stored = colour_of_pass(self.frame, reference, request.look)
            return Picture(config.convert(stored, colouring.space_of(reference), space), lambda: self.alpha(request))
        finished = self.picture(request, station)
        return finished.with_colour(config.convert(finished.colour, colouring.working.name, space))

    def is_untouched(self, request: EvaluationRequest) -> bool:
        """Whether nothing along the path changes the render's beauty."""
        return self.head.is_neutral(request) and self.chain.is_neutral(request.variant)

    def alpha(self, request: EvaluationRequest) -> Planes | None:
        """The render's alpha, (H, W); None where it is ignored."""
        return None if self.render.alpha_ignored else self.terms.alpha(request)

    def stored_pass(self, name: str, look: Look, exact: bool = False) -> Planes:
        """A pass as stored, sampled for a look; `exact`: never mixed with its neighbours."""
        key = self.keys.of_pixels("pass", name, look, exact)
        return self.cache.get(key, lambda: sample_pass(self.frame, name, look, exact))

    def _beauty(self, request: EvaluationRequest) -> Picture:
        return Picture(self.head.sum(request, with_residual=True), lambda: self.alpha(request))
