"""Renders that are still running, or replaced by newer files: watched while somebody looks, read when they change."""

import logging
import os
from dataclasses import dataclass, field
from pathlib import Path

from escala.core.errors import EscalaError
from escala.engine.source.intake import frame_files
from escala.media.sources import find_render, source_stamp
from escala.model.render import Render

from .app_context import AppContext
from .problems import sentence_of

_LOG = logging.getLogger("escala")
_LOOK_SECONDS = 0.5
# A renderer that writes in place leaves a file unreadable for a while; only after so many looks it is reported.
_PATIENT_LOOKS = 12


@dataclass
class _Watched:
    """What is known of a render, the files to look at and their state; how often it could not be read."""

    render: Render
    files: list[Path]
    state: tuple[object, ...] = ()
    stamp: str = ""
    looks: int = 0
    folders: list[Path] = field(default_factory=list)


class RenderWatcher:
    """Has the renders that somebody looks at read again when their files changed and have come to rest.

    A look costs one question to the system for each file; what the files mean is worked out only when an answer
    differs from the one before.
    """

    def __init__(self, context: AppContext) -> None:
        self._studio = context
        self._watched: dict[tuple[int, str], _Watched] = {}

    def start(self) -> None:
        """Look from now on, in a thread of its own, until the server closes."""
        self._studio.run_in_background("watching", self._watch)

    def look(self) -> None:
        """One look at all shots that somebody looks at."""
        looked_at = [(shot_id, name) for shot_id in self._studio.shots_in_use() for name in self._renders_of(shot_id)]
        self._watched = {which: kept for which, kept in self._watched.items() if which in looked_at}
        for which in looked_at:
            try:
                self._look_at(*which)
            except (EscalaError, OSError):  # deleted, or its files are gone: what was read stays
                continue
            except Exception:  # whatever one shot does, the others are still watched
                _LOG.exception("unexpected, while watching shot %s %s", *which)
                self._watched.pop(which, None)

    def _renders_of(self, shot_id: int) -> tuple[str, ...]:
        """The names of a shot's renders, that of the first empty."""
        try:
            return "", *self._studio.further_of(shot_id)
        except EscalaError:  # deleted
            return ()

    def _watch(self) -> None:
        while not self._studio.closing.wait(_LOOK_SECONDS):
            try:
                self.look()
            except Exception:  # the thread goes on: the next look may find everything in order
                _LOG.exception("unexpected, while watching")

    def _look_at(self, shot_id: int, name: str) -> None:
        render = self._studio.further_of(shot_id)[name] if name else self._studio.render_of(shot_id)
        known = self._watched.get((shot_id, name))
        if known is None or known.render is not render:
            known = self._watched[shot_id, name] = _watch_of(render)
        state = _state_of(known.files) + _state_of(known.folders)
        rested, known.state = state == known.state, state
        if not rested:
            known.looks = 0
        elif known.stamp == render.stamp or known.looks >= _PATIENT_LOOKS:
            return
        source = find_render(self._studio.sources_of(shot_id, name), roots=self._studio.roots)
        known.stamp = source_stamp(source)
        known.files = [file.path for files in source.frames.values() for file in files]
        if known.stamp == render.stamp or not rested:
            return
        self._read(shot_id, name, known)

    def _read(self, shot_id: int, name: str, known: _Watched) -> None:
        try:
            self._studio.reread(shot_id, name=name)
        except EscalaError as error:
            known.looks += 1
            if known.looks == _PATIENT_LOOKS:
                sentence = f"The newer files cannot be read: {sentence_of(error)}"
                self._studio.events.publish("trouble", sentence=sentence)


def _watch_of(render: Render) -> _Watched:
    files = [file.path for number in render.frames for file in frame_files(render, number)]
    return _Watched(render, files, folders=sorted({file.parent for file in files}))


def _state_of(paths: list[Path]) -> tuple[object, ...]:
    """Size and time of each, None for what is not there."""
    return tuple(map(_state, paths))


def _state(path: Path) -> tuple[int, int] | None:
    try:
        state = os.stat(path)
    except OSError:
        return None
    return state.st_size, state.st_mtime_ns
