"""Game folders: register them, point to them again, and know their version."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from pydantic import BaseModel
from sqlmodel import col, func, select

from stonestack.core.runtime.errors import BadRequest, Conflict, NotFound
from stonestack.services.workspace import Workspace, must
from stonestack.store import reach
from stonestack.store.door import door as the_door
from stonestack.store.tables import EntryRow, GameFileRow, GameRow

_VERSION_FILES = ("room.json", "version.json", "game.json", "version.txt", "VERSION")


class LeftOut(BaseModel):
    """Something of a game folder that its catalogue does not hold, and why."""

    path: str
    why: str


class GameFolderView(BaseModel):
    """A registered game folder as the screen sees it."""

    id: str
    root: str
    title: str
    version: str
    read: str | None
    there: bool
    entries: int
    loose: int
    containers: int
    left_out: list[LeftOut]


def usable(ws: Workspace, root: Path) -> Path:
    """Return a folder's whole path, if it can be a game folder.

    Raises
    ------
    BadRequest
        If it is no folder, or it holds Stone Stack's own data or lies in it, by any name.
    """
    try:
        root = root.expanduser().resolve()
        there = root.is_dir()
    except (OSError, RuntimeError, ValueError) as error:
        raise BadRequest(
            "no-folder", f"{root} cannot be looked up.", "Type the whole path of the folder."
        ) from error
    if not there:
        raise BadRequest(
            "no-folder", f"{root} is not a folder.", "Choose the folder that the game lies in."
        )
    reach.refuse_own(root, ws.data.root)
    return root


def register(ws: Workspace, root: Path) -> GameFolderView:
    """Register a folder; the same folder is registered once.

    Raises
    ------
    BadRequest
        If it is not a folder, or it holds Stone Stack's own data.
    """
    root = usable(ws, root)
    with ws.writing() as session:
        row = session.exec(select(GameRow).where(GameRow.root == str(root))).first()
        if row is None:
            row = GameRow(root=str(root), title=root.name, version=version_of(root))
            session.add(row)
            session.flush()
        return _view(ws, row)


def listed(ws: Workspace) -> list[GameFolderView]:
    """Return all registered folders, oldest first."""
    with ws.session() as session:
        rows = session.exec(
            select(GameRow).where(col(GameRow.shelf_of).is_(None)).order_by(col(GameRow.created))
        ).all()
    return [_view(ws, row) for row in rows]


def get(ws: Workspace, game_id: str) -> GameFolderView:
    """Return one registered folder."""
    with ws.session() as session:
        row = must(session, GameRow, game_id, "game folder")
    return _view(ws, row)


def at(ws: Workspace, root: Path) -> GameFolderView:
    """Return the registered folder at a place.

    Raises
    ------
    NotFound
        If it is not registered.
    """
    wanted = str(root.expanduser().resolve())
    with ws.session() as session:
        row = session.exec(select(GameRow).where(GameRow.root == wanted)).first()
    if row is None:
        raise NotFound(
            "not-registered",
            f"{wanted} is not registered.",
            "Catalogue it first: stone-stack catalogue FOLDER.",
        )
    return _view(ws, row)


def move(ws: Workspace, game_id: str, root: Path) -> GameFolderView:
    """Point a registered folder to where it lies now.

    Raises
    ------
    BadRequest
        If nothing of what was catalogued lies there.
    """
    root = usable(ws, root)
    with ws.session() as session:
        row = must(session, GameRow, game_id, "game folder")
        known = session.exec(
            select(GameFileRow.path).where(GameFileRow.game_id == game_id).limit(400)
        ).all()
        there = sum((root / path).is_file() for path in known)
        if known and there < max(1, len(known) // 4):
            raise BadRequest(
                "another-game",
                f"Only {there} of {len(known)} known files lie in {root}.",
                "Choose the folder that the game was moved to, or register it as another one.",
            )
        taken = session.exec(select(GameRow).where(GameRow.root == str(root))).first()
        if taken is not None and taken.id != game_id:
            raise BadRequest(
                "registered-already", f"{root} is registered already.", "Use that one."
            )
        row.root = str(root)
        row.version = version_of(root)
        session.add(row)
    return get(ws, game_id)


def folder(ws: Workspace, game_id: str) -> Path:
    """Return where a registered folder lies.

    Raises
    ------
    NotFound
        If it is not there now.
    BadRequest
        If it is the shelf of a project.
    """
    with ws.session() as session:
        row = must(session, GameRow, game_id, "game folder")
    if row.shelf_of is not None:
        raise BadRequest(
            "no-game", "What was brought in is not a game folder.", "Choose a file of the game."
        )
    root = Path(row.root)
    if not root.is_dir():
        raise NotFound(
            "folder-gone",
            f"The game folder {root} is not there now.",
            "Point to where it lies now; what is kept of it is safe.",
        )
    reach.refuse_own(root, ws.data.root)
    return root


@contextmanager
def door(ws: Workspace, game_id: str, doing: str) -> Iterator[Path]:
    """Hold the one door to a registered folder, from reading there to noting what was done.

    Yields
    ------
    Path
        Where the folder lies.

    Raises
    ------
    Conflict
        If somebody else holds it for too long, or the folder was pointed elsewhere meanwhile.
    """
    root = folder(ws, game_id)
    with the_door(root, ws.data.doors, doing):
        if folder(ws, game_id) != root:
            raise Conflict(
                "moved-meanwhile",
                "The game folder was pointed elsewhere meanwhile.",
                "Look at it, then try again; nothing was changed.",
            )
        yield root


def contents(ws: Workspace, catalogue_id: str) -> Path:
    """Return where the files of a catalogue lie: below a game folder, or among our own."""
    with ws.session() as session:
        shelf_of = must(session, GameRow, catalogue_id, "catalogue").shelf_of
    return folder(ws, catalogue_id) if shelf_of is None else ws.data.files


def version_of(root: Path) -> str:
    """Return the version that a game's own files name, or an empty text."""
    for name in _VERSION_FILES:
        path = root / name
        try:
            if not path.is_file() or path.stat().st_size > 1 << 20:
                continue
            text = reach.read(root, name).decode("utf-8")
        except (OSError, UnicodeDecodeError, BadRequest):
            continue
        if name.endswith(".json"):
            try:
                found = json.loads(text)
            except (ValueError, RecursionError):
                continue
            if isinstance(found, dict) and isinstance(found.get("version"), str | int | float):
                return str(found["version"])[:40]
        else:
            number = re.search(r"\d+(\.\d+)+", text)
            if number:
                return number.group()
    return ""


def _view(ws: Workspace, row: GameRow) -> GameFolderView:
    with ws.session() as session:
        entries = session.exec(
            select(func.count()).select_from(EntryRow).where(EntryRow.game_id == row.id)
        ).one()
        boxes = session.exec(
            select(func.count())
            .select_from(GameFileRow)
            .where(GameFileRow.game_id == row.id, GameFileRow.form != "")
        ).one()
        loose = session.exec(
            select(func.count())
            .select_from(GameFileRow)
            .where(GameFileRow.game_id == row.id, GameFileRow.form == "")
        ).one()
    return GameFolderView(
        id=row.id,
        root=row.root,
        title=row.title,
        version=row.version,
        read=row.read.isoformat() if row.read else None,
        there=Path(row.root).is_dir(),
        entries=entries,
        loose=loose,
        containers=boxes,
        left_out=[LeftOut.model_validate(x) for x in json.loads(row.report)],
    )
