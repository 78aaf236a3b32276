"""Find a file in a catalogue by words and by what it is; and all that is known of one."""

from __future__ import annotations

from collections import defaultdict
from enum import StrEnum
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field
from sqlmodel import Session, col, select

from stonestack.core.catalogue.describe import encoded, picture_bytes
from stonestack.core.catalogue.filenames import folded, parts
from stonestack.core.catalogue.grouping import Relation
from stonestack.core.catalogue.marker import marker
from stonestack.core.runtime.errors import BadFile, BadRequest
from stonestack.services.game import games
from stonestack.services.game.indexing import Index
from stonestack.services.safe import keeping
from stonestack.services.safe.keeping import chain_of
from stonestack.services.workspace import Workspace, must
from stonestack.store.files import sha256
from stonestack.store.tables import EntryRow, GameFileRow, GameRow, NoteRow, PlacedRow

_MOST_LOG = 16 << 20


class Sort(StrEnum):
    """Columns that a list can be sorted by."""

    NAME = "name"
    PLACE = "place"
    KIND = "kind"
    SIZE = "area"
    LEVELS = "levels"
    FORMAT = "format"
    ALPHA = "alpha"
    ROLE = "role"
    BYTES = "size"
    THING = "thing"


class Query(BaseModel):
    """What is looked for; everything that is given must hold.

    Without ``others``, files that are no pictures and belong to none stay out, unless their kind
    is asked for.
    """

    words: str = Field("", max_length=200)
    kind: str = ""
    role: str = ""
    use: str = ""
    alpha: str = ""
    place: str = ""
    least: int = Field(0, ge=0)
    most: int = Field(0, ge=0)
    pictures: bool = False
    others: bool = True
    sort: Sort = Sort.THING
    down: bool = False
    offset: int = Field(0, ge=0)
    limit: int = Field(200, ge=1, le=2000)


class EntryView(BaseModel):
    """A file of the catalogue, as the screen and the command line see it."""

    id: int
    game_id: str
    path: str
    name: str
    place: str
    index: int | None
    kind: str
    width: int
    height: int
    levels: int
    format: str
    alpha: str
    role: str
    role_confidence: float
    role_reason: str
    use: str
    use_reason: str
    bytes: int
    sha256: str
    thing: str
    relation: str
    reason: str
    tier: str
    variant: str
    human: str
    backup: bool
    problem: str
    shown: str
    ours: bool
    twins: list[str]
    distance: int | None = None


class Page(BaseModel):
    """A part of what was found: how many files and things that is in all, and what stayed out."""

    total: int
    things: int
    others: int
    entries: list[EntryView]


class Counts(BaseModel):
    """How much a catalogue holds of what."""

    entries: int
    pictures: int
    things: int
    broken: int
    kinds: dict[str, int]
    roles: dict[str, int]
    formats: dict[str, int]


class Facets(BaseModel):
    """What a catalogue holds, for choosing from."""

    kinds: dict[str, int]
    roles: dict[str, int]
    places: dict[str, int]


class EntryMore(BaseModel):
    """All that is known of one file."""

    entry: EntryView
    note: str
    own_name: str
    file: str
    line: str
    contract: str
    refusal: str
    same_bytes: list[EntryView]
    same_picture: list[EntryView]
    """Other places of the same picture: the same bytes, or kept as a copy or in other bytes."""
    belongs: list[EntryView]
    kept: str


def search(ws: Workspace, game_id: str, query: Query) -> Page:
    """Return a page of the entries that a query finds."""
    index = ws.indexes.of(game_id)
    rows = index.order(_ORDERS.get(query.sort, (str(query.sort), "path")))
    rows = rows[::-1] if query.down else rows
    mask = _mask(index, query)
    lone = mask & index.columns["lone"]
    if not query.others and not query.kind:
        mask &= ~lone
    found = rows[mask[rows]]
    page = [int(i) for i in index.ids[found[query.offset : query.offset + query.limit]]]
    with ws.session() as session:
        by_id = {r.id: r for r in session.exec(select(EntryRow).where(col(EntryRow.id).in_(page)))}
        views = viewed(session, game_id, [by_id[i] for i in page if i in by_id])
    things = len(set(index.columns["thing"][found].tolist()))
    return Page(total=len(found), things=things, others=int(lone.sum()), entries=views)


