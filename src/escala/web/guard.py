"""Who may ask: checks of host, origin and token on every request, and what pages may load."""

import hmac
from urllib.parse import urlsplit

from flask import Flask, Response, request

from .problems import problem
from .settings import Settings

POLICY = (
    "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; connect-src 'self'; "
    "object-src 'none'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
)
_LOOPBACK = {"127.0.0.1", "localhost", "::1"}
_COOKIE = "escala_token"


def register_guard(app: Flask, settings: Settings) -> None:
    """Refuse foreign hosts and origins, ask for the token where the machine is open to others."""
    hosts = _LOOPBACK | {settings.host}

    def check() -> Response | None:
        if settings.is_loopback and _host_of(f"//{request.host}") not in hosts:
            return problem(403, "Foreign host", f"this server does not answer for {request.host}")
        origin = request.headers.get("Origin")
        if origin and origin != "null" and urlsplit(origin).netloc != request.host:
            return problem(403, "Foreign origin", f"pages of {origin} may not use this server")
        if settings.token and not _has_token(settings.token):
            return problem(401, "Token needed", "open the address with ?token=… that the server printed at its start")
        return None

    def dress(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        if settings.token and request.args.get("token"):
            response.set_cookie(_COOKIE, request.args["token"], httponly=True, samesite="Strict")
        return response

    app.before_request(check)
    app.after_request(dress)


def _host_of(address: str) -> str:
    return urlsplit(address).hostname or ""


def _has_token(token: str) -> bool:
    bearer = request.headers.get("Authorization", "").removeprefix("Bearer ")
    given = request.args.get("token") or request.cookies.get(_COOKIE) or bearer
    return hmac.compare_digest(given.encode(), token.encode())
