"""Frames into the pass store, through a child process that may fall without taking the caller with it."""

import atexit
import json
import os
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import nullcontext, suppress
from pathlib import Path
from typing import Any, cast

from escala.core.errors import BadSource, BeingWritten, EscalaError, NoRoom, SizesDiffer

from .decoders import start_decoder
from .sources import SourceFile
from .store import StoredFrame, frame_key, open_stored
from .video import VideoHeader

Progress = Callable[[float], None]
Decoder = Callable[[Sequence[SourceFile], Path, Progress, str], None]


class DecodeFailed(EscalaError, OSError):
    """The child process reported why a frame cannot be read, or crashed."""


def import_frame(
    files: Sequence[SourceFile],
    store: Path,
    progress: Progress = lambda share: None,
    decoder: "Decoder | None" = None,
    is_quiet: bool = False,
) -> StoredFrame:
    """The decoded frame of these files, from the store when it is there, else decoded now.

    `progress` receives the share done, 0..1; `decoder`: how it is decoded, by default in a child process. `is_quiet`:
    ahead of need, at a lower priority than everything else; who needs the frame meanwhile does not wait for it. Raises
    `DecodeFailed` or `BadSource` with a sentence for the user, and `BeingWritten` where the files change again and
    again: never is one frame made of two states.
    """
    for patience in range(_PATIENCE, -1, -1):
        key = frame_key(files)
        folder = store / key
        try:
            stored = open_stored(folder)
            if stored is not None:
                return stored
            decode = decoder or (decode_quietly if is_quiet else decode_in_child)
            with nullcontext() if is_quiet else _door_of(files, key):
                stored = open_stored(folder)
                if stored is None:
                    decode(files, folder, progress, key)
                    stored = open_stored(folder)
            if stored is not None:
                return stored
        except BeingWritten:
            if not patience:
                raise
    return StoredFrame(folder)


def _door_of(files: Sequence[SourceFile], key: str) -> threading.Lock:
    """Of many who want one frame, or frames of one video, one decodes: a video is decoded in order."""
    is_video = files[0].video_frame is not None
    return _DOORS[hash(str(files[0].path) if is_video else key) % len(_DOORS)]


class _Reader:
    """A child process that decodes one frame after another, and may crash. `video`: the last that it decoded."""

    def __init__(self, is_quiet: bool) -> None:
        self.video: Path | None = None
        self._decoder = start_decoder(is_quiet)

    def wait_until_ready(self) -> None:
        """Wait until the child reads jobs, or has crashed."""
        with suppress(OSError):
            self._decoder.answers.readline()

    def request(self, job: dict[str, object]) -> bool:
        """Pass a job to the child. Returns whether it was there to take it."""
        try:
            self._decoder.jobs.write(json.dumps(job) + "\n")
            self._decoder.jobs.flush()
        except OSError:
            return False
        return True

    def answers(self) -> Iterator[dict[str, object]]:
        """The child's answers to its job, up to the last one; they end early when the child crashes."""
        with suppress(ConnectionResetError):
            for line in self._decoder.answers:
                answer = json.loads(line)
                yield answer
                if "progress" not in answer:
                    return

    def close(self) -> int:
        """End the child. Returns its exit status."""
        return self._decoder.end()


class _ReaderPool:
    """Readers at rest are used again: starting one takes longer than decoding a small frame.

    At most `most` stay at rest. `is_quiet`: at a lower priority than everything else.
    """

    def __init__(self, most: int, is_quiet: bool = False) -> None:
        self._is_quiet = is_quiet
        self._most = most
        self._resting: list[_Reader] = []
        self._starting = 0
        self._waiting = 0
        self._is_closed = False
        self._changed = threading.Condition()

    @property
    def is_starting(self) -> bool:
        """Whether a reader is not ready yet."""
        return self._starting > 0

    def take(self, video: Path | None) -> _Reader:
        """A reader at rest, best the one that decoded the same video last; else the first that is free or has started.

        Raises `OSError` where no process can be started.
        """
        with self._changed:
            self._waiting += 1
            try:
                while not self._resting:
                    if self._starting < self._waiting:
                        self._start()
                    self._changed.wait()
                fitting = [reader for reader in self._resting if reader.video == video]
                reader = (fitting or self._resting)[-1]
                self._resting.remove(reader)
            finally:
                self._waiting -= 1
        reader.video = video
        return reader

    def give(self, reader: _Reader) -> None:
        """A reader back to rest."""
        with self._changed:
            is_kept = not self._is_closed and len(self._resting) < max(self._most, self._waiting)
            if is_kept:
                self._resting.append(reader)
                self._changed.notify()
        if not is_kept:
            reader.close()

    def warm(self, count: int) -> None:
        """Start readers until so many are at rest."""
        with self._changed:
            for _ in range(min(count, self._most) - len(self._resting) - self._starting):
                self._start()

    def close(self) -> None:
        """End all readers at rest, and those that are given back from now on."""
        with self._changed:
            self._is_closed = True
            resting, self._resting = self._resting, []
        for reader in resting:
            reader.close()

    def _start(self) -> None:
        """Start a reader; it is at rest once it is ready, and others are taken before it until then."""
        reader = _Reader(self._is_quiet)
        self._starting += 1

        def wait() -> None:
            reader.wait_until_ready()
            with self._changed:  # at once: who comes between would start another
                self._starting -= 1
                self.give(reader)

        threading.Thread(target=wait, daemon=True, name="reader starting").start()


