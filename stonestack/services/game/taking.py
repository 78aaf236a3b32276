"""Take files out of a game: to a folder, or into a project as the beginning of a surface."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from pathlib import Path, PurePosixPath

from pydantic import BaseModel
from sqlmodel import select

from stonestack.core.catalogue.describe import encoded, picture_bytes
from stonestack.core.catalogue.filenames import folded, parts
from stonestack.core.catalogue.grouping import Relation
from stonestack.core.document import GamePlace, SourceOrigin, Stage, edits
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.workfiles.passing import EXTENSIONS, WorkKind, full_colour
from stonestack.core.graph import ops
from stonestack.core.graph.ops.returns import Turning
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.node import Graph, Key, closure
from stonestack.core.picture.image import Space
from stonestack.core.picture.normals import Green
from stonestack.core.refit import contract_of, texels_of
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.naming import code_name
from stonestack.core.tables.roles import ROLES, Role
from stonestack.core.tables.sizing import SIZES, Size
from stonestack.services.documents import history, projects, surfaces
from stonestack.services.documents.history import SURFACE
from stonestack.services.documents.surfaces import SurfaceView
from stonestack.services.game import finding, shelf, sources
from stonestack.services.safe.matching import CONTRACT
from stonestack.services.safe.planning import Replacement
from stonestack.services.workspace import Workspace, must
from stonestack.store import disk
from stonestack.store.files import write_atomically
from stonestack.store.tables import EntryRow, GameFileRow, GameRow

_OPENED = {"png", "jpeg", "bmp", "tiff", "tga"}
"""Kinds that image editors open; of others a PNG is put beside."""


class Taken(BaseModel):
    """What was written for one file of the game."""

    path: str
    files: list[str]
    contract: str
    refusal: str


def take_out(
    ws: Workspace,
    game_id: str,
    entries: list[EntryRow],
    out: Path,
    kind: WorkKind | None = None,
) -> list[Taken]:
    """Write originals to a folder, each with its contract and what is to be edited.

    Two names that differ only by case get two files on every system.

    Parameters
    ----------
    kind : WorkKind, optional
        Put pictures out in this kind instead, in full colour and under the same name, so that
        any editor opens what is paletted or odd. Without it, originals are written byte for
        byte, and a PNG beside those that editors do not open.
    """
    disk.now().make_folders(out)
    used = {folded(p.name) for p in out.iterdir()}
    return [_taken(ws, game_id, entry, out, used, kind) for entry in entries]


def _taken(
    ws: Workspace,
    game_id: str,
    entry: EntryRow,
    out: Path,
    used: set[str],
    kind: WorkKind | None,
) -> Taken:
    data = finding.content(ws, game_id, entry.id or 0)
    contract = contract_of(data)
    picture = bool(entry.width) and not entry.problem
    files: list[str] = []
    if kind is not None and picture:
        files.append(_free(f"{PurePosixPath(entry.name).stem}{EXTENSIONS[kind]}", used))
        _write(out / files[0], full_colour(texels_of(data), kind))
    else:
        files.append(_free(entry.name, used))
        _write(out / files[0], data)
        if picture and entry.kind not in _OPENED:
            files.append(_free(f"{PurePosixPath(files[0]).stem}.png", used))
            _write(out / files[1], encoded(picture_bytes(data, None)))
    described = _free(f"{files[0]}{CONTRACT}", used)
    text = contract.model_dump(mode="json") | {
        "path": entry.path,
        "index": entry.chain,
        "sha256": entry.sha256,
        "files": files,
    }
    _write(out / described, (_json(text) + "\n").encode())
    files.insert(1, described)
    for companion in companions(ws, game_id, entry):
        files.append(_free(companion.name, used))
        _write(out / files[-1], finding.content(ws, game_id, companion.id or 0))
    return Taken(path=entry.path, files=files, contract=contract.line, refusal=contract.refusal)


def _write(path: Path, data: bytes) -> None:
    """Write a file that others may read, as files that a person takes out."""
    write_atomically(path, data)
    disk.share(path)


def companions(ws: Workspace, game_id: str, entry: EntryRow) -> list[EntryRow]:
    """Return files that describe an entry: of its name, beside it, and no picture."""
    with ws.session() as session:
        beside = session.exec(
            select(EntryRow).where(
                EntryRow.game_id == game_id,
                EntryRow.place == entry.place,
                EntryRow.width == 0,
                EntryRow.kind == "text",
            )
        ).all()
    base = PurePosixPath(folded(entry.name)).stem
    stem = parts(entry.path).stem
    return [b for b in beside if PurePosixPath(folded(b.name)).name.split(".")[0] in (base, stem)]


def companion_files(ws: Workspace, place: GamePlace) -> list[tuple[str, bytes]]:
    """Return names and contents of what describes a map's file in the game, for putting beside."""
    with ws.session() as session:
        entry = session.exec(
            select(EntryRow).where(
                EntryRow.game_id == place.game,
                EntryRow.path == place.path,
                EntryRow.chain == place.chain,
            )
        ).first()
    if entry is None:
        return []
    used: set[str] = set()
    return [
        (_free(c.name, used), finding.content(ws, place.game, c.id or 0))
        for c in companions(ws, place.game, entry)
    ]


