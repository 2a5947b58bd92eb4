"""A frame of a render as it is read, evaluated along the path at any viewport."""

from dataclasses import replace
from typing import Any

import numpy as np

from escala.core.errors import choose
from escala.core.planes import Planes
from escala.media.configs import colour_config
from escala.media.path_safety import EVERYWHERE, Roots
from escala.media.store import StoredFrame
from escala.model.colour import ColourChoice
from escala.model.display import DisplayChoice
from escala.model.render import Render
from escala.model.time import Time
from escala.model.variant import Variant

from .balance.added import check_added
from .beauty.light_sum import LightSum
from .beauty.terms import Terms
from .cache import ByteCache
from .colour.pipeline import ColourPipeline, resolve_colour
from .depth.reading import RenderDepth
from .frame_context import FindRender, FrameContext, no_renders
from .images import NO_IMAGES, Images
from .keys import CacheKeys
from .mattes.mattes import Mattes
from .pipeline import Picture, Pipeline
from .progress import Progress, no_progress, subrange
from .request import EvaluationRequest, Quality
from .stations import STAGES, STATION_BY_NAME, stages_up_to
from .surface.changes import Surfaces
from .viewer.viewport import BAND_REACHES, BAND_ROWS, Viewport, bands_of, colour_of_pass, sample_pass

# Exact images of more pixels, as an 8K frame at full size, are made in bands where stages look around themselves.
_MAX_AT_ONCE = 9_000_000
# Colour pipelines that are kept: those of the variants that are shown beside one another.
_MOST_COLOURINGS = 12


