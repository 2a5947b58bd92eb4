"""The application: routes, guard, problems, and the built front end."""

from functools import cache, lru_cache
from pathlib import Path
from typing import Any

from flask import Response, jsonify, send_from_directory
from flask.json.provider import DefaultJSONProvider, JSONProvider
from flask_openapi3 import Info, OpenAPI

from escala.database.shares import share_of_token
from escala.model.strict_json import from_json, to_json

from .app_context import APP_CONTEXT, AppContext
from .colour.routes import routes as colour_routes
from .comparison_images.routes import routes as comparison_image_routes
from .deliveries.presets import routes as delivery_preset_routes
from .deliveries.routes import routes as delivery_routes
from .depth.routes import routes as depth_routes
from .events.routes import routes as event_routes
from .guard import register_guard
from .jobs.routes import routes as job_routes
from .lanes.routes import routes as lane_routes
from .matching.routes import routes as matching_routes
from .mattes.routes import routes as matte_routes
from .media.routes import routes as media_routes
from .moods.routes import routes as mood_routes
from .notes.routes import routes as note_routes
from .pictures.routes import routes as picture_routes
from .plate.routes import routes as plate_routes
from .presets.balance import routes as balance_preset_routes
from .presets.routes import routes as preset_routes
from .problems import invalid_request, problem, register_problems
from .settings import Settings
from .shares.page import routes as share_page_routes
from .shares.routes import routes as share_routes
from .shots.routes import routes as shot_routes
from .uploads.routes import routes as upload_routes
from .variants.routes import routes as variant_routes

ROUTES = (
    shot_routes, variant_routes, picture_routes, matte_routes, colour_routes, delivery_routes, delivery_preset_routes,
    preset_routes, balance_preset_routes,
    depth_routes, plate_routes, lane_routes, mood_routes, matching_routes, job_routes, event_routes,
    media_routes, upload_routes, comparison_image_routes, note_routes, share_routes, share_page_routes,
)  # fmt: skip
STATIC = Path(__file__).parent / "static"
_INFO = Info(title="Escala", version="1")


def create_app(settings: Settings, context: AppContext | None = None) -> OpenAPI:
    """The Flask application of an application context; a new one when none is given."""
    app = OpenAPI(
        __name__,
        info=_INFO,
        static_folder=None,
        validation_error_callback=invalid_request,
        doc_ui=False,
    )
    context = context or AppContext(settings)
    app.extensions[APP_CONTEXT] = context
    app.json = StrictJson(app)
    register_guard(app, settings)
    register_problems(app)
    for routes in ROUTES:
        app.register_api(routes)

    @app.route("/api/openapi.json")
    def openapi_document() -> Response:
        return jsonify(api_document())

    @app.route("/")
    def front_page() -> Response:
        return _page()

    @app.route("/share/<string:token>")
    def share_page(token: str) -> Response:
        with context.database.reading() as session:
            share_of_token(session, token)
        return _page("share.html")

    @app.route("/<path:name>")
    def front_file(name: str) -> Any:
        if name.startswith("api/"):
            return problem(404, "Not found", "there is nothing at this address")
        if name not in _front_files(_stamp()):
            return _page()
        return send_from_directory(STATIC, name, max_age=31536000)

    return app


@cache
def api_document() -> dict[str, Any]:
    """The OpenAPI document of all routes."""
    described = OpenAPI(__name__, info=_INFO, static_folder=None, doc_ui=False)
    for routes in ROUTES:
        described.register_api(routes.described())
    return described.api_doc


class StrictJson(JSONProvider):
    """JSON as the standard has it, both ways."""

    def dumps(self, obj: Any, **_: Any) -> str:
        return to_json(obj, default=DefaultJSONProvider.default)

    def loads(self, s: str | bytes, **_: Any) -> Any:
        return from_json(s)


def _stamp() -> float:
    index = STATIC / "index.html"
    return index.stat().st_mtime if index.is_file() else 0.0


@lru_cache(maxsize=1)
def _front_files(stamp: float) -> frozenset[str]:
    """The built files by their names: nothing else is looked for on the disk, whatever an address says."""
    return frozenset(str(file.relative_to(STATIC).as_posix()) for file in STATIC.rglob("*") if file.is_file())


def _page(name: str = "index.html") -> Response:
    if not (STATIC / name).is_file():
        return Response("The front end is not built yet: run make setup.", status=503, mimetype="text/plain")
    return send_from_directory(STATIC, name, max_age=0)
