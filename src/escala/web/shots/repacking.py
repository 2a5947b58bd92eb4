"""Passes of a shot written as files for the browser: one for each, or all in one."""

from pathlib import Path
from typing import Any

from escala.core.errors import BadSource
from escala.engine.source.intake import frame_files
from escala.media.places import place_in, plain_name
from escala.media.repack import Choice, gather_frame, pass_names, split_frame_files
from escala.media.whole import make_folder
from escala.model.render import Render

from ..jobs import Job
from ..studio import Studio
from .schemas import NewFiles


def write_files(studio: Studio, job: Job, render: Render, wanted: NewFiles) -> dict[str, Any]:
    """Write every frame into a folder of its own; the job's result names the files."""
    stem = plain_name(render.name.lower(), "passes")
    folder = make_folder(studio.settings.deliveries, f"{stem}-")
    known = pass_names(frame_files(render, render.first_frame))
    choice = Choice(only=_as_in_files(wanted.passes, known), rename=wanted.rename)
    written: list[Path] = []
    for done, number in enumerate(sorted(render.frames)):
        studio.jobs.report(job, done / len(render.frames), f"frame {number}")
        ending = f".{number:04d}" if len(render.frames) > 1 else ""
        files = frame_files(render, number)
        studio.roots.check(file.path for file in files)
        if wanted.gathered:
            written.append(place_in(folder, f"{stem}{ending}.exr"))
            gather_frame(files, written[-1], choice)
        else:
            written += split_frame_files(files, folder, stem, ending, choice)
    files_out = [{"name": p.name, "address": f"/api/deliveries/{folder.name}/{p.name}"} for p in written]
    return {"folder": str(folder), "files": files_out}


def _as_in_files(names: list[str], known: list[str]) -> tuple[str, ...]:
    """The passes by the names of the files; the beauty's alpha, a pass of its own here, goes with its colour."""
    kept = tuple(name for name in names if name in known)
    if names and not kept:
        raise BadSource(f"{', '.join(names)}: written together with the colour that it belongs to; choose that one")
    return kept
