"""The application: routes, guard, problems, and the built front end."""

from pathlib import Path
from typing import Any

from flask import Response, jsonify, send_from_directory
from flask_openapi3 import Info, OpenAPI

from .colour_routes import colour_routes
from .delivery_routes import delivery_routes
from .guard import register_guard
from .picture_routes import picture_routes
from .problems import invalid_request, register_problems
from .settings import Settings
from .shot_routes import shot_routes
from .studio import Studio
from .variant_routes import variant_routes

STATIC = Path(__file__).parent / "static"


def create_app(settings: Settings, studio: Studio | None = None) -> OpenAPI:
    """The Flask application of a studio; a new studio when none is given."""
    app = OpenAPI(
        __name__,
        info=Info(title="Escala", version="1"),
        static_folder=None,
        validation_error_callback=invalid_request,
        doc_ui=False,
    )
    studio = studio or Studio(settings)
    app.extensions["studio"] = studio
    register_guard(app, settings)
    register_problems(app)
    for routes in (shot_routes, variant_routes, picture_routes, colour_routes, delivery_routes):
        app.register_api(routes(studio))

    @app.route("/api/openapi.json")
    def openapi_document() -> Response:
        return jsonify(app.api_doc)

    @app.route("/")
    def front_page() -> Response:
        return _page()

    @app.route("/<path:name>")
    def front_file(name: str) -> Any:
        if name.startswith("api/"):
            return Response(status=404)
        return send_from_directory(STATIC, name, max_age=31536000) if (STATIC / name).is_file() else _page()

    return app


def _page() -> Response:
    if not (STATIC / "index.html").is_file():
        return Response("The front end is not built yet: run make setup.", status=503, mimetype="text/plain")
    return send_from_directory(STATIC, "index.html", max_age=0)
