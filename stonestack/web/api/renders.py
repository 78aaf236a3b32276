"""Renders by content key: pictures, textures and their numbers, which never change."""

from __future__ import annotations

from flask import Response
from flask_openapi3.openapi import OpenAPI
from pydantic import BaseModel, Field

from stonestack.core.document import Stage
from stonestack.core.ops.facts import RenderFacts
from stonestack.core.ops.ways import Ways
from stonestack.services.workspace import Workspace
from stonestack.web.answers import IMMUTABLE, model, unchanging


class RenderPath(BaseModel):
    """Names a render."""

    key: str = Field(pattern="^[0-9a-f]{40}$")


class PictureQuery(BaseModel):
    """How large a picture may be."""

    longest: int | None = Field(None, ge=16, le=4096)


class FactsQuery(BaseModel):
    """At which stage the render is looked at."""

    stage: Stage


def register(app: OpenAPI, ws: Workspace) -> None:
    """Add the routes."""

    @app.get("/api/renders/<key>/picture.png")
    def render_picture(path: RenderPath, query: PictureQuery) -> Response:
        with ws.renderer.asked(path.key):
            data = ws.renderer.png(path.key, query.longest)
        return unchanging(data, "image/png")

    @app.get("/api/renders/<key>/texels.ktx2")
    def render_texels(path: RenderPath) -> Response:
        with ws.renderer.asked(path.key):
            data = ws.renderer.texels(path.key)
        return unchanging(data, "image/ktx2")

    @app.get("/api/renders/<key>/texture.ktx2")
    def render_texture(path: RenderPath) -> Response:
        with ws.renderer.asked(path.key):
            data = ws.renderer.ktx2(path.key)
        return unchanging(data, "image/ktx2")

    @app.get("/api/renders/<key>/ways", responses={200: Ways})
    def render_ways(path: RenderPath) -> Response:
        with ws.renderer.asked(path.key):
            answer = model(ws.renderer.ways(path.key))
        answer.headers["Cache-Control"] = IMMUTABLE
        return answer

    @app.get("/api/renders/<key>/facts", responses={200: RenderFacts})
    def render_facts(path: RenderPath, query: FactsQuery) -> Response:
        with ws.renderer.asked(path.key):
            answer = model(ws.renderer.facts(path.key, query.stage))
        answer.headers["Cache-Control"] = IMMUTABLE
        return answer
