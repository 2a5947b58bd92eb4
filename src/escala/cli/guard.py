"""Native code may fall on a broken file: a command runs in a child of its own, which shares all that is loaded."""

import os
import signal
import sys
import traceback
from collections.abc import Callable
from contextlib import suppress
from typing import TYPE_CHECKING, NoReturn

if TYPE_CHECKING:
    from escala.media.intake import Decoder

_is_guarded = False


def is_guarded() -> bool:
    """Whether this process may fall without harm, so that files are decoded in it."""
    return _is_guarded


def guarded(work: Callable[[], None], fell: Callable[[str], NoReturn]) -> NoReturn:
    """Run work in a child and end as it does; `fell` receives the signal, when the system ended it.

    Where a process cannot be divided the work runs here, and files are decoded by a reader of their own.
    """
    if not hasattr(os, "fork"):
        work()
        sys.exit(0)
    child = os.fork()
    if not child:
        _be_the_child(work)
    with suppress(ProcessLookupError):
        signal.signal(signal.SIGTERM, lambda *_: os.kill(child, signal.SIGTERM))
    while True:
        try:
            _, status = os.waitpid(child, 0)
            break
        except KeyboardInterrupt:  # the child hears of it too, and says so
            continue
    if os.WIFSIGNALED(status):
        fell(f"signal {os.WTERMSIG(status)}")
    sys.exit(os.waitstatus_to_exitcode(status))


def _be_the_child(work: Callable[[], None]) -> NoReturn:
    """What libraries print by themselves goes nowhere; what we print goes where it went before."""
    global _is_guarded
    _is_guarded = True
    sys.stdout, sys.stderr = (os.fdopen(os.dup(stream), "w", encoding="utf-8") for stream in (1, 2))
    nowhere = os.open(os.devnull, os.O_WRONLY)
    for stream in (1, 2):
        os.dup2(nowhere, stream)
    status = 0
    try:
        work()
    except SystemExit as stop:
        status = stop.code if isinstance(stop.code, int) else 1
    except BaseException:  # a defect of the program: show where
        traceback.print_exc()
        status = 1
    try:
        sys.stdout.flush()
        sys.stderr.flush()
    except OSError:  # nobody reads on
        pass
    os._exit(status)


def decoder() -> "Decoder":
    """Files are decoded in this process where it may end, else in a child."""
    from escala.media.decode import decode_frame_here
    from escala.media.intake import decode_in_child

    return decode_frame_here if is_guarded() else decode_in_child
