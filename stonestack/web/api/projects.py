"""Projects, what the application knows, and the sample game."""

from __future__ import annotations

from enum import StrEnum
from functools import cache

from flask import Response
from flask_openapi3.openapi import OpenAPI
from pydantic import BaseModel, Field, RootModel

from stonestack.core.document import Mask, MaskPart, Output, Step
from stonestack.core.document.materials import Material
from stonestack.core.document.project import Settings
from stonestack.core.files.blocks.formats import FORMATS, BlockFormat, Shown
from stonestack.core.files.blocks.quality import QUALITIES, Quality
from stonestack.core.kinds.references import MapRef, MaskRef, SourceRef, StrokesRef, fields_read
from stonestack.core.kinds.step import Group
from stonestack.core.picture.image import Space
from stonestack.core.picture.mips import FILTERS, MipFilter
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps import STEPS
from stonestack.core.steps.masks import MASKS
from stonestack.core.tables.matters import MATTERS, Matter
from stonestack.core.tables.roles import ROLES, Role
from stonestack.core.tables.sizing import SIZES, Size
from stonestack.core.tables.targets import TARGETS, Target
from stonestack.services.documents import projects
from stonestack.services.documents.projects import ProjectView
from stonestack.services.making import preparing
from stonestack.services.making.preparing import Preparing
from stonestack.services.workspace import Workspace
from stonestack.web.answers import model, models
from stonestack.web.asked import Place, path_of


class ProjectPath(BaseModel):
    """Names a project."""

    project_id: str


class ProjectList(RootModel[list[ProjectView]]):
    """All projects."""


class NewProject(BaseModel):
    """What a new project needs; without a target, the folder tells which game it is."""

    title: str = Field(min_length=1, max_length=80)
    game_folder: Place | None = None
    target: str | None = None


class FolderQuery(BaseModel):
    """A game folder."""

    folder: Place


class SettingsChange(BaseModel):
    """A project's settings, and the revision they were changed on."""

    base: int
    settings: Settings


class Density(BaseModel):
    """How many texels a metre of a project's surfaces has."""

    texels_per_metre: int = Field(ge=8, le=16384)


class PutInto(BaseModel):
    """The folder inside the game where loose files go; empty for the game folder itself."""

    folder: Place = Field(max_length=400)


class TargetNames(BaseModel):
    """The targets that a project is for; the first is the one that is shown."""

    targets: list[str] = Field(min_length=1, max_length=8)


class FolderList(RootModel[list[str]]):
    """Folders inside the game, with forward slashes."""


class NameList(RootModel[list[str]]):
    """Names that the game looks up."""


class Read(StrEnum):
    """What a parameter names that is read besides."""

    MAP = "map"
    MASK = "mask"
    PICTURE = "picture"
    STROKES = "strokes"


_READ = {
    MapRef: Read.MAP,
    MaskRef: Read.MASK,
    SourceRef: Read.PICTURE,
    StrokesRef: Read.STROKES,
}


def reads(params: type[BaseModel]) -> dict[str, Read]:
    """Return what the parameters of a step or a mask name, by field."""
    return {name: _READ[kind] for name, kind in fields_read(params).items()}


class StepInfo(BaseModel):
    """A kind of step: its words, and its parameters as a JSON schema."""

    name: str
    title: str
    hint: str
    roles: list[Role]
    parameters: dict[str, object]
    family: str
    group: Group
    reads: dict[str, Read]
    reads_roles: list[Role]
    moves: bool
    mixes: bool
    makes: list[Role]


class RoleWords(BaseModel):
    """What follows from a role, for the screen; in the order of the course sheet."""

    title: str
    hint: str
    space: Space
    light: str
    tinted: bool
    derived: str | None


class FormatWords(BaseModel):
    """A format's words, and what the GPU takes of it."""

    title: str
    hint: str
    channels: int
    keeps: int
    gpu: int
    gpu_holes: int
    gpu_extension: str
    shown: Shown


class Words(BaseModel):
    """What one of a few is called, and a line about it."""

    title: str
    hint: str


class MatterWords(BaseModel):
    """What a matter is called."""

    title: str


class MaskInfo(BaseModel):
    """A kind of mask: its words, and its parameters as a JSON schema."""

    name: str
    title: str
    hint: str
    parameters: dict[str, object]
    reads: dict[str, Read]


class Knowledge(BaseModel):
    """What the application knows: the tables behind its forms."""

    roles: dict[Role, RoleWords]
    formats: dict[BlockFormat, FormatWords]
    qualities: dict[Quality, Words]
    filters: dict[MipFilter, Words]
    sizes: list[int]
    steps: list[StepInfo]
    masks: list[MaskInfo]
    targets: list[Target]
    matters: dict[Matter, MatterWords]
    forms: dict[str, dict[str, object]]


class GameView(BaseModel):
    """Where the sample game's room is served."""

    address: str
    folder: str


