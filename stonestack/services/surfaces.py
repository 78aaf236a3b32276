"""Surfaces: edits make revisions; undo and redo move a pointer over them."""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum

from pydantic import BaseModel, ValidationError
from sqlmodel import Session, col, delete, select

from stonestack.core.deliveries import BuildRecord
from stonestack.core.edits import Edit
from stonestack.core.errors import BadRequest, Conflict
from stonestack.core.graph import Key
from stonestack.core.materials import Material
from stonestack.core.roles import Role
from stonestack.core.sizing import Fit
from stonestack.core.surface import SourceOrigin, Stage, Surface, new_surface
from stonestack.core.targets import TARGETS
from stonestack.core.wiring import Wiring, contents_of, parts_of
from stonestack.services.workspace import Workspace, must
from stonestack.store.tables import (
    BuildRow,
    DeliveryRow,
    MaterialRow,
    ProjectRow,
    RevisionRow,
    SurfaceRow,
)


class SurfaceState(StrEnum):
    """How far a surface has come."""

    EMPTY = "empty"
    DRAFT = "draft"
    BUILT = "built"
    INSTALLED = "installed"
    CHANGED = "changed"


class SurfaceView(BaseModel):
    """A surface as the bench sees it."""

    id: str
    project_id: str
    revision: int
    document: Surface
    keys: dict[Role, dict[Stage, str | None]]
    undo: str | None
    redo: str | None
    state: SurfaceState
    material_id: str | None
    material: Material | None


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


class RevisionKeys(BaseModel):
    """The content keys of one revision."""

    number: int
    keys: dict[Role, dict[Stage, str | None]]


class RevisionView(BaseModel):
    """One entry of a surface's history."""

    number: int
    words: str
    current: bool


def create(ws: Workspace, project_id: str, title: str, name: str) -> SurfaceView:
    """Make an empty surface, with its material.

    Raises
    ------
    BadRequest
        If the name cannot be a file name, or another surface has it.
    """
    with ws.session() as session:
        target = TARGETS[must(session, ProjectRow, project_id, "project").target]
        document = _validated(lambda: new_surface(title, name, target.colours))
        if any(d.name == name for _, d in _documents(session, project_id)):
            raise BadRequest(
                "name-taken", f"Another surface is called {name}.", "Choose another name."
            )
        row = SurfaceRow(project_id=project_id)
        session.add(row)
        session.flush()
        session.add(
            RevisionRow(
                surface_id=row.id, number=1, words="Started", document=document.model_dump_json()
            )
        )
        material = Material(title=title, name=name)
        session.add(
            MaterialRow(
                project_id=project_id, surface_id=row.id, document=material.model_dump_json()
            )
        )
        surface_id = row.id
    return get(ws, surface_id)


def get(ws: Workspace, surface_id: str) -> SurfaceView:
    """Return a surface with the keys of all its stages."""
    with ws.session() as session:
        row = must(session, SurfaceRow, surface_id, "surface")
        document = current_document(session, row)
        undo = _revision(session, surface_id, row.current) if row.current > 1 else None
        redo = _revision(session, surface_id, row.current + 1)
        material = session.exec(
            select(MaterialRow).where(MaterialRow.surface_id == surface_id)
        ).first()
        state = _state(session, row, document)
    keys = _announced(ws, document)
    return SurfaceView(
        id=surface_id,
        project_id=row.project_id,
        revision=row.current,
        document=document,
        keys=keys,
        undo=undo.words if undo else None,
        redo=redo.words if redo else None,
        state=state,
        material_id=material.id if material else None,
        material=Material.model_validate_json(material.document) if material else None,
    )


def listed(ws: Workspace, project_id: str) -> list[SurfaceSummary]:
    """Return a project's surfaces in the order they were made."""
    summaries = []
    announced: list[tuple[Wiring, list[Key]]] = []
    with ws.session() as session:
        must(session, ProjectRow, project_id, "project")
        for row, document in _documents(session, project_id):
            wiring = Wiring(document)
            keys = {m.role: wiring.at(m.role, Stage.SIZE) for m in document.maps if m.delivered}
            announced.append((wiring, [key for key in keys.values() if key]))
            summaries.append(
                SurfaceSummary(
                    id=row.id,
                    title=document.title,
                    name=document.name,
                    state=_state(session, row, document),
                    maps=sum(m.delivered for m in document.maps),
                    revision=row.current,
                    keys=keys,
                    width=_sized(document),
                    metres=_metres(session, row.id),
                )
            )
    for wiring, found in announced:
        ws.renderer.graphs.add(wiring.graph, found)
    return summaries


