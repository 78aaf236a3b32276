"""Match pictures that come back to files of a game, by contracts and by names."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path, PurePosixPath

from pydantic import BaseModel, ValidationError
from sqlmodel import select

from stonestack.core.catalogue.describe import picture_bytes
from stonestack.core.catalogue.filenames import folded
from stonestack.core.catalogue.grouping import Relation
from stonestack.core.files.workfiles.passing import flat
from stonestack.core.runtime.errors import BadRequest, StoneError
from stonestack.services.safe import planning
from stonestack.services.safe.planning import Replacement
from stonestack.services.workspace import Workspace
from stonestack.store.files import sha256
from stonestack.store.tables import EntryRow

CONTRACT = ".contract.json"
"""What is put behind a file's name for the contract beside it."""


def from_folder(ws: Workspace, game_id: str, folder: Path) -> tuple[list[Replacement], list[str]]:
    """Match a folder of edited pictures to files of the game; see :func:`matched`."""
    if not folder.is_dir():
        raise BadRequest("no-folder", f"{folder} is not a folder.", "Name a folder of pictures.")
    files = []
    unread = []
    for file in sorted(p for p in folder.rglob("*") if p.is_file()):
        below = file.relative_to(folder).as_posix()
        try:
            files.append((below, file.read_bytes()))
        except OSError as error:
            unread.append(f"{below}: {error.strerror or error}")
    wanted, unmatched = matched(ws, game_id, files)
    return wanted, unread + unmatched


def matched(
    ws: Workspace, game_id: str, files: list[tuple[str, bytes]]
) -> tuple[list[Replacement], list[str]]:
    """Match edited pictures to files of the game.

    The contract beside a file says which it is. Without one the exact path counts, then the
    exact name, then both in any letter case, then without their extension. What is as the game
    has it is passed over where another file is matched to the same one.

    Parameters
    ----------
    files : list of (str, bytes)
        Each with its name or its path below the folder that it came from.

    Returns
    -------
    list of Replacement
    list of str
        Files that match nothing, or several things, with the reason.
    """
    with ws.session() as session:
        rows = session.exec(
            select(EntryRow).where(EntryRow.game_id == game_id, EntryRow.width > 0)
        ).all()
    names = _Names(rows, files)
    wanted: dict[int, tuple[str, bytes]] = {}
    unmatched: list[str] = []
    for below, data in files:
        name = PurePosixPath(below).name
        if name.endswith(CONTRACT) or name.startswith("."):
            continue
        hit, why = names.hit(below)
        if hit is None:
            unmatched.append(f"{below}: {why}")
            continue
        place = hit.id or 0
        before = wanted.get(place)
        if before is not None and sha256(before[1]) != hit.sha256:
            if sha256(data) != hit.sha256:
                unmatched.append(f"{below}: {before[0]} was matched to {hit.path} already")
            continue
        try:
            picture_bytes(flat(data), 16)
        except StoneError as error:
            unmatched.append(f"{below}: {error}")
            continue
        wanted[place] = (below, data)
    return [planning.from_file(place, data) for place, (_, data) in wanted.items()], unmatched


class _Names:
    """Which file of the game a picture is meant for, by what is called how."""

    def __init__(self, rows: Sequence[EntryRow], files: list[tuple[str, bytes]]) -> None:
        self._told = _contracts(files)
        self._tables: list[tuple[Callable[[str], str], dict[str, list[EntryRow]]]] = []
        for named in (str, _name, folded, _as_name, _as_bare_path, _as_bare_name):
            table: dict[str, list[EntryRow]] = {}
            for row in rows:
                table.setdefault(named(row.path), []).append(row)
            self._tables.append((named, table))
        self._chained = {(row.path, row.chain): row for row in rows}

    def hit(self, below: str) -> tuple[EntryRow | None, str]:
        """Return the file that a picture is meant for, or why there is none."""
        told = self._chained.get(self._told.get(below, ("", "")))
        if told is not None:
            return told, ""
        for named, table in self._tables:
            hits = table.get(named(below), [])
            hits = [h for h in hits if not h.backup] or hits
            hits = [h for h in hits if h.relation != Relation.SMALLER] or hits
            if len({h.sha256 for h in hits}) > 1:
                return None, f"fits {', '.join(h.path for h in hits[:3])}"
            if hits:
                return hits[0], ""
        return None, "no file of the game is called so"


def _contracts(files: list[tuple[str, bytes]]) -> dict[str, tuple[str, str]]:
    """Return for each file beside a contract the path and chain that the contract says."""
    told: dict[str, tuple[str, str]] = {}
    for below, data in files:
        if not below.endswith(CONTRACT):
            continue
        try:
            said = _Said.model_validate_json(data)
        except ValidationError:
            continue  # Somebody else's file of that name says nothing.
        folder = PurePosixPath(below).parent
        for name in {*said.files, PurePosixPath(below).name.removesuffix(CONTRACT)}:
            told[(folder / name).as_posix()] = (said.path, said.index)
    return told


class _Said(BaseModel):
    """What is read of a contract: which file of the game it is of, and what lies beside it."""

    path: str
    index: str = ""
    files: list[str] = []


def _name(path: str) -> str:
    return PurePosixPath(path).name


def _as_name(path: str) -> str:
    return _name(folded(path))


def _as_bare_path(path: str) -> str:
    """Return a path without its extension, as it is compared."""
    place, slash, name = folded(path).rpartition("/")
    return f"{place}{slash}{name.rpartition('.')[0] or name}"


def _as_bare_name(path: str) -> str:
    return _name(_as_bare_path(path))
