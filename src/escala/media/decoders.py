"""Decoders: child processes that may crash alone, forked from a process that has imported what they need.

That process, the starter, has no threads: this one may not be forked once it has some. A starter is another
interpreter, made for the first decoder, or forked from this process before it has threads (`fork_starter`), which
shares all that is imported here. It ends, with its decoders, when this process does, however that happens.
"""

import atexit
import gc
import os
import signal
import socket
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from functools import cache
from itertools import count
from typing import NoReturn, Protocol, TextIO

# A request: what to do, and with the decoder of which number. What ends one is answered by its exit status.
_REQUEST, _ANSWER = struct.Struct("=ci"), struct.Struct("=i")
_START, _START_QUIET, _END = b"s", b"q", b"e"
_NICENESS = 15
# So long a decoder that was killed is waited for, and between two looks at it.
_PATIENCE_SECONDS, _BEAT_SECONDS = 1.0, 0.001


class Decoder(Protocol):
    """A process that reads jobs and writes answers, both JSON lines, as `decode` describes them."""

    jobs: TextIO
    answers: TextIO

    def end(self) -> int:
        """End the process at once. Returns its exit status, negative for a signal."""


def start_decoder(is_quiet: bool) -> Decoder:
    """A new decoder; with `is_quiet` at a low priority. Raises `OSError` where no process can be started."""
    if not hasattr(os, "fork"):
        return _SpawnedDecoder(is_quiet)
    with _STARTING:
        try:
            return _ForkedDecoder(_the_starter(), is_quiet)
        except OSError:  # the starter was killed
            close_starter()
            return _ForkedDecoder(_the_starter(), is_quiet)


def fork_starter() -> None:
    """Fork the starter of this process's decoders, unless it has threads or a starter."""
    global _starter
    if _starter or not hasattr(os, "fork") or threading.active_count() > 1:
        return
    control, theirs = socket.socketpair()
    child = os.fork()
    if not child:
        control.close()
        nowhere = os.open(os.devnull, os.O_RDWR)
        for stream in (0, 1, 2):
            os.dup2(nowhere, stream)
        _serve_starts(theirs)
    theirs.close()
    _starter = _Starter(control, lambda: os.waitpid(child, 0))


def close_starter() -> None:
    """End the starter, and the decoders that it has forked; the next decoder gets a new one."""
    global _starter
    if _starter:
        _starter.close()
        _starter = None


class _Starter:
    """The socket to a starter, and how to wait for the end of its process."""

    def __init__(self, control: socket.socket, wait: Callable[[], object]) -> None:
        self._control = control
        self._wait = wait
        self._numbers = count()
        self._lock = threading.Lock()

    def start(self, end: socket.socket, is_quiet: bool) -> int:
        """Request a decoder that talks through `end`; its number. Raises `OSError` if the starter has ended."""
        number = next(self._numbers)
        with self._lock:
            request = _REQUEST.pack(_START_QUIET if is_quiet else _START, number)
            socket.send_fds(self._control, [request], [end.fileno()])
        return number

    def end(self, number: int) -> int:
        """End a decoder; its exit status, that of a killed process if the starter has ended with it."""
        with self._lock, suppress(OSError):
            self._control.sendall(_REQUEST.pack(_END, number))
            answer = self._control.recv(_ANSWER.size)
            if answer:
                return int(_ANSWER.unpack(answer)[0])
        return -signal.SIGKILL

    def close(self) -> None:
        with self._lock:
            self._control.close()
            self._wait()


class _ForkedDecoder:
    """A decoder that a starter has forked."""

    def __init__(self, starter: _Starter, is_quiet: bool) -> None:
        self._starter = starter
        connection, theirs = socket.socketpair()
        with connection, theirs:
            self._number = starter.start(theirs, is_quiet)
            self.jobs, self.answers = connection.makefile("w"), connection.makefile("r")

    def end(self) -> int:
        status = self._starter.end(self._number)
        self.answers.close()
        with suppress(OSError):  # what it did not read
            self.jobs.close()
        return status


class _SpawnedDecoder:
    """A decoder with an interpreter of its own, where a process cannot be forked."""

    def __init__(self, is_quiet: bool) -> None:
        below = getattr(subprocess, "BELOW_NORMAL_PRIORITY_CLASS", 0) if is_quiet else 0
        self._child = subprocess.Popen(
            [sys.executable, "-m", "escala.media.decode"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
            creationflags=below,
        )
        assert self._child.stdin is not None and self._child.stdout is not None
        self.jobs, self.answers = self._child.stdin, self._child.stdout

    def end(self) -> int:
        self._child.kill()
        with suppress(OSError), self._child:  # what it did not read
            pass
        return self._child.wait()


_STARTING = threading.Lock()
_starter: _Starter | None = None
atexit.register(close_starter)


def _the_starter() -> _Starter:
    """The starter of this process; another interpreter, if it has none."""
    global _starter
    if _starter is None:
        control, theirs = socket.socketpair()
        with theirs:
            child = subprocess.Popen(
                [sys.executable, "-m", "escala.media.decoders"],
                stdin=theirs.fileno(),
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )
        _starter = _Starter(control, child.wait)
    return _starter


def _serve_starts(control: socket.socket) -> NoReturn:
    """Be the starter, until the process that requests decoders closes `control` or is gone."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # it ends once the process ends that has it
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    decoders: dict[int, int] = {}
    while True:
        request, ends, _, _ = socket.recv_fds(control, _REQUEST.size, 1)
        if not request:
            break
        what, number = _REQUEST.unpack(request)
        if what == _END:
            control.sendall(_ANSWER.pack(_end(decoders.pop(number, None))))
        else:
            with socket.socket(fileno=ends[0]) as end, suppress(OSError):  # no process more: its end is closed
                decoders[number] = _fork_decoder(control, end, what == _START_QUIET)
    for process in decoders.values():
        _end(process)
    os._exit(0)


def _end(process: int | None) -> int:
    """End a decoder; its exit status. One that has ended by itself keeps its process id until here.

    One that the system does not end, as it waits for a disk that does not answer, is not waited for.
    """
    if process is None:
        return -signal.SIGKILL
    os.kill(process, signal.SIGKILL)
    deadline = time.monotonic() + _PATIENCE_SECONDS
    while True:
        ended, status = os.waitpid(process, os.WNOHANG)
        if ended:
            return os.waitstatus_to_exitcode(status)
        if time.monotonic() > deadline:
            return -signal.SIGKILL
        time.sleep(_BEAT_SECONDS)


@cache
def _work() -> Callable[[TextIO, TextIO], None]:
    """What a decoder does, with all that decoders share: that takes long, so it is loaded before the first of them."""
    from . import decode

    decode.prepare()
    gc.freeze()  # it is not looked through again by each
    return decode.work


def _fork_decoder(control: socket.socket, end: socket.socket, is_quiet: bool) -> int:
    """Fork a decoder that works through `end`; its process id. Raises `OSError`."""
    work = _work()
    process = os.fork()
    if process:
        return process
    try:
        control.close()
        if is_quiet:
            os.nice(_NICENESS)
        work(end.makefile("r"), end.makefile("w"))
    finally:
        os._exit(1)


def main() -> None:
    """Be a starter, with the socket to the process that requests decoders as standard input."""
    control = socket.socket(fileno=os.dup(0))
    nowhere = os.open(os.devnull, os.O_RDONLY)
    os.dup2(nowhere, 0)
    _serve_starts(control)


if __name__ == "__main__":
    main()
