"""Surfaces: list, start, edit, undo, redo, preview; and the one press that delivers."""

from __future__ import annotations

import time
from functools import partial

from flask import Response
from flask_openapi3.openapi import OpenAPI
from pydantic import BaseModel, Field, RootModel

from stonestack.core.document import Stage
from stonestack.core.document.edits import Edit
from stonestack.core.files.workfiles.passing import WorkKind
from stonestack.core.kinds.references import SourceRef
from stonestack.core.picture.measures.histogram import Histogram
from stonestack.core.raw.frame import Straightened
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Proposal
from stonestack.services.delivery import deliveries
from stonestack.services.documents import shaping, surfaces
from stonestack.services.documents.shaping import FrameProposal
from stonestack.services.documents.surfaces import RevisionKeys, SurfaceSummary, SurfaceView
from stonestack.services.editor import working
from stonestack.services.editor.working import WorkfileView
from stonestack.services.jobs import JobView
from stonestack.services.making import checking, judging
from stonestack.services.making import progress as making
from stonestack.services.making.checking import Checked
from stonestack.services.making.judging import Differences, Inside
from stonestack.services.making.progress import MakingView
from stonestack.services.workspace import Workspace
from stonestack.web.answers import model, models
from stonestack.web.api.documents import BaseRequest
from stonestack.web.api.projects import ProjectPath

KEY_HEADER = "X-Stone-Key"


class SurfacePath(BaseModel):
    """Names a surface."""

    surface_id: str


class SurfaceList(RootModel[list[SurfaceSummary]]):
    """A project's surfaces."""


class NewSurface(BaseModel):
    """What a new surface needs."""

    title: str = Field(min_length=1, max_length=80)
    name: str = Field(min_length=1, max_length=63)


class EditRequest(BaseModel):
    """An edit, and the revision it was made on."""

    base: int
    edit: Edit


class PreviewRequest(BaseModel):
    """A look at an edit that is not made yet."""

    edit: Edit
    map: str
    stage: Stage
    longest: int | None = Field(None, ge=64, le=2048)


class PreviewKey(BaseModel):
    """The key under which a preview is rendered."""

    key: str | None


class MapQuery(BaseModel):
    """Which map is meant."""

    map: str


class RoleRequest(BaseModel):
    """The map of which role is meant."""

    role: Role


class StepQuery(MapQuery):
    """Which step of a map is meant."""

    step: str


class InsideQuery(StepQuery):
    """Which mask it should lie inside."""

    mask: str


class FreezeRequest(BaseRequest):
    """Which map's result is kept."""

    map: str


class ProposalList(RootModel[list[Proposal]]):
    """Sizes for a map, the one that loses least first."""


class RevisionPath(SurfacePath):
    """Names a revision of a surface."""

    number: int


class StatesQuery(BaseModel):
    """Two states of a surface; 0 is the present one."""

    before: int = Field(ge=0)
    after: int = Field(0, ge=0)


class Changed(BaseModel):
    """What one state has that another has not, a line a thing."""

    lines: list[str]


class WorkfilePath(BaseModel):
    """Names a working file."""

    workfile_id: str


class NewWorkfile(BaseModel):
    """What is put out, and how."""

    map: str
    stage: Stage = Stage.SIZE
    kind: WorkKind = WorkKind.ORA


class Mend(BaseModel):
    """Which troubles to mend."""

    codes: list[str]


class WorkfileList(RootModel[list[WorkfileView]]):
    """A surface's working files, newest first."""


