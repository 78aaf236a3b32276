"""Put replacements into a game folder, and take them out again: planned, journalled, undoable."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

from pydantic import BaseModel
from sqlmodel import Session, col, or_, select

from stonestack.core import containers
from stonestack.core.errors import BadFile, BadRequest, Conflict, StoneError
from stonestack.core.image import Picture, Space
from stonestack.core.refit import as_stored, contract_of, made
from stonestack.core.roles import ROLES, Role
from stonestack.services import cataloguing, games, keeping
from stonestack.services.jobs import Progress
from stonestack.services.keeping import chain_of
from stonestack.services.workspace import Workspace, must
from stonestack.store import disk, journal
from stonestack.store.disk import FileSource
from stonestack.store.files import sha256, sha256_of
from stonestack.store.journal import Change, Journal
from stonestack.store.lock import exclusive
from stonestack.store.tables import EntryRow, GameFileRow, KeptRow, PlacedRow, now


class PlanLine(BaseModel):
    """One place that would be replaced.

    Parameters
    ----------
    copy_of : str
        Path of the place that this is a copy of; empty for the one that was asked for.
    ticked : bool
        Whether it is replaced unless the artist says otherwise.
    before, after : int
        Bytes of the file or entry.
    made_anew : float
        Share of blocks or texels that differ from the original, 0..1.
    same : bool
        Whether the place holds exactly this already, so that nothing has to be done.
    hidden : str
        Which other file may be read by the game instead, or empty.
    """

    entry_id: int
    path: str
    file: str
    copy_of: str
    ticked: bool
    why: str
    contract: str
    before: int
    after: int
    made_anew: float
    problem: str
    hidden: str = ""
    same: bool = False


class KeepLine(BaseModel):
    """One file of the game that goes into the safe first."""

    file: str
    bytes: int
    already: bool


class Plan(BaseModel):
    """What putting would do."""

    lines: list[PlanLine]
    keeps: list[KeepLine]
    unmatched: list[str] = []

    @property
    def ready(self) -> bool:
        """Whether anything would be replaced and nothing of it is refused."""
        ticked = [line for line in self.lines if line.ticked]
        wanted = ticked or any(line.same for line in self.lines)
        return bool(wanted) and not any(line.problem for line in ticked)


class Put(BaseModel):
    """What was replaced."""

    paths: list[str]
    files: list[str]


class Replacement:
    """A picture for one place, whatever it was made from.

    Parameters
    ----------
    entry_id : int
        The place.
    picture : callable
        Returns the picture, read as the original's role asks, for a colour space.
    """

    def __init__(self, entry_id: int, picture: Callable[[Space], Picture]) -> None:
        self.entry_id = entry_id
        self.picture = picture


def from_file(entry_id: int, data: bytes) -> Replacement:
    """Return a replacement from the bytes of any picture file."""
    return Replacement(entry_id, lambda space: as_stored(data, space))


def entry_at(session: Session, game_id: str, name: str) -> EntryRow:
    """Return the entry at a path below a game folder.

    Parameters
    ----------
    name : str
        The path, with a container as if it were a folder; ``#3`` behind it picks the entry of
        that index where a container holds one name twice.

    Raises
    ------
    BadRequest
        If there is none, or several.
    """
    name = name.strip().replace("\\", "/").strip("/")

    def exact(path: str) -> list[EntryRow]:
        return list(
            session.exec(select(EntryRow).where(EntryRow.game_id == game_id, EntryRow.path == path))
        )

    hits = exact(name)
    head, mark, index = name.rpartition("#")
    if not hits and mark and index.isdigit():
        hits = [e for e in exact(head) if e.chain.split("/")[-1] == index]
    if len(hits) > 1:
        ways = ", ".join(f"{e.path}#{e.chain.split('/')[-1]}" for e in hits)
        raise BadRequest("several-entries", f"There are several: {ways}.", "Name one of them.")
    if not hits:
        tail = name.rpartition("/")[2]
        near = session.exec(
            select(EntryRow.path).where(EntryRow.game_id == game_id, EntryRow.name == tail).limit(3)
        ).all()
        hint = f" There is {', '.join(near)}." if near else ""
        raise BadRequest(
            "no-such-entry",
            f"The catalogue holds no “{name}”.{hint}",
            "Names are paths below the folder; find them with stone-stack find.",
        )
    return hits[0]


def original_bytes(ws: Workspace, root: Path, entry: EntryRow, file: str) -> bytes:
    """Return the game's own content of a place, from the safe where ours stands there now."""
    chain = chain_of(entry.chain)
    current = keeping.current_bytes(root, file, chain)
    with ws.session() as session:
        placed = placed_at(session, entry.game_id, file, entry.chain)
    if placed is not None and sha256(current) == placed.ours:
        return keeping.kept_bytes(ws, placed.kept, chain)
    return current


