"""Surfaces: list, start, edit, undo and redo; and the keys of all their stages."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Sequence
from enum import StrEnum
from functools import cache, lru_cache

from pydantic import BaseModel
from sqlalchemy import text
from sqlmodel import Session

from stonestack.core import ops
from stonestack.core.blocks.formats import BlockFormat
from stonestack.core.checks.findings import Finding
from stonestack.core.checks.outputs import of_output
from stonestack.core.codecs import pictures
from stonestack.core.codecs.sniff import FileKind
from stonestack.core.document import (
    Frozen,
    Map,
    SourceOrigin,
    Stage,
    Surface,
    new_surface,
    rebuilt,
)
from stonestack.core.document.project import Settings
from stonestack.core.edits import Edit, Freeze
from stonestack.core.errors import BadRequest
from stonestack.core.graph import Key
from stonestack.core.materials import Material, check
from stonestack.core.normals import Green
from stonestack.core.roles import Role
from stonestack.core.sizing import Fit
from stonestack.core.targets import TARGETS, Target, leaving, target_of
from stonestack.core.wiring import Wiring, contents_of, parts_of
from stonestack.services import history, projects
from stonestack.services.history import MATERIAL, SURFACE
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


class OutputView(BaseModel):
    """How a map leaves for the target that is shown.

    Parameters
    ----------
    format, green, name, path, delivered
        As it leaves, whether the output or the target says so.
    formats : list of BlockFormat
        Those that the target takes.
    extension : str
        Behind the name, with the dot.
    findings : list of Finding
        What the target would refuse or read wrongly.
    as_in_game : bool
        Whether it was taken from the game and nothing was done to it: its blocks go back untouched.
    """

    format: BlockFormat
    green: Green
    name: str
    path: str
    extension: str
    delivered: bool
    formats: list[BlockFormat]
    findings: list[Finding]
    as_in_game: bool = False


class SurfaceView(BaseModel):
    """A surface as the bench sees it."""

    id: str
    project_id: str
    revision: int
    moves: int
    document: Surface
    target: str
    keys: dict[str, dict[Stage, str | None]]
    masks: dict[str, str]
    """The keys of its masks as pictures, by id."""
    outputs: dict[str, OutputView]
    out_of_date: list[str]
    undo: str | None
    redo: str | None
    state: SurfaceState
    material_id: str | None
    material: Material | None
    left: list[str] = []
    """Kinds of what an undo or redo could not take along, since it was changed again."""


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


class SurfaceSummary(BaseModel):
    """A surface as the list of surfaces sees it."""

    id: str
    title: str
    name: str
    state: SurfaceState
    maps: int
    revision: int
    keys: dict[Role, str | None]
    width: int
    metres: float
    faults: int = 0
    problem: str = ""


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


class RevisionKeys(BaseModel):
    """The content keys of one revision."""

    number: int
    keys: dict[str, dict[Stage, str | None]]


# ---- Reading -----------------------------------------------------------------------------


def get(ws: Workspace, surface_id: str, left: list[str] | None = None) -> SurfaceView:
    """Return a surface with the keys of all its stages."""
    with ws.session() as session:
        row = history.row_of(session, SURFACE, surface_id)
        document = history.body_of(session, SURFACE, row)
        undo, redo = history.neighbours(session, row)
        owned = history.owned(session, MATERIAL, surface_id)
        materials = history.bodies(session, MATERIAL, owned)
        settings = projects.settings_of(session, row.project_id)
        state = _state(session, row, summaries(ws, session, [row], settings)[row.id])
    target = target_of(settings.targets[0])
    wiring = Wiring(document, target=target)
    shown = materials[owned[0].id] if owned else None
    return SurfaceView(
        id=surface_id,
        project_id=row.project_id,
        revision=row.head,
        moves=row.moves,
        document=document,
        target=target.name,
        keys=_announced(ws, wiring),
        masks=_announced_masks(ws, wiring),
        outputs=outputs(document, target, settings.game_folder),
        out_of_date=[m.id for m in document.maps if wiring.out_of_date(m)],
        undo=undo,
        redo=redo,
        state=state,
        material_id=owned[0].id if owned else None,
        material=shown if isinstance(shown, Material) else None,
        left=left or [],
    )


def outputs(document: Surface, target: Target, folder: str | None) -> dict[str, OutputView]:
    """Return how every map of a surface leaves for a target, and what is wrong with that."""
    names = projects.texture_names(target, folder)
    found = {}
    for m in document.maps:
        leaves = leaving(document, m, target)
        found[m.id] = OutputView(
            format=leaves.format,
            green=leaves.green,
            name=leaves.name,
            path=leaves.path,
            extension=f".{leaves.path.rpartition('.')[2]}",
            delivered=leaves.delivered,
            formats=list(target.formats_of(m.role)),
            findings=of_output(document, m, leaves, target, names),
            as_in_game=_untouched(m),
        )
    return found


def _untouched(m: Map) -> bool:
    """Tell whether a map is still exactly the game's own file."""
    place, origin = m.place, m.origin
    return (
        place is not None
        and isinstance(origin, SourceOrigin)
        and origin.sha256 == place.sha256
        and origin.frame.plain
        and not any(step.enabled for step in m.steps)
        and not m.returned
        and m.frozen is None
        and (m.size.width, m.size.height) == (place.width, place.height)
    )


