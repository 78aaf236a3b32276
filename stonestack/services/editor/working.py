"""Working files: put out for an outside image editor, watched, and taken back in."""

from __future__ import annotations

import json
import logging
import threading
from collections.abc import Iterator, Sequence
from contextlib import suppress
from itertools import count
from pathlib import Path, PurePosixPath
from traceback import format_exception

from pydantic import BaseModel
from sqlmodel import Session, col, select

from stonestack.core.catalogue.filenames import folded
from stonestack.core.document import Returned, Stage, edits
from stonestack.core.files.workfiles.passing import (
    EXTENSIONS,
    Trouble,
    WorkKind,
    incoming,
    outgoing,
)
from stonestack.core.graph.wiring import Wiring
from stonestack.core.runtime.errors import BadFile, BadRequest, Conflict, StoneError
from stonestack.core.tables.naming import code_name
from stonestack.core.tables.roles import ROLES
from stonestack.services.documents import history, projects, surfaces
from stonestack.services.documents.history import SURFACE
from stonestack.services.game import taking
from stonestack.services.workspace import Workspace, must
from stonestack.store import failures, reach
from stonestack.store.files import sha256, write_atomically
from stonestack.store.tables import WorkfileRow

log = logging.getLogger(__name__)
_taking = threading.Lock()
"""Files are taken in one at a time: a save and a look may come together."""

STAGES = (Stage.RAW, Stage.STEPS, Stage.SIZE)
"""Where a map can be put out: its own file before any frame, after its steps, at its size."""


class WorkfileView(BaseModel):
    """A working file as the screen sees it."""

    id: str
    map: str
    stage: Stage
    kind: WorkKind
    path: str
    name: str
    state: str
    revision: str
    troubles: list[Trouble]


def put_out(
    ws: Workspace, surface_id: str, map_id: str, stage: Stage, kind: WorkKind
) -> WorkfileView:
    """Put a map out at a stage.

    Raises
    ------
    BadRequest
        If the map has nothing at that stage yet.
    """
    if stage is Stage.SOURCE:
        # A frame stays where it is: what is painted on is the file itself.
        stage = Stage.RAW
    if stage not in STAGES:
        raise BadRequest(
            "not-this-stage",
            "Compressed texels are not for painting.",
            "Put the map out at its source, its steps or its size.",
        )
    with ws.session() as session:
        own = _of_map(session, surface_id, map_id)
    for file in own:
        _look_at(ws, file.id)  # What was saved there comes in before it is put out anew.
    with ws.session() as session:
        row = history.row_of(session, SURFACE, surface_id)
        document = history.body_of(session, SURFACE, row)
        title = projects.settings_of(session, row.project_id).title
    m = document.map(map_id)
    wiring = Wiring(document)
    key, begin = wiring.at(map_id, stage), wiring.at(map_id, Stage.SOURCE)
    if key is None or begin is None:
        raise BadRequest(
            "nothing-there", f"{m.title} has no source yet.", "Bring a picture in first."
        )
    ws.renderer.graphs.add(wiring.graph, [key, begin])
    picture = ws.renderer.picture(key)
    original = ws.renderer.picture(begin) if begin != key else None
    data, plain = outgoing(picture, kind, original)
    suffix = "" if stage is Stage.SIZE else f"_{stage}"
    stem = PurePosixPath(m.place.path).stem if m.place is not None else ""
    name = f"{stem or document.name + ROLES[m.role].suffix}{suffix}{EXTENSIONS[kind]}"
    with _taking:
        with ws.session() as session:
            held = _held(
                session, ws.data.working / code_name(title) / name, surface_id, m.id, stage
            )
        place = Path(held.path)
        write_atomically(place, data)
        if m.place is not None:
            for name, content in taking.companion_files(ws, m.place):
                _put_beside(place.with_name(name), content)
        with ws.session() as session:
            held.kind, held.sent, held.seen = kind, ws.files.keep(plain), sha256(data)
            held.state, held.findings = "out", "[]"
            held.width, held.height, held.alpha = picture.width, picture.height, picture.alpha
            session.add(held)
            session.flush()
            return _view(held)


def _of_map(session: Session, surface_id: str, map_id: str) -> Sequence[WorkfileRow]:
    return session.exec(
        select(WorkfileRow).where(WorkfileRow.surface_id == surface_id, WorkfileRow.map == map_id)
    ).all()


def _numbered(path: Path) -> Iterator[Path]:
    """Yield a path, and that with 2, 3, 4… behind its name."""
    yield path
    yield from (path.with_stem(f"{path.stem}~{number}") for number in count(2))


def _held(
    session: Session, wanted: Path, surface_id: str, map_id: str, stage: Stage
) -> WorkfileRow:
    """Return a map's working file of this name, or a new one where nothing else lies."""
    rows = {folded(row.path): row for row in session.exec(select(WorkfileRow))}
    for path in _numbered(wanted):
        row = rows.get(folded(str(path)))
        if row is not None and (row.surface_id, row.map, row.stage) == (surface_id, map_id, stage):
            return row
        if row is None and not path.exists():
            break
    return WorkfileRow(
        surface_id=surface_id,
        map=map_id,
        stage=stage,
        path=str(path),
        kind="",
        sent="",
        seen="",
        state="",
        width=0,
        height=0,
        alpha=False,
    )