_ORDERS: dict[Sort, tuple[str, ...]] = {
    Sort.THING: ("thing", "beside", "role", "path"),
    Sort.NAME: ("name", "path"),
    Sort.PLACE: ("place", "name"),
}


def everything(ws: Workspace, game_id: str) -> list[EntryView]:
    """Return the whole catalogue, in the order of paths."""
    with ws.session() as session:
        rows = session.exec(
            select(EntryRow)
            .where(EntryRow.game_id == game_id)
            .order_by(EntryRow.path, EntryRow.chain)
        ).all()
        return viewed(session, game_id, list(rows))


def facets(ws: Workspace, game_id: str) -> Facets:
    """Count kinds, roles and places."""
    with ws.session() as session:
        kinds, roles, places = (
            _counted(session, game_id, column) for column in ("kind", "role", "place")
        )
        return Facets(kinds=kinds, roles=roles, places=places)


def counts(ws: Workspace, game_id: str) -> Counts:
    """Count what a catalogue holds; roles, formats and things of its pictures."""
    sql = (
        "SELECT count(*), coalesce(sum(width > 0), 0), coalesce(sum(problem != ''), 0),"
        " count(DISTINCT CASE WHEN width > 0 THEN thing END) FROM entry WHERE game_id = ?"
    )
    with ws.session() as session:
        row = session.connection().exec_driver_sql(sql, (game_id,)).one()
        return Counts(
            entries=row[0],
            pictures=row[1],
            broken=row[2],
            things=row[3],
            kinds=_counted(session, game_id, "kind"),
            roles=_counted(session, game_id, "role", "width > 0"),
            formats=_counted(session, game_id, "format", "width > 0"),
        )


def _counted(session: Session, game_id: str, column: str, only: str = "1") -> dict[str, int]:
    """Return how many entries have each value of a column, in the order of values."""
    sql = f"SELECT {column}, count(*) FROM entry WHERE game_id = ? AND {only} GROUP BY 1 ORDER BY 1"
    rows = session.connection().exec_driver_sql(sql, (game_id,))
    return {str(k): int(n) for k, n in rows if k}


def _mask(index: Index, query: Query) -> NDArray[np.bool_]:
    """Return which rows a query finds."""
    mask = np.ones(len(index.ids), bool)
    if not len(mask):
        return mask
    for word in folded(query.words).split():
        mask &= index.having(word)
    for column in ("kind", "role", "use", "alpha"):
        wanted = getattr(query, column)
        if wanted:
            mask &= index.equal(column, wanted)
    if query.place:
        mask &= index.below(query.place)
    if query.least:
        mask &= index.columns["longest"] >= query.least
    if query.most:
        mask &= (index.columns["longest"] <= query.most) & (index.columns["width"] > 0)
    if query.pictures:
        mask &= index.columns["width"] > 0
    return mask


def viewed(session: Session, game_id: str, rows: list[EntryRow]) -> list[EntryView]:
    """Return rows as they are seen, each with its twins."""
    digests = {r.sha256 for r in rows if r.sha256}
    run = session.connection().exec_driver_sql
    pairs: dict[str, list[tuple[int, str]]] = defaultdict(list)
    known = list(digests)
    # The plus keeps SQLite from going by the game, which holds far more rows than a hash.
    for start in range(0, len(known), 900):
        part = known[start : start + 900]
        marks = ",".join("?" * len(part))
        sql = f"SELECT id, path, sha256 FROM entry WHERE +game_id = ? AND sha256 IN ({marks})"
        for entry_id, path, digest in run(sql, (game_id, *part)):
            pairs[digest].append((entry_id, path))
    ours = {
        (p.path, p.chain)
        for p in session.exec(select(PlacedRow).where(PlacedRow.game_id == game_id))
    }
    shown = _in_logs(session, game_id)
    for note in session.exec(
        select(NoteRow).where(NoteRow.game_id == game_id, NoteRow.shown != "")
    ):
        if note.own or shown.get(note.code, "loaded") == "loaded":
            shown[note.code] = note.shown
    return [_view(row, pairs, ours, shown) for row in rows]