def listed(ws: Workspace, project_id: str) -> list[SurfaceSummary]:
    """Return a project's surfaces in the order they were made; one that is unreadable says so."""
    with ws.session() as session:
        settings = projects.settings_of(session, project_id)
        rows = history.rows_of(session, SURFACE, project_id)
        known = summaries(ws, session, rows, settings)
        built = _built(session, "document.project_id", project_id)
    return [_summary(row, known[row.id], built) for row in rows]


def _summary(
    row: DocumentRow, summary: Summary | str, built: dict[tuple[str, str], tuple[str, bool]]
) -> SurfaceSummary:
    if isinstance(summary, str):
        return SurfaceSummary(
            id=row.id,
            title="Unreadable surface",
            name="",
            state=SurfaceState.UNREADABLE,
            maps=0,
            revision=row.head,
            keys={},
            width=0,
            metres=1,
            problem=summary,
        )
    first = next(iter(summary.parts.values()), [])
    return SurfaceSummary(
        id=row.id,
        title=summary.title,
        name=summary.name,
        state=_state_of(row.id, summary, built),
        maps=summary.maps,
        revision=row.head,
        keys=summary.keys,
        width=summary.width,
        metres=summary.metres,
        faults=sum(part.faults for part in first),
    )


# ---- Summaries ---------------------------------------------------------------------------


@cache
def _code() -> str:
    """Return what summaries depend on beside documents: operations, targets and this form."""
    parts = [[o.name, o.version] for o in ops.OPERATIONS.values()]
    whole = [parts, [t.model_dump(mode="json") for t in TARGETS.values()], 3]
    return hashlib.sha256(json.dumps(whole, sort_keys=True).encode()).hexdigest()[:16]


@lru_cache(maxsize=4096)
def _summary_read(stored: str) -> Summary:
    """Read a kept summary; the same text is read once, and nobody changes what is read."""
    return Summary.model_validate_json(stored)


