"""Labels of a variant: their pictures from files, and what is laid over a colour pass."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from escala.core.colour.file_colour import FileColour, input_space_of
from escala.core.errors import BadSource, UnreadableFile
from escala.core.planes import Matte, Planes, as_planes
from escala.core.roles import Role
from escala.core.surface.label import Placement, lay_label, picture_pyramid
from escala.media.store import StoredFrame
from escala.model.surface import Label

from ..beauty.terms import Terms
from ..colour.chain import Colouring
from ..evaluation import Evaluation
from ..looking.look import Look, full_look, sample_pass
from ..mattes.kinds import pass_of_role

# From the path of a picture to its decoded pixels; raises errors for one that is not there.
Pictures = Callable[[str], StoredFrame]


def no_pictures(path: str) -> StoredFrame:
    """Where nothing is read from outside."""
    raise BadSource(f"{path}: no picture is read here")


@dataclass(frozen=True)
class LabelPicture:
    """A decoded picture file, and what it says of its colour; alpha is unassociated in all but EXR files."""

    frame: StoredFrame
    path: str

    @property
    def folder(self) -> str:
        """By what it is known: its place, size, time and contents."""
        return self.frame.folder.name

    def levels(self, label: Label, colouring: Colouring) -> list[Planes]:
        """The picture in the working space, associated, with its halves; each (4, H, W)."""
        colour, alpha, told = self._stored()
        config = colouring.config
        space = label.space or input_space_of(config, FileColour("", told.chromaticities, told.told, told.encoded)).name
        light = config.convert(colour, config.space(space), colouring.working.name)
        if alpha is None:
            alpha = np.ones(light.shape[1:], np.float32)
        elif Path(self.path).suffix.lower() != ".exr":
            light = light * alpha
        return picture_pyramid(as_planes(np.concatenate([light, alpha[None]])))

    def _stored(self) -> tuple[Planes, Matte | None, FileColour]:
        """Colour and alpha as they are stored, and what the file says of its colour."""
        passes = list(self.frame.passes.values())
        colours = [p for p in passes if len(p.channels) >= 3] or [p for p in passes if p.letters != ("A",)] or passes
        chosen = next((p for p in colours if p.channels[0] in ("R", "r")), colours[0])
        raster = self.frame.header.raster
        whole = full_look(0, 0, raster.width, raster.height)
        planes = as_planes(sample_pass(self.frame, chosen.name, whole))
        colour = planes[:3] if planes.shape[0] >= 3 else np.repeat(planes[:1], 3, axis=0)
        beside = next((p for p in passes if p is not chosen and p.letters == ("A",)), None)
        alpha = as_planes(sample_pass(self.frame, beside.name, whole))[0] if beside else None
        if alpha is None and planes.shape[0] in (2, 4):
            alpha = planes[-1]
        return colour, alpha, chosen.colour


def picture_of(label: Label, pictures: Pictures) -> LabelPicture | None:
    """The chosen picture of a label; None where its file is missing or cannot be read: the label waits."""
    if label.picture is None:
        return None
    try:
        return LabelPicture(pictures(label.picture), label.picture)
    except (BadSource, UnreadableFile):
        return None


def uv_pass_of(label: Label, terms: Terms) -> str | None:
    """The uv pass that a label lies on; None where the render has none of this name, or none at all."""
    name = label.uv or pass_of_role(terms.render, Role.UV)
    there = name in terms.frame.passes and len(terms.frame.passes[name].channels) >= 2
    return name if there else None


def labelled(
    colour: Planes, label: Label, where: Matte, picture: LabelPicture, asked: Evaluation, terms: Terms
) -> Planes:
    """A colour pass with a label over it as far as `where` covers; both in the working space, (3, H, W).

    Where the render has no uv pass for it, the label waits: the colour stays.
    """
    name = uv_pass_of(label, terms)
    if name is None:
        return colour
    facts = picture.folder, label.space, asked.colouring.config.key, asked.colouring.working.name
    key = terms.keys.of_pixels("label picture", *facts)
    levels = terms.cache.get(key, lambda: picture.levels(label, asked.colouring))
    placement = Placement(label.scale, label.move, label.turn, label.outside, label.v_up)
    place, (top, left) = _with_edge(asked.look, terms)
    uv = terms.kept(
        terms.keys.of_pixels("uv", name, place),
        lambda: as_planes(sample_pass(terms.frame, name, place, exact=True)),
        asked,
    )
    return lay_label(colour, where, uv[:2], levels, placement, (top, left))


def _with_edge(look: Look, terms: Terms) -> tuple[Look, tuple[int, int]]:
    """A look with a pixel more around it, for the differences of uv; rows and columns that came before it."""
    if not look.is_level:
        return look, (0, 0)
    raster, step = terms.render.raster, 1 << look.level
    grown = look.grown(step, raster.width, raster.height)
    return grown, ((look.y - grown.y) // step, (look.x - grown.x) // step)
