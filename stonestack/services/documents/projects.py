"""Projects: one game's texture work, its settings, and the game folder it goes to."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from pydantic import BaseModel
from sqlmodel import Session, col, select

from stonestack.core.document import rebuilt
from stonestack.core.document.project import Settings
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.roles import Role
from stonestack.core.tables.targets import TARGETS, Target, recognised, target_of
from stonestack.services.documents import history
from stonestack.services.workspace import Workspace
from stonestack.store import reach
from stonestack.store.tables import DocumentRow, ProjectRow, now

_LOOKED_AT = 2000
"""Most names of a folder's first two levels that are read to tell which game it is."""


class ProjectView(BaseModel):
    """A project as the screen sees it.

    ``target`` is the first of ``targets``: the one that is shown.
    """

    id: str
    revision: int
    title: str
    target: Target
    targets: list[Target]
    game_folder: str | None
    put_into: str
    texels_per_metre: int
    settings: Settings
    undo: str | None = None
    redo: str | None = None


def _view(session: Session, row: DocumentRow, settings: Settings) -> ProjectView:
    undo, redo = history.neighbours(session, row)
    targets = [target_of(name) for name in settings.targets]
    return ProjectView(
        id=row.id,
        revision=row.head,
        title=settings.title,
        target=targets[0],
        targets=targets,
        game_folder=settings.game_folder,
        put_into=settings.put_into,
        texels_per_metre=settings.texels_per_metre,
        settings=settings,
        undo=undo,
        redo=redo,
    )


def settings_of(session: Session, project_id: str) -> Settings:
    """Return a project's settings."""
    return history.read(session, history.SETTINGS, project_id)


def listed(ws: Workspace) -> list[ProjectView]:
    """Return all projects, oldest first."""
    with ws.session() as session:
        rows = session.exec(
            select(DocumentRow)
            .where(DocumentRow.kind == history.SETTINGS.name)
            .order_by(col(DocumentRow.created))
        ).all()
        bodies = history.bodies(session, history.SETTINGS, rows)
        return [
            _view(session, row, body)
            for row in rows
            if isinstance(body := bodies[row.id], Settings)
        ]


def get(ws: Workspace, project_id: str) -> ProjectView:
    """Return one project."""
    with ws.session() as session:
        row = history.row_of(session, history.SETTINGS, project_id)
        return _view(session, row, history.body_of(session, history.SETTINGS, row))


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


def fitting(game_folder: Path | None) -> Target:
    """Return the target that fits a folder: the game whose marks it holds, or the plain one."""
    if game_folder is None:
        return next(iter(TARGETS.values())) if len(TARGETS) == 1 else TARGETS["saltglass"]
    names: set[str] = set()
    for path in [*sorted(game_folder.glob("*")), *sorted(game_folder.glob("*/*"))][:_LOOKED_AT]:
        names.add(path.relative_to(game_folder).as_posix())
    return recognised(names)


def create(
    ws: Workspace, title: str, game_folder: Path | None, target: str | None = None
) -> ProjectView:
    """Make a project.

    Parameters
    ----------
    target : str, optional
        What the game demands; where it is not said, the folder tells.

    Raises
    ------
    BadRequest
        If the game folder is not there, or holds our own data or lies in it, or there is no such
        target.
    """
    if game_folder is not None and not game_folder.is_dir():
        raise BadRequest("no-folder", f"{game_folder} is not a folder.", "Choose another one.")
    if game_folder is not None:
        reach.refuse_own(game_folder, ws.data.root)
    chosen = target_of(target) if target else fitting(game_folder)
    settings = history.validated(
        lambda: Settings(
            title=title,
            targets=(chosen.name,),
            game_folder=str(game_folder.resolve()) if game_folder else None,
        )
    )
    with ws.writing() as session:
        project = ProjectRow(created=now())
        session.add(project)
        session.flush()
        action = history.acted(session, project.id, "Started")
        history.begin(
            session, history.SETTINGS, project.id, settings, action, document_id=project.id
        )
    return get(ws, project.id)


def change(ws: Workspace, project_id: str, base: int, settings: Settings) -> ProjectView:
    """Change a project's settings.

    Raises
    ------
    Conflict
        If they were changed elsewhere meanwhile.
    BadRequest
        If a target is not known.
    """
    return _changed(ws, project_id, base, lambda _: settings)


def adjust(ws: Workspace, project_id: str, **changes: object) -> ProjectView:
    """Change some of a project's settings, whatever the others are meanwhile."""
    return _changed(ws, project_id, None, lambda before: rebuilt(before, **changes))


def _changed(
    ws: Workspace, project_id: str, base: int | None, made: Callable[[Settings], Settings]
) -> ProjectView:
    with ws.writing() as session:
        row = history.row_of(session, history.SETTINGS, project_id)
        before = history.body_of(session, history.SETTINGS, row)
        after = history.validated(lambda: made(before))
        for name in after.targets:
            target_of(name)
        if after.game_folder is not None and after.game_folder != before.game_folder:
            reach.refuse_own(Path(after.game_folder), ws.data.root)
        changes = [history.Change(row, after, base)]
        history.change(session, _words(before, after), changes)
    return get(ws, project_id)


def _words(before: Settings, after: Settings) -> str:
    if before.title != after.title:
        return f"Project renamed to {after.title}"
    if before.targets != after.targets:
        return f"For {', '.join(target_of(name).title for name in after.targets)}"
    if before.texels_per_metre != after.texels_per_metre:
        return f"{after.texels_per_metre} texels a metre"
    if before.put_into != after.put_into:
        return f"Files go into {after.put_into or 'the game folder itself'}"
    if before.presets != after.presets:
        kept = {preset.title for preset in before.presets}
        new = [preset.title for preset in after.presets if preset.title not in kept]
        return f"Preset {new[0]} kept" if new else "Presets changed"
    return "Game folder changed"


def folders(ws: Workspace, project_id: str) -> list[str]:
    """Return the folders inside a project's game, as far as a first look finds them."""
    root = game_folder(get(ws, project_id))
    found: list[str] = []
    level = [root]
    while level and len(found) < _LOOKED_AT:
        below = [each for folder in level for each in sorted(folder.glob("*/"))]
        found += [folder.relative_to(root).as_posix() for folder in below]
        level = below
    return sorted(found[:_LOOKED_AT])


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


def texture_names(target: Target, folder: str | None) -> frozenset[str]:
    """Return the texture names that a game looks up, as far as its own files tell."""
    if folder is None or not target.own_textures:
        return frozenset()
    own = Path(folder) / Path(target.own_textures).parent
    suffix = Path(target.own_textures).suffix
    return frozenset(path.stem for path in own.glob(f"*{suffix}"))


def game_names(ws: Workspace, project_id: str) -> list[str]:
    """Return the surface names that the game looks up: its textures less their suffixes."""
    project = get(ws, project_id)
    suffixes = tuple(project.target.suffix_of(role) for role in Role)
    names = {
        name[: -len(suffix)]
        for name in texture_names(project.target, project.game_folder)
        for suffix in suffixes
        if name.endswith(suffix)
    }
    return sorted(names)
