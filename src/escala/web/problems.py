"""Errors as problem documents (RFC 9457), each with a sentence for the user."""

from flask import Flask, Response, jsonify
from pydantic import ValidationError
from werkzeug.exceptions import HTTPException

from escala.core.errors import BadSource, ColourError, EscalaError, TooLarge, UnknownChoice, UnreadableFile
from escala.engine.worker import Superseded
from escala.media.intake import DecodeFailed
from escala.record.revisions import BadEdit, NothingToUndo, StaleRevision
from escala.record.shots import LastVariant, NotFound

STATUS: dict[type[EscalaError], int] = {
    NotFound: 404,
    StaleRevision: 409,
    NothingToUndo: 409,
    LastVariant: 409,
    Superseded: 409,
    TooLarge: 413,
    BadEdit: 422,
    UnknownChoice: 422,
    BadSource: 422,
    UnreadableFile: 422,
    DecodeFailed: 422,
    ColourError: 422,
}


def problem(status: int, title: str, detail: str) -> Response:
    """A problem document."""
    response = jsonify({"type": "about:blank", "status": status, "title": title, "detail": detail})
    response.status_code = status
    response.content_type = "application/problem+json"
    return response


def register_problems(app: Flask) -> None:
    """One handler for each family of errors."""

    def escala_error(error: EscalaError) -> Response:
        status = next((code for kind, code in STATUS.items() if isinstance(error, kind)), 422)
        return problem(status, type(error).__name__, str(error))

    def http_error(error: HTTPException) -> Response:
        return problem(error.code or 500, error.name, error.description or error.name)

    app.register_error_handler(EscalaError, escala_error)
    app.register_error_handler(HTTPException, http_error)


def invalid_request(error: ValidationError) -> Response:
    """What flask-openapi3 answers for a request that does not fit its model."""
    first = error.errors()[0]
    place = ".".join(str(step) for step in first["loc"])
    return problem(422, "Invalid request", f"{place + ': ' if place else ''}{first['msg']}")
