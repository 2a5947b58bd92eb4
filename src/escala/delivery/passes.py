"""Passes of a render written as files, as they are stored: one for each, or all in one."""

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

from escala.core.errors import BadSource
from escala.engine.progress import Progress, no_progress
from escala.media.path_safety import EVERYWHERE, Roots, place_in, plain_name
from escala.media.repack import Choice, WrittenFile, gather_frame, pass_names, split_frame_files
from escala.media.sources import SourceFile

from .naming import frame_path

Frames = Mapping[int, Sequence[SourceFile]]


def split_frames(
    frames: Frames, folder: Path, name: str, choice: Choice, progress: Progress = no_progress, roots: Roots = EVERYWHERE
) -> Iterator[WrittenFile]:
    """One file for each pass and frame in a folder, named after the render; each as it is there.

    Raises `OutsideRoots` where a file has become a link that leads out of the roots.
    """
    for done, (number, files) in enumerate(frames.items()):
        progress(done / len(frames), f"frame {number}")
        roots.check(file.path for file in files)
        yield from split_frame_files(files, folder, name, f".{number:04d}" if len(frames) > 1 else "", choice)


def gather_frames(
    frames: Frames, out: Path, choice: Choice, progress: Progress = no_progress, roots: Roots = EVERYWHERE
) -> Iterator[WrittenFile]:
    """All passes of each frame in one file; `out` names it, with #### for a sequence. Raises as `split_frames`."""
    for done, (number, files) in enumerate(frames.items()):
        progress(done / len(frames), f"frame {number}")
        roots.check(file.path for file in files)
        path = frame_path(out, number, len(frames) > 1)
        yield gather_frame(files, path, choice)


def gathered_file(folder: Path, name: str) -> Path:
    """Where the passes of a render are gathered in a folder."""
    return place_in(folder, f"{plain_name(name, 'passes')}.exr")


def choice_of_passes(names: Sequence[str], rename: Mapping[str, str], files: Sequence[SourceFile]) -> Choice:
    """A choice of passes as a shot has them; the beauty's alpha, a pass of its own there, goes with its colour.

    Raises `BadSource` where nothing is left.
    """
    known = pass_names(files)
    kept = tuple(name for name in names if name in known)
    if names and not kept:
        raise BadSource(f"{', '.join(names)}: exported together with its colour pass; select that one")
    return Choice(only=kept, rename=rename)
