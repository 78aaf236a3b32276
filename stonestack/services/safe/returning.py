"""Give a game its originals back, switch between them and ours, and mend what an update undid."""

from __future__ import annotations

from pydantic import BaseModel
from sqlmodel import col, select

from stonestack.core.runtime.errors import BadRequest
from stonestack.services.game import cataloguing
from stonestack.services.jobs import Progress
from stonestack.services.safe import keeping, planning, putting
from stonestack.services.safe.keeping import PlacedState
from stonestack.services.safe.planning import Replacement
from stonestack.services.safe.putting import Ground, Put, Spot
from stonestack.services.workspace import Workspace
from stonestack.store.tables import EntryRow, PlacedRow


class Restored(BaseModel):
    """What was given back, and what was left alone with the reason."""

    paths: list[str]
    left: list[str]


def restore(
    ws: Workspace,
    game_id: str,
    paths: list[str] | None,
    progress: Progress,
    even_changed: bool = False,
) -> Restored:
    """Give originals back byte for byte, with their times.

    Parameters
    ----------
    paths : list of str or None
        Which; None gives all back.
    even_changed : bool
        Whether to overwrite files that the game has changed since.

    Raises
    ------
    BadRequest
        If a path is not ours.
    """
    with putting.entered(ws, game_id, "giving originals back") as root:
        rows = _chosen(ws, game_id, paths)
        ground = Ground.found(game_id, root, [row.file for row in rows])
        back: list[PlacedRow] = []
        drop: list[PlacedRow] = []
        left: list[str] = []
        for row, state in zip(rows, keeping.states(root, rows), strict=True):
            if state.state in ("wiped", "original") and row.chain == "":
                drop.append(row)
            elif row.kept and not ws.safe.whole(row.kept):
                left.append(f"{row.path}: its original is lost or damaged in the safe.")
            elif _can_go_back(row, state) or even_changed:
                back.append(row)
            else:
                left.append(f"{row.path}: {state.words}")
        out = _emptied(ws, [*back, *drop])
        if back:
            putting.swap(
                ws,
                ground,
                back,
                progress,
                shown=False,
                forget=True,
                installed=dict.fromkeys(out, ""),
            )
        _dropped(ws, drop, out)
        cataloguing.touch(ws, game_id, sorted({r.file for r in drop}))
    return Restored(paths=sorted(r.path for r in (*back, *drop)), left=left)


def _can_go_back(row: PlacedRow, state: PlacedState) -> bool:
    """Tell whether an original goes back without overwriting what the game has brought since."""
    if state.state == "gone":
        return row.chain == ""
    return state.state in ("in place", "original", "wiped")


def switch(ws: Workspace, game_id: str, shown: bool, progress: Progress) -> Put:
    """Show ours everywhere, or the originals, without forgetting either."""
    with putting.entered(ws, game_id, "switching what shows") as root:
        with ws.session() as session:
            rows = keeping.ours(session, game_id)
        ground = Ground.found(game_id, root, [row.file for row in rows])
        wanted = "original" if shown else "in place"
        chosen = [
            row
            for row, state in zip(rows, keeping.states(root, rows), strict=True)
            if state.state == wanted
        ]
        if not chosen:
            return Put(paths=[], files=[])
        return putting.swap(ws, ground, chosen, progress, shown=shown)


def put_back(ws: Workspace, game_id: str, ids: list[int] | None, progress: Progress) -> Put:
    """Put ours in place again where an update has wiped it.

    Where the game brought another original, ours is made anew in that one's form, but only if
    it is named in ``ids``.

    Raises
    ------
    BadRequest
        If nothing was wiped.
    """
    with putting.entered(ws, game_id, "putting ours back") as root:
        with ws.session() as session:
            rows = keeping.ours(session, game_id)
        states = dict(zip((r.id for r in rows), keeping.states(root, rows), strict=True))
        named = [r for r in rows if ids and r.id in ids and states[r.id].state == "changed"]
        wiped = [r for r in rows if states[r.id].state == "wiped" and (ids is None or r.id in ids)]
        # What is named is looked at by the artist: what the game brought is its original now.
        cataloguing.touch(ws, game_id, sorted({r.file for r in named}))
        # What a delivery put has the form that its target asks for, whatever the game brought.
        wiped += [r for r in named if r.delivery_id]
        changed = [r for r in named if not r.delivery_id]
        if not wiped and not changed:
            raise BadRequest("nothing-wiped", "Nothing of ours was wiped.", "All is as it was put.")
        paths: list[str] = []
        files: set[str] = set()
        if wiped:
            ground = Ground.found(game_id, root, [r.file for r in wiped])
            with ws.session() as session:
                fresh = [putting.prepared(ws, session, ground, Spot.of(r), r.ours) for r in wiped]
            done = putting.swap(ws, ground, fresh, progress, shown=True)
            paths += done.paths
            files |= set(done.files)
        for row in changed:
            done = _made_anew(ws, game_id, row, progress)
            paths += done.paths
            files |= set(done.files)
    return Put(paths=sorted(paths), files=sorted(files))


def needs_care(states: list[PlacedState]) -> list[PlacedState]:
    """Return what is not as it was put."""
    return [s for s in states if s.state not in ("in place", "original")]


def _made_anew(ws: Workspace, game_id: str, row: PlacedRow, progress: Progress) -> Put:
    with ws.session() as session:
        entry = session.exec(
            select(EntryRow).where(
                EntryRow.game_id == game_id,
                EntryRow.path == row.path,
                EntryRow.chain == row.chain,
            )
        ).first()
    if entry is None or entry.id is None:
        raise BadRequest(
            "not-catalogued", f"{row.path} is not in the catalogue.", "Read the folder again."
        )
    wanted: Replacement = planning.from_file(entry.id, ws.files.read(row.ours))
    return putting.put(ws, game_id, [wanted], {entry.id}, progress)


def _chosen(ws: Workspace, game_id: str, paths: list[str] | None) -> list[PlacedRow]:
    with ws.session() as session:
        rows = keeping.ours(session, game_id)
    if paths is None:
        return rows
    wanted = {p.strip("/").replace("\\", "/") for p in paths}
    chosen = [r for r in rows if r.path in wanted or f"{r.path}#{r.chain.split('/')[-1]}" in wanted]
    missing = (
        wanted - {r.path for r in chosen} - {f"{r.path}#{r.chain.split('/')[-1]}" for r in chosen}
    )
    if missing:
        raise BadRequest(
            "not-ours",
            f"Nothing of ours stands at {', '.join(sorted(missing)[:3])}.",
            "stone-stack verify lists what is ours.",
        )
    return chosen


def _emptied(ws: Workspace, rows: list[PlacedRow]) -> list[str]:
    """Return the deliveries that have nothing in a game any more once these are gone."""
    going = {row.id for row in rows}
    with ws.session() as session:
        return [
            delivery_id
            for delivery_id in sorted({row.delivery_id for row in rows if row.delivery_id})
            if all(row.id in going for row in keeping.of_delivery(session, delivery_id))
        ]


def _dropped(ws: Workspace, rows: list[PlacedRow], out: list[str]) -> None:
    """Note that some things are no longer ours, and which deliveries are out of the game."""
    with ws.session() as session:
        for row in session.exec(
            select(PlacedRow).where(col(PlacedRow.id).in_([r.id for r in rows]))
        ):
            session.delete(row)
        for delivery_id in out:
            putting.mark_installed(session, delivery_id, "")


def forget(ws: Workspace, rows: list[PlacedRow]) -> None:
    """Note that some things are no longer ours; nothing in the game is touched."""
    _dropped(ws, rows, [])