def copies(session: Session, entry: EntryRow) -> list[tuple[EntryRow, bool, str]]:
    """Return other places of the same picture: whether to tick each, and why."""
    out: list[tuple[EntryRow, bool, str]] = []
    # Where ours stands already, the game's own content is what counts.
    placed = keeping.ours(session, entry.game_id)
    original = {(p.path, p.chain): p.original for p in placed}
    digest = original.get((entry.path, entry.chain), entry.sha256)
    paths = [p.path for p in placed if p.original == digest]
    twins = [
        twin
        for twin in session.exec(
            select(EntryRow)
            .where(
                EntryRow.game_id == entry.game_id,
                EntryRow.id != entry.id,
                or_(col(EntryRow.sha256) == (digest or "?"), col(EntryRow.path).in_(paths)),
            )
            .order_by(EntryRow.path)
        )
        if original.get((twin.path, twin.chain), twin.sha256) == digest
    ]
    for twin in twins:
        if twin.backup:
            out.append((twin, False, "same bytes; its name says that it is a kept copy"))
        else:
            out.append((twin, True, "same bytes"))
    seen = {entry.id, *(t.id for t in twins)}
    family = session.exec(
        select(EntryRow).where(
            EntryRow.game_id == entry.game_id,
            EntryRow.thing == entry.thing,
            col(EntryRow.relation).in_(["twin", "smaller", "map", "backup"]),
        )
    ).all()
    origin = entry.of_id if entry.relation in ("twin", "smaller", "backup") else entry.id
    for other in family:
        same = other.of_id == origin or other.id == origin
        if same and other.id not in seen and other.role == entry.role:
            out.append((other, False, other.reason or "the same picture"))
    return out


def plan(
    ws: Workspace,
    game_id: str,
    wanted: list[Replacement],
    ticked: set[int] | None = None,
    progress: Progress | None = None,
) -> tuple[Plan, dict[int, bytes]]:
    """Work out what putting would do, and make the new contents.

    Parameters
    ----------
    ticked : set of int or None
        Entries to replace among the wanted places and their copies; None takes the wanted ones
        and what is ticked by itself.

    Returns
    -------
    Plan
    dict
        New content by entry.
    """
    root = games.folder(ws, game_id)
    lines: list[PlanLine] = []
    contents: dict[int, bytes] = {}
    files: dict[int, str] = {}
    with ws.session() as session:
        places = []
        asked = {r.entry_id for r in wanted}
        for replacement in wanted:
            entry = _entry(session, game_id, replacement.entry_id)
            places.append((entry, replacement, "", True, "asked for"))
            for copy, tick, why in copies(session, entry):
                if copy.id not in asked and all(copy.id != p[0].id for p in places):
                    places.append((copy, replacement, entry.path, tick, why))
        for entry, *_ in places:
            files[entry.id or 0] = _file_of(session, entry)
    cache: dict[tuple[int, str], bytes] = {}
    for done, (entry, replacement, copy_of, tick, why) in enumerate(places):
        if progress is not None:
            progress.at(0.8 * done / len(places), f"Making {entry.name}")
        entry_id = entry.id or 0
        on = tick if ticked is None else entry_id in ticked
        line = PlanLine(
            entry_id=entry_id,
            path=entry.path,
            file=files[entry_id],
            copy_of=copy_of,
            ticked=on,
            why=why,
            contract="",
            before=entry.size,
            after=entry.size,
            made_anew=0.0,
            problem="",
        )
        lines.append(_line(ws, root, entry, replacement, line, contents, cache))
    lines = _with_rivals(ws, game_id, lines)
    keeps = _keeps(ws, root, game_id, {x.file for x in lines if x.ticked})
    return Plan(lines=lines, keeps=keeps), contents


