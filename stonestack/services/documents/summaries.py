"""What lists show of surfaces, kept beside their documents so that no list has to work it out."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from enum import StrEnum
from functools import cache
from pathlib import Path

from pydantic import BaseModel
from sqlalchemy import text
from sqlmodel import Session

from stonestack import core
from stonestack.core.document import SourceOrigin, Stage, Surface, rebuilt
from stonestack.core.document.deliveries import Delivery
from stonestack.core.document.leaving import leaving
from stonestack.core.document.materials import Material, check
from stonestack.core.document.project import Settings
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.graph.parts import contents_of, parts_of
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.findings import Finding
from stonestack.core.runtime import memory
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Fit
from stonestack.core.tables.targets import TARGETS, target_of
from stonestack.services.documents import history, projects, standing
from stonestack.services.documents.history import DELIVERY, MATERIAL, SURFACE
from stonestack.services.documents.outputs import outputs
from stonestack.services.workspace import Workspace
from stonestack.store.tables import DocumentRow


class SurfaceState(StrEnum):
    """How far a surface has come."""

    EMPTY = "empty"
    DRAFT = "draft"
    BUILT = "built"
    INSTALLED = "installed"
    CHANGED = "changed"
    UNREADABLE = "unreadable"


class PartSummary(BaseModel):
    """One file that a surface delivers, as lists see it."""

    map: str | None
    role: Role | None
    path: str
    format: BlockFormat | None
    width: int
    height: int
    shown: str | None
    key: str
    faults: int = 0


class Summary(BaseModel):
    """What is kept of a surface beside its document, so that lists need not work it out."""

    title: str
    name: str
    empty: bool
    maps: int
    keys: dict[Role, str | None]
    width: int
    metres: float
    parts: dict[str, list[PartSummary]]
    contents: dict[str, str]
    links: dict[str, list[Finding]]


_TIMES = 10
"""How much more memory a model takes than its text."""


_RULES = ("document", "graph", "judge", "kinds", "steps", "tables")
"""Rooms of core that say what lists show of a surface, beside its documents."""


@cache
def _code() -> str:
    """Return what summaries depend on beside documents and settings: the rules, all of them."""
    whole = hashlib.sha256(Path(__file__).read_bytes())
    root = Path(core.__file__).parent
    for room in _RULES:
        for path in sorted(p for p in (root / room).rglob("*") if p.suffix in (".py", ".json")):
            whole.update(path.read_bytes())
    return whole.hexdigest()[:16]


def _of_game(settings: Settings) -> str:
    """Return what summaries depend on of the game itself: the names that it looks up."""
    names = {
        name: sorted(projects.texture_names(target, settings.game_folder))
        for name, target in TARGETS.items()
    }
    return hashlib.sha256(json.dumps(names).encode()).hexdigest()[:16]


@memory.kept(lambda stored: _TIMES * len(stored))
def _read(stored: str) -> Summary:
    """Read a kept summary; the same text is read once, and nobody changes what is read."""
    return Summary.model_validate_json(stored)


def of(
    ws: Workspace, session: Session, rows: Sequence[DocumentRow], settings: Settings
) -> dict[str, Summary | str]:
    """Return what lists show of surfaces; what is not kept, or of another state, is worked out.

    Returns
    -------
    dict
        By id; a string says why a surface cannot be read.
    """
    ids = {row.id for row in rows}
    shown: dict[str, list[DocumentRow]] = {}
    if len(rows) == 1:
        owned = history.owned(session, MATERIAL, rows[0].id)
    else:
        project_id = rows[0].project_id if rows else ""
        owned = history.rows_of(session, MATERIAL, project_id)
    for material in owned:
        if material.owner in ids:
            shown.setdefault(material.owner, []).append(material)
    found: dict[str, Summary | str] = {}
    stale: list[tuple[DocumentRow, str]] = []
    first, rules = settings.targets[0], f"{_code()} {_of_game(settings)}"
    also: dict[str, None] = {}
    for row in rows:
        heads = [m.head for m in shown.get(row.id, [])]
        made_of = f"{row.head} {heads} {first} {rules}"
        known = _read(row.summary) if row.summary and row.summary_of == made_of else None
        if known is not None and set(settings.targets) <= set(known.parts):
            found[row.id] = known
        else:
            stale.append((row, made_of))
            # What was worked out for another target stays, so that the two do not take turns.
            also |= dict.fromkeys(known.parts if known is not None else ())
    if stale:
        targets = tuple(dict.fromkeys((*settings.targets, *(t for t in also if t in TARGETS))))
        wider = rebuilt(settings, targets=targets)
        found |= _worked_out(ws, session, stale, shown, wider)
    return {row_id: _for(summary, settings.targets) for row_id, summary in found.items()}


def _for(summary: Summary | str, targets: Sequence[str]) -> Summary | str:
    """Return what is known of a surface for some targets, in their order."""
    if isinstance(summary, str) or list(summary.parts) == list(targets):
        return summary
    return summary.model_copy(
        update={
            "parts": {name: summary.parts[name] for name in targets},
            "contents": {n: summary.contents[n] for n in targets if n in summary.contents},
            "links": {name: summary.links[name] for name in targets},
        }
    )


def _worked_out(
    ws: Workspace,
    session: Session,
    stale: list[tuple[DocumentRow, str]],
    shown: dict[str, list[DocumentRow]],
    settings: Settings,
) -> dict[str, Summary | str]:
    documents = history.bodies(session, SURFACE, [row for row, _ in stale])
    owned = [m for row, _ in stale for m in shown.get(row.id, [])]
    materials = history.bodies(session, MATERIAL, owned)
    found: dict[str, Summary | str] = {}
    kept: list[dict[str, str | int]] = []
    for row, made_of in stale:
        document = documents[row.id]
        if not isinstance(document, Surface):
            found[row.id] = str(document)
            continue
        own = [m for one in shown.get(row.id, []) if isinstance(m := materials[one.id], Material)]
        summary = _of(ws, row.id, document, own, settings)
        found[row.id] = summary
        kept.append(
            {
                "id": row.id,
                "head": row.head,
                "summary": summary.model_dump_json(),
                "made_of": made_of,
            }
        )
    if kept:
        with ws.writing() as writing:
            writing.connection().execute(
                text(
                    "UPDATE document SET summary = :summary, summary_of = :made_of"
                    " WHERE id = :id AND head = :head"
                ),
                kept,
            )
    return found


def _of(
    ws: Workspace,
    surface_id: str,
    document: Surface,
    materials: list[Material],
    settings: Settings,
) -> Summary:
    parts: dict[str, list[PartSummary]] = {}
    contents: dict[str, str] = {}
    keys: dict[Role, str | None] = {}
    for name in settings.targets:
        target = target_of(name)
        wiring = Wiring(document, target=target)
        files = parts_of(wiring, surface_id, materials)
        known = outputs(document, target, settings.game_folder)
        parts[name] = []
        for part in files:
            m = document.find(part.map)
            parts[name].append(
                PartSummary(
                    map=part.map,
                    role=m.role if m else None,
                    path=part.path,
                    format=known[m.id].format if m else None,
                    width=m.size.width if m else 0,
                    height=m.size.height if m else 0,
                    shown=wiring.graph[part.key].inputs[0] if m else None,
                    key=part.key,
                    faults=sum(f.level == "fault" for f in known[m.id].findings) if m else 0,
                )
            )
        if files:
            contents[name] = contents_of(wiring.graph, files)
        if not keys:
            keys = {
                m.role: wiring.at(m.id, Stage.FINISH)
                for m in document.maps
                if leaving(document, m, target).delivered
            }
        ws.renderer.graphs.add(
            wiring.graph,
            [k for k in keys.values() if k and k in wiring.graph]
            + [p.shown for p in parts[name] if p.shown],
        )
    return Summary(
        title=document.title,
        name=document.name,
        empty=all(
            m.origin is None or not isinstance(m.origin, SourceOrigin) for m in document.maps
        ),
        maps=len(keys),
        keys=keys,
        width=_width(document),
        metres=materials[0].metres if materials else 1.0,
        parts=parts,
        contents=contents,
        links={
            name: check(materials[0], document, target_of(name)) if materials else []
            for name in settings.targets
        },
    )


def _width(document: Surface) -> int:
    """Return how many texels a surface has from left to right of one tile."""
    m = document.of_role(Role.COLOUR) or next(iter(document.maps), None)
    if m is None:
        return 0
    return m.size.width // m.size.across if m.size.fit is Fit.REPEAT else m.size.width


Built = dict[tuple[str, str], tuple[str, bool]]
"""By surface and target, the key of its newest build and whether that is in the game."""


def built(ws: Workspace, session: Session, settings: Settings, where: str, value: str) -> Built:
    """Return what is built of surfaces, and what of that is in the game now.

    Parameters
    ----------
    where : str
        The column that has to have a value: of a whole project, or of one surface.
    """
    rows = (
        session.connection()
        .execute(
            text(
                "SELECT built.surface_id, built.target, built.key, build.id, build.delivery_id,"
                " max(build.created) FROM built JOIN build ON build.id = built.build_id"
                " JOIN document ON document.id = build.delivery_id"
                f" WHERE {where} = :value GROUP BY built.surface_id, built.target"
            ),
            {"value": value},
        )
        .all()
    )
    owners = [history.row_of(session, DELIVERY, owner) for owner in {r[4] for r in rows}]
    bodies = history.bodies(session, DELIVERY, owners)
    stands = {
        owner.id: standing.of(ws, session, settings, owner.id, body)
        for owner in owners
        if isinstance(body := bodies[owner.id], Delivery)
    }
    inside = {s.build for s in stands.values() if s.state == "in"}
    return {(r[0], r[1]): (r[2], r[3] in inside) for r in rows}


def state(
    ws: Workspace, session: Session, settings: Settings, row: DocumentRow, summary: Summary | str
) -> SurfaceState:
    """Return how far one surface has come."""
    if isinstance(summary, str):
        return SurfaceState.UNREADABLE
    known = built(ws, session, settings, "built.surface_id", row.id)
    return state_of(row.id, summary, known)


def state_of(surface_id: str, summary: Summary, built: Built) -> SurfaceState:
    """Return how far a surface has come, by what is known of its builds."""
    if summary.empty:
        return SurfaceState.EMPTY
    known = [
        (built[surface_id, target], key)
        for target, key in summary.contents.items()
        if (surface_id, target) in built
    ]
    if not known:
        return SurfaceState.DRAFT
    if any(was != key for (was, _), key in known):
        return SurfaceState.CHANGED
    return SurfaceState.INSTALLED if all(on for (_, on), _ in known) else SurfaceState.BUILT
