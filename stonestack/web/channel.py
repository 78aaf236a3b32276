"""What is done with a connection before any of our code sees a request.

Heads are looked at before a byte of a body is read, bodies have a limit, and whoever sends
nothing, or only drips, is let go, so that others are answered.
"""

from __future__ import annotations

import time
from typing import Any, ClassVar

from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.server import create_server
from waitress.utilities import Error, RequestEntityTooLarge

from stonestack.services.game.sources import MOST_BYTES
from stonestack.services.jobs import Problem
from stonestack.web.api.events import MOST_PAGES
from stonestack.web.guards import READING, TOKEN_HEADER, Guard, status_of

MOST_WORDS = 2 << 20
"""Bytes of a body that is no file: JSON of a page is far smaller."""
MOST_FILES = MOST_BYTES + (1 << 20)
HEAD_SECONDS = 10.0
"""Within this time the head of a request has to be there, from its first byte on, or from the
connection on."""
SLOWEST = 50_000
"""Bytes of a body a second, on the whole; who sends fewer is let go."""
CONNECTIONS = 1000
THREADS = 12
"""For requests that are answered at once; each page that listens has one beside them."""


class Refused(Error):  # type: ignore[misc]
    """An answer to a request whose body is not read."""

    def __init__(self, status: int, problem: Problem) -> None:
        super().__init__(problem.message)
        self.code = status
        self.reason = "Refused"
        self._problem = problem

    def to_response(self, ident: str | None = None) -> tuple[str, list[tuple[str, str]], bytes]:
        """Return status line, headers and body."""
        body = self._problem.model_dump_json().encode()
        headers = [
            ("Content-Length", str(len(body))),
            ("Content-Type", "application/json"),
            ("Connection", "close"),
        ]
        return f"{self.code} {self.reason}", headers, body


class Parser(HTTPRequestParser):  # type: ignore[misc]
    """Reads a request; looks at its head as soon as that is whole."""

    guard: ClassVar[Guard]
    error: Error | None

    def __init__(self, adj: Any) -> None:
        super().__init__(adj)
        self.begun = time.monotonic()
        self._seen = False

    def received(self, data: bytes) -> int:
        """Take bytes; a refused request is at its end, whatever follows."""
        consumed: int = super().received(data)
        readable = self.error is None or isinstance(self.error, RequestEntityTooLarge)
        if self.headers_finished and not self._seen and readable and not self.empty:
            self._seen = True
            refused = self._refusal()
            if refused is not None:
                self.error = refused
                self.completed = True
        return consumed

    def _refusal(self) -> Refused | None:
        if self.command in READING and not self.content_length and not self.chunked:
            return None  # Nothing follows; the application says what is missing.
        heads = self.headers
        problem = self.guard.refusal(
            self.command,
            heads.get("HOST", ""),
            heads.get("ORIGIN"),
            heads.get("COOKIE", ""),
            heads.get(TOKEN_HEADER.upper().replace("-", "_"), ""),
        )
        if problem is not None:
            return Refused(status_of(problem), problem)
        files = heads.get("CONTENT_TYPE", "").startswith("multipart/form-data")
        if self.content_length > (MOST_FILES if files else MOST_WORDS):
            return Refused(
                413,
                Problem(
                    code="too-many-bytes",
                    message="This is too large.",
                    fix="Save it smaller, or bring in fewer files at once.",
                ),
            )
        return None

    def is_late(self, now: float) -> bool:
        """Tell whether the rest of this request has taken too long to come."""
        allowed = HEAD_SECONDS
        if self.headers_finished:
            allowed += self.body_bytes_received / SLOWEST
        return bool(now - self.begun > allowed)


def _is_late(channel: HTTPChannel, now: float) -> bool:
    """Tell whether a connection holds a place for nothing."""
    if channel.requests:
        return False  # It is being answered.
    if channel.request is not None:
        late: bool = channel.request.is_late(now)
        return late
    # Nothing has ever come; a page's own connection that waits for more has its longer time.
    silent = channel.last_activity == channel.creation_time
    return bool(silent and time.time() - channel.creation_time > HEAD_SECONDS)


def made_server(app: Any, guard: Guard, port: int) -> Any:
    """Return a server of the application on this machine's own address."""
    server = create_server(
        app,
        host="127.0.0.1",
        port=port,
        threads=THREADS + MOST_PAGES,
        ident=None,
        backlog=CONNECTIONS,
        connection_limit=CONNECTIONS,
        cleanup_interval=2,
        channel_timeout=120,
        asyncore_use_poll=True,
        max_request_header_size=64 << 10,
        max_request_body_size=MOST_FILES + 1,
        # Who reads slowly holds no thread: what is answered is in memory or in a file already.
        outbuf_high_watermark=1 << 40,
        # A look that passes goes from memory, not by way of a file.
        outbuf_overflow=8 << 20,
    )
    parser = type("GuardedParser", (Parser,), {"guard": guard})
    server.channel_class = type("GuardedChannel", (HTTPChannel,), {"parser_class": parser})
    maintained = server.maintenance

    def maintenance(now: float) -> None:
        maintained(now)
        for channel in list(server.active_channels.values()):
            if _is_late(channel, time.monotonic()):
                channel.will_close = True

    server.maintenance = maintenance
    return server
