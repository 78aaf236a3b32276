"""A project's shelf: what was brought in, in a catalogue like that of a game folder.

So one search, one grouping of what belongs together and one look for what is alike serve both.
"""

from __future__ import annotations

import threading
from collections import defaultdict
from collections.abc import Mapping
from functools import partial

from sqlmodel import Session, select

from stonestack.core.catalogue import describe as describing
from stonestack.core.catalogue.describe import Described, describe
from stonestack.core.catalogue.grouping import Relation
from stonestack.core.catalogue.guess import guess_raw
from stonestack.core.catalogue.sources import SourceSet, named
from stonestack.core.tables.roles import Role
from stonestack.core.tables.targets import target_of
from stonestack.services.documents import projects
from stonestack.services.game import cataloguing
from stonestack.services.game.cataloguing import Known, Rules
from stonestack.services.game.reading import EntryRead, FileRead, Seen
from stonestack.services.workspace import Workspace
from stonestack.store.tables import (
    ContentRow,
    EntryRow,
    GameFileRow,
    GameRow,
    SourceRow,
)

_WHOLE = (Role.COLOUR, Role.NORMAL, Role.SPECULAR, Role.HEIGHT)
"""What a whole set of a surface's files has."""
_one_at_a_time = threading.Lock()


def catalogue(
    ws: Workspace, project_id: str, described: Mapping[str, Described] | None = None
) -> str:
    """Bring a project's shelf up to date with its sources, and return the catalogue's id.

    Parameters
    ----------
    described : mapping, optional
        How files that have just come in are described, by hash; others are read for it.
    """
    with _one_at_a_time:
        with ws.session() as session:
            shelf_id = _row(session, project_id).id
            rules = _rules(session, project_id)
            wanted = _names(session, project_id)
            known = _known(session, shelf_id)
        there = {path: names for path, (_, names) in known.items()}
        fresh = [
            digest for digest, names in wanted.items() if there.get(_path(ws, digest)) != names
        ]
        if fresh:
            told = described or {}
            read = [_read(ws, digest, wanted[digest], told.get(digest)) for digest in fresh]
            with ws.session() as session:
                cataloguing.store(
                    session, shelf_id, read, {p: k for p, (k, _) in known.items()}, rules
                )
                cataloguing.regroup(session, shelf_id, rules)
                cataloguing.moved_on(session, shelf_id)
    return shelf_id


def sets(ws: Workspace, project_id: str) -> list[SourceSet]:
    """Return the sources that belong together as one surface; their keys are the sources' ids."""
    shelf_id = catalogue(ws, project_id)
    things: dict[str, dict[Role, str]] = defaultdict(dict)
    with ws.session() as session:
        ids = {
            (row.sha256, row.name): row.id
            for row in session.exec(select(SourceRow).where(SourceRow.project_id == project_id))
        }
        entries = session.exec(
            select(EntryRow)
            .where(EntryRow.game_id == shelf_id, EntryRow.relation == str(Relation.MAP))
            .order_by(EntryRow.path)
        )
        for entry in entries:
            if entry.use != "icon":
                things[entry.thing].setdefault(Role(entry.role), ids[entry.sha256, entry.path])
    return [
        SourceSet(stem=stem, roles=roles, missing=[r for r in _WHOLE if r not in roles])
        for stem, roles in sorted(things.items())
        if len(roles) > 1
    ]


def _row(session: Session, project_id: str) -> GameRow:
    row = session.exec(select(GameRow).where(GameRow.shelf_of == project_id)).first()
    if row is None:
        title = projects.settings_of(session, project_id).title
        row = GameRow(root=f"shelf of {project_id}", title=title, shelf_of=project_id)
        session.add(row)
        session.flush()
    return row


def _rules(session: Session, project_id: str) -> Rules:
    """Return how raw material is read: by the target's own words too."""
    target = target_of(projects.settings_of(session, project_id).targets[0])
    return Rules(named=partial(named, suffixes=target.suffixes), guess=guess_raw)


def _names(session: Session, project_id: str) -> dict[str, list[str]]:
    """Return under which names each content was brought in."""
    names: dict[str, list[str]] = defaultdict(list)
    for row in session.exec(select(SourceRow).where(SourceRow.project_id == project_id)):
        names[row.sha256].append(row.name)
    return {digest: sorted(found) for digest, found in names.items()}


def _known(session: Session, shelf_id: str) -> dict[str, tuple[Known, list[str]]]:
    """Return the files on a shelf with their names; none for what older rules described."""
    names: dict[int, list[str]] = defaultdict(list)
    rows = session.exec(
        select(EntryRow.file_id, EntryRow.path, ContentRow.version)
        .join(ContentRow, ContentRow.sha256 == EntryRow.sha256, isouter=True)  # type: ignore[arg-type]
        .where(EntryRow.game_id == shelf_id)
        .order_by(EntryRow.path)
    )
    for file_id, path, version in rows:
        if version in (None, describing.VERSION):
            names[file_id].append(path)
    files = session.exec(select(GameFileRow).where(GameFileRow.game_id == shelf_id))
    return {
        f.path: (Known(f.id or 0, f.size, f.mtime_ns, f.sha256), names[f.id or 0]) for f in files
    }


def _read(ws: Workspace, digest: str, names: list[str], told: Described | None) -> FileRead:
    described = told or describe(ws.files.read(digest))
    size = ws.files.path(digest).stat().st_size
    entries = [EntryRead(name, (), size, digest, described) for name in names]
    return FileRead(Seen(_path(ws, digest), size, 0), digest, "", "", entries)


def _path(ws: Workspace, digest: str) -> str:
    return ws.files.path(digest).relative_to(ws.data.files).as_posix()
