"""Which game folder a project goes to."""

from __future__ import annotations

from pathlib import Path

from sqlmodel import select

from stonestack.services.documents import projects
from stonestack.services.game.games import GameFolderView, move, register
from stonestack.services.workspace import Workspace
from stonestack.store.tables import GameRow


def point(ws: Workspace, project_id: str, root: Path, moved: bool) -> GameFolderView:
    """Point a project to a game folder: the same one at another place, or another one."""
    with ws.session() as session:
        settings = projects.settings_of(session, project_id)
        before = settings.game_folder
        known = session.exec(select(GameRow).where(GameRow.root == (before or ""))).first()
    view = move(ws, known.id, root) if moved and known is not None else register(ws, root)
    projects.adjust(ws, project_id, game_folder=view.root)
    return view
