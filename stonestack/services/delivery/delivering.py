"""Put a build into a game of loose files, where the artist says, and take it out again.

What the game itself has at such a place goes into the safe first; where it has nothing, the file
is a new one, and goes when the delivery is taken out. Games that read deliveries as layers of
their own are served by :mod:`stonestack.services.delivery.installing`.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path, PurePosixPath

from sqlmodel import Session

from stonestack.core.refit import contract_of
from stonestack.core.runtime.errors import BadRequest, Conflict, StoneError
from stonestack.services.delivery.shipment import Shipment
from stonestack.services.game import cataloguing, games
from stonestack.services.jobs import Progress
from stonestack.services.safe import keeping, planning, putting, returning
from stonestack.services.safe.planning import Plan, PlanLine
from stonestack.services.safe.putting import Ground, Put, Spot
from stonestack.services.workspace import Workspace
from stonestack.store import reach
from stonestack.store.files import sha256
from stonestack.store.spelling import Spelling, place_below
from stonestack.store.tables import GameRow, PlacedRow


def _spots(shipment: Shipment) -> Iterator[tuple[str, Spot]]:
    """Yield each file of a build with its place in the game.

    Raises
    ------
    BadRequest
        If two would have the same place.
    """
    taken: dict[str, str] = {}
    spelling = Spelling()
    for file in shipment.listing.files:
        path = PurePosixPath(shipment.into, file.path).as_posix()
        place = place_below(shipment.game, path, spelling)
        other = taken.setdefault(place.lower(), file.path)
        if other != file.path:
            raise BadRequest(
                "one-place-twice",
                f"{file.path} and {other} differ in capitals only: they would be one file.",
                "Give one of the maps another file name.",
            )
        yield file.path, Spot(place, place, "", shipment.delivery_id)


def _dropped(rows: list[PlacedRow], game_id: str, spots: dict[str, Spot]) -> list[PlacedRow]:
    """Return what an earlier build has put and this one does not hold."""
    files = {spot.file for spot in spots.values()}
    return [row for row in rows if row.game_id == game_id and row.file not in files]


def plan(ws: Workspace, shipment: Shipment, progress: Progress) -> Plan:
    """Work out what installing a build would do; nothing is changed."""
    game_id = games.register(ws, shipment.game).id
    spots = dict(_spots(shipment))
    lines: list[PlanLine] = []
    with ws.session() as session:
        for file, data in shipment.files():
            spot = spots[file]
            progress.at(len(lines) / len(spots), spot.path)
            before = keeping.placed_at(session, game_id, spot.file, "")
            line = _line(shipment, spot, data, before)
            try:
                _see_original(ws, session, game_id, shipment.game, line, before)
            except Conflict as error:
                line = line.model_copy(update={"problem": f"{error.message} {error.fix}"})
            lines.append(line)
        old = _dropped(keeping.of_delivery(session, shipment.delivery_id), game_id, spots)
    states = keeping.states(shipment.game, old)
    lines += [_leaving(row) for row, s in zip(old, states, strict=True) if s.state == "in place"]
    lines = planning.with_rivals(ws, game_id, lines)
    kept = {line.file for line in lines if line.before and line.after and not line.same}
    return Plan(lines=lines, keeps=planning.keeps_of(ws, shipment.game, game_id, kept))


def _see_original(
    ws: Workspace,
    session: Session,
    game_id: str,
    root: Path,
    line: PlanLine,
    before: PlacedRow | None,
) -> None:
    """See that what stands at a place may be kept as the game's own."""
    current = reach.digest(root, line.file)
    if current and (before is None or current not in (before.ours, before.original)):
        keeping.see_original(ws, session, game_id, root, line.file, "", current)


def _line(shipment: Shipment, spot: Spot, data: bytes, before: PlacedRow | None) -> PlanLine:
    there = (shipment.game / spot.file).is_file()
    current = reach.read(shipment.game, spot.file) if there else None
    same = current == data
    if current is None:
        why = "a new file"
    elif before is not None and sha256(current) == before.ours:
        own = before.delivery_id == shipment.delivery_id
        why = "in place of our earlier one" if own else "in place of what else is ours there"
    else:
        why = "in place of the game's own"
    try:
        form = contract_of(data).line
    except StoneError:
        form = ""
    return PlanLine(
        entry_id=None,
        path=spot.path,
        file=spot.file,
        copy_of="",
        ticked=not same,
        why=why,
        contract=form,
        before=len(current or b""),
        after=len(data),
        made_anew=0.0 if same else 1.0,
        problem="",
        same=same,
    )


def _leaving(row: PlacedRow) -> PlanLine:
    return PlanLine(
        entry_id=None,
        path=row.path,
        file=row.file,
        copy_of="",
        ticked=True,
        why="no longer in the delivery: the original comes back" if row.kept else "goes again",
        contract="",
        before=0,
        after=0,
        made_anew=0.0,
        problem="",
    )


def install(ws: Workspace, shipment: Shipment, progress: Progress) -> Put:
    """Put a build's files in place; what an earlier build put and this one lacks goes back.

    Raises
    ------
    BadRequest
        If the build is damaged, a place is not to be had, or writing fails; then nothing has
        changed.
    Conflict
        If somebody else changes a file meanwhile; then nothing has changed.
    """
    view = games.register(ws, shipment.game)
    with putting.entered(ws, view.id, "putting a delivery in") as root:
        spots = dict(_spots(shipment))
        with ws.session() as session:
            earlier = keeping.of_delivery(session, shipment.delivery_id)
            old = _dropped(earlier, view.id, spots)
            files = [*(spot.file for spot in spots.values()), *(row.file for row in old)]
            ground = Ground.found(view.id, root, files)
            rows = [
                putting.prepared(ws, session, ground, spots[file], ws.files.keep(data))
                for file, data in shipment.files()
                if sha256(data) != ground.seen[spots[file].file]
            ]
        states = list(keeping.states(root, old))
        leave = [row for row, s in zip(old, states, strict=True) if s.state == "in place"]
        installed = {shipment.delivery_id: shipment.build_id}
        done = putting.swap(
            ws, ground, rows, progress, shown=True, leave=leave, installed=installed
        )
        # What the game has made its own again, or anew, is not touched; it is no longer ours.
        returning.forget(ws, [row for row in old if row not in leave])
    _read_again(ws, view.id, progress)
    return done


def withdraw(ws: Workspace, delivery_id: str, progress: Progress) -> None:
    """Give back every byte that a delivery replaced, and take away what it brought.

    Raises
    ------
    Conflict
        If the game has changed a file since; it stays, and what else there is went back.
    """
    with ws.session() as session:
        rows = keeping.of_delivery(session, delivery_id)
    left: list[str] = []
    for game_id in sorted({row.game_id for row in rows}):
        paths = [row.path for row in rows if row.game_id == game_id]
        left += returning.restore(ws, game_id, paths, progress).left
        _read_again(ws, game_id, progress)
    if left:
        raise Conflict(
            "left-alone",
            f"{len(left)} of {len(rows)} files were changed by the game since and stay as they "
            f"are: {left[0]}",
            "Look at them on Sources, under Ours; the originals before that are in the safe.",
        )


def _read_again(ws: Workspace, game_id: str, progress: Progress) -> None:
    """Bring the catalogue up to date where there is one: files came or went."""
    with ws.session() as session:
        row = session.get(GameRow, game_id)
    if row is not None and row.read is not None:
        cataloguing.catalogue(ws, game_id, progress)