def register(app: OpenAPI, ws: Workspace) -> None:
    """Add the routes."""

    @app.get("/api/projects/<project_id>/surfaces", responses={200: SurfaceList})
    def list_surfaces(path: ProjectPath) -> Response:
        return models(list(surfaces.listed(ws, path.project_id)))

    @app.post("/api/projects/<project_id>/surfaces", responses={200: SurfaceView})
    def start_surface(path: ProjectPath, body: NewSurface) -> Response:
        return model(surfaces.create(ws, path.project_id, body.title, body.name))

    @app.get("/api/surfaces/<surface_id>", responses={200: SurfaceView})
    def get_surface(path: SurfacePath) -> Response:
        return model(surfaces.get(ws, path.surface_id))

    @app.post("/api/surfaces/<surface_id>/edits", responses={200: SurfaceView})
    def edit_surface(path: SurfacePath, body: EditRequest) -> Response:
        return model(surfaces.edit(ws, path.surface_id, body.base, body.edit))

    @app.post("/api/surfaces/<surface_id>/undo", responses={200: SurfaceView})
    def undo_surface(path: SurfacePath, body: BaseRequest) -> Response:
        return model(surfaces.undo(ws, path.surface_id, body.base))

    @app.post("/api/surfaces/<surface_id>/redo", responses={200: SurfaceView})
    def redo_surface(path: SurfacePath, body: BaseRequest) -> Response:
        return model(surfaces.redo(ws, path.surface_id, body.base))

    @app.post("/api/surfaces/<surface_id>/freeze", responses={200: SurfaceView})
    def freeze_map(path: SurfacePath, body: FreezeRequest) -> Response:
        return model(surfaces.freeze(ws, path.surface_id, body.base, body.map))

    @app.post("/api/surfaces/<surface_id>/preview", responses={200: PreviewKey})
    def preview_surface(path: SurfacePath, body: PreviewRequest) -> Response:
        key = surfaces.preview(ws, path.surface_id, body.edit, body.map, body.stage, body.longest)
        return model(PreviewKey(key=key))

    @app.post("/api/surfaces/<surface_id>/look")
    def look_at_surface(path: SurfacePath, body: PreviewRequest) -> Response:
        began = time.perf_counter()
        key = surfaces.preview(ws, path.surface_id, body.edit, body.map, body.stage, body.longest)
        if key is None:
            return Response(status=204)
        with ws.renderer.asked(key):
            data = ws.renderer.texels(key)
        took = (time.perf_counter() - began) * 1e3
        heads = {KEY_HEADER: key, "Server-Timing": f"look;dur={took:.1f}"}
        return Response(data, mimetype="image/ktx2", headers=heads)

    @app.get("/api/surfaces/<surface_id>/sizes", responses={200: ProposalList})
    def propose_sizes(path: SurfacePath, query: MapQuery) -> Response:
        return models(list(shaping.propose_sizes(ws, path.surface_id, query.map)))

    @app.get("/api/surfaces/<surface_id>/frame", responses={200: FrameProposal})
    def propose_frame(path: SurfacePath, query: MapQuery) -> Response:
        return model(shaping.propose_frame(ws, path.surface_id, query.map))

    @app.get("/api/surfaces/<surface_id>/corners", responses={200: FrameProposal})
    def propose_corners(path: SurfacePath, query: MapQuery) -> Response:
        return model(shaping.propose_corners(ws, path.surface_id, query.map))

    @app.get("/api/surfaces/<surface_id>/straightened", responses={200: Straightened})
    def get_straightened(path: SurfacePath, query: MapQuery) -> Response:
        return model(shaping.straightened(ws, path.surface_id, query.map))

    @app.get("/api/surfaces/<surface_id>/light", responses={200: PreviewKey})
    def get_light(path: SurfacePath, query: MapQuery) -> Response:
        return model(PreviewKey(key=shaping.light_field(ws, path.surface_id, query.map)))

    @app.get("/api/surfaces/<surface_id>/ways", responses={200: PreviewKey})
    def get_ways(path: SurfacePath, query: MapQuery) -> Response:
        return model(PreviewKey(key=shaping.try_ways(ws, path.surface_id, query.map)))

    @app.get("/api/surfaces/<surface_id>/advice", responses={200: PreviewKey})
    def get_advice(path: SurfacePath, query: MapQuery) -> Response:
        return model(PreviewKey(key=surfaces.advice(ws, path.surface_id, query.map)))

    @app.get("/api/surfaces/<surface_id>/histogram", responses={200: Histogram})
    def get_histogram(path: SurfacePath, query: StepQuery) -> Response:
        return model(judging.histogram(ws, path.surface_id, query.map, query.step))

    @app.get("/api/surfaces/<surface_id>/inside", responses={200: Inside})
    def get_inside(path: SurfacePath, query: InsideQuery) -> Response:
        return model(judging.inside(ws, path.surface_id, query.map, query.step, query.mask))

    @app.get("/api/surfaces/<surface_id>/differences", responses={200: Differences})
    def get_differences(path: SurfacePath, query: StepQuery) -> Response:
        return model(judging.differences(ws, path.surface_id, query.map, query.step))

    @app.get("/api/surfaces/<surface_id>/checks", responses={200: Checked})
    def check_surface(path: SurfacePath) -> Response:
        return model(checking.checked(ws, path.surface_id))

    @app.post("/api/surfaces/<surface_id>/kept-tile", responses={200: SourceRef})
    def keep_tile(path: SurfacePath, body: RoleRequest) -> Response:
        return model(surfaces.keep_tile(ws, path.surface_id, body.role))

    @app.get("/api/surfaces/<surface_id>/making", responses={200: MakingView})
    def get_making(path: SurfacePath) -> Response:
        return model(making.get(ws, path.surface_id))

    @app.delete("/api/surfaces/<surface_id>/making", responses={200: MakingView})
    def stop_making(path: SurfacePath) -> Response:
        return model(making.stop(ws, path.surface_id))

    @app.post("/api/surfaces/<surface_id>/making", responses={200: MakingView})
    def go_on_making(path: SurfacePath) -> Response:
        return model(making.go_on(ws, path.surface_id))

    @app.post("/api/surfaces/<surface_id>/deliver", responses={200: JobView})
    def deliver_surface(path: SurfacePath) -> Response:
        delivery_id = deliveries.holding(ws, path.surface_id)
        return model(ws.jobs.start("Put in the game", partial(deliveries.deliver, ws, delivery_id)))

    @app.get("/api/surfaces/<surface_id>/workfiles", responses={200: WorkfileList})
    def list_workfiles(path: SurfacePath) -> Response:
        return models(list(working.listed(ws, path.surface_id)))

    @app.post("/api/surfaces/<surface_id>/workfiles", responses={200: WorkfileView})
    def put_out_workfile(path: SurfacePath, body: NewWorkfile) -> Response:
        return model(working.put_out(ws, path.surface_id, body.map, body.stage, body.kind))

    @app.post("/api/workfiles/<workfile_id>/mend", responses={200: WorkfileView})
    def mend_workfile(path: WorkfilePath, body: Mend) -> Response:
        return model(working.mend(ws, path.workfile_id, body.codes))

    @app.get("/api/surfaces/<surface_id>/revisions/<int:number>", responses={200: RevisionKeys})
    def get_revision(path: RevisionPath) -> Response:
        return model(surfaces.revision_keys(ws, path.surface_id, path.number))

    @app.get("/api/surfaces/<surface_id>/changed", responses={200: Changed})
    def list_changed(path: SurfacePath, query: StatesQuery) -> Response:
        lines = surfaces.changed(ws, path.surface_id, query.before, query.after)
        return model(Changed(lines=lines))
