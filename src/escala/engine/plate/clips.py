"""Which frame of its picture, sequence or video a layer shows."""

from collections.abc import Iterator
from math import floor
from pathlib import PurePath

from escala.media.clips import Clip
from escala.model.plate import PictureLayer
from escala.model.render import Render
from escala.model.variant import Variant

from ..images import Images, ImageSource

# A frame that is nearly reached is reached: rates are rounded numbers.
_NEARLY = 1e-6


def shot_rate(render: Render, variant: Variant) -> float:
    """Frames a second of the shot."""
    return variant.source.frame_rate or render.frame_rate


def clip_frame(layer: PictureLayer, clip: Clip, frame_offset: int, rate: float) -> int | None:
    """The frame of a clip at so many frames after the first of the shot; None where nothing of it is shown then.

    It is first_frame + floor(offset · rate of the clip / `rate`, that of the shot).
    """
    first = clip.frames[0] if layer.first_frame is None else layer.first_frame
    own = layer.frame_rate or clip.frame_rate or rate
    return clip.frame_at(first + floor(frame_offset * own / rate + _NEARLY), layer.after_end)


def layer_source(layer: PictureLayer, clip: Clip, frame_offset: int, rate: float) -> ImageSource | None:
    """The image of a layer at a frame; None where nothing of it is shown then."""
    frame = clip_frame(layer, clip, frame_offset, rate)
    return None if frame is None else ImageSource(layer.path, layer.space, _alpha_of(layer, clip), frame)


def _alpha_of(layer: PictureLayer, clip: Clip) -> str:
    """How alpha is stored: as the layer says, else associated, in PNG files unassociated."""
    is_png = PurePath(clip.files[0]).suffix.lower() == ".png"
    return layer.alpha or ("unassociated" if is_png else "associated")


def layer_sources(variant: Variant, images: Images, frame_offset: int, rate: float) -> Iterator[ImageSource]:
    """The images of the layers of a plate that are seen, whose clips are known."""
    for layer in variant.plate.seen:
        clip = images.find_clip(layer.path) if isinstance(layer, PictureLayer) else None
        if clip is not None and isinstance(layer, PictureLayer):
            source = layer_source(layer, clip, frame_offset, rate)
            if source is not None:
                yield source
