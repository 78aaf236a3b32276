"""Projects, what the application knows, and the sample game."""

from __future__ import annotations

from pathlib import Path

from flask import Response
from flask_openapi3.openapi import OpenAPI
from pydantic import BaseModel, Field, RootModel

from stonestack.core.blocks.formats import FORMATS, BlockFormat
from stonestack.core.roles import ROLES, Role
from stonestack.core.sizing import SIZES
from stonestack.core.steps import STEPS
from stonestack.services import projects
from stonestack.services.projects import ProjectView
from stonestack.services.workspace import Workspace
from stonestack.web.answers import model, models


class ProjectPath(BaseModel):
    """Names a project."""

    project_id: str


class ProjectList(RootModel[list[ProjectView]]):
    """All projects."""


class NewProject(BaseModel):
    """What a new project needs."""

    title: str = Field(min_length=1, max_length=80)
    game_folder: str | None = None


class Density(BaseModel):
    """How many texels a metre of a project's surfaces has."""

    texels_per_metre: int = Field(ge=8, le=16384)


class NameList(RootModel[list[str]]):
    """Names that the game looks up."""


class StepInfo(BaseModel):
    """A kind of step: its words, and its parameters as a JSON schema."""

    name: str
    title: str
    hint: str
    roles: list[Role]
    parameters: dict[str, object]
    family: str
    moves: bool


class RoleWords(BaseModel):
    """A role's words and formats."""

    title: str
    hint: str
    suffix: str
    formats: list[BlockFormat]


class FormatWords(BaseModel):
    """A format's words."""

    title: str
    hint: str


class Knowledge(BaseModel):
    """What the application knows: the tables behind its forms."""

    roles: dict[Role, RoleWords]
    formats: dict[BlockFormat, FormatWords]
    sizes: list[int]
    steps: list[StepInfo]


class GameView(BaseModel):
    """Where the sample game's room is served."""

    address: str
    folder: str


def knowledge() -> Knowledge:
    """Return the tables of core as the front end needs them."""
    return Knowledge(
        roles={
            role: RoleWords(title=i.title, hint=i.hint, suffix=i.suffix, formats=list(i.formats))
            for role, i in ROLES.items()
        },
        formats={f: FormatWords(title=i.title, hint=i.hint) for f, i in FORMATS.items()},
        sizes=list(SIZES),
        steps=[
            StepInfo(
                name=s.name,
                title=s.title,
                hint=s.hint,
                roles=sorted(s.roles),
                parameters=s.params.model_json_schema(),
                family=s.family,
                moves=s.geometry is not None,
            )
            for s in STEPS.values()
        ],
    )


def register(app: OpenAPI, ws: Workspace) -> None:
    """Add the routes."""

    @app.get("/api/knowledge", responses={200: Knowledge})
    def get_knowledge() -> Response:
        return model(knowledge())

    @app.get("/api/projects", responses={200: ProjectList})
    def list_projects() -> Response:
        return models(list(projects.listed(ws)))

    @app.post("/api/projects", responses={200: ProjectView})
    def start_project(body: NewProject) -> Response:
        folder = Path(body.game_folder).expanduser() if body.game_folder else None
        return model(projects.create(ws, body.title, folder))

    @app.get("/api/projects/<project_id>", responses={200: ProjectView})
    def get_project(path: ProjectPath) -> Response:
        return model(projects.get(ws, path.project_id))

    @app.put("/api/projects/<project_id>/density", responses={200: ProjectView})
    def set_density(path: ProjectPath, body: Density) -> Response:
        return model(projects.set_density(ws, path.project_id, body.texels_per_metre))

    @app.get("/api/projects/<project_id>/game-names", responses={200: NameList})
    def list_game_names(path: ProjectPath) -> Response:
        return models(projects.game_names(ws, path.project_id))

    @app.post("/api/projects/<project_id>/game", responses={200: GameView})
    def start_game(path: ProjectPath) -> Response:
        folder = projects.game_folder(projects.get(ws, path.project_id))
        return model(GameView(address=ws.game.address(folder), folder=str(folder)))