class Evaluator:
    """Evaluates variants on one decoded frame of a render.

    `roots`: where colour configs may read their tables. `number`: that of the frame, the first by default; what moves
    over time is as it is then. `images`: the decoded images that a variant names; `find_render`: looks up further
    renders of the shot.
    """

    def __init__(
        self,
        render: Render,
        frame: StoredFrame,
        cache: ByteCache,
        roots: Roots = EVERYWHERE,
        number: int | None = None,
        images: Images = NO_IMAGES,
        find_render: FindRender = no_renders,
    ) -> None:
        self.number = render.first_frame if number is None else number
        self.roots = roots
        self.render = render
        self.frame = frame
        self.cache = cache
        self.keys = CacheKeys(render, frame)
        self.terms = Terms(self.keys, cache)
        self.mattes = Mattes(self.terms)
        self.images = images
        self.find_render = find_render
        self.depth = RenderDepth(self.mattes)
        self.frame_context = FrameContext(self.mattes, self.depth, images, find_render, self.frame_offset)
        self.light_sum = LightSum(self.terms, self.mattes, Surfaces(self.terms, self.mattes, images))
        self.pipeline = Pipeline(self.keys, cache, self.frame_context, self.beauty, self.beauty_inputs, STAGES)
        self._colourings: list[tuple[ColourChoice, DisplayChoice, ColourPipeline]] = []

    def colour_pipeline(self, variant: Variant) -> ColourPipeline:
        """The colour pipeline of a variant on this render, resolved anew when its choices or their config change.

        Those of several variants are kept, the newest first: moods and comparisons request them by turns.
        """
        choice, config = variant.colour, colour_config(variant.colour.config, variant.colour.context, self.roots)
        for known, display, pipeline in self._colourings:
            if known == choice and display == variant.display and pipeline.config is config:
                return pipeline
        made = resolve_colour(self.render, variant, self.roots)
        self._colourings = [(choice, variant.display, made), *self._colourings[: _MOST_COLOURINGS - 1]]
        return made

    @property
    def frame_offset(self) -> int:
        """Frames since the first of the render; 0 for a still."""
        return self.number - self.render.first_frame if len(self.render.frames) > 1 else 0

    def time(self, variant: Variant) -> Time:
        """The time at which a variant is settled for the frame."""
        return Time(self.number, variant.source.frame_rate or self.render.frame_rate)

    def make_request(
        self,
        variant: Variant,
        viewport: Viewport,
        quality: Quality = Quality.EXACT,
        viewer: str = "",
        progress: Progress = no_progress,
    ) -> EvaluationRequest:
        """An evaluation of a variant in its own colour pipeline. `viewer`: each has a drag memory of its own.

        Raises `BadSource` for an added light with the name of one that the render has.
        """
        self.keys.refresh()
        settled, colour_pipeline = variant.settled(self.time(variant)), self.colour_pipeline(variant)
        check_added(self.render, settled)
        if quality is not Quality.PREVIEW:
            self.mattes.check_cost(settled)
        return EvaluationRequest(settled, colour_pipeline, viewport, quality, viewer, self.number, progress)

    def at(self, station: str, request: EvaluationRequest) -> Planes:
        """The picture at a station, (3, H, W) in the working space. Raises `UnknownChoice`."""
        return self.picture(request, station).colour

    def picture(self, request: EvaluationRequest, station: str = "display") -> Picture:
        """As `at`, with its alpha."""
        found = choose("station", station, STATION_BY_NAME)
        if found.sum:
            return Picture(found.sum(self.light_sum, request), lambda: self.alpha(request))
        if self._is_made_in_bands(request):
            return self._in_bands(request, station)
        return self.pipeline.picture(stages_up_to(station), request)

    def _is_made_in_bands(self, request: EvaluationRequest) -> bool:
        """Whether an exact image is so large that its stages would take gigabytes at once."""
        is_large = request.viewport.out_width * request.viewport.out_height > _MAX_AT_ONCE
        return (
            request.quality is Quality.EXACT
            and is_large
            and request.viewport.is_full
            and self.pipeline.reach(request) > 0
        )

    def _in_bands(self, request: EvaluationRequest, station: str) -> Picture:
        """An exact image band by band, as it is exported; the same to the bit."""
        viewport, bands = request.viewport, []
        rows = max(BAND_ROWS, int(BAND_REACHES * self.pipeline.reach(request)))
        for band in bands_of(viewport, rows):
            begin = (band.y - viewport.y) / viewport.height
            band_progress = subrange(request.progress, begin, begin + band.height / viewport.height)
            part = replace(request.at(band), quality=Quality.EXPORT, progress=band_progress)
            bands.append(self.pipeline.picture(stages_up_to(station), part).settled)
        alphas = [band.alpha for band in bands if band.alpha is not None]
        alpha = np.concatenate(alphas) if alphas else None
        return Picture(np.concatenate([band.colour for band in bands], axis=1), lambda: alpha)

    def shown(self, request: EvaluationRequest, station: str = "display") -> Picture:
        """The picture at a station as the variant's view shows it: display values, by the exact processor."""
        finished, colour_pipeline = self.picture(request, station), request.colour_pipeline
        shown = colour_pipeline.config.display(finished.colour, colour_pipeline.working.name, colour_pipeline.view)
        return finished.with_colour(shown)

    def delivered(self, request: EvaluationRequest, space: str, station: str = "display") -> Picture:
        """The picture at a station in a scene-linear space. Untouched, it is the stored beauty, to the bit."""
        finished, own = self.finished(request, station)
        return finished.with_colour(request.colour_pipeline.config.convert(finished.colour, own, space))

    def finished(self, request: EvaluationRequest, station: str = "display") -> tuple[Picture, str]:
        """The picture at a station and its space: that of the file while nothing changes it, else the working space."""
        reference = self.render.reference
        is_beauty = station == "source" or (station != "balance" and self.is_untouched(request))
        if reference is not None and is_beauty:
            stored = colour_of_pass(self.frame, reference, request.viewport)
            return Picture(stored, lambda: self.alpha(request)), request.colour_pipeline.space_of(reference)
        return self.picture(request, station), request.colour_pipeline.working.name

    def is_untouched(self, request: EvaluationRequest) -> bool:
        """Whether nothing along the path changes the render's beauty."""
        return self.light_sum.is_neutral(request) and self.pipeline.is_neutral(request.variant)

    def alpha(self, request: EvaluationRequest) -> Planes | None:
        """The render's alpha, (H, W); None where it is ignored."""
        return None if self.render.alpha_ignored else self.terms.alpha(request)

    def stored_pass(self, name: str, viewport: Viewport, exact: bool = False) -> Planes:
        """A pass as stored, sampled for a viewport; `exact`: never mixed with its neighbours."""
        key = self.keys.for_pixels("pass", name, viewport, exact)
        return self.cache.get(key, lambda: sample_pass(self.frame, name, viewport, exact))

    def beauty_inputs(self, request: EvaluationRequest) -> tuple[Any, ...]:
        """All that the beauty is made of beside the passes: the parts of the document before it, and outside files."""
        return request.variant.up_to_beauty, self.light_sum.files(request)

    def beauty(self, request: EvaluationRequest) -> Picture:
        """The sum of the levelled passes, with the residual and the render's alpha."""
        return Picture(self.light_sum.sum(request, with_residual=True), lambda: self.alpha(request))
