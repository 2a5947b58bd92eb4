"""Denoised passes of a frame: made once, kept in the store beside the passes as stored, mixed with them."""

import hashlib
from collections.abc import Callable
from pathlib import Path

import numpy as np

from escala.core.beauty.folding import SUMMED
from escala.core.errors import BadSource
from escala.core.planes import Planes, as_planes
from escala.core.roles import Portion, Role
from escala.media.denoise import check_denoiser, denoise_colour, denoise_guide
from escala.media.store import DenoisedFrame, FrameWriter, PassSlot, StoredFrame, open_stored
from escala.model.render import Render, RenderPass
from escala.model.source import Denoise
from escala.model.strict_json import to_json

from ..progress import Progress, no_progress
from ..worker import run_beside


def denoised_passes(render: Render, choice: Denoise) -> tuple[str, ...]:
    """The passes of a render that are denoised: those that are named, else every colour pass that a recipe sums.

    Raises `BadSource` for one that holds data.
    """
    if choice.passes is not None:
        named = [found for name in choice.passes if (found := render.find_pass(name))]
        data = next((p for p in named if (not p.is_colour and p.role != Role.OTHER) or len(p.channels) < 3), None)
        if data is not None:
            raise BadSource(f"{data.name} holds {data.role.value.replace('_', ' ')}, not colour: it cannot be denoised")
        return tuple(p.name for p in named)
    summed = {
        name
        for found in render.recipes
        for term in found.recipe.terms
        if term.operator in SUMMED
        for name in term.passes
    }
    return tuple(p.name for p in render.passes if p.name in summed and p.name != render.reference and _is_light(p))


def _is_light(p: RenderPass) -> bool:
    return p.is_colour and p.part != Portion.COLOUR and len(p.channels) >= 3


def denoised_frame(
    frame: StoredFrame, render: Render, choice: Denoise, store: Path, progress: Progress = no_progress
) -> StoredFrame:
    """The frame with denoised passes in place of the stored ones. Raises `NoDenoiser`."""
    if not choice.on or choice.strength == 0:
        return frame
    check_denoiser()
    names = denoised_passes(render, choice)
    if not names:
        return frame
    whole = [_smooth(frame, render, name, store, progress, i / len(names)) for i, name in enumerate(names)]
    if choice.strength == 1.0:
        return DenoisedFrame(whole, frame)
    return DenoisedFrame([_mixed(frame, one, choice.strength, store) for one in whole], frame)


def _smooth(
    frame: StoredFrame, render: Render, name: str, store: Path, progress: Progress, share: float
) -> StoredFrame:
    """A pass without its noise, as a stored frame of one pass."""
    guides = _guides(render, frame)
    folder = _folder(store, "denoised", frame, name, list(guides))

    def make() -> Planes:
        progress(share, f"denoising {name}")
        made = {kind: _guide(frame, kind, of, store) for of, kind in guides.items()}
        return run_beside(lambda: denoise_colour(as_planes(frame.planes(name))[:3], **made))

    return _stored(frame, name, folder, make)


def _guides(render: Render, frame: StoredFrame) -> dict[str, str]:
    """The passes that guide, and what each is."""
    albedo = render.albedo_pass
    normal = next((p.name for p in render.passes if p.role == Role.NORMAL and len(p.channels) >= 3), None)
    found = {albedo: "albedo", normal: "normal"}
    return {name: kind for name, kind in found.items() if name is not None and name in frame.passes}


def _guide(frame: StoredFrame, kind: str, name: str, store: Path) -> Planes:
    folder = _folder(store, "guide", frame, name, [kind])
    smooth = _stored(
        frame, name, folder, lambda: run_beside(lambda: denoise_guide(as_planes(frame.planes(name))[:3], kind))
    )
    return as_planes(smooth.planes(name))


def _mixed(frame: StoredFrame, smooth: StoredFrame, strength: float, store: Path) -> StoredFrame:
    """Between the pass as stored and the denoised one."""
    name = next(iter(smooth.passes))
    folder = _folder(store, "mixed", frame, smooth.folder.name, [strength])

    def make() -> Planes:
        noisy = as_planes(frame.planes(name))[:3]
        return np.asarray(noisy + np.float32(strength) * (as_planes(smooth.planes(name)) - noisy))

    return _stored(frame, name, folder, make)


def _stored(frame: StoredFrame, name: str, folder: Path, make: Callable[[], Planes]) -> StoredFrame:
    """A pass in a folder of the store by itself, made where it is not there yet."""
    found = open_stored(folder)
    if found is None:
        _write(frame, name, folder, make())
        found = StoredFrame(folder)
    return found


def _folder(store: Path, *facts: object) -> Path:
    names = to_json([f.folder.name if isinstance(f, StoredFrame) else f for f in facts])
    return store / hashlib.sha256(names.encode()).hexdigest()[:32]


def _write(frame: StoredFrame, name: str, folder: Path, planes: Planes) -> None:
    stored = frame.passes[name]
    slot = PassSlot(
        name=name,
        label=stored.label,
        file=stored.file,
        part_name=stored.part_name,
        colour=stored.colour,
        channels=stored.channels[:3],
        letters=stored.letters[:3],
        pixel_type="float",
        exact=False,
    )
    with FrameWriter(folder, [slot], *planes.shape[1:]) as writer:
        for index, plane in enumerate(planes):
            writer.write_plane(name, index, np.ascontiguousarray(plane))
        writer.finish(frame.header)
