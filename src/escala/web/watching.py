"""Renders that are still running, or replaced by newer files: looked at again and again, and read when they change."""

import threading

from escala.core.errors import EscalaError
from escala.media.sources import find_render, source_stamp

from .studio import Studio

_LOOK_SECONDS = 0.5
# A renderer that writes in place leaves a file unreadable for a while; only after so many looks it is told.
_PATIENT_LOOKS = 12


class RenderWatcher:
    """Has the renders of the shots in use read again when their files changed and have come to rest."""

    def __init__(self, studio: Studio) -> None:
        self._studio = studio
        self._seen: dict[int, str] = {}
        self._failed: dict[int, tuple[str, int]] = {}

    def start(self) -> None:
        """Look from now on, in a thread of its own."""
        threading.Thread(target=self._watch, daemon=True, name="watching").start()

    def look(self) -> None:
        """One look at all shots in use."""
        for shot_id in self._studio.shots_in_use():
            try:
                self._look_at(shot_id)
            except (EscalaError, OSError):  # deleted, or its files are gone: what was read stays
                continue

    def _watch(self) -> None:
        pause = threading.Event()
        while not pause.wait(_LOOK_SECONDS):
            self.look()

    def _look_at(self, shot_id: int) -> None:
        stamp = source_stamp(find_render(self._studio.sources_of(shot_id)))
        if stamp == self._studio.render_of(shot_id).stamp:
            return
        rested, self._seen[shot_id] = self._seen.get(shot_id) == stamp, stamp
        failed, looks = self._failed.get(shot_id, ("", 0))
        if not rested:
            return
        try:
            if failed != stamp or looks < _PATIENT_LOOKS:
                self._studio.reread(shot_id)
        except EscalaError as error:
            looks = looks + 1 if failed == stamp else 1
            self._failed[shot_id] = (stamp, looks)
            if looks == _PATIENT_LOOKS:
                self._studio.hub.tell("trouble", sentence=f"The newer files cannot be read: {error}")
