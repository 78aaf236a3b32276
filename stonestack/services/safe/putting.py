"""Put replacements into a game folder, and take them out again: journalled, undoable."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any

from pydantic import BaseModel
from sqlmodel import Session, select

from stonestack.core.files import containers
from stonestack.core.runtime.errors import BadFile, BadRequest, Conflict, NotFound, StoneError
from stonestack.services.game import cataloguing, games
from stonestack.services.jobs import Progress
from stonestack.services.safe import keeping, planning
from stonestack.services.safe.keeping import chain_of
from stonestack.services.workspace import Workspace
from stonestack.store import disk, journal, reach, safe_list
from stonestack.store.disk import FileSource
from stonestack.store.door import door
from stonestack.store.files import sha256
from stonestack.store.journal import Change, Journal
from stonestack.store.lock import exclusive
from stonestack.store.safe_list import ChangedLine
from stonestack.store.tables import BuildRow, GameRow, KeptRow, PlacedRow, now


class Put(BaseModel):
    """What was replaced."""

    paths: list[str]
    files: list[str]


def put(
    ws: Workspace,
    game_id: str,
    wanted: list[planning.Replacement],
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
    with entered(ws, game_id, "putting files back"):
        work, contents = planning.plan(ws, game_id, wanted, ticked, progress)
        chosen = [line for line in work.lines if line.ticked]
        for line in chosen:
            if line.problem:
                raise BadRequest(
                    "cannot-put", f"{line.path}: {line.problem}", "Leave this one out."
                )
        if not chosen and any(line.same for line in work.lines):
            return Put(paths=[], files=[])
        if not chosen:
            raise BadRequest("nothing-ticked", "No place is ticked.", "Tick at least one place.")
        places = {e: contents[e] for line in chosen if (e := line.entry_id) is not None}
        return place(ws, game_id, places, progress)


def place(ws: Workspace, game_id: str, contents: dict[int, bytes], progress: Progress) -> Put:
    """Put ready contents in place of entries: originals into the safe first, then all as one."""
    with entered(ws, game_id, "putting files back") as root:
        with ws.session() as session:
            spots = {
                Spot(entry.path, planning.file_of(session, entry), entry.chain): data
                for entry_id, data in contents.items()
                for entry in [planning.entry_of(session, game_id, entry_id)]
            }
            ground = Ground.found(game_id, root, [spot.file for spot in spots])
            rows = [
                prepared(ws, session, ground, spot, ws.files.keep(data))
                for spot, data in spots.items()
            ]
        return swap(ws, ground, rows, progress, shown=True)


@contextmanager
def entered(ws: Workspace, game_id: str, doing: str) -> Iterator[Path]:
    """Hold the door to a game folder, with what a crash left there settled; yields its place."""
    with games.door(ws, game_id, doing) as root:
        _settled(ws, str(root))
        yield root


@dataclass(frozen=True)
class Ground:
    """A game folder as it was found behind its door.

    Parameters
    ----------
    seen : mapping
        Hashes of the files that are to be changed, empty where there is none. Whatever is
        decided is decided on these; a file that is otherwise when it is replaced is not replaced.
    """

    game_id: str
    root: Path
    seen: Mapping[str, str]

    @classmethod
    def found(cls, game_id: str, root: Path, files: Iterable[str]) -> Ground:
        """Look at the files that are to be changed."""
        return cls(game_id, root, {file: reach.digest(root, file) for file in set(files)})


@dataclass(frozen=True)
class Spot:
    """A place in a game folder: its path as shown, its file, and its chain inside that.

    ``delivery`` is the delivery that puts something there, or empty.
    """

    path: str
    file: str
    chain: str
    delivery: str = ""

    @classmethod
    def of(cls, row: PlacedRow) -> Spot:
        """Return the place that something of ours has."""
        return cls(row.path, row.file, row.chain, row.delivery_id)


def prepared(ws: Workspace, session: Session, ground: Ground, spot: Spot, ours: str) -> PlacedRow:
    """Return what will be noted of one place, its original kept in the safe.

    Raises
    ------
    Conflict
        If what is there is not known to be the game's own.
    """
    game_id, root, seen = ground.game_id, ground.root, ground.seen[spot.file]
    current = sha256(keeping.current_bytes(root, spot.file, chain_of(spot.chain))) if seen else ""
    placed = keeping.placed_at(session, game_id, spot.file, spot.chain)
    made = placed.made if placed is not None else ""
    if placed is not None and current == placed.ours:
        original, kept, version = placed.original, placed.kept, placed.version
    elif not seen:
        original, kept, version = "", "", games.version_of(root)
        made = made or _made_for(session, game_id, root, spot.file)
    else:
        made = ""
        if placed is None or current != placed.original:
            keeping.see_original(ws, session, game_id, root, spot.file, spot.chain, current)
        row = _clean(ws, session, game_id, root, spot.file)
        if row is None:
            row = keeping.keep(ws, session, game_id, root, spot.file)
            if row.sha256 != seen:
                raise _changed_meanwhile(spot.file)
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
        delivery_id=spot.delivery,
        made=made,
    )


def _changed_meanwhile(file: str) -> Conflict:
    return Conflict(
        "changed-meanwhile",
        f"{file} was changed by somebody else just now.",
        "Nothing was replaced. Wait until the other program is done, then try again.",
    )


def _made_for(session: Session, game_id: str, root: Path, file: str) -> str:
    """Return the topmost folder that is there, or will be, only for files of ours."""
    above = [p.as_posix() for p in reversed(PurePosixPath(file).parents) if p.parts]
    own = set(
        session.exec(
            select(PlacedRow.made)
            .where(PlacedRow.game_id == game_id, PlacedRow.made != "")
            .distinct()
        )
    )
    return next((f for f in above if f in own or not (root / f).exists()), "")


def _missing_above(root: Path, file: str) -> str:
    """Return the topmost folder above a file that is not there, or an empty text."""
    above = [p.as_posix() for p in reversed(PurePosixPath(file).parents) if p.parts]
    return next((folder for folder in above if not (root / folder).is_dir()), "")


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
    ground: Ground,
    rows: list[PlacedRow],
    progress: Progress,
    shown: bool,
    forget: bool = False,
    leave: Sequence[PlacedRow] = (),
    installed: Mapping[str, str] | None = None,
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
    leave : sequence of PlacedRow
        Others, in other files, whose originals go back in the same change, and which are no
        longer ours afterwards.
    installed : mapping, optional
        By delivery, the build that is in the game afterwards, or empty.
    """
    game_id, root = ground.game_id, ground.root
    changes: list[tuple[Change, Callable[[], Iterable[bytes]]]] = []
    by_file: dict[str, list[PlacedRow]] = defaultdict(list)
    for row in (*rows, *leave):
        by_file[row.file].append(row)
    leaving = {row.file for row in leave}
    for done, (file, own) in enumerate(by_file.items()):
        progress.at(0.8 + 0.1 * done / len(by_file), f"Writing {file}")
        if shown and file not in leaving:
            changes.append((Change(path=root / file), _ours(ws, root / file, own)))
        else:
            changes.append(_change_back(ws, game_id, root / file, own))
        change = changes[-1][0]
        change.before = ground.seen[file]
        change.root = str(root)
        made = own[0].made or _missing_above(root, file)
        change.made = str(root / made) if made else ""
    # Each new file stands beside the old one for a moment.
    disk.see_room(root, sum(_size(root / file) for file in by_file))
    note = json.dumps(
        {
            "game": game_id,
            "shown": shown,
            "forget": forget,
            "rows": [_fields(row) for row in rows],
            "leave": [_fields(row) for row in leave],
            "installed": dict(installed or {}),
        }
    )
    progress.at(0.9, "Putting it in place")
    journal.carry_out(ws.data.journal, changes, note, lambda j: noted(ws, j))
    return Put(paths=sorted(r.path for r in rows), files=sorted(by_file))


