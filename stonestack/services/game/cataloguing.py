"""Make a game folder's catalogue, and bring it up to date."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel
from sqlalchemy import delete, insert, update
from sqlmodel import Session, col, select

from stonestack.core.catalogue import describe as describing
from stonestack.core.catalogue.describe import Described
from stonestack.core.catalogue.filenames import NameParts, folded, parts
from stonestack.core.catalogue.grouping import Item, grouped
from stonestack.core.catalogue.guess import Guess, guess
from stonestack.core.catalogue.looks import Look
from stonestack.core.runtime import stopping
from stonestack.core.runtime.errors import Conflict
from stonestack.core.tables.roles import Role
from stonestack.services.game import games, naming
from stonestack.services.game.reading import FileRead, Seen, listing, read_all, read_file
from stonestack.services.jobs import Progress
from stonestack.services.workspace import Workspace
from stonestack.store.lock import exclusive
from stonestack.store.tables import ContentRow, EntryRow, GameFileRow, GameRow, now

_MARKS = 400
_OUTDATED = (
    "SELECT 1 FROM entry e JOIN content c ON c.sha256 = e.sha256 "
    "WHERE e.game_id = ? AND c.version <> ? LIMIT 1"
)
"""Whether anything was described by an earlier version of the rules."""


class Catalogued(BaseModel):
    """What reading a folder found."""

    files: int
    entries: int
    read: int
    changed: int
    gone: int
    left_out: int


@dataclass(frozen=True)
class Known:
    """A file as it was when last read."""

    id: int
    size: int
    mtime_ns: int
    sha256: str


@dataclass(frozen=True)
class Rules:
    """How names are taken apart and what is told from pixels; a game's own files by default."""

    named: Callable[[str], NameParts] = parts
    guess: Callable[[NameParts, Look, int, int], Guess] = guess


_GAME = Rules()


def catalogue(
    ws: Workspace, game_id: str, progress: Progress, thorough: bool = False
) -> Catalogued:
    """Read a game folder; files that have not changed since are not read again.

    Parameters
    ----------
    thorough : bool
        Read every file again, trusting no size and no time stamp.
    """
    with _alone(ws, game_id, progress), stopping.stoppable(progress.is_stopped):
        return _catalogued(ws, game_id, progress, thorough)


@contextmanager
def _alone(ws: Workspace, game_id: str, progress: Progress) -> Iterator[None]:
    """Read a folder only once at a time, over threads and processes; who comes second waits.

    It then finds most of it read already.
    """
    with ExitStack() as held:
        while True:
            try:
                held.enter_context(exclusive(ws.data.journal / "reading" / game_id, patience=1.0))
                break
            except Conflict:
                progress.at(0.0, "Waiting for another reading of this folder")
        yield


def _catalogued(ws: Workspace, game_id: str, progress: Progress, thorough: bool) -> Catalogued:
    root = games.folder(ws, game_id)
    progress.at(0.0, "Listing the folder")
    found = listing(root, ws.data.root)
    with ws.session() as session:
        known = {
            path: Known(file_id, size, mtime_ns, digest)
            for file_id, path, size, mtime_ns, digest in session.connection().exec_driver_sql(
                "SELECT id, path, size, mtime_ns, sha256 FROM gamefile WHERE game_id = ?",
                (game_id,),
            )
        }
        outdated = session.connection().exec_driver_sql(_OUTDATED, (game_id, describing.VERSION))
        redo = outdated.first() is not None
    there = {seen.path for seen in found.files}
    gone = [old.id for name, old in known.items() if name not in there]
    todo = [
        seen
        for seen in found.files
        if thorough
        or redo
        or (old := known.get(seen.path)) is None
        or (old.size, old.mtime_ns) != (seen.size, seen.mtime_ns)
    ]
    changed = 0
    if gone:
        with ws.session() as session:
            _drop(session, gone)
    # Each batch is stored for itself, so that nobody else waits long for the database, and
    # what was read is not lost when the work is stopped.
    for done, batch in read_all(root, [(s, "" if redo else _hash(known, s.path)) for s in todo]):
        with ws.session() as session:
            changed += store(session, game_id, batch, known)
            moved_on(session, game_id)
        progress.at(0.9 * done / max(1, len(todo)), f"Reading {done} of {len(todo)} files")
    with ws.session() as session:
        row = session.get(GameRow, game_id)
        if row is not None:
            row.read = now()
            row.version = games.version_of(root)
            left_out = [{"path": p, "why": why} for p, why in found.left_out[:_MARKS]]
            row.report = json.dumps(left_out)
            session.add(row)
        count = "SELECT count(*), sum(thing = '') FROM entry WHERE game_id = ?"
        entries, loose_ends = session.connection().exec_driver_sql(count, (game_id,)).one()
        if changed or gone or loose_ends:
            progress.at(0.92, "Putting together what belongs together")
            regroup(session, game_id)
            naming.apply(session, game_id)
    ws.indexes.of(game_id)
    return Catalogued(
        files=len(found.files),
        entries=entries,
        read=len(todo),
        changed=changed,
        gone=len(gone),
        left_out=len(found.left_out),
    )


