"""Errors as problem documents (RFC 9457), each with a sentence for the user."""

import logging

from flask import Flask, Response, jsonify
from pydantic import ValidationError
from werkzeug.exceptions import HTTPException

from escala.core.errors import EscalaError, NoRoom, TooLarge
from escala.engine.progress import Cancelled
from escala.engine.worker import Overloaded, Superseded
from escala.media.places import printable
from escala.media.whole import is_full
from escala.record.database import RecordBroken, RecordBusy
from escala.record.revisions import NothingToUndo, StaleRevision
from escala.record.shots import LastVariant, NotFound

_LOG = logging.getLogger("escala")

STATUS: dict[type[EscalaError], int] = {
    NotFound: 404,
    StaleRevision: 409,
    NothingToUndo: 409,
    LastVariant: 409,
    Superseded: 409,
    Cancelled: 409,
    TooLarge: 413,
    NoRoom: 507,
    Overloaded: 503,
    RecordBusy: 503,
    RecordBroken: 500,
}
_OTHERWISE = 422


def sentence_of(error: BaseException) -> str:
    """What went wrong, for the user: one line, without what no screen shows."""
    if isinstance(error, EscalaError):
        text = str(error)
    elif isinstance(error, MemoryError):
        text = "there is not enough memory for it: ask for less at once"
    elif isinstance(error, RecursionError):
        text = "it is nested too deeply"
    elif isinstance(error, OSError):
        place = error.filename or "the machine"
        text = str(NoRoom(place)) if is_full(error) else f"{place}: {error.strerror or error}"
    else:
        text = f"unexpected: {error!r}; this is a mistake in Escala, nothing that was kept is lost"
    return "".join(sign if sign.isprintable() else " " for sign in text)[:_MOST_SIGNS]


_MOST_SIGNS = 2000


def problem(status: int, title: str, detail: str) -> Response:
    """A problem document."""
    response = jsonify({"type": "about:blank", "status": status, "title": title, "detail": detail})
    response.status_code = status
    response.content_type = "application/problem+json"
    return response


def register_problems(app: Flask) -> None:
    """One handler for each family of errors."""

    def escala_error(error: EscalaError) -> Response:
        status = next((code for kind, code in STATUS.items() if isinstance(error, kind)), _OTHERWISE)
        return problem(status, type(error).__name__, sentence_of(error))

    def machine_error(error: OSError | MemoryError) -> Response:
        return problem(507 if isinstance(error, MemoryError) or is_full(error) else 500, "Machine", sentence_of(error))

    def too_deep(error: RecursionError) -> Response:
        return problem(422, "Invalid request", sentence_of(error))

    def mistake(error: Exception) -> Response:
        _LOG.exception("unexpected")
        return problem(500, "Mistake", sentence_of(error))

    def http_error(error: HTTPException) -> Response:
        return problem(error.code or 500, error.name, error.description or error.name)

    app.register_error_handler(EscalaError, escala_error)
    app.register_error_handler(HTTPException, http_error)
    app.register_error_handler(OSError, machine_error)
    app.register_error_handler(MemoryError, machine_error)
    app.register_error_handler(RecursionError, too_deep)
    app.register_error_handler(Exception, mistake)


def invalid_request(error: ValidationError) -> Response:
    """What flask-openapi3 answers for a request that does not fit its model."""
    first = error.errors()[0]
    place = ".".join(str(step) for step in first["loc"])
    return problem(422, "Invalid request", printable(f"{place + ': ' if place else ''}{first['msg']}"))
