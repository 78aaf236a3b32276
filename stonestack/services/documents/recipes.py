"""Recipes in a project: taken from a map, put out, brought in, and used on many surfaces."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from stonestack.core.document import Surface, recipes
from stonestack.core.document.recipe import Recipe
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.roles import Role
from stonestack.services.documents import history
from stonestack.services.documents.history import SURFACE
from stonestack.services.workspace import Workspace


def taken(ws: Workspace, surface_id: str, map_id: str) -> Recipe:
    """Return what is done to a map's look.

    Raises
    ------
    BadRequest
        If nothing is.
    """
    with ws.session() as session:
        surface = history.read(session, SURFACE, surface_id)
    return recipes.taken(surface, map_id, f"{surface.title}, {surface.map(map_id).title.lower()}")


def put_out(ws: Workspace, recipe: Recipe) -> bytes:
    """Return a recipe as a file, with all that it needs inside.

    Raises
    ------
    BadRequest
        If something that it needs is not kept here.
    """
    return recipes.written(recipe, ws.files.read)


def bring(ws: Workspace, data: bytes) -> Recipe:
    """Read a recipe's file, and keep what it needs.

    Raises
    ------
    BadRequest
        If it cannot be read, or is not whole.
    """
    recipe, files = recipes.read_recipe(data)
    recipes.check_whole(recipe, files)
    for content in files.values():
        ws.files.keep(content)
    return recipe


def put_on_many(
    ws: Workspace,
    project_id: str,
    recipe: Recipe,
    surface_ids: Sequence[str],
    role: Role,
    instead: bool,
) -> int:
    """Put a recipe on a map of several surfaces, as one action; all or none.

    Returns
    -------
    int
        How many surfaces have it now.

    Raises
    ------
    BadRequest
        If a surface has no such map, or the recipe does not suit it.
    """
    with ws.writing() as session:
        changes = []
        for surface_id in dict.fromkeys(surface_ids):
            row = history.row_of(session, SURFACE, surface_id)
            if row.project_id != project_id:
                raise BadRequest(
                    "other-project", "A surface is of another project.", "Choose again."
                )
            before = history.body_of(session, SURFACE, row)
            after = history.validated(partial(_put, before, recipe, role, instead))
            changes.append(history.Change(row, after))
        if changes:
            count = len(changes)
            words = f"Recipe {recipe.title} on {count} surface{'' if count == 1 else 's'}"
            history.change(session, words, changes)
    return len(changes)


def _put(surface: Surface, recipe: Recipe, role: Role, instead: bool) -> Surface:
    m = surface.of_role(role)
    if m is None:
        title = role.info.title.lower()
        raise BadRequest(
            "no-such-map",
            f"{surface.title} has no {title}.",
            f"Leave it out, or add {title} to it first.",
        )
    return recipes.put_on(surface, m.id, recipe, instead)