def touch(ws: Workspace, game_id: str, files: list[str]) -> None:
    """Bring some files of a catalogue up to date after we changed them.

    What they are to other files stays: a replacement stands for the same thing.
    """
    root = games.folder(ws, game_id)
    with ws.session() as session:
        connection = session.connection()
        moved_on(session, game_id)
        for file in files:
            path = root / file
            row = session.exec(
                select(GameFileRow).where(GameFileRow.game_id == game_id, GameFileRow.path == file)
            ).first()
            if row is None or not path.is_file():
                continue
            status = path.stat()
            read = read_file(root, Seen(file, status.st_size, status.st_mtime_ns))
            row.size, row.mtime_ns, row.sha256 = read.seen.size, read.seen.mtime_ns, read.sha256
            session.add(row)
            session.flush()
            for entry in read.entries:
                facts = _facts(entry.described, parts(entry.path))
                connection.execute(
                    update(EntryRow)
                    .where(
                        col(EntryRow.file_id) == row.id,
                        col(EntryRow.path) == entry.path,
                        col(EntryRow.chain) == "/".join(map(str, entry.chain)),
                    )
                    .values(sha256=entry.sha256, size=entry.size, **facts)
                )
                if entry.sha256 and entry.described.look is not None:
                    connection.execute(
                        insert(ContentRow).prefix_with("OR REPLACE"),
                        [_content(entry.sha256, entry.described)],
                    )


def moved_on(session: Session, game_id: str) -> None:
    """Count a change of a catalogue, so that its index is made anew."""
    session.connection().exec_driver_sql(
        "UPDATE game SET revision = revision + 1 WHERE id = ?", (game_id,)
    )


def _hash(known: dict[str, Known], path: str) -> str:
    return known[path].sha256 if path in known else ""


def store(
    session: Session,
    game_id: str,
    batch: list[FileRead],
    known: dict[str, Known],
    rules: Rules = _GAME,
) -> int:
    """Store what was read; return how many files are new or have changed."""
    connection = session.connection()
    same: list[FileRead] = []
    fresh: list[FileRead] = []
    for read in batch:
        old = known.get(read.seen.path)
        same_bytes = old is not None and old.sha256 == read.sha256 and not read.entries
        (same if same_bytes else fresh).append(read)
    rows_of = {name: old.id for name, old in known.items()}
    for read in same:
        connection.execute(
            update(GameFileRow)
            .where(col(GameFileRow.id) == rows_of[read.seen.path])
            .values(size=read.seen.size, mtime_ns=read.seen.mtime_ns)
        )
    if not fresh:
        return 0
    replaced = [rows_of[r.seen.path] for r in fresh if r.seen.path in rows_of]
    kept = _ids(session, replaced)
    if replaced:
        _drop(session, replaced)
    connection.execute(
        insert(GameFileRow),
        [
            {
                "game_id": game_id,
                "path": r.seen.path,
                "size": r.seen.size,
                "mtime_ns": r.seen.mtime_ns,
                "sha256": r.sha256,
                "form": r.form,
                "problem": r.problem,
            }
            for r in fresh
        ],
    )
    first, last = fresh[0].seen.path, fresh[-1].seen.path
    paths = {r.seen.path for r in fresh}
    ids = {
        path: file_id
        for path, file_id in session.exec(
            select(GameFileRow.path, col(GameFileRow.id)).where(
                GameFileRow.game_id == game_id,
                col(GameFileRow.path) >= min(first, last, *paths),
                col(GameFileRow.path) <= max(first, last, *paths),
            )
        )
        if path in paths and file_id is not None
    }
    contents: dict[str, dict[str, Any]] = {}
    rows = []
    for read in fresh:
        for entry in read.entries:
            name = rules.named(entry.path)
            rows.append(
                _entry(game_id, ids[read.seen.path], entry.path, entry.chain, name)
                | _facts(entry.described, name, rules)
                | {"sha256": entry.sha256, "size": entry.size}
                # The same content under the same name stays the same entry: a page shows it.
                | {"id": kept.get((entry.path, _chain(entry.chain), entry.sha256))}
            )
            if entry.sha256 and entry.described.look is not None:
                contents[entry.sha256] = _content(entry.sha256, entry.described)
    if contents:
        connection.execute(insert(ContentRow).prefix_with("OR REPLACE"), list(contents.values()))
    if rows:
        # Those with a number of their own first, so that no new one is given it.
        rows.sort(key=lambda row: row["id"] is None)
        connection.execute(insert(EntryRow), rows)
    return len(fresh)