def into_project(
    ws: Workspace, project_id: str, game_id: str, entry_ids: list[int]
) -> list[SurfaceView]:
    """Begin surfaces with files of the game: one a thing, with the maps found for it.

    Raises
    ------
    BadRequest
        If a file is none of the game's, no picture, or cannot be decoded; nothing is begun then.
    """
    with ws.session() as session:
        projects.settings_of(session, project_id)
        chosen = [must(session, EntryRow, i, "file") for i in entry_ids]  # type: ignore[arg-type]
        shelf_of = must(session, GameRow, game_id, "game folder").shelf_of
    for entry in chosen:
        if shelf_of is not None or entry.game_id != game_id:
            raise BadRequest(
                "not-of-the-game",
                f"{entry.path} is not a file of this game.",
                "Choose files of the game; with what was brought in, start a surface instead.",
            )
        if not entry.width or entry.problem or not entry.role:
            raise BadRequest(
                "not-a-picture",
                f"{entry.path} is no picture that can be worked on. {entry.problem}".strip(),
                "It is catalogued and can be kept; choose a picture.",
            )
    things: dict[tuple[str, str], list[EntryRow]] = {}
    for entry in chosen:
        key = (entry.thing, f"{entry.variant}/{entry.tier}/{entry.use == 'icon'}")
        things.setdefault(key, []).append(entry)
    maps = [_maps(ws, game_id, entries) for entries in things.values()]
    # All are looked at before the first is kept.
    found = {
        entry.id: sources.looked_at(ws, project_id, entry.name, _content(ws, entry))
        for own in maps
        for entry in own.values()
    }
    taken = {s.name for s in surfaces.listed(ws, project_id)}
    beginnings = []
    for entries, own in zip(things.values(), maps, strict=True):
        changes = [
            _taken_as(ws, project_id, role, entry, found[entry.id]) for role, entry in own.items()
        ]
        head = own.get(Role.COLOUR, entries[0])
        name = _free_name(taken, code_name(parts(head.path).stem))
        taken.add(name)
        thing = head.thing.replace("_", " ").strip().capitalize()
        title = head.human or thing or head.name
        beginnings.append(surfaces.Beginning(title[:80], name, changes))
    shelf.catalogue(ws, project_id, {one.sha256: one.described for one in found.values()})
    words = f"Taken from the game: {chosen[0].name}"
    if len(chosen) > 1:
        words += f" and {len(chosen) - 1} more"
    return surfaces.create_all(ws, project_id, words, beginnings)


def of_surface(ws: Workspace, surface_id: str) -> tuple[str, list[Replacement]]:
    """Return the game and the replacements that a surface's maps make.

    Raises
    ------
    BadRequest
        If no map of the surface comes from a game.
    """
    with ws.session() as session:
        document = history.read(session, SURFACE, surface_id)
        placed = [(m, m.place) for m in document.maps if m.place is not None]
        if not placed:
            raise BadRequest(
                "not-from-a-game",
                "No map of this surface was taken from a game.",
                "Take a texture on the Sources page, or install it with a delivery.",
            )
        wanted = []
        wiring = Wiring(document)
        for m, place in placed:
            entry = session.exec(
                select(EntryRow).where(
                    EntryRow.game_id == place.game,
                    EntryRow.path == place.path,
                    EntryRow.chain == place.chain,
                )
            ).first()
            if entry is None:
                raise BadRequest(
                    "place-gone",
                    f"The game has no {place.path} any more.",
                    "Read the game folder again on the Sources page.",
                )
            same = (m.size.width, m.size.height) == (place.width, place.height)
            stage = Stage.FINISH if same else Stage.STEPS
            key = wiring.at(m.id, stage)
            if key is not None:
                # As its own file had it: the game reads it so.
                green = m.origin.green if isinstance(m.origin, SourceOrigin) else Green.UP
                own = wiring.levels(m) if same else {}
                wired = _wired(wiring.graph, [key, *own.values()], green)
                wanted.append(Replacement(entry.id or 0, wired, own=tuple(own)))
    return placed[0][1].game, wanted


