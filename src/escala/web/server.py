"""Starts the server; with `demo`, the made-up shots render themselves in the background and improve on screen.

Waitress reads requests and writes answers in one loop of its own, so that a client that is slow, or never ends its
request, holds a connection but no thread. Nothing else does either: pages ask for events, none is a stream.
"""

import logging
import os
import secrets
import signal
import sys
import tempfile
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from waitress import create_server
from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.utilities import Error

from escala.core.errors import BadSource
from escala.media.atomic_write import translate_write_errors
from escala.media.decoders import fork_starter
from escala.media.intake import warm_readers

from .app import create_app
from .app_context import AppContext
from .demo import demo_folder, start_demo
from .settings import Settings
from .watching import RenderWatcher

# More threads than evaluations may wait: whatever is no evaluation finds one free.
_THREADS = 160
_CONNECTIONS = 4000
# A request passes through three threads: each waits so long at most for another that computes in Python.
_SWITCH_SECONDS = 0.0005
# A connection on which nothing comes for so long is let go.
_SILENT_SECONDS = 60


class _NoRoomForBody(Error):
    code = 507
    reason = "Insufficient Storage"


class _Nowhere:
    """Where the rest of a body goes that found no room: its sender hears of it only once all is sent."""

    def append(self, data: bytes) -> None:
        pass

    def close(self) -> None:
        pass

    def __len__(self) -> int:
        return 0


class _Parser(HTTPRequestParser):
    """A request whose body finds no room on the disk is answered with a sentence."""

    def received(self, data: bytes) -> int:
        try:
            consumed = int(super().received(data))
        except OSError:
            if self.body_rcv is None or isinstance(self.body_rcv.buf, _Nowhere):
                raise
            self.body_rcv.buf.close()
            self.body_rcv.buf = _Nowhere()
            consumed = int(super().received(data))
        if self.completed and self.body_rcv is not None and isinstance(self.body_rcv.buf, _Nowhere):
            self.error = _NoRoomForBody("disk full: the server cannot write. Free some space and try again.")
        return consumed


class _Channel(HTTPChannel):
    parser_class = _Parser


def serve(settings: Settings, demo: bool = False) -> None:
    """Serve until stopped. Prints the address to open."""
    fork_starter()
    if not settings.is_loopback and not settings.token:
        settings = replace(settings, token=secrets.token_urlsafe(24))
    if demo:
        settings = replace(settings, media_roots=(*settings.media_roots, demo_folder(settings)))
        with translate_write_errors(demo_folder(settings)):
            demo_folder(settings).mkdir(parents=True, exist_ok=True)
    context = AppContext(settings)
    server = open_server(settings, create_app(settings, context))
    query = f"/?token={settings.token}" if settings.token else ""
    host = f"[{settings.host}]" if ":" in settings.host else settings.host
    print(f"Escala is ready: open http://{host}:{server.effective_port}{query}", flush=True)
    if demo:
        start_demo(context)
    RenderWatcher(context).start()
    warm_readers(1)
    sys.setswitchinterval(_SWITCH_SECONDS)
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    try:
        server.run()
    finally:
        server.close()
        context.close()


def open_server(settings: Settings, app: Callable[..., Any]) -> Any:
    """The server, listening, not yet answering. Raises `BadSource` for a port that cannot be had."""
    _allow_connections(_CONNECTIONS)
    # It logs every request that waits for a thread for a moment.
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    # Bodies wait here until they are whole, on the disk on which they are kept.
    tempfile.tempdir = str(settings.incoming)
    try:
        server = create_server(
            app,
            host=settings.host,
            port=settings.port,
            threads=_THREADS,
            ident="Escala",
            connection_limit=_CONNECTIONS,
            backlog=1024,
            asyncore_use_poll=True,
            channel_timeout=_SILENT_SECONDS,
            cleanup_interval=10,
            max_request_body_size=settings.upload_limit + 1,
        )
    except (OSError, OverflowError) as error:
        reason = getattr(error, "strerror", None) or error
        raise BadSource(f"port {settings.port} cannot be used: {reason}; choose another with --port") from error
    server.channel_class = _Channel
    return server


def _allow_connections(wanted: int) -> None:
    """Raise the number of open files that this process may have, as far as the system lets it."""
    if os.name != "posix":
        return
    import resource

    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    most = wanted + 256 if hard == resource.RLIM_INFINITY else min(wanted + 256, hard)
    if soft != resource.RLIM_INFINITY and soft < most:
        resource.setrlimit(resource.RLIMIT_NOFILE, (most, hard))