def _chain(chain: tuple[int, ...]) -> str:
    return "/".join(map(str, chain))


def _entry(
    game_id: str, file_id: int, path: str, chain: tuple[int, ...], name: NameParts
) -> dict[str, Any]:
    place, _, bare = path.rpartition("/")
    return {
        "game_id": game_id,
        "file_id": file_id,
        "path": path,
        "chain": _chain(chain),
        "name": bare,
        "place": place,
        "haystack": folded(path),
        "tier": name.tier,
        "variant": name.variant,
        "backup": name.backup,
        "thing": "",
        "relation": "",
        "reason": "",
        "human": "",
    }


def _facts(described: Described, name: NameParts, rules: Rules = _GAME) -> dict[str, Any]:
    guessed = None
    if described.look is not None:
        guessed = rules.guess(name, described.look, described.width, described.height)
    return {
        "kind": described.kind,
        "format": described.format,
        "width": described.width,
        "height": described.height,
        "levels": described.levels,
        "alpha": described.alpha,
        "problem": described.problem,
        "role": str(guessed.role) if guessed else "",
        "role_reason": guessed.reason if guessed else "",
        "sure": guessed.sure if guessed else 0.0,
        "use": guessed.use if guessed else "",
        "use_reason": guessed.use_reason if guessed else "",
    }


def _content(digest: str, described: Described) -> dict[str, Any]:
    look: Look | None = described.look
    assert look is not None
    return {
        "sha256": digest,
        "version": describing.VERSION,
        "kind": described.kind,
        "width": described.width,
        "height": described.height,
        "levels": described.levels,
        "format": described.format,
        "alpha": described.alpha,
        "problem": described.problem,
        "family": look.appearance,
        "sure": look.sure,
        "seen": look.seen,
        "icon": look.icon,
        "icon_seen": look.icon_seen,
        "flat": look.flat,
        "hash": look.hash,
        "tones": look.tones,
    }


def _ids(session: Session, file_ids: list[int]) -> dict[tuple[str, str, str], int]:
    """Return the entries of files by path, chain and content."""
    found: dict[tuple[str, str, str], int] = {}
    for start in range(0, len(file_ids), 500):
        part = file_ids[start : start + 500]
        for entry_id, path, chain, digest in session.exec(
            select(col(EntryRow.id), EntryRow.path, EntryRow.chain, EntryRow.sha256).where(
                col(EntryRow.file_id).in_(part)
            )
        ):
            if entry_id is not None:
                found[path, chain, digest] = entry_id
    return found


def _drop(session: Session, file_ids: list[int]) -> None:
    for start in range(0, len(file_ids), 500):
        part = file_ids[start : start + 500]
        session.connection().execute(delete(EntryRow).where(col(EntryRow.file_id).in_(part)))
        session.connection().execute(delete(GameFileRow).where(col(GameFileRow.id).in_(part)))


def regroup(session: Session, game_id: str, rules: Rules = _GAME) -> None:
    """Put together anew what belongs together, over the whole catalogue."""
    read = session.connection().exec_driver_sql
    looks = {
        digest: (hash_, tones, bool(flat))
        for digest, hash_, tones, flat in read("SELECT sha256, hash, tones, flat FROM content")
    }
    rows = read(
        "SELECT id, path, sha256, role, use, width, height, format FROM entry WHERE game_id = ?",
        (game_id,),
    ).all()
    items = []
    for entry_id, path, digest, role, use, width, height, format_ in rows:
        hash_, tones, flat = looks.get(digest, (b"", b"", True))
        items.append(
            Item(
                id=entry_id,
                path=path,
                name=rules.named(path),
                sha256=digest or f"?{entry_id}",
                role=Role(role) if role else None,
                use=use,
                width=width,
                height=height,
                format=format_,
                hash=hash_,
                tones=tones,
                flat=flat,
            )
        )
    places = grouped(items)
    session.connection().exec_driver_sql(
        "UPDATE entry SET thing = ?, relation = ?, reason = ?, of_id = ? WHERE id = ?",
        [(p.thing, str(p.relation), p.reason, p.of, i) for i, p in places.items()]
        or [("", "", "", None, -1)],
    )