def _announced(ws: Workspace, document: Surface) -> dict[Role, dict[Stage, Key | None]]:
    """Make the keys of all stages known, so that their renders can be asked for by address."""
    wiring = Wiring(document)
    stages = wiring.stages()
    ws.renderer.graphs.add(wiring.graph, [k for by in stages.values() for k in by.values() if k])
    return stages


def _sized(document: Surface) -> int:
    """Return how many texels a surface's colour has from left to right of one tile."""
    size = document.map(Role.COLOUR).size
    return size.width // size.across if size.fit is Fit.REPEAT else size.width


def _metres(session: Session, surface_id: str) -> float:
    """Return how wide one tile of a surface is in the world."""
    row = session.exec(select(MaterialRow).where(MaterialRow.surface_id == surface_id)).first()
    return Material.model_validate_json(row.document).metres if row is not None else 1.0


def edit(ws: Workspace, surface_id: str, base: int, change: Edit) -> SurfaceView:
    """Make the next revision.

    Raises
    ------
    Conflict
        If ``base`` is not the present revision: another tab was faster.
    BadRequest
        If the edit does not fit the surface.
    """
    with ws.session() as session:
        row = must(session, SurfaceRow, surface_id, "surface")
        _check_base(row, base)
        before = current_document(session, row)
        after = _validated(lambda: change.apply(before))
        if after != before:
            session.exec(
                delete(RevisionRow).where(
                    col(RevisionRow.surface_id) == surface_id,
                    col(RevisionRow.number) > row.current,
                )
            )
            row.current += 1
            session.add(row)
            session.add(
                RevisionRow(
                    surface_id=surface_id,
                    number=row.current,
                    words=change.words(before),
                    document=after.model_dump_json(),
                )
            )
            if _first_colour_is_open(before, after):
                _cut_out(session, surface_id)
    return _moved_on(ws, surface_id, before)


def preview(
    ws: Workspace, surface_id: str, change: Edit, role: Role, stage: Stage, longest: int | None
) -> Key | None:
    """Return the key of a passing look at an edit that is not made yet."""
    with ws.session() as session:
        row = must(session, SurfaceRow, surface_id, "surface")
        before = current_document(session, row)
    wiring = Wiring(_validated(lambda: change.apply(before)), longest)
    key = wiring.at(role, stage)
    if key is not None:
        ws.renderer.graphs.add(wiring.graph, [key], lasting=False)
    return key


def undo(ws: Workspace, surface_id: str, base: int) -> SurfaceView:
    """Go back one revision."""
    return _move(ws, surface_id, base, -1, "Nothing to undo.")


def redo(ws: Workspace, surface_id: str, base: int) -> SurfaceView:
    """Go forward again by one revision."""
    return _move(ws, surface_id, base, +1, "Nothing to redo.")


def revision_keys(ws: Workspace, surface_id: str, number: int) -> RevisionKeys:
    """Return the content keys of an earlier revision, for looking at it beside the present one."""
    with ws.session() as session:
        must(session, SurfaceRow, surface_id, "surface")
        earlier = _revision(session, surface_id, number)
    if earlier is None:
        raise BadRequest(
            "no-such-revision", f"There is no revision {number}.", "Choose one of the list."
        )
    document = Surface.model_validate_json(earlier.document)
    keys = _announced(ws, document)
    return RevisionKeys(
        number=number,
        keys=keys,
    )


def take_back(ws: Workspace, surface_id: str, base: int, number: int) -> SurfaceView:
    """Make an earlier revision the newest one; nothing in between is lost."""
    with ws.session() as session:
        row = must(session, SurfaceRow, surface_id, "surface")
        _check_base(row, base)
        earlier = _revision(session, surface_id, number)
        if earlier is None:
            raise BadRequest(
                "no-such-revision", f"There is no revision {number}.", "Choose one of the list."
            )
        newest = max(
            session.exec(select(RevisionRow.number).where(RevisionRow.surface_id == surface_id))
        )
        row.current = newest + 1
        session.add(row)
        session.add(
            RevisionRow(
                surface_id=surface_id,
                number=row.current,
                words=f"Back to {number}: {earlier.words}",
                document=earlier.document,
            )
        )
    return get(ws, surface_id)


def history(ws: Workspace, surface_id: str) -> list[RevisionView]:
    """Return all revisions, newest first."""
    with ws.session() as session:
        row = must(session, SurfaceRow, surface_id, "surface")
        revisions = session.exec(
            select(RevisionRow)
            .where(RevisionRow.surface_id == surface_id)
            .order_by(col(RevisionRow.number).desc())
        )
        return [
            RevisionView(number=r.number, words=r.words, current=r.number == row.current)
            for r in revisions
        ]


