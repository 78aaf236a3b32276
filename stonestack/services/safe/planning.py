"""Plan what putting back would do: which places, in which form, and what it takes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from pydantic import BaseModel
from sqlmodel import Session, col, or_, select

from stonestack.core.files.workfiles.passing import flat
from stonestack.core.graph import ops
from stonestack.core.graph.ops import File
from stonestack.core.graph.ops.returns import Refitting, StoredAs
from stonestack.core.kinds.node import Graph, Key
from stonestack.core.picture.image import Space
from stonestack.core.refit import contract_of
from stonestack.core.runtime import stopping
from stonestack.core.runtime.errors import BadRequest, Conflict, StoneError
from stonestack.core.tables.roles import ROLES, Role
from stonestack.services.game import games
from stonestack.services.jobs import Progress, silent
from stonestack.services.making.scheduler import Urgency, urgent
from stonestack.services.safe import keeping
from stonestack.services.safe.keeping import chain_of
from stonestack.services.workspace import Workspace, must
from stonestack.store.files import sha256, sha256_of
from stonestack.store.tables import EntryRow, GameFileRow, PlacedRow


class PlanLine(BaseModel):
    """One place that would be replaced.

    Parameters
    ----------
    entry_id : int or None
        Its entry in the catalogue; None for a file of a delivery, which goes in with the others
        or not at all.
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

    entry_id: int | None
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


@dataclass(frozen=True)
class Replacement:
    """A picture for one place, whatever it was made from.

    Parameters
    ----------
    entry_id : int
        The place.
    wired : callable
        Puts what makes the picture into a graph, for the space of the place's role; returns the
        key of the picture, and those of pictures of its own for some levels.
    own : tuple of int
        These levels, in their order.
    lent : bytes
        A file that the graph reads and that is kept nowhere; empty where it needs none.
    """

    entry_id: int
    wired: Callable[[Graph, Space], list[Key]]
    lent: bytes = b""
    own: tuple[int, ...] = ()


def from_file(entry_id: int, data: bytes) -> Replacement:
    """Return a replacement from the bytes of any picture file; layers are flattened."""
    data = flat(data)
    digest = sha256(data)

    def wired(graph: Graph, space: Space) -> list[Key]:
        return [ops.put(graph, "replacement", StoredAs(space=space), blobs=(digest,))]

    return Replacement(entry_id, wired, data)


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
        placed = keeping.placed_at(session, entry.game_id, file, entry.chain)
    if placed is not None and placed.kept and sha256(current) == placed.ours:
        return keeping.kept_bytes(ws, placed.kept, chain)
    return current


def copies(session: Session, entry: EntryRow) -> list[tuple[EntryRow, bool, str]]:
    """Return other places of the same picture: whether to tick each, and why."""
    out: list[tuple[EntryRow, bool, str]] = []
    # Where ours stands already, the game's own content is what counts.
    placed = [p for p in keeping.ours(session, entry.game_id) if p.original]
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
            entry = entry_of(session, game_id, replacement.entry_id)
            # A copy gets what the file gets that was asked for, whatever it is called.
            space = ROLES[Role(entry.role)].space if entry.role else Space.LINEAR
            places.append((entry, replacement, space, "", True, "asked for"))
            for copy, tick, why in copies(session, entry):
                if copy.id not in asked and all(copy.id != p[0].id for p in places):
                    places.append((copy, replacement, space, entry.path, tick, why))
        for entry, *_ in places:
            files[entry.id or 0] = file_of(session, entry)
    progress = progress or silent()
    for done, (entry, replacement, space, copy_of, tick, why) in enumerate(places):
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
        with urgent(Urgency.JOB), stopping.stoppable(progress.is_stopped):
            lines.append(_line(ws, root, entry, replacement, space, line, contents))
    lines = with_rivals(ws, game_id, lines)
    keeps = keeps_of(ws, root, game_id, {x.file for x in lines if x.ticked})
    return Plan(lines=lines, keeps=keeps), contents


def with_rivals(ws: Workspace, game_id: str, lines: list[PlanLine]) -> list[PlanLine]:
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
    space: Space,
    line: PlanLine,
    contents: dict[int, bytes],
) -> PlanLine:
    """Make the content of one place, and say what it takes."""
    try:
        original = original_bytes(ws, root, entry, line.file)
        current = keeping.current_bytes(root, line.file, chain_of(entry.chain))
        _see_original(ws, root, entry, line.file, sha256(current))
        contract = contract_of(original)
        result = _made(ws, original, replacement, space)
    except OSError as error:
        problem = f"{entry.path} cannot be read: {error.strerror or error}."
        return line.model_copy(update={"problem": problem})
    except StoneError as error:
        return line.model_copy(update={"problem": f"{error.message} {error.fix}"})
    contents[entry.id or 0] = result.data
    same = result.data == current
    return line.model_copy(
        update={
            "same": same,
            "ticked": line.ticked and not same,
            "contract": contract.line,
            "before": len(original),
            "after": len(result.data),
            "made_anew": result.made_anew,
        }
    )


def _see_original(ws: Workspace, root: Path, entry: EntryRow, file: str, current: str) -> None:
    with ws.session() as session:
        placed = keeping.placed_at(session, entry.game_id, file, entry.chain)
        if placed is None or current not in (placed.ours, placed.original):
            keeping.see_original(ws, session, entry.game_id, root, file, entry.chain, current)


def _made(ws: Workspace, original: bytes, replacement: Replacement, space: Space) -> File:
    """Make a place's file again; what twins share is made once."""
    graph = Graph()
    with ws.files.lending(original, replacement.lent) as (digest, _):
        pictures = replacement.wired(graph, space)
        key = ops.put(graph, "refit", Refitting(own=replacement.own), pictures, [digest])
        result = ws.renderer.scheduler.result(graph, key)
    assert isinstance(result, File)
    return result


def keeps_of(ws: Workspace, root: Path, game_id: str, files: set[str]) -> list[KeepLine]:
    """Say of each file that would be changed what the safe has to keep of it first."""
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


def entry_of(session: Session, game_id: str, entry_id: int) -> EntryRow:
    """Return an entry, if the catalogue still holds it for this game."""
    entry = session.get(EntryRow, entry_id)
    if entry is None or entry.game_id != game_id:
        raise Conflict(
            "catalogue-changed",
            "The catalogue has changed meanwhile.",
            "Find the file again and repeat.",
        )
    return entry


def file_of(session: Session, entry: EntryRow) -> str:
    """Return the file of the game folder that an entry lies in."""
    return must(session, GameFileRow, entry.file_id, "file").path  # type: ignore[arg-type]
