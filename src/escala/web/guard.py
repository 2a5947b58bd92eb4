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
_MOST_JSON = 4 << 20


def register_guard(app: Flask, settings: Settings) -> None:
    """Refuse foreign hosts and origins, ask for the token where the machine is open to others."""
    hosts = _LOOPBACK | {settings.host}

    def check() -> Response | None:
        if settings.is_loopback and _host_of(f"//{request.host}") not in hosts:
            return problem(403, "Foreign host", f"this server does not answer for {request.host}")
        origin = request.headers.get("Origin")
        if origin and _netloc(origin) != request.host:
            return problem(403, "Foreign origin", f"pages of {origin} may not use this server")
        if request.headers.get("Sec-Fetch-Site") == "cross-site" and request.method not in ("GET", "HEAD"):
            return problem(403, "Foreign origin", "pages of other sites may not use this server")
        if request.mimetype == "application/json" and (request.content_length or 0) > _MOST_JSON:
            return problem(413, "Too large", f"a request holds {_MOST_JSON >> 20} MiB of JSON at most")
        if settings.token and not _is_shared() and not _has_token(settings.token):
            return problem(401, "Token needed", "open the address with ?token=… that the server printed at its start")
        return None

    def dress(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        if settings.token and _is(request.args.get("token"), settings.token):
            response.set_cookie(_COOKIE, settings.token, httponly=True, samesite="Strict")
        return response

    app.before_request(check)
    app.after_request(dress)


def _is_shared() -> bool:
    """Whether a request is one of a share page: its routes check the token of the share, its files hold no data."""
    return request.path.startswith(("/api/share/", "/share/", "/assets/"))


def _host_of(address: str) -> str:
    try:
        return urlsplit(address).hostname or ""
    except ValueError:
        return ""


def _netloc(origin: str) -> str:
    """Host and port of an origin; nothing for `null`, which stands for any page at all."""
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return ""


def _has_token(token: str) -> bool:
    """Whether any of the places for it holds the token: a wrong one in the address does not spoil a good cookie."""
    bearer = request.headers.get("Authorization", "").removeprefix("Bearer ")
    return any(_is(given, token) for given in (request.args.get("token"), request.cookies.get(_COOKIE), bearer))


def _is(given: str | None, token: str) -> bool:
    return given is not None and hmac.compare_digest(given.encode(), token.encode())