def _in_logs(session: Session, game_id: str) -> dict[str, str]:
    """Return the paths that a game's own logs say were read."""
    root = Path(must(session, GameRow, game_id, "game folder").root)
    found: dict[str, str] = {}
    for place in sorted(root.glob("*.log"))[:8]:
        try:
            status = place.stat()
        except OSError:
            continue
        if status.st_size <= _MOST_LOG:
            for path in _read_in(str(place), status.st_mtime_ns):
                found[path] = "loaded"
    return found


@lru_cache(maxsize=16)
def _read_in(place: str, _mtime_ns: int) -> tuple[str, ...]:
    """Return the paths of a log's lines that begin with a word for reading."""
    try:
        lines = Path(place).read_text("utf-8", "replace").splitlines()
    except OSError:
        return ()
    parts = [line.split(maxsplit=2) for line in lines]
    return tuple(
        folded(p[1]) for p in parts if len(p) > 1 and p[0].casefold() in ("read", "note", "loaded")
    )


def _view(
    row: EntryRow,
    pairs: dict[str, list[tuple[int, str]]],
    ours: set[tuple[str, str]],
    shown: dict[str, str],
) -> EntryView:
    chain = chain_of(row.chain)
    path, name = folded(row.path), folded(row.name)
    codes = [path, name, name.rpartition(".")[0]]
    if row.relation in ("map", "variant", "smaller") and row.use != "icon":
        # A thing's own name stands for its surface, not for icons and copies of it elsewhere.
        codes.append(parts(row.path).stem)
    return EntryView(
        id=row.id or 0,
        game_id=row.game_id,
        path=row.path,
        name=row.name,
        place=row.place,
        index=chain[-1] if chain else None,
        kind=row.kind,
        width=row.width,
        height=row.height,
        levels=row.levels,
        format=row.format,
        alpha=row.alpha,
        role=row.role,
        role_confidence=row.sure,
        role_reason=row.role_reason,
        use=row.use,
        use_reason=row.use_reason,
        bytes=row.size,
        sha256=row.sha256,
        thing=row.thing,
        relation=row.relation,
        reason=row.reason,
        tier=row.tier,
        variant=row.variant,
        human=row.human,
        backup=row.backup,
        problem=row.problem,
        shown=next((shown[c] for c in codes if c in shown), "unknown" if row.width else ""),
        ours=(row.path, row.chain) in ours,
        twins=[p for i, p in pairs.get(row.sha256, []) if i != row.id],
    )


