"""Put the application together: guards, API, and the built front end."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from flask import Response, g, send_from_directory
from flask_openapi3.models.info import Info
from flask_openapi3.openapi import OpenAPI

from stonestack import __version__
from stonestack.core.runtime.errors import NotFound
from stonestack.services.game.sources import MOST_BYTES
from stonestack.services.workspace import Workspace
from stonestack.store.secret import secret_of
from stonestack.web import guards
from stonestack.web.answers import IMMUTABLE, invalid, register_errors
from stonestack.web.api import (
    deliveries,
    documents,
    events,
    games,
    materials,
    projects,
    recipes,
    renders,
    sources,
    surfaces,
)

STATIC = Path(__file__).with_name("static")


class Described(OpenAPI):
    """The application with a description of every route, which takes seconds to put together."""

    described = True

    def _decorated(self, how: str, rule: str, options: dict[str, Any]) -> Any:
        return getattr(super(), how)(rule, doc_ui=self.described, **options)

    def get(self, rule: str, **options: Any) -> Any:
        """Add a route that reads."""
        return self._decorated("get", rule, options)

    def post(self, rule: str, **options: Any) -> Any:
        """Add a route that does something."""
        return self._decorated("post", rule, options)

    def put(self, rule: str, **options: Any) -> Any:
        """Add a route that sets something."""
        return self._decorated("put", rule, options)

    def delete(self, rule: str, **options: Any) -> Any:
        """Add a route that takes something away."""
        return self._decorated("delete", rule, options)


class Undescribed(Described):
    """The application as it runs: nobody asks it for its description."""

    described = False


def create_app(ws: Workspace, kind: type[Described] = Undescribed) -> OpenAPI:
    """Make the web application over one workspace; ``guard`` is among its extensions."""
    app = kind(
        "stonestack.web",
        info=Info(title="Stone Stack", version=__version__),
        static_folder=None,
        doc_ui=False,
        validation_error_callback=invalid,
    )
    app.config["MAX_CONTENT_LENGTH"] = MOST_BYTES + (1 << 20)
    app.config["MAX_FORM_MEMORY_SIZE"] = 1 << 20
    guard = guards.guard(app, secret_of(ws.data))
    app.extensions["guard"] = guard
    register_errors(app)
    for part in (
        *(projects, documents, sources, surfaces, recipes),
        *(renders, materials, deliveries, games, events),
    ):
        part.register(app, ws)

    def asset(name: str) -> Response:
        answer = send_from_directory(STATIC / "assets", name)
        answer.headers["Cache-Control"] = IMMUTABLE
        return answer

    def no_such_address(rest: str) -> Response:
        raise NotFound("no-such-address", f"There is nothing at /api/{rest}.", "Reload the page.")

    def page(view: str = "") -> Response:
        """Serve the one page; which view it shows is its own affair."""
        text = (STATIC / "index.html").read_text(encoding="utf-8")
        text = text.replace("%STONE_TOKEN%", guard.token).replace("%STONE_NONCE%", g.nonce)
        return Response(text, mimetype="text/html", headers={"Cache-Control": "no-store"})

    # Plain routes: they are no part of the described API.
    app.add_url_rule("/assets/<path:name>", view_func=asset)
    app.add_url_rule("/api/<path:rest>", view_func=no_such_address)
    app.add_url_rule("/", view_func=page)
    app.add_url_rule("/<path:view>", view_func=page)
    return app