def _with_rivals(ws: Workspace, game_id: str, lines: list[PlanLine]) -> list[PlanLine]:
    """Say of each place which file of the same name and folder name might hide it."""
    own = {line.path for line in lines}
    out = []
    with ws.session() as session:
        for line in lines:
            tail = "/".join(line.path.rsplit("/", 2)[-2:])
            rivals = session.exec(
                select(EntryRow.path).where(
                    EntryRow.game_id == game_id,
                    EntryRow.name == line.path.rpartition("/")[2],
                    EntryRow.path != line.path,
                )
            ).all()
            found = [r for r in rivals if r.endswith(f"/{tail}") and r not in own]
            words = f"{found[0]} has the same name; the game may read that one" if found else ""
            out.append(line.model_copy(update={"hidden": words}))
    return out


def _line(
    ws: Workspace,
    root: Path,
    entry: EntryRow,
    replacement: Replacement,
    line: PlanLine,
    contents: dict[int, bytes],
    cache: dict[tuple[int, str], bytes],
) -> PlanLine:
    """Make the content of one place, and say what it takes."""
    try:
        original = original_bytes(ws, root, entry, line.file)
        current = keeping.current_bytes(root, line.file, chain_of(entry.chain))
        contract = contract_of(original)
        space = ROLES[Role(entry.role)].space if entry.role else Space.LINEAR
        result = made(original, replacement.picture(space))
    except OSError as error:
        problem = f"{entry.path} cannot be read: {error.strerror or error}."
        return line.model_copy(update={"problem": problem})
    except StoneError as error:
        return line.model_copy(update={"problem": f"{error.message} {error.fix}"})
    contents[line.entry_id] = result.data
    same = result.data == current
    return line.model_copy(
        update={
            "same": same,
            "ticked": line.ticked and not same,
            "contract": contract.line,
            "before": len(original),
            "after": len(result.data),
            "made_anew": result.changed / max(1, result.units),
        }
    )


def put(
    ws: Workspace,
    game_id: str,
    wanted: list[Replacement],
    ticked: set[int] | None,
    progress: Progress,
) -> Put:
    """Carry a plan out.

    Raises
    ------
    BadRequest
        If a ticked place cannot be replaced; then nothing was.
    Conflict
        If somebody else changes a file meanwhile; then nothing was replaced.
    """
    work, contents = plan(ws, game_id, wanted, ticked, progress)
    chosen = [line for line in work.lines if line.ticked]
    for line in chosen:
        if line.problem:
            raise BadRequest("cannot-put", f"{line.path}: {line.problem}", "Leave this one out.")
    if not chosen and any(line.same for line in work.lines):
        return Put(paths=[], files=[])
    if not chosen:
        raise BadRequest("nothing-ticked", "No place is ticked.", "Tick at least one place.")
    places = {line.entry_id: contents[line.entry_id] for line in chosen}
    return place(ws, game_id, places, progress)


def place(ws: Workspace, game_id: str, contents: dict[int, bytes], progress: Progress) -> Put:
    """Put ready contents in place of entries: originals into the safe first, then all as one."""
    root = games.folder(ws, game_id)
    rows: list[PlacedRow] = []
    with ws.session() as session:
        for entry_id, data in contents.items():
            entry = _entry(session, game_id, entry_id)
            spot = Spot(entry.path, _file_of(session, entry), entry.chain)
            rows.append(prepared(ws, session, game_id, root, spot, ws.files.keep(data)))
    return swap(ws, game_id, root, rows, progress, shown=True)


@dataclass(frozen=True)
class Spot:
    """A place in a game folder: its path as shown, its file, and its chain inside that."""

    path: str
    file: str
    chain: str


