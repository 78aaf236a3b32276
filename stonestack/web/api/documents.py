"""Whatever has a history: undo, redo, looking back, and names for what was.

Surfaces are undone by routes of their own, which answer with the surface.
"""

from __future__ import annotations

from flask import Response
from flask_openapi3.openapi import OpenAPI
from pydantic import BaseModel, Field, RootModel

from stonestack.services.documents import revisions
from stonestack.services.documents.history import Moved
from stonestack.services.documents.revisions import ActionView, RevisionView
from stonestack.services.workspace import Workspace
from stonestack.web.answers import model, models
from stonestack.web.api.projects import ProjectPath


class DocumentPath(BaseModel):
    """Names a document."""

    document_id: str


class BaseRequest(BaseModel):
    """Undo or redo, and the revision it was asked on."""

    base: int


class TakeBackRequest(BaseModel):
    """Which revision to take back, and the revision it was asked on."""

    base: int
    number: int


class Named(BaseModel):
    """A name for a revision."""

    number: int
    title: str = Field(min_length=1, max_length=80)


class TitleQuery(BaseModel):
    """A name that a revision has."""

    title: str


class History(RootModel[list[RevisionView]]):
    """The revisions of a document, newest first."""


class ActionList(RootModel[list[ActionView]]):
    """What was done in a project, newest first."""


def register(app: OpenAPI, ws: Workspace) -> None:
    """Add the routes."""

    @app.get("/api/projects/<project_id>/actions", responses={200: ActionList})
    def list_actions(path: ProjectPath) -> Response:
        return models(list(revisions.actions(ws, path.project_id)))

    @app.get("/api/documents/<document_id>/history", responses={200: History})
    def list_history(path: DocumentPath) -> Response:
        return models(list(revisions.listed(ws, path.document_id)))

    @app.post("/api/documents/<document_id>/undo", responses={200: Moved})
    def undo_document(path: DocumentPath, body: BaseRequest) -> Response:
        return model(revisions.undo(ws, path.document_id, body.base))

    @app.post("/api/documents/<document_id>/redo", responses={200: Moved})
    def redo_document(path: DocumentPath, body: BaseRequest) -> Response:
        return model(revisions.redo(ws, path.document_id, body.base))

    @app.post("/api/documents/<document_id>/take-back", responses={200: Moved})
    def take_back(path: DocumentPath, body: TakeBackRequest) -> Response:
        return model(revisions.take_back(ws, path.document_id, body.base, body.number))

    @app.post("/api/documents/<document_id>/snapshots", responses={200: History})
    def name_revision(path: DocumentPath, body: Named) -> Response:
        return models(list(revisions.name(ws, path.document_id, body.number, body.title)))

    @app.delete("/api/documents/<document_id>/snapshots", responses={200: History})
    def forget_name(path: DocumentPath, query: TitleQuery) -> Response:
        return models(list(revisions.forget_name(ws, path.document_id, query.title)))
