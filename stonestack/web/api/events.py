"""What has changed, told to every page that listens (server-sent events, WHATWG HTML 9.2)."""

from __future__ import annotations

import threading
from collections.abc import Iterator

from flask import Response
from flask_openapi3.openapi import OpenAPI

from stonestack.services.workspace import Workspace

MOST_PAGES = 24
"""Pages that listen at once; each holds a thread of the server."""
_BEAT = 5.0
"""Seconds after which a line is sent that says nothing, so that who has left is noticed."""
_AGAIN = "retry: 700\n\n"
"""Milliseconds after which a page that was cut off asks again."""


def register(app: OpenAPI, ws: Workspace) -> None:
    """Add the route; it is no part of the described API."""
    places = threading.BoundedSemaphore(MOST_PAGES)

    def events() -> Response:
        if not places.acquire(blocking=False):
            return Response(status=204)  # By this a page knows that it need not ask again.
        response = Response(_told(ws), mimetype="text/event-stream")
        response.call_on_close(places.release)
        return response

    app.add_url_rule("/events", view_func=events)


def _told(ws: Workspace) -> Iterator[str]:
    place = ws.changes.listen()
    yield _AGAIN
    while (found := ws.changes.since(place, _BEAT)) is not None:
        place, changes = found
        for change in changes:
            yield f"data: {change.model_dump_json()}\n\n"
        if not changes:
            yield ":\n\n"