def _size(path: Path) -> int:
    return path.stat().st_size if path.is_file() else 0


def rewrite(
    ws: Workspace, ground: Ground, file: str, data: bytes, installed: Mapping[str, str]
) -> None:
    """Replace a file that is ours in the game as one journalled change, and note with it which
    builds are in the game; where there is no such file yet, it comes. The same content is not
    written again."""
    if sha256(data) == ground.seen[file]:
        with ws.session() as session:
            for delivery_id, build_id in installed.items():
                mark_installed(session, delivery_id, build_id)
        return
    change = Change(path=ground.root / file, before=ground.seen[file], root=str(ground.root))
    note = json.dumps(
        {"game": ground.game_id, "shown": True, "rows": [], "installed": dict(installed)}
    )
    journal.carry_out(ws.data.journal, [(change, lambda: [data])], note, lambda j: noted(ws, j))


def _fields(row: PlacedRow) -> dict[str, Any]:
    return row.model_dump(mode="json", exclude={"id", "created"})


def _change_back(
    ws: Workspace, game_id: str, path: Path, rows: list[PlacedRow]
) -> tuple[Change, Callable[[], Iterable[bytes]]]:
    """Return the change of a file that shows the original afterwards, or that goes."""
    if not rows[0].kept:
        return Change(path=path, goes=True), lambda: ()
    whole = _whole_original(ws, game_id, path, rows)
    change = Change(path=path)
    if whole is not None:
        change.mtime_ns, change.after = whole.mtime_ns, whole.sha256
    return change, _originals(ws, path, rows, whole)