def current_document(session: Session, row: SurfaceRow) -> Surface:
    """Return a surface's present document."""
    revision = _revision(session, row.id, row.current)
    if revision is None:
        raise BadRequest(
            "history-broken", "This surface has lost its present state.", "Undo, or start it anew."
        )
    return Surface.model_validate_json(revision.document)


def delivered_key(session: Session, row: SurfaceRow, document: Surface) -> Key | None:
    """Return the key of all that a delivery holds of a surface; None where it is nothing."""
    project = must(session, ProjectRow, row.project_id, "project")
    shown = [
        Material.model_validate_json(m.document)
        for m in session.exec(select(MaterialRow).where(MaterialRow.surface_id == row.id))
    ]
    wiring = Wiring(document)
    parts = parts_of(wiring, row.id, shown, TARGETS[project.target])
    return contents_of(wiring.graph, parts) if parts else None


def _first_colour_is_open(before: Surface, after: Surface) -> bool:
    """Tell whether a colour has just come in for the first time, and with alpha in use."""
    origin = after.map(Role.COLOUR).origin
    first = before.map(Role.COLOUR).origin is None
    return first and isinstance(origin, SourceOrigin) and origin.alpha


def _cut_out(session: Session, surface_id: str) -> None:
    """Let a surface's materials be cut out, as its colour is."""
    for row in session.exec(select(MaterialRow).where(MaterialRow.surface_id == surface_id)):
        material = Material.model_validate_json(row.document)
        row.document = material.model_copy(update={"cutout": True}).model_dump_json()
        session.add(row)


def _move(ws: Workspace, surface_id: str, base: int, by: int, at_end: str) -> SurfaceView:
    with ws.session() as session:
        row = must(session, SurfaceRow, surface_id, "surface")
        _check_base(row, base)
        if _revision(session, surface_id, row.current + by) is None:
            raise BadRequest("at-the-end", at_end, "This is as far as the history goes.")
        before = current_document(session, row)
        row.current += by
        session.add(row)
    return _moved_on(ws, surface_id, before)


def _moved_on(ws: Workspace, surface_id: str, before: Surface) -> SurfaceView:
    """Return a surface as it is now; what was being made only of its former state is dropped.

    What was stopped before goes on: it belongs to what the person wants to see now.
    """
    view = get(ws, surface_id)
    left = {key for by in Wiring(before).stages().values() for key in by.values() if key}
    now = {key for by in view.keys.values() for key in by.values() if key}
    ws.renderer.drop(left - now)
    ws.renderer.go_on(now)
    return view


def _check_base(row: SurfaceRow, base: int) -> None:
    if row.current != base:
        raise Conflict(
            "stale-edit",
            "This surface was changed elsewhere meanwhile.",
            "It is shown anew; make the change again.",
        )


def _revision(session: Session, surface_id: str, number: int) -> RevisionRow | None:
    return session.exec(
        select(RevisionRow).where(
            RevisionRow.surface_id == surface_id, RevisionRow.number == number
        )
    ).first()


def _documents(session: Session, project_id: str) -> list[tuple[SurfaceRow, Surface]]:
    rows = session.exec(
        select(SurfaceRow)
        .where(SurfaceRow.project_id == project_id)
        .order_by(col(SurfaceRow.created))
    )
    return [(row, current_document(session, row)) for row in rows.all()]


def _state(session: Session, row: SurfaceRow, document: Surface) -> SurfaceState:
    if all(m.origin is None for m in document.maps if m.role is Role.COLOUR):
        return SurfaceState.EMPTY
    builds = session.exec(
        select(BuildRow)
        .join(DeliveryRow, col(BuildRow.delivery_id) == col(DeliveryRow.id))
        .where(DeliveryRow.project_id == row.project_id)
        .order_by(col(BuildRow.created).desc())
    ).all()
    for build in builds:
        key = BuildRecord.model_validate_json(build.manifest).surfaces.get(row.id)
        if key is None:
            continue
        if key != delivered_key(session, row, document):
            return SurfaceState.CHANGED
        return SurfaceState.INSTALLED if build.installed else SurfaceState.BUILT
    return SurfaceState.DRAFT


def _validated(make: Callable[[], Surface]) -> Surface:
    """Run a change of a document and put its model's objections into words for the person."""
    try:
        return make()
    except ValidationError as error:
        first = error.errors()[0]
        words = str(first["msg"]).removeprefix("Value error, ")
        raise BadRequest("does-not-fit", words, "Choose another value.") from error
