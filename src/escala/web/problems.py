"""Errors as problem documents (RFC 9457), each with a sentence for the user."""

import logging
import re

from flask import Flask, Response, jsonify
from pydantic import ValidationError
from werkzeug.exceptions import HTTPException

from escala.core.errors import EscalaError, NoRoom, TooLarge
from escala.database.connection import RecordBroken, RecordBusy
from escala.database.revisions import NothingToUndo, StaleRevision
from escala.database.shots import LastVariant, NotFound
from escala.engine.progress import Cancelled
from escala.engine.worker import Overloaded, Superseded
from escala.media.atomic_write import is_full
from escala.media.path_safety import printable

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
        text = "not enough memory: request less at once"
    elif isinstance(error, RecursionError):
        text = "it is nested too deeply"
    elif isinstance(error, OSError):
        place = error.filename or "the machine"
        text = str(NoRoom(place)) if is_full(error) else f"{place}: {error.strerror or error}"
    else:
        text = f"Internal error ({type(error).__name__}). Saved work is safe; details are in the server log."
    printed = "".join(character if character.isprintable() else " " for character in text)[:_MAX_CHARACTERS]
    return as_sentence(printed)


_MAX_CHARACTERS = 2000
# A first word that may be a name is shown unchanged.
_PLAIN_WORD = re.compile(r"[a-z]+ ")


def as_sentence(text: str) -> str:
    """A message with a capital at its start, unless it begins with a name, and a full stop at its end."""
    start = text[:1].upper() + text[1:] if _PLAIN_WORD.match(text) else text
    return start if start.endswith((".", "?", "!", "…")) else f"{start}."


def title_of(error: BaseException) -> str:
    """The kind of an error in words: `OutsideRoots` is "Outside roots"."""
    return re.sub(r"(?<!^)(?=[A-Z])", " ", type(error).__name__).capitalize()


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
        return problem(status, title_of(error), sentence_of(error))

    def machine_error(error: OSError | MemoryError) -> Response:
        return problem(
            507 if isinstance(error, MemoryError) or is_full(error) else 500, "System error", sentence_of(error)
        )

    def too_deep(error: RecursionError) -> Response:
        return problem(422, "Invalid request", sentence_of(error))

    def mistake(error: Exception) -> Response:
        _LOG.exception("unexpected")
        return problem(500, "Internal error", sentence_of(error))

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
    return problem(422, "Invalid request", as_sentence(printable(f"{place + ': ' if place else ''}{first['msg']}")))