def _ours(ws: Workspace, path: Path, rows: list[PlacedRow]) -> Callable[[], Iterator[bytes]]:
    def pieces() -> Iterator[bytes]:
        if rows[0].chain == "":
            yield ws.files.read(rows[0].ours)
            return
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
    """Note what a change has put in place: lists and database; safe to be called again."""
    note = json.loads(done.note)
    finished = {s.path for s in done.swaps if s.finished}
    going = [*(note["rows"] if note.get("forget") else []), *note.get("leave", [])]
    staying = [] if note.get("forget") else note["rows"]
    root = Path(games.get(ws, note["game"]).root)
    ours = {str(root / fields["file"]) for fields in staying} if note["shown"] else set()
    lines = [
        ChangedLine(
            root=str(root),
            path=Path(swap.path).relative_to(root).as_posix(),
            before=swap.before,
            after=swap.after,
            ours=swap.path in ours,
        )
        for swap in done.swaps
        if swap.path in finished
    ]
    safe_list.note(safe_list.changes_file(ws.data), lines)
    with ws.session() as session:
        for fields in (*going, *staying):
            if str(root / fields["file"]) not in finished:
                continue
            row = keeping.placed_at(session, fields["game_id"], fields["file"], fields["chain"])
            if fields in going:
                if row is not None:
                    session.delete(row)
                continue
            if row is None:
                row = PlacedRow(**fields)
            for name in set(fields) - {"game_id", "file", "chain", "shown"}:
                setattr(row, name, fields[name])
            row.shown = bool(note["shown"])
            row.created = now()
            session.add(row)
        for delivery_id, build_id in note.get("installed", {}).items():
            mark_installed(session, delivery_id, build_id)
    cataloguing.touch(ws, note["game"], sorted({f["file"] for f in (*going, *staying)}))


def mark_installed(session: Session, delivery_id: str, build_id: str) -> None:
    """Note which build of a delivery is in the game; empty where none is."""
    for row in session.exec(select(BuildRow).where(BuildRow.delivery_id == delivery_id)):
        if row.id != build_id:
            row.installed = None
        elif row.installed is None:
            row.installed = now()
        session.add(row)


def settle(ws: Workspace) -> int:
    """Finish or undo what a crash interrupted; returns how many changes were finished."""
    done = 0
    for root in sorted({root for _, root in _left(ws)}):
        try:
            if not root:
                done += _settled(ws, root, patience=2.0)
                continue
            with door(Path(root), ws.data.doors, "finishing an earlier change", patience=2.0):
                done += _settled(ws, root, patience=2.0)
        except (Conflict, NotFound):
            # Another program is at work there, or the folder is away; the journal stays.
            continue
    return done


def _left(ws: Workspace) -> list[tuple[Path, str]]:
    """Return the journals that a crash left, each with its game folder; empty where it has none."""
    found = []
    with ws.session() as session:
        for place in journal.unfinished(ws.data.journal):
            note = journal.note_of(place)
            row = session.get(GameRow, json.loads(note)["game"]) if note else None
            found.append((place, row.root if row is not None else ""))
    return found


def _settled(ws: Workspace, root: str, patience: float = 60.0) -> int:
    """Behind a folder's door: finish or undo what was begun there by one who died."""
    if not journal.unfinished(ws.data.journal):
        return 0
    with exclusive(ws.data.journal, patience):
        left = [place for place, where in _left(ws) if where == root]
        settled = [journal.settle(place, lambda j: noted(ws, j)) for place in left]
    return sum(done is not None for done in settled)