def _wired(known: Graph, keys: Sequence[Key], green: Green) -> Callable[[Graph, Space], list[Key]]:
    def wired(graph: Graph, _space: Space) -> list[Key]:
        graph.nodes.update(closure(known, keys))
        return [ops.put(graph, "turn", Turning(green=green), [key]) for key in keys]

    return wired


def maps_of(ws: Workspace, game_id: str, entry: EntryRow) -> dict[Role, EntryRow]:
    """Return the maps that belong with a file: of its thing, tier and variant, nearest first."""
    with ws.session() as session:
        family = session.exec(
            select(EntryRow).where(
                EntryRow.game_id == game_id, EntryRow.thing == entry.thing, EntryRow.width > 0
            )
        ).all()
    chosen: dict[Role, EntryRow] = {}
    if entry.use == "icon":
        return {Role(entry.role): entry}

    def far(other: EntryRow) -> tuple[bool, bool, bool, bool, bool, str]:
        return (
            other.id != entry.id,
            other.place != entry.place,
            other.variant != entry.variant,
            other.tier != entry.tier,
            other.relation not in (Relation.MAP, Relation.VARIANT),
            other.path,
        )

    for other in sorted(family, key=far):
        if other.role and not other.problem and not (other.backup and other.id != entry.id):
            if other.use == "icon":
                continue
            chosen.setdefault(Role(other.role), other)
    return chosen


def _maps(ws: Workspace, game_id: str, entries: list[EntryRow]) -> dict[Role, EntryRow]:
    """Return the maps that a surface of some files begins with."""
    if len(entries) == 1:
        return maps_of(ws, game_id, entries[0])
    maps: dict[Role, EntryRow] = {}
    for entry in entries:
        maps.setdefault(Role(entry.role), entry)
    return maps


def _content(ws: Workspace, entry: EntryRow) -> bytes:
    return finding.content(ws, entry.game_id, entry.id or 0)


def _taken_as(
    ws: Workspace, project_id: str, role: Role, entry: EntryRow, found: sources.Found
) -> edits.TakeFromGame:
    """Keep a file of the game, and return the edit that begins a map with it."""
    data = _content(ws, entry)
    source = sources.keep(ws, project_id, found, data)
    with ws.session() as session:
        file = must(session, GameFileRow, entry.file_id, "file").path  # type: ignore[arg-type]
    place = GamePlace(
        game=entry.game_id,
        path=entry.path,
        file=file,
        chain=entry.chain,
        sha256=source.sha256,
        width=entry.width,
        height=entry.height,
        format=_format(role, entry),
        line=contract_of(data).line[:200],
    )
    return edits.TakeFromGame(role=role, origin=source.origin, place=place, size=_size(entry))


def _size(entry: EntryRow) -> Size:
    """Return the original's size, or the nearest that a surface can have."""

    def side(length: int) -> int:
        return int(min(SIZES, key=lambda s: abs(s - length)))

    return Size(width=side(entry.width), height=side(entry.height))


def _format(role: Role, entry: EntryRow) -> BlockFormat:
    fitting = ROLES[role].formats
    return next((f for f in fitting if f == entry.format), fitting[0])


def _free_name(taken: set[str], name: str) -> str:
    number = 2
    free = name
    while free in taken:
        free = f"{name[:44]}_{number}"
        number += 1
    return free


def _free(name: str, used: set[str]) -> str:
    """Return a plain file name that is not used yet, in any letter case."""
    plain = "".join("_" if c in '<>:"/\\|?*' or ord(c) < 32 else c for c in name).strip(" .")
    plain = plain[:180] or "unnamed"
    stem, dot, extension = plain.rpartition(".")
    number = 2
    free = plain
    while folded(free) in used:
        free = f"{stem or plain}~{number}{dot}{extension if stem else ''}"
        number += 1
    used.add(folded(free))
    return free


def _json(value: object) -> str:
    return json.dumps(value, indent=2, ensure_ascii=False)