def summaries(
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
    for row in rows:
        heads = [m.head for m in shown.get(row.id, [])]
        made_of = f"{row.head} {heads} {settings.targets} {_code()}"
        if row.summary and row.summary_of == made_of:
            found[row.id] = _summary_read(row.summary)
        else:
            stale.append((row, made_of))
    if stale:
        found |= _worked_out(ws, session, stale, shown, settings)
    return found


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
        known = outputs(document, target, None)
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
                m.role: wiring.at(m.id, Stage.SIZE)
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


def _built(session: Session, where: str, value: str) -> dict[tuple[str, str], tuple[str, bool]]:
    """Return, by surface and target, the key of its newest build and whether that is installed.

    Parameters
    ----------
    where : str
        The column that has to have a value: of a whole project, or of one surface.
    """
    rows = session.connection().execute(
        text(
            "SELECT built.surface_id, built.target, built.key, build.installed,"
            " max(build.created) FROM built JOIN build ON build.id = built.build_id"
            " JOIN document ON document.id = build.delivery_id"
            f" WHERE {where} = :value GROUP BY built.surface_id, built.target"
        ),
        {"value": value},
    )
    return {(r[0], r[1]): (r[2], r[3] is not None) for r in rows}


def _state(session: Session, row: DocumentRow, summary: Summary | str) -> SurfaceState:
    if isinstance(summary, str):
        return SurfaceState.UNREADABLE
    return _state_of(row.id, summary, _built(session, "built.surface_id", row.id))


def _state_of(
    surface_id: str, summary: Summary, built: dict[tuple[str, str], tuple[str, bool]]
) -> SurfaceState:
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


# ---- Changing ----------------------------------------------------------------------------


def create(ws: Workspace, project_id: str, title: str, name: str) -> SurfaceView:
    """Make an empty surface, with its material, as one action.

    Raises
    ------
    BadRequest
        If the name cannot be a file name, or another surface has it.
    """
    with ws.session() as session:
        settings = projects.settings_of(session, project_id)
        rows = history.rows_of(session, SURFACE, project_id)
        known = summaries(ws, session, rows, settings).values()
        taken = {s.name for s in known if isinstance(s, Summary)}
    target = target_of(settings.targets[0])
    roles = frozenset(r for r in Role if r.info.usual and _wanted(r, target))
    document = history.validated(lambda: new_surface(title, name, roles, frozenset(target.colours)))
    if name in taken:
        raise BadRequest("name-taken", f"Another surface is called {name}.", "Choose another name.")
    with ws.writing() as session:
        action = history.acted(session, project_id, f"{title} started")
        row = history.begin(session, SURFACE, project_id, document, action)
        material = Material(title=title, name=name, surface=row.id)
        history.begin(session, MATERIAL, project_id, material, action, owner=row.id)
    return get(ws, row.id)


def _wanted(role: Role, target: Target) -> bool:
    """Tell whether a target asks for a role, or some role that it asks for comes from it."""
    asked = set(target.delivered) | set(target.slots)
    sources = {r.info.derived.source for r in asked if r.info.derived is not None}
    return role in asked or role.value in sources


def edit(ws: Workspace, surface_id: str, base: int, change: Edit) -> SurfaceView:
    """Make the next revision.

    Raises
    ------
    Conflict
        If ``base`` is not the present revision: another tab was faster.
    BadRequest
        If the edit does not fit the surface.
    """
    with ws.writing() as session:
        row = history.row_of(session, SURFACE, surface_id)
        if row.head != base:
            raise history.stale(SURFACE.words)
        before = history.body_of(session, SURFACE, row)
        after = history.validated(lambda: change.apply(before))
        changes = [history.Change(row, after, base)]
        if _first_colour_is_open(before, after):
            changes += _cut_out(session, surface_id)
        history.change(session, change.words(before), changes)
    return _moved_on(ws, surface_id, before)


def freeze(ws: Workspace, surface_id: str, base: int, map_id: str) -> SurfaceView:
    """Keep a map's result after its steps as it is now.

    Raises
    ------
    BadRequest
        If the map has no source yet.
    """
    with ws.session() as session:
        document = history.read(session, SURFACE, surface_id)
    m = document.map(map_id)
    wiring = Wiring(document)
    key = wiring.after_steps(map_id, thawed=True)
    if key is None:
        raise BadRequest("nothing-there", f"{m.title} has no source yet.", "Bring a picture first.")
    ws.renderer.graphs.add(wiring.graph, [key])
    picture = ws.renderer.picture(key)
    kept = ws.files.keep(pictures.write(picture, FileKind.PNG, 16))
    frozen = Frozen(sha256=kept, of=key, wraps=picture.wraps)
    return edit(ws, surface_id, base, Freeze(map=map_id, frozen=frozen))


def preview(
    ws: Workspace, surface_id: str, change: Edit, map_id: str, stage: Stage, longest: int | None
) -> Key | None:
    """Return the key of a passing look at an edit that is not made yet."""
    with ws.session() as session:
        row = history.row_of(session, SURFACE, surface_id)
        before = history.body_of(session, SURFACE, row)
        settings = projects.settings_of(session, row.project_id)
    after = history.validated(lambda: change.apply(before))
    wiring = Wiring(after, longest, target=target_of(settings.targets[0]))
    key = wiring.at(map_id, stage)
    if key is not None:
        ws.renderer.graphs.add(wiring.graph, [key], lasting=False)
    return key


def undo(ws: Workspace, surface_id: str, base: int) -> SurfaceView:
    """Take back the last action that changed a surface, in all that it changed."""
    return _move(ws, surface_id, base, history.undo)


def redo(ws: Workspace, surface_id: str, base: int) -> SurfaceView:
    """Do again what was last undone."""
    return _move(ws, surface_id, base, history.redo)


def revision_keys(ws: Workspace, surface_id: str, number: int) -> RevisionKeys:
    """Return the content keys of an earlier revision, for looking at it beside the present one."""
    with ws.session() as session:
        row = history.row_of(session, SURFACE, surface_id)
        document = history.at(session, SURFACE, surface_id, number)
        settings = projects.settings_of(session, row.project_id)
    wiring = Wiring(document, target=target_of(settings.targets[0]))
    return RevisionKeys(number=number, keys=_announced(ws, wiring))


def _announced(ws: Workspace, wiring: Wiring) -> dict[str, dict[Stage, Key | None]]:
    """Make the keys of all stages known, so that their renders can be asked for by address."""
    stages = wiring.stages()
    ws.renderer.graphs.add(wiring.graph, [k for by in stages.values() for k in by.values() if k])
    return stages


def _announced_masks(ws: Workspace, wiring: Wiring) -> dict[str, Key]:
    masks = wiring.masks()
    ws.renderer.graphs.add(wiring.graph, masks.values())
    return masks


def _first_colour_is_open(before: Surface, after: Surface) -> bool:
    """Tell whether a colour has just come in for the first time, and with alpha in use."""
    now, then = after.of_role(Role.COLOUR), before.of_role(Role.COLOUR)
    if now is None or not isinstance(now.origin, SourceOrigin) or not now.origin.alpha:
        return False
    return then is None or then.origin is None


def _cut_out(session: Session, surface_id: str) -> list[history.Change]:
    """Let a surface's materials be cut out, as its colour is."""
    rows = history.owned(session, MATERIAL, surface_id)
    bodies = history.bodies(session, MATERIAL, rows)
    return [
        history.Change(row, rebuilt(material, cutout=True))
        for row in rows
        if isinstance(material := bodies[row.id], Material)
    ]


def _move(
    ws: Workspace,
    surface_id: str,
    base: int,
    way: Callable[[Session, DocumentRow, int], history.Moved],
) -> SurfaceView:
    with ws.writing() as session:
        row = history.row_of(session, SURFACE, surface_id)
        before = history.body_of(session, SURFACE, row)
        moved = way(session, row, base)
    return _moved_on(ws, surface_id, before, moved.left)


def _moved_on(
    ws: Workspace, surface_id: str, before: Surface, left: list[str] | None = None
) -> SurfaceView:
    """Return a surface as it is now; what was being made only of its former state is dropped.

    What was stopped before goes on: it belongs to what the person wants to see now.
    """
    view = get(ws, surface_id, left)
    former = Wiring(before, target=TARGETS[view.target]).stages()
    gone = {key for by in former.values() for key in by.values() if key}
    now = {key for by in view.keys.values() for key in by.values() if key}
    ws.renderer.drop(gone - now)
    ws.renderer.go_on(now)
    return view
