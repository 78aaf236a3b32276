"""Sources: bring files in and list them."""

from __future__ import annotations

from flask import Response
from flask_openapi3.openapi import OpenAPI
from pydantic import BaseModel, Field, RootModel

from stonestack.core.catalogue.sources import SourceSet
from stonestack.core.picture.swatches import Swatch
from stonestack.core.tables.roles import Role
from stonestack.services.documents import shaping
from stonestack.services.documents.surfaces import SurfaceView
from stonestack.services.game import games, shelf, sources
from stonestack.services.game.games import GameFolderView
from stonestack.services.game.sources import SourceView
from stonestack.services.jobs import JobView
from stonestack.services.workspace import Workspace
from stonestack.web.answers import model, models, unchanging
from stonestack.web.api.projects import ProjectPath
from stonestack.web.asked import File


class SourceList(RootModel[list[SourceView]]):
    """A project's sources, newest first."""


class Upload(BaseModel):
    """One file."""

    file: File


class SourceSetList(RootModel[list[SourceSet]]):
    """Sources that belong together by name."""


class NewFromSources(BaseModel):
    """What a surface begins with: a name, and a source for each map that has one."""

    stem: str = Field(min_length=1, max_length=80)
    roles: dict[Role, str]


class Blank(BaseModel):
    """An empty picture of one colour."""

    width: int = Field(ge=4, le=8192)
    height: int = Field(ge=4, le=8192)
    colour: Swatch = "#808080"


class SourcePath(BaseModel):
    """Names a source."""

    source_id: str


def register(app: OpenAPI, ws: Workspace) -> None:
    """Add the routes."""

    @app.get("/api/projects/<project_id>/sources", responses={200: SourceList})
    def list_sources(path: ProjectPath) -> Response:
        return models(list(sources.listed(ws, path.project_id)))

    @app.post("/api/projects/<project_id>/sources", responses={200: SourceView})
    def bring_source(path: ProjectPath, form: Upload) -> Response:
        name = form.file.filename or ""
        return model(sources.bring(ws, path.project_id, name, form.file.read()))

    @app.post("/api/projects/<project_id>/blank-sources", responses={200: SourceView})
    def bring_blank(path: ProjectPath, body: Blank) -> Response:
        return model(sources.blank(ws, path.project_id, body.width, body.height, body.colour))

    @app.post("/api/projects/<project_id>/source-archives", responses={200: JobView})
    def bring_archive(path: ProjectPath, form: Upload) -> Response:
        name, data = form.file.filename or "", form.file.read()
        job = ws.jobs.start(
            f"Unpack {name}",
            lambda progress: sources.bring_archive(ws, path.project_id, name, data, progress),
        )
        return model(job)

    @app.get("/api/projects/<project_id>/source-sets", responses={200: SourceSetList})
    def list_source_sets(path: ProjectPath) -> Response:
        return models(list(shelf.sets(ws, path.project_id)))

    @app.post("/api/projects/<project_id>/source-sets", responses={200: SurfaceView})
    def begin_from_sources(path: ProjectPath, body: NewFromSources) -> Response:
        return model(shaping.begin(ws, path.project_id, body.stem, body.roles))

    @app.get("/api/projects/<project_id>/shelf", responses={200: GameFolderView})
    def get_shelf(path: ProjectPath) -> Response:
        return model(games.get(ws, shelf.catalogue(ws, path.project_id)))

    @app.get("/api/sources/<source_id>/picture.png")
    def source_picture(path: SourcePath) -> Response:
        return unchanging(sources.picture(ws, path.source_id), "image/png")
