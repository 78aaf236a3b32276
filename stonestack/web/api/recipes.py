"""Recipes: copied from a map, put out, brought in, used on many surfaces; and strokes."""

from __future__ import annotations

from flask import Response
from flask_openapi3.openapi import OpenAPI
from pydantic import BaseModel, Field

from stonestack.core.document.recipe import Recipe
from stonestack.core.kinds.references import StrokesRef
from stonestack.core.steps.lettering import Font, proportion_of
from stonestack.core.steps.masks.strokes import Stroke
from stonestack.core.tables.roles import Role
from stonestack.services.documents import recipes, strokes
from stonestack.services.workspace import Workspace
from stonestack.web.answers import model
from stonestack.web.api.projects import ProjectPath
from stonestack.web.api.sources import Upload


class MapPath(BaseModel):
    """Names a map of a surface."""

    surface_id: str
    map_id: str


class PutOnMany(BaseModel):
    """A recipe, and the surfaces whose map of a role it comes on."""

    recipe: Recipe
    surfaces: list[str] = Field(min_length=1, max_length=2000)
    role: Role
    instead: bool = False


class PutOn(BaseModel):
    """How many surfaces have a recipe now."""

    count: int


class AddStroke(BaseModel):
    """A stroke, and the drawing that it is added to; none to begin one."""

    before: str | None = None
    stroke: Stroke | None = None


class Words(BaseModel):
    """Words, and what they are written in."""

    text: str = Field(min_length=1, max_length=200)
    font: Font


class Proportion(BaseModel):
    """The height of words, a share of their width."""

    height: float


def register(app: OpenAPI, ws: Workspace) -> None:
    """Add the routes."""

    @app.get("/api/surfaces/<surface_id>/maps/<map_id>/recipe", responses={200: Recipe})
    def take_recipe(path: MapPath) -> Response:
        return model(recipes.taken(ws, path.surface_id, path.map_id))

    @app.post("/api/recipe-files")
    def put_recipe_out(body: Recipe) -> Response:
        return Response(recipes.put_out(ws, body), mimetype="application/json")

    @app.post("/api/projects/<project_id>/recipes", responses={200: Recipe})
    def bring_recipe(path: ProjectPath, form: Upload) -> Response:
        return model(recipes.bring(ws, form.file.read()))

    @app.post("/api/projects/<project_id>/put-recipe", responses={200: PutOn})
    def put_recipe_on(path: ProjectPath, body: PutOnMany) -> Response:
        count = recipes.put_on_many(
            ws, path.project_id, body.recipe, body.surfaces, body.role, body.instead
        )
        return model(PutOn(count=count))

    @app.get("/api/lettering", responses={200: Proportion})
    def measure_lettering(query: Words) -> Response:
        return model(Proportion(height=proportion_of(query.text, query.font)))

    @app.post("/api/strokes", responses={200: StrokesRef})
    def add_stroke(body: AddStroke) -> Response:
        return model(strokes.added(ws, body.before, body.stroke))