class _Activity:
    """How many blocks are under way, and when the last one ended."""

    def __init__(self) -> None:
        self._count = 0
        self._ended = 0.0
        self._lock = threading.Lock()

    def __enter__(self) -> None:
        with self._lock:
            self._count += 1

    def __exit__(self, *_: object) -> None:
        with self._lock:
            self._count -= 1
            self._ended = time.monotonic()

    def is_recent(self, seconds: float) -> bool:
        """Whether a block is under way, or ended less than so long ago."""
        return self._count > 0 or time.monotonic() - self._ended < seconds


# What the child may answer beside the usual.
_ERRORS: dict[str, type[EscalaError]] = {
    "BadSource": BadSource,
    "SizesDiffer": SizesDiffer,
    "BeingWritten": BeingWritten,
}
# How often a file that changes while it is read is begun anew.
_PATIENCE = 2
# How many readers are tried that have ended, before a job is given up.
_ATTEMPTS = 4
_NO_ROOM = "NoRoom"
_READERS = _ReaderPool(most=2)
_QUIET_READERS = _ReaderPool(most=1, is_quiet=True)
_DOORS = [threading.Lock() for _ in range(64)]
_NEEDED = _Activity()
# So long after a frame that was needed the next one may be: as while a sequence plays.
_NEXT_WITHIN_SECONDS = 0.5
atexit.register(_READERS.close)
atexit.register(_QUIET_READERS.close)


def warm_readers(count: int) -> None:
    """Start readers ahead of the first frames, until so many are at rest; two decode the frames of what is played."""
    _READERS.warm(count)


def decode_in_child(files: Sequence[SourceFile], folder: Path, progress: Progress, key: str) -> None:
    """Decode the files of one frame into `folder`, in a child that may fall. Raises as `import_frame`."""
    with _NEEDED:
        _decode(files, folder, progress, key, _READERS)


def is_decoding() -> bool:
    """Whether a frame that somebody needs is being decoded, or may be at once: a reader for it starts, or one ended."""
    return _READERS.is_starting or _NEEDED.is_recent(_NEXT_WITHIN_SECONDS)


def decode_quietly(files: Sequence[SourceFile], folder: Path, progress: Progress, key: str) -> None:
    """As `decode_in_child`, at a lower priority than everything else."""
    _decode(files, folder, progress, key, _QUIET_READERS)


def _decode(files: Sequence[SourceFile], folder: Path, progress: Progress, key: str, readers: _ReaderPool) -> None:
    named = [[str(f.path), f.label, f.fit, f.video_frame] for f in files]
    video = files[0].path if files[0].video_frame is not None else None
    _in_child({"files": named, "folder": str(folder), "key": key}, files[0].path, progress, video, readers)


def probe_video(path: Path) -> VideoHeader:
    """What a video says of itself, read in a child. Raises `DecodeFailed` with a sentence."""
    answer = _in_child({"video": str(path)}, path, lambda share: None, path, _READERS)
    return VideoHeader(**cast(dict[str, Any], answer["video"]))


def _taken(readers: _ReaderPool, video: Path | None, job: dict[str, object]) -> _Reader:
    """A reader that works on a job; those that ended while they were at rest are replaced."""
    for _ in range(_ATTEMPTS):
        reader = readers.take(video)
        if reader.request(job):
            return reader
        reader.close()
    raise DecodeFailed("files cannot be decoded: decoders end as soon as they are started")


def _in_child(
    job: dict[str, object], file: Path, progress: Progress, video: Path | None, readers: _ReaderPool
) -> dict[str, object]:
    """The last answer of a reader to a job about a file. Raises as `import_frame`."""
    with suppress(OSError):  # without a working folder paths are absolute
        job = {**job, "at": os.getcwd()}
    reader = _taken(readers, video, job)
    answer: dict[str, object] = {}
    try:
        for answer in reader.answers():
            if "progress" in answer:
                progress(float(str(answer["progress"])))
    except BaseException:  # cancelled, perhaps: the child is in the middle of its work
        reader.close()
        raise
    if "done" in answer:
        readers.give(reader)
        return answer
    if "error" not in answer:
        status = reader.close()
        raise DecodeFailed(f"{file}: decoding failed (decoder crashed, status {status}). The file is probably damaged.")
    readers.give(reader)
    if answer["error"] == _NO_ROOM:
        raise NoRoom("the decoded passes")
    raise _ERRORS.get(str(answer["error"]), DecodeFailed)(str(answer["message"]))