def prepared(
    ws: Workspace, session: Session, game_id: str, root: Path, spot: Spot, ours: str
) -> PlacedRow:
    """Return what will be noted of one place, its original kept in the safe."""
    chain = chain_of(spot.chain)
    current = sha256(keeping.current_bytes(root, spot.file, chain))
    placed = placed_at(session, game_id, spot.file, spot.chain)
    if placed is not None and current == placed.ours:
        original, kept, version = placed.original, placed.kept, placed.version
    else:
        row = _clean(ws, session, game_id, root, spot.file) or keeping.keep(
            ws, session, game_id, root, spot.file
        )
        original, kept, version = current, row.sha256, row.version
    return PlacedRow(
        game_id=game_id,
        path=spot.path,
        file=spot.file,
        chain=spot.chain,
        original=original,
        ours=ours,
        kept=kept,
        version=version,
    )


def _clean(ws: Workspace, session: Session, game_id: str, root: Path, file: str) -> KeptRow | None:
    """Return the kept container that a file would be without ours in it.

    A container that holds something of ours already is not the game's own any more; its
    original was kept when the first entry was replaced. After an update it is another one.
    """
    own = [p for p in keeping.ours(session, game_id) if p.file == file and p.chain]
    for kept in {p.kept for p in own}:
        if not ws.safe.holds(kept):
            continue
        chains = {chain_of(p.chain) for p in own if p.kept == kept}
        with FileSource(root / file) as there, FileSource(ws.safe.path(kept)) as before:
            try:
                same = _differ_only_in(there, before, chains)
            except StoneError:
                continue
        if same:
            return session.exec(
                select(KeptRow).where(
                    KeptRow.game_id == game_id, KeptRow.path == file, KeptRow.sha256 == kept
                )
            ).first()
    return None


def swap(
    ws: Workspace,
    game_id: str,
    root: Path,
    rows: list[PlacedRow],
    progress: Progress,
    shown: bool,
    forget: bool = False,
) -> Put:
    """Write files anew with ours, or with the originals, as one journalled change.

    Parameters
    ----------
    rows : list of PlacedRow
        What changes.
    shown : bool
        Whether ours shows afterwards, or the original.
    forget : bool
        Whether these are no longer ours afterwards.
    """
    by_file: dict[str, list[PlacedRow]] = defaultdict(list)
    for row in rows:
        by_file[row.file].append(row)
    changes: list[tuple[Change, Callable[[], Iterable[bytes]]]] = []
    for done, (file, own) in enumerate(by_file.items()):
        progress.at(0.8 + 0.1 * done / len(by_file), f"Writing {file}")
        path = root / file
        change = Change(path=path, before=sha256_of(path))
        if shown:
            changes.append((change, _ours(ws, path, own)))
        else:
            whole = _whole_original(ws, game_id, path, own)
            if whole is not None:
                change.mtime_ns, change.after = whole.mtime_ns, whole.sha256
            changes.append((change, _originals(ws, path, own, whole)))
    note = json.dumps(
        {
            "game": game_id,
            "shown": shown,
            "forget": forget,
            "rows": [r.model_dump(mode="json", exclude={"id", "created"}) for r in rows],
        }
    )
    progress.at(0.9, "Putting it in place")
    journal.carry_out(ws.data.journal, changes, note, lambda j: noted(ws, j))
    return Put(paths=sorted(r.path for r in rows), files=sorted(by_file))


def _ours(ws: Workspace, path: Path, rows: list[PlacedRow]) -> Callable[[], Iterator[bytes]]:
    def pieces() -> Iterator[bytes]:
        changes = {chain_of(r.chain): ws.files.read(r.ours) for r in rows}
        with FileSource(path) as source:
            yield from containers.changed_inside(source, changes)

    return pieces


def _originals(
    ws: Workspace, path: Path, rows: list[PlacedRow], whole: KeptRow | None
) -> Callable[[], Iterator[bytes]]:
    def pieces() -> Iterator[bytes]:
        if whole is not None:
            yield from disk.pieces(ws.safe.path(whole.sha256))
            return
        changes = {
            chain_of(r.chain): keeping.kept_bytes(ws, r.kept, chain_of(r.chain)) for r in rows
        }
        with FileSource(path) as source:
            yield from containers.changed_inside(source, changes)

    return pieces