def _put_beside(wanted: Path, content: bytes) -> None:
    """Put a file that describes another beside it; what else lies there stays."""
    for path in _numbered(wanted):
        if not path.exists():
            write_atomically(path, content)
            return
        if path.is_file() and path.read_bytes() == content:
            return


def listed(ws: Workspace, surface_id: str) -> list[WorkfileView]:
    """Return a surface's working files, newest first."""
    with ws.session() as session:
        rows = session.exec(
            select(WorkfileRow)
            .where(WorkfileRow.surface_id == surface_id)
            .order_by(col(WorkfileRow.created).desc())
        ).all()
        return [_view(row) for row in rows]


_TRIES = 5
"""How often a change that another has overtaken is made anew."""


def look(ws: Workspace) -> list[str]:
    """Take in every working file that has changed; return the ids of those that came in."""
    with ws.session() as session:
        ids = [row.id for row in session.exec(select(WorkfileRow))]
    return [i for i in ids if _look_at(ws, i)]


def mend(ws: Workspace, workfile_id: str, codes: list[str]) -> WorkfileView:
    """Take a working file in again with some of its troubles mended."""
    with ws.session() as session:
        row = must(session, WorkfileRow, workfile_id, "working file")
    data = _read(ws, Path(row.path))
    with _taking:
        return _take_in(ws, row.id, data, set(codes))


def _look_at(ws: Workspace, workfile_id: str) -> bool:
    with _taking:
        with ws.session() as session:
            row = session.get(WorkfileRow, workfile_id)
        if row is None:
            return False
        try:
            data = _read(ws, Path(row.path))
        except FileNotFoundError:
            return False
        except (OSError, StoneError) as error:
            # It has not been seen: as soon as it can be read, it comes in.
            _unread(ws, row, row.seen, error)
            return False
        seen = sha256(data)
        if seen == row.seen:
            return False
        try:
            _take_in(ws, row.id, data, set())
        except Conflict:
            # Somebody else was faster each time; it is not seen yet, so it is looked at again.
            return False
        except Exception as error:
            # Whatever is wrong with one file, the next ones come in. The editor may still be
            # writing; the next save is looked at again.
            _unread(ws, row, seen, error)
            return False
    return True


def _read(ws: Workspace, path: Path) -> bytes:
    """Return what a working file holds; a pipe or a link in its place is no file."""
    if not path.is_relative_to(ws.data.working):
        raise FileNotFoundError(path)  # Of a data folder that was moved since.
    return reach.read(ws.data.working, path.relative_to(ws.data.working).as_posix())


def _unread(ws: Workspace, row: WorkfileRow, seen: str, error: Exception) -> None:
    """Say at a working file why it was not taken in."""
    known = error if isinstance(error, StoneError) else failures.told(error)
    if known is None:
        log.error("A working file was not taken in:\n%s", "".join(format_exception(error)))
        known = BadFile("unreadable", f"{Path(row.path).name} cannot be read.", "Save it anew.")
    trouble = Trouble(code=known.code, words=f"{known.message} {known.fix}")
    _note(ws, row.id, seen, "unread", [trouble])


def _take_in(ws: Workspace, workfile_id: str, data: bytes, fixes: set[str]) -> WorkfileView:
    with ws.session() as session:
        row = must(session, WorkfileRow, workfile_id, "working file")
    name = Path(row.path).name
    back = incoming(name, data, ws.files.read(row.sent), row.alpha, fixes)
    returned = Returned(
        stage=Stage(row.stage), sha256=ws.files.keep(back.png), sent=row.sent, name=name
    )
    change: edits.Edit = edits.ReturnFile(map=row.map, returned=returned)
    if back.unchanged and not fixes:
        # What was painted before has been undone in the editor.
        change = edits.DropReturned(map=row.map, stage=returned.stage, sent=row.sent)
    m = _edited(ws, row.surface_id, change).document.map(row.map)
    troubles = list(back.troubles)
    if m.frozen is not None and returned.stage is Stage.RAW:
        words = (
            f"{m.title} is frozen: this shows once it follows its recipe again, or is frozen anew"
        )
        troubles.append(Trouble(code="behind-frozen", words=words))
    return _note(ws, row.id, sha256(data), "back", troubles)


def _edited(ws: Workspace, surface_id: str, change: edits.Edit) -> surfaces.SurfaceView:
    """Make a change on the present state, whatever it is: a save has no page to ask again."""
    for _ in range(_TRIES - 1):
        with suppress(Conflict):
            return surfaces.edit(ws, surface_id, surfaces.get(ws, surface_id).revision, change)
    return surfaces.edit(ws, surface_id, surfaces.get(ws, surface_id).revision, change)


def _note(
    ws: Workspace, workfile_id: str, seen: str, state: str, troubles: list[Trouble]
) -> WorkfileView:
    with ws.session() as session:
        row = must(session, WorkfileRow, workfile_id, "working file")
        row.seen, row.state = seen, state
        row.findings = json.dumps([t.model_dump() for t in troubles])
        session.add(row)
        return _view(row)


def _view(row: WorkfileRow) -> WorkfileView:
    return WorkfileView(
        id=row.id,
        map=row.map,
        stage=Stage(row.stage),
        kind=WorkKind(row.kind),
        path=row.path,
        name=Path(row.path).name,
        state=row.state,
        revision=row.seen[:12],
        troubles=[Trouble.model_validate(t) for t in json.loads(row.findings)],
    )
