"""Who may talk to the server: this machine's own pages, and nobody else."""

from __future__ import annotations

import secrets
from urllib.parse import urlsplit

from flask import Flask, Response, g, request

from stonestack.web.answers import problem

TOKEN_HEADER = "X-Stone-Token"
_HOSTS = {"127.0.0.1", "localhost", "[::1]"}


def guard(app: Flask) -> str:
    """Check Host, Origin and token of every request; return the token that writes need."""
    token = secrets.token_urlsafe(24)

    @app.before_request
    def _check() -> Response | None:
        g.nonce = secrets.token_urlsafe(12)
        host = urlsplit(f"http://{request.host}").hostname or ""
        if host not in _HOSTS and f"[{host}]" not in _HOSTS:
            return problem(
                "wrong-host",
                "This address is not the server's own.",
                "Open the address that the server printed when it started.",
                403,
            )
        if request.method in ("GET", "HEAD", "OPTIONS"):
            return None
        origin = request.headers.get("Origin")
        if origin is not None and origin != f"http://{request.host}":
            return problem(
                "foreign-page",
                "Another page has tried to write here.",
                "Use the pages of Stone Stack itself.",
                403,
            )
        if not secrets.compare_digest(request.headers.get(TOKEN_HEADER, ""), token):
            return problem(
                "no-token",
                "This page is from an earlier start of the server.",
                "Reload the page.",
                403,
            )
        return None

    @app.after_request
    def _policy(response: Response) -> Response:
        nonce = g.get("nonce", "")
        response.headers["Content-Security-Policy"] = (
            "default-src 'self'; img-src 'self' data: blob:; worker-src 'self' blob:; "
            f"style-src 'self' 'nonce-{nonce}'; "
            "frame-src http://127.0.0.1:* http://localhost:*; object-src 'none'; "
            "base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
        )
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        return response

    return token