def _whole_original(
    ws: Workspace, game_id: str, path: Path, rows: list[PlacedRow]
) -> KeptRow | None:
    """Return the kept file that stands for the whole, where nothing else differs from it."""
    kept = {r.kept for r in rows}
    if len(kept) != 1:
        return None
    with ws.session() as session:
        row = session.exec(
            select(KeptRow).where(
                KeptRow.game_id == game_id,
                KeptRow.path == rows[0].file,
                KeptRow.sha256 == rows[0].kept,
            )
        ).first()
    if row is None:
        return None
    if all(r.chain == "" for r in rows):
        return row
    with FileSource(path) as now_there, FileSource(ws.safe.path(row.sha256)) as before:
        back = {chain_of(r.chain) for r in rows}
        return row if _differ_only_in(now_there, before, back) else None


def _differ_only_in(
    one: containers.Source, other: containers.Source, chains: set[tuple[int, ...]]
) -> bool:
    """Tell whether two containers hold the same but for some entries."""
    a, b = containers.opened(one), containers.opened(other)
    if [(e.index, e.name) for e in a.entries] != [(e.index, e.name) for e in b.entries]:
        return False
    for entry in a.entries:
        if (entry.index,) in chains:
            continue
        inner = {c[1:] for c in chains if c[0] == entry.index}
        try:
            mine, theirs = a.read(entry.index), b.read(entry.index)
        except BadFile:
            # What nobody can read was copied bit for bit when the container was rewritten.
            continue
        if mine == theirs:
            continue
        if not inner or not _differ_only_in(containers.Held(mine), containers.Held(theirs), inner):
            return False
    return True


def noted(ws: Workspace, done: Journal) -> None:
    """Note in the database what a change has put in place; safe to be called again."""
    note = json.loads(done.note)
    finished = {s.path for s in done.swaps if Path(s.path).is_file()}
    with ws.session() as session:
        root = Path(games.get(ws, note["game"]).root)
        for fields in note.get("rows", []):
            if str(root / fields["file"]) not in finished:
                continue
            row = placed_at(session, fields["game_id"], fields["file"], fields["chain"])
            if note.get("forget"):
                if row is not None:
                    session.delete(row)
                continue
            if row is None:
                row = PlacedRow(**fields)
            for name in ("path", "original", "ours", "kept", "version"):
                setattr(row, name, fields[name])
            row.shown = bool(note["shown"])
            row.created = now()
            session.add(row)
    cataloguing.touch(ws, note["game"], sorted({f["file"] for f in note["rows"]}))


def settle(ws: Workspace) -> int:
    """Finish or undo what a crash interrupted; returns how many changes were finished."""
    if not journal.unfinished(ws.data.journal):
        return 0
    try:
        with exclusive(ws.data.journal, patience=2.0):
            left = journal.unfinished(ws.data.journal)
            settled = [journal.settle(place, lambda j: noted(ws, j)) for place in left]
    except Conflict:
        # Another program is at work there; the journal is its own.
        return 0
    return sum(done is not None for done in settled)


def _keeps(ws: Workspace, root: Path, game_id: str, files: set[str]) -> list[KeepLine]:
    out = []
    for file in sorted(files):
        path = root / file
        if path.is_file():
            out.append(
                KeepLine(
                    file=file,
                    bytes=path.stat().st_size,
                    already=_is_ours_or_kept(ws, game_id, file, path),
                )
            )
    return out


def _is_ours_or_kept(ws: Workspace, game_id: str, file: str, path: Path) -> bool:
    with ws.session() as session:
        placed = session.exec(
            select(PlacedRow.id).where(PlacedRow.game_id == game_id, PlacedRow.file == file)
        ).first()
    return placed is not None or ws.safe.holds(sha256_of(path))


def _entry(session: Session, game_id: str, entry_id: int) -> EntryRow:
    entry = session.get(EntryRow, entry_id)
    if entry is None or entry.game_id != game_id:
        raise Conflict(
            "catalogue-changed",
            "The catalogue has changed meanwhile.",
            "Find the file again and repeat.",
        )
    return entry


def _file_of(session: Session, entry: EntryRow) -> str:
    return must(session, GameFileRow, entry.file_id, "file").path  # type: ignore[arg-type]


def placed_at(session: Session, game_id: str, file: str, chain: str) -> PlacedRow | None:
    """Return what is ours at a place, or None."""
    return session.exec(
        select(PlacedRow).where(
            PlacedRow.game_id == game_id, PlacedRow.file == file, PlacedRow.chain == chain
        )
    ).first()
