"""Starts the server; with `demo`, the made-up shots render themselves in the background and improve on screen."""

import secrets
from dataclasses import replace

from waitress import create_server

from escala.core.errors import BadSource
from escala.media.intake import warm_reader

from .app import create_app
from .demo import demo_folder, start_demo
from .settings import Settings
from .studio import Studio
from .watching import RenderWatcher


def serve(settings: Settings, demo: bool = False) -> None:
    """Serve until stopped. Prints the address to open."""
    if not settings.is_loopback and not settings.token:
        settings = replace(settings, token=secrets.token_urlsafe(24))
    if demo:
        settings = replace(settings, media_roots=(*settings.media_roots, demo_folder(settings)))
        demo_folder(settings).mkdir(parents=True, exist_ok=True)
    studio = Studio(settings)
    app = create_app(settings, studio)
    try:
        server = create_server(app, host=settings.host, port=settings.port, threads=16, ident="Escala")
    except OSError as error:
        raise BadSource(f"port {settings.port} cannot be used: {error.strerror}; choose another with --port") from error
    query = f"/?token={settings.token}" if settings.token else ""
    host = f"[{settings.host}]" if ":" in settings.host else settings.host
    print(f"Escala is ready: open http://{host}:{server.effective_port}{query}", flush=True)
    if demo:
        start_demo(studio)
    RenderWatcher(studio).start()
    warm_reader()
    server.run()
