"""Who may talk to the server: whoever was let in with the data folder's secret, and nobody else.

The address that is printed carries the secret; opened once, it becomes a cookie that scripts cannot
read and that other sites' pages cannot send. Whatever changes something needs the page's token as
well. All of it is looked at before a byte of a body is read (see :mod:`stonestack.web.channel`).
"""

from __future__ import annotations

import hashlib
import hmac
import secrets
from http.cookies import CookieError, SimpleCookie
from urllib.parse import urlencode, urlsplit

from flask import Flask, Response, g, request

from stonestack.services.jobs import Problem
from stonestack.web.answers import model

TOKEN_HEADER = "X-Stone-Token"
KEY = "key"
"""The name under which an address carries the secret."""
READING = ("GET", "HEAD", "OPTIONS")
_HOSTS = {"127.0.0.1", "localhost", "[::1]"}
_YEAR = 365 * 24 * 3600
_STYLE = (
    "body{font:15px/1.5 sans-serif;margin:0;background:#f7f6f2;color:#212b33}"
    "main{margin:14vh auto;max-width:32rem;padding:1.5rem 2rem;background:#fffefb;"
    "border-top:3px solid #17695c}h1{font-size:1.1rem;margin:0 0 .5rem}p{margin:0}"
)


def _same(one: str, other: str) -> bool:
    """Compare in a time that tells nothing; any text may come."""
    return hmac.compare_digest(one.encode("utf-8", "replace"), other.encode("utf-8", "replace"))


class Guard:
    """What is looked at of every request.

    Parameters
    ----------
    secret : str
        The data folder's.
    """

    def __init__(self, secret: str) -> None:
        self.secret = secret
        # The same after a new start: pages that are open go on.
        self.token = self._derived("token")
        # A cookie does not know ports: servers of two data folders have one each.
        self.cookie = f"stone-{self._derived('name')[:8]}"
        self.value = self._derived("cookie")

    def _derived(self, purpose: str) -> str:
        return hmac.new(self.secret.encode(), purpose.encode(), hashlib.sha256).hexdigest()

    def is_key(self, text: str) -> bool:
        """Tell whether an address carries the secret."""
        return _same(text, self.secret)

    def refusal(
        self, method: str, host: str, origin: str | None, cookies: str, token: str
    ) -> Problem | None:
        """Return why a request is not answered, by its head alone; None lets it through."""
        name = urlsplit(f"http://{host}").hostname or "" if host.isascii() else ""
        if name not in _HOSTS and f"[{name}]" not in _HOSTS:
            return Problem(
                code="wrong-host",
                message="This address is not the server's own.",
                fix="Open the address that the server printed when it started.",
            )
        if not self._has_cookie(cookies):
            return Problem(
                code="not-let-in",
                message="This browser has not been let in.",
                fix="Open the address that Stone Stack printed when it started.",
            )
        if method in READING:
            return None
        if origin is not None and origin != f"http://{host}":
            return Problem(
                code="foreign-page",
                message="Another page has tried to write here.",
                fix="Use the pages of Stone Stack itself.",
            )
        if not _same(token, self.token):
            return Problem(
                code="no-token",
                message="This page is not from this server.",
                fix="Reload the page.",
            )
        return None

    def _has_cookie(self, cookies: str) -> bool:
        try:
            found = SimpleCookie(cookies).get(self.cookie)
        except CookieError:
            return False
        return found is not None and _same(found.value, self.value)


def status_of(problem: Problem) -> int:
    """Return the HTTP status of a refusal."""
    return 401 if problem.code == "not-let-in" else 403


def guard(app: Flask, secret: str) -> Guard:
    """Look at every request of an application."""
    own = Guard(secret)

    @app.before_request
    def _check() -> Response | None:
        g.nonce = secrets.token_urlsafe(12)
        heads = request.headers
        refused = own.refusal(
            request.method,
            request.host,
            heads.get("Origin"),
            heads.get("Cookie", ""),
            heads.get(TOKEN_HEADER, ""),
        )
        if refused is not None and refused.code == "wrong-host":
            return model(refused, status_of(refused))
        if request.method == "GET" and own.is_key(request.args.get(KEY, "")):
            return _let_in(own)
        if refused is None:
            return None
        if refused.code == "not-let-in" and not request.path.startswith("/api/"):
            return _closed()
        return model(refused, status_of(refused))

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
        # Only what says that it never changes may be kept. Without this a browser would keep the
        # refusal of a render that was left and is wanted again (410: RFC 9110, 15.5.11).
        response.headers.setdefault("Cache-Control", "no-store")
        return response

    return own


def _let_in(own: Guard) -> Response:
    """Give the cookie, and go on to the same address without the secret.

    By a page of our own and not by a redirect: the browser sends the cookie only where our own page
    led, wherever the address itself was opened from.
    """
    rest = [(name, value) for name, value in request.args.items(multi=True) if name != KEY]
    onward = f"/{request.path.strip('/')}{'?' if rest else ''}{urlencode(rest)}"
    answer = _page(
        "Stone Stack", f'<meta http-equiv="refresh" content="0;url={_quoted(onward)}">', "Opening …"
    )
    answer.set_cookie(
        own.cookie, own.value, max_age=_YEAR, httponly=True, samesite="Strict", path="/"
    )
    return answer


def _closed() -> Response:
    answer = _page(
        "Not let in",
        "",
        "This browser has not been let in. Open the address that Stone Stack printed when it "
        "started. It lies in the file <b>address.txt</b> in the data folder, too; starting Stone "
        "Stack once more prints it again.",
    )
    answer.status_code = 401
    return answer


def _page(title: str, head: str, words: str) -> Response:
    text = (
        f'<!doctype html><html lang="en-GB"><meta charset="utf-8"><title>{title}</title>{head}'
        f'<style nonce="{g.nonce}">{_STYLE}</style><main><h1>{title}</h1><p>{words}</p></main>'
        "</html>"
    )
    return Response(text, mimetype="text/html", headers={"Cache-Control": "no-store"})


def _quoted(text: str) -> str:
    return text.replace("&", "&amp;").replace('"', "&quot;").replace("<", "&lt;")