@cache
def knowledge() -> Knowledge:
    """Return the tables of core as the front end needs them; nothing in them ever changes."""
    return Knowledge(
        roles={
            role: RoleWords(
                title=i.title,
                hint=i.hint,
                space=i.space,
                light=i.light,
                tinted=i.tinted,
                derived=i.derived.source if i.derived else None,
            )
            for role, i in ROLES.items()
        },
        formats={
            f: FormatWords(
                title=i.title,
                hint=i.hint,
                channels=i.channels,
                keeps=i.keeps,
                gpu=i.gpu,
                gpu_holes=i.gpu_holes,
                gpu_extension=i.gpu_extension,
                shown=i.shown,
            )
            for f, i in FORMATS.items()
        },
        qualities={q: Words(title=title, hint=hint) for q, (title, hint) in QUALITIES.items()},
        filters={f: Words(title=title, hint=hint) for f, (title, hint) in FILTERS.items()},
        sizes=list(SIZES),
        steps=[
            StepInfo(
                name=s.name,
                title=s.title,
                hint=s.hint,
                roles=[role for role in Role if s.suits(role)],
                parameters=s.params.model_json_schema(),
                family=s.family,
                group=s.group,
                reads=reads(s.params),
                reads_roles=[role for role in Role if s.can_read(role)],
                moves=s.geometry is not None,
                mixes=s.mixes,
                makes=[role for role in Role if role in s.makes],
            )
            for s in STEPS.values()
        ],
        masks=[
            MaskInfo(
                name=m.name,
                title=m.title,
                hint=m.hint,
                parameters=m.params.model_json_schema(),
                reads=reads(m.params),
            )
            for m in MASKS.values()
        ],
        targets=list(TARGETS.values()),
        matters={matter: MatterWords(title=info.title) for matter, info in MATTERS.items()},
        forms={
            form.__name__: form.model_json_schema()
            for form in (Step, Material, Output, Size, Settings, Mask, MaskPart)
        },
    )


def register(app: OpenAPI, ws: Workspace) -> None:
    """Add the routes."""

    @app.get("/api/knowledge", responses={200: Knowledge})
    def get_knowledge() -> Response:
        return model(knowledge())

    @app.get("/api/preparing", responses={200: Preparing})
    def get_preparing() -> Response:
        return model(preparing.view(ws))

    @app.get("/api/projects", responses={200: ProjectList})
    def list_projects() -> Response:
        return models(list(projects.listed(ws)))

    @app.post("/api/projects", responses={200: ProjectView})
    def start_project(body: NewProject) -> Response:
        folder = path_of(body.game_folder) if body.game_folder else None
        return model(projects.create(ws, body.title, folder, body.target))

    @app.get("/api/projects/<project_id>", responses={200: ProjectView})
    def get_project(path: ProjectPath) -> Response:
        return model(projects.get(ws, path.project_id))

    @app.get("/api/target-of-folder", responses={200: Target})
    def target_of_folder(query: FolderQuery) -> Response:
        folder = path_of(query.folder)
        return model(projects.fitting(folder if folder.is_dir() else None))

    @app.put("/api/projects/<project_id>", responses={200: ProjectView})
    def change_project(path: ProjectPath, body: SettingsChange) -> Response:
        return model(projects.change(ws, path.project_id, body.base, body.settings))

    @app.put("/api/projects/<project_id>/density", responses={200: ProjectView})
    def set_density(path: ProjectPath, body: Density) -> Response:
        changed = projects.adjust(ws, path.project_id, texels_per_metre=body.texels_per_metre)
        return model(changed)

    @app.put("/api/projects/<project_id>/put-into", responses={200: ProjectView})
    def set_put_into(path: ProjectPath, body: PutInto) -> Response:
        return model(projects.adjust(ws, path.project_id, put_into=body.folder))

    @app.put("/api/projects/<project_id>/targets", responses={200: ProjectView})
    def set_targets(path: ProjectPath, body: TargetNames) -> Response:
        targets = tuple(dict.fromkeys(body.targets))
        return model(projects.adjust(ws, path.project_id, targets=targets))

    @app.get("/api/projects/<project_id>/folders", responses={200: FolderList})
    def list_folders(path: ProjectPath) -> Response:
        return models(projects.folders(ws, path.project_id))

    @app.get("/api/projects/<project_id>/game-names", responses={200: NameList})
    def list_game_names(path: ProjectPath) -> Response:
        return models(projects.game_names(ws, path.project_id))

    @app.post("/api/projects/<project_id>/game", responses={200: GameView})
    def start_game(path: ProjectPath) -> Response:
        project = projects.get(ws, path.project_id)
        if not project.target.room:
            raise BadRequest(
                "no-room",
                f"{project.target.title} has no room here.",
                "Start your own game and look there.",
            )
        folder = projects.game_folder(project)
        return model(GameView(address=ws.game.address(folder), folder=str(folder)))
