"""Renders by content key: pictures, textures and their numbers, which never change."""

from __future__ import annotations

from flask import Response
from flask_openapi3.openapi import OpenAPI
from pydantic import BaseModel, Field

from stonestack.core.document import Stage
from stonestack.core.graph.ops.facts import RenderFacts
from stonestack.core.graph.ops.losing import LevelLoss
from stonestack.core.graph.ops.ways import Ways
from stonestack.core.judge.advising import Advice
from stonestack.core.judge.peering import BlockLook
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


class LevelQuery(BaseModel):
    """Which level is looked at."""

    level: int = Field(0, ge=0, le=14)


class BlockQuery(LevelQuery):
    """A texel of that level."""

    x: int = Field(ge=0, le=16383)
    y: int = Field(ge=0, le=16383)


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

    @app.get("/api/renders/<key>/before.ktx2")
    def render_before(path: RenderPath) -> Response:
        with ws.renderer.asked(path.key):
            data = ws.renderer.plain(path.key)
        return unchanging(data, "image/ktx2")

    @app.get("/api/renders/<key>/level.png")
    def render_level(path: RenderPath, query: LevelQuery) -> Response:
        with ws.renderer.asked(path.key):
            data = ws.renderer.level_png(path.key, query.level)
        return unchanging(data, "image/png")

    @app.get("/api/renders/<key>/loss", responses={200: LevelLoss})
    def render_loss(path: RenderPath, query: LevelQuery) -> Response:
        with ws.renderer.asked(path.key):
            return _unchanging_model(ws.renderer.loss(path.key, query.level))

    @app.get("/api/renders/<key>/block", responses={200: BlockLook})
    def render_block(path: RenderPath, query: BlockQuery) -> Response:
        with ws.renderer.asked(path.key):
            return _unchanging_model(ws.renderer.block(path.key, query.level, query.x, query.y))

    @app.get("/api/renders/<key>/advice", responses={200: Advice})
    def render_advice(path: RenderPath) -> Response:
        with ws.renderer.asked(path.key):
            return _unchanging_model(ws.renderer.advice(path.key))

    @app.get("/api/renders/<key>/ways", responses={200: Ways})
    def render_ways(path: RenderPath) -> Response:
        with ws.renderer.asked(path.key):
            return _unchanging_model(ws.renderer.ways(path.key))

    @app.get("/api/renders/<key>/facts", responses={200: RenderFacts})
    def render_facts(path: RenderPath, query: FactsQuery) -> Response:
        with ws.renderer.asked(path.key):
            return _unchanging_model(ws.renderer.facts(path.key, query.stage))


def _unchanging_model(found: BaseModel) -> Response:
    """Answer with what belongs to a content key, and so never changes."""
    answer = model(found)
    answer.headers["Cache-Control"] = IMMUTABLE
    return answer
