"""Projects: one game's texture work, and the game folder it goes to."""

from __future__ import annotations

from pathlib import Path

from pydantic import BaseModel
from sqlmodel import col, select

from stonestack.core.errors import BadRequest
from stonestack.core.roles import ROLES
from stonestack.core.targets import TARGETS, Target
from stonestack.services.workspace import Workspace, must
from stonestack.store.tables import ProjectRow


class ProjectView(BaseModel):
    """A project as the screen sees it."""

    id: str
    title: str
    target: Target
    game_folder: str | None
    texels_per_metre: int


def view(row: ProjectRow) -> ProjectView:
    """Return a row as the screen sees it."""
    return ProjectView(
        id=row.id,
        title=row.title,
        target=TARGETS[row.target],
        game_folder=row.game_folder,
        texels_per_metre=row.texels_per_metre,
    )


def listed(ws: Workspace) -> list[ProjectView]:
    """Return all projects, oldest first."""
    with ws.session() as session:
        return [
            view(row) for row in session.exec(select(ProjectRow).order_by(col(ProjectRow.created)))
        ]


def get(ws: Workspace, project_id: str) -> ProjectView:
    """Return one project."""
    with ws.session() as session:
        return view(must(session, ProjectRow, project_id, "project"))


def found(ws: Workspace, name: str) -> ProjectView:
    """Return the project with this id or title.

    Raises
    ------
    BadRequest
        If there is none, or several have the title.
    """
    hits = [p for p in listed(ws) if name in (p.id, p.title)]
    if len(hits) != 1:
        known = ", ".join(f"{p.title} ({p.id})" for p in listed(ws)) or "none yet"
        raise BadRequest(
            "which-project",
            f"There {'is no project' if not hits else 'are several projects'} called “{name}”.",
            f"Name one by its id. Projects here: {known}.",
        )
    return hits[0]


def create(ws: Workspace, title: str, game_folder: Path | None) -> ProjectView:
    """Make a project for the sample game.

    Raises
    ------
    BadRequest
        If the game folder is not there.
    """
    if game_folder is not None and not game_folder.is_dir():
        raise BadRequest("no-folder", f"{game_folder} is not a folder.", "Choose another one.")
    with ws.session() as session:
        row = ProjectRow(
            title=title,
            target="saltglass",
            game_folder=str(game_folder.resolve()) if game_folder else None,
        )
        session.add(row)
        session.flush()
        return view(row)


def set_density(ws: Workspace, project_id: str, texels_per_metre: int) -> ProjectView:
    """Say how many texels a metre of the project's surfaces has."""
    with ws.session() as session:
        row = must(session, ProjectRow, project_id, "project")
        row.texels_per_metre = texels_per_metre
        session.add(row)
        session.flush()
        return view(row)


def game_folder(project: ProjectView) -> Path:
    """Return the registered game folder.

    Raises
    ------
    BadRequest
        If none is registered, or it has moved.
    """
    if project.game_folder is None:
        raise BadRequest(
            "no-game-folder", "No game folder is registered.", "Register one for the project."
        )
    folder = Path(project.game_folder)
    if not folder.is_dir():
        raise BadRequest(
            "game-folder-gone",
            f"The game folder {folder} is not there.",
            "Put it back, or point the project to its new place.",
        )
    return folder


def game_names(ws: Workspace, project_id: str) -> list[str]:
    """Return the surface names that the game looks up: its textures less their suffixes."""
    project = get(ws, project_id)
    if project.game_folder is None:
        return []
    textures = Path(project.game_folder) / "base" / project.target.textures
    suffixes = tuple(info.suffix for info in ROLES.values())
    names = {
        path.stem[: -len(suffix)]
        for path in textures.glob("*.dds")
        for suffix in suffixes
        if path.stem.endswith(suffix)
    }
    return sorted(names)
