"""Renders frames of the demo scene: progressively, each state of a file whole, the same bits for the same seed."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np

from escala.media.exr import write_exr
from escala.media.windows import Window

from . import passes
from .guides import centre_guides
from .light_file import with_lights, write_scene_lights
from .quay import PINHOLE, WITHOUT_NEAR, Lens, quay_scene, world_to_camera
from .scene import Scene
from .tracer import EXTRAS, SLOTS, trace_rows

FRAMES_PER_SECOND = 24
# At these numbers of samples the file is written, then at the last one.
_SHOWN_AT = (1, 8)
_BATCH = 4

Progress = Callable[[int, int], None]


@dataclass(frozen=True)
class StageJob:
    """What to render: size, samples per pixel, seed; `clean`: take the noise out.

    `lens`: of the camera; `shutter`: how many frames it is open, in the middle of which the frame's time is. `layer`:
    which things the camera sees, one of `LAYERS`. `lights`: a USD layer laid over the scene's lights.
    """

    width: int = 960
    height: int = 540
    samples: int = 20
    seed: int = 1
    clean: bool = True
    lens: Lens = PINHOLE
    shutter: float = 0.0
    layer: str = WITHOUT_NEAR
    lights: Path | None = None


def render_frame(job: StageJob, frame: int, path: Path, progress: Progress = lambda done, of: None) -> None:
    """Render a frame into `path`, which improves while samples arrive."""
    scene, objects, materials = _scene(job, frame)
    shape = (job.height, job.width)
    film = np.zeros((*shape, len(passes.LIGHTS), SLOTS, 3), np.float32)
    extras = np.zeros((*shape, EXTRAS), np.float32)
    object_counts = np.zeros((*shape, len(objects)), np.float32)
    material_counts = np.zeros((*shape, len(materials)), np.float32)
    guides = centre_guides(scene, job.width, job.height)
    for first, last in _batches(job.samples):
        if job.shutter:
            middle = (first + last) / (2 * job.samples) - 0.5
            scene = _scene(job, frame, job.shutter * middle)[0]
        trace_rows(scene, first, last, job.seed, film, extras, object_counts, material_counts)
        progress(last, job.samples)
        if last not in (*_SHOWN_AT, job.samples):
            continue
        # The first state shall be seen soon: it is neither cleaned nor packed tightly.
        clean = job.clean and (last != _SHOWN_AT[0] or last == job.samples)
        parts = passes.film_to_contributions(film, extras, guides, last, clean)
        channels = passes.contributions_to_channels(parts, extras, guides, last)
        channels |= passes.cryptomatte_channels("CryptoObject", objects, object_counts, last)
        channels |= passes.cryptomatte_channels("CryptoMaterial", materials, material_counts, last)
        _write(job, frame, last, path, channels, {"CryptoObject": objects, "CryptoMaterial": materials})


def write_lights_of(job: StageJob, frames: Sequence[int], path: Path) -> None:
    """The scene's own lights at some frames as a USD file. Raises `NoUsd` where the package is not there."""
    scenes = [(frame, quay_scene(frame, job.width, job.height)[0]) for frame in frames]
    write_scene_lights(path, scenes, FRAMES_PER_SECOND)


def _scene(job: StageJob, frame: int, later: float = 0.0) -> tuple[Scene, tuple[str, ...], tuple[str, ...]]:
    scene, objects, materials = quay_scene(frame, job.width, job.height, job.lens, later, job.layer)
    return (scene if job.lights is None else with_lights(scene, job.lights, frame)), objects, materials


def _batches(samples: int) -> Iterator[tuple[int, int]]:
    """Ranges of samples that end at every number at which the file is written."""
    stops = sorted({*range(_BATCH, samples, _BATCH), *(n for n in _SHOWN_AT if n < samples), samples})
    yield from zip([0, *stops], stops, strict=False)


def _write(job: StageJob, frame: int, done: int, path: Path, channels: dict, layers: dict) -> None:
    window = Window(0, 0, job.width, job.height)
    attributes = {
        **passes.cryptomatte_attributes(layers),
        "chromaticities": passes.CHROMATICITIES,
        "software": "Escala stage",
        "owner": "Night quay, a made-up scene",
        "frame": frame,
        "framesPerSecond": Fraction(FRAMES_PER_SECOND),
        "worldToCamera": world_to_camera(frame),
        "samples": done,
        "samplesWanted": job.samples,
    }
    packing = "zip" if done == job.samples else "rle"
    write_exr(path, channels, window, window, attributes, packing)