def more(ws: Workspace, game_id: str, entry_id: int) -> EntryMore:
    """Return all that is known of one file."""
    from stonestack.core.refit import contract_of

    with ws.session() as session:
        row = must(session, EntryRow, entry_id, "file")  # type: ignore[arg-type]
        file = must(session, GameFileRow, row.file_id, "file").path  # type: ignore[arg-type]
        family = session.exec(
            select(EntryRow)
            .where(EntryRow.game_id == game_id, EntryRow.thing == row.thing)
            .order_by(EntryRow.path)
            .limit(60)
        ).all()
        twins = session.exec(
            select(EntryRow).where(
                EntryRow.game_id == game_id,
                EntryRow.sha256 == (row.sha256 or "?"),
                EntryRow.id != row.id,
            )
        ).all()
        note = session.exec(
            select(NoteRow).where(
                NoteRow.game_id == game_id,
                NoteRow.code == folded(row.path),
                col(NoteRow.own).is_(True),
            )
        ).first()
        placed = session.exec(
            select(PlacedRow).where(
                PlacedRow.game_id == game_id,
                PlacedRow.path == row.path,
                PlacedRow.chain == row.chain,
            )
        ).first()
        (entry,) = viewed(session, game_id, [row])
        same = viewed(session, game_id, list(twins))
        belongs = viewed(session, game_id, [f for f in family if f.id != row.id])
        origin = _origin(row)
        copies = {f.id for f in family if f.id != row.id and _origin(f) == origin}
    contract = contract_of(content(ws, game_id, entry_id))
    kept = "not yet: kept when you first put something back"
    if placed is not None:
        kept = f"yes, from version {placed.version or 'unknown'}"
    return EntryMore(
        entry=entry,
        note=note.note if note else "",
        own_name=note.human if note else "",
        file=file,
        line=_line(entry),
        contract=contract.line,
        refusal=contract.refusal,
        same_bytes=same,
        same_picture=same + [b for b in belongs if b.id in copies - {s.id for s in same}],
        belongs=belongs,
        kept=kept,
    )


def _origin(row: EntryRow) -> int | None:
    """Return the entry that one is a copy of; itself where it is none."""
    return row.of_id if row.relation in (Relation.TWIN, Relation.BACKUP) else row.id


_USES = {
    "icon": "an icon",
    "surface": "a wrapped surface",
    "sheet": "a sheet of several pictures",
    "card": "a card with shapes cut out",
}


def _line(entry: EntryView) -> str:
    """Say what a file is, in one line."""
    if not entry.width:
        return entry.problem or f"A {entry.kind} file of {entry.bytes} bytes"
    of = _USES.get(entry.use, "a picture")
    role = "Colour" if not entry.role else entry.role.capitalize()
    levels = f", {entry.levels} levels" if entry.levels > 1 else ""
    head = f"{role} of {of}" if entry.role else "A picture that cannot be decoded"
    size = f"{entry.width} × {entry.height}"
    return f"{head}, {(entry.format or entry.kind).upper()}, {size}{levels}"


def content(ws: Workspace, game_id: str, entry_id: int) -> bytes:
    """Return what an entry's place holds now."""
    root = games.contents(ws, game_id)
    with ws.session() as session:
        row = must(session, EntryRow, entry_id, "file")  # type: ignore[arg-type]
        file = must(session, GameFileRow, row.file_id, "file").path  # type: ignore[arg-type]
    try:
        return keeping.current_bytes(root, file, chain_of(row.chain))
    except OSError as error:
        raise BadFile(
            "not-readable",
            f"{row.path} cannot be read: {error.strerror or error}.",
            "Read the folder again.",
        ) from error


def picture(
    ws: Workspace, game_id: str, entry_id: int, longest: int | None, level: int
) -> tuple[bytes, str]:
    """Return an entry as a PNG for the screen, and the content hash of what it shows.

    It is kept by the hash of the very bytes that it was made from: a place may hold something else
    than when it was catalogued.
    """
    with ws.session() as session:
        row = must(session, EntryRow, entry_id, "file")  # type: ignore[arg-type]
    kind = f"look.{longest or 'whole'}.{level}.png"
    kept = ws.cache.read(row.sha256, kind) if row.sha256 else None
    if kept is not None:
        return kept, row.sha256
    held = content(ws, game_id, entry_id)
    data, digest = encoded(picture_bytes(held, longest, level)), sha256(held)
    ws.cache.write(digest, kind, data)
    return data, digest


def marker_picture(ws: Workspace, game_id: str, entry_id: int) -> bytes:
    """Return a marker for an entry's place, as a PNG of its size."""
    with ws.session() as session:
        row = must(session, EntryRow, entry_id, "file")  # type: ignore[arg-type]
    if row.game_id != game_id or not row.width:
        raise BadRequest("no-picture", f"{row.name} is no picture.", "Choose a picture.")
    return encoded(marker(row.path, row.width, row.height))
