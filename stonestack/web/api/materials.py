"""Materials: list and change them."""

from __future__ import annotations

from flask import Response
from flask_openapi3.openapi import OpenAPI
from pydantic import BaseModel, RootModel

from stonestack.core.document.materials import Material
from stonestack.services.documents import materials
from stonestack.services.documents.materials import MaterialSummary, MaterialView
from stonestack.services.workspace import Workspace
from stonestack.web.answers import model, models
from stonestack.web.api.projects import ProjectPath


class MaterialPath(BaseModel):
    """Names a material."""

    material_id: str


class MaterialList(RootModel[list[MaterialSummary]]):
    """A project's materials."""


class MaterialChange(BaseModel):
    """A material's parameters, and the revision they were changed on."""

    base: int
    document: Material


def register(app: OpenAPI, ws: Workspace) -> None:
    """Add the routes."""

    @app.get("/api/projects/<project_id>/materials", responses={200: MaterialList})
    def list_materials(path: ProjectPath) -> Response:
        return models(list(materials.listed(ws, path.project_id)))

    @app.get("/api/materials/<material_id>", responses={200: MaterialView})
    def get_material(path: MaterialPath) -> Response:
        return model(materials.get(ws, path.material_id))

    @app.put("/api/materials/<material_id>", responses={200: MaterialView})
    def change_material(path: MaterialPath, body: MaterialChange) -> Response:
        return model(materials.change(ws, path.material_id, body.base, body.document))
