"""Clients share the time of the evaluation thread in fair turns."""

from flask import request

HEADER = "X-Client"
_MAX_CHARACTERS = 64


def client_name() -> str:
    """The page that sent the request, as it names itself; else the address that it came from."""
    return request.headers.get(HEADER, "")[:_MAX_CHARACTERS] or request.remote_addr or ""
