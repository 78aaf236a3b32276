"""Deliveries: build them, and put them into the game."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel
from sqlmodel import Session, col, select

from stonestack.core.document import rebuilt
from stonestack.core.document.deliveries import BuildRecord, Delivery
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.graph.parts import clash
from stonestack.core.kinds.node import Key
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.targets import target_of
from stonestack.services.delivery import building, delivering, installing
from stonestack.services.delivery.shipment import Shipment
from stonestack.services.documents import history, projects, standing, summaries
from stonestack.services.documents.history import DELIVERY, SURFACE
from stonestack.services.documents.standing import Standing
from stonestack.services.documents.summaries import PartSummary, Summary
from stonestack.services.jobs import Progress
from stonestack.services.safe.planning import Plan
from stonestack.services.workspace import Workspace, must
from stonestack.store.tables import BuildRow, DocumentRow

_SHOWN = 50
"""Builds that a list shows, the newest first."""


class PartView(BaseModel):
    """One file that the next build will hold."""

    surface_id: str
    title: str
    map: str | None
    path: str
    format: BlockFormat | None
    width: int
    height: int
    key: str | None
    change: str
    faults: int


class DeliveryView(BaseModel):
    """A delivery as the screen sees it."""

    id: str
    revision: int
    document: Delivery
    parts: list[PartView]
    builds: list[building.BuildView]
    in_game: bool
    standing: Standing
    undo: str | None
    redo: str | None
    problems: list[str] = []


def listed(ws: Workspace, project_id: str) -> list[DeliveryView]:
    """Return a project's deliveries in the order they were made; unreadable ones are left out."""
    with ws.session() as session:
        projects.settings_of(session, project_id)
        rows = history.rows_of(session, DELIVERY, project_id)
        bodies = history.bodies(session, DELIVERY, rows)
        return [
            _view(ws, session, row, body)
            for row in rows
            if isinstance(body := bodies[row.id], Delivery)
        ]


def get(ws: Workspace, delivery_id: str) -> DeliveryView:
    """Return one delivery."""
    with ws.session() as session:
        row = history.row_of(session, DELIVERY, delivery_id)
        return _view(ws, session, row, history.body_of(session, DELIVERY, row))


def create(ws: Workspace, project_id: str, document: Delivery) -> DeliveryView:
    """Make a delivery.

    Raises
    ------
    BadRequest
        If another delivery of the project has its name, or its target is not known.
    """
    target_of(document.target)
    with ws.writing() as session:
        projects.settings_of(session, project_id)
        _check_name(session, project_id, document.name)
        action = history.acted(session, project_id, f"Delivery {document.title} made")
        row = history.begin(session, DELIVERY, project_id, document, action)
    return get(ws, row.id)


def _check_name(session: Session, project_id: str, name: str) -> None:
    rows = history.rows_of(session, DELIVERY, project_id)
    bodies = history.bodies(session, DELIVERY, rows)
    if any(isinstance(body, Delivery) and body.name == name for body in bodies.values()):
        raise BadRequest(
            "name-taken", f"Another delivery is called {name}.", "Choose another name."
        )


def change(ws: Workspace, delivery_id: str, base: int, document: Delivery) -> DeliveryView:
    """Change what goes into a delivery; its name stays, since the game knows it by that.

    Raises
    ------
    Conflict
        If it was changed elsewhere since ``base``.
    """
    with ws.writing() as session:
        row = history.row_of(session, DELIVERY, delivery_id)
        before = history.body_of(session, DELIVERY, row)
        if before.name != document.name or before.target != document.target:
            raise BadRequest(
                "name-fixed",
                "A delivery keeps its name and its target.",
                "Make another delivery instead.",
            )
        history.change(session, _words(before, document), [history.Change(row, document, base)])
    return get(ws, delivery_id)


def _words(before: Delivery, after: Delivery) -> str:
    if before.title != after.title:
        return f"Delivery renamed to {after.title}"
    came = len(set(after.surfaces) - set(before.surfaces))
    went = len(set(before.surfaces) - set(after.surfaces))
    words = [f"{came} in" if came else "", f"{went} out" if went else ""]
    return f"{after.title}: {', '.join(w for w in words if w) or 'another order'}"


def holding(ws: Workspace, surface_id: str, target: str | None = None) -> str:
    """Return the delivery for a target that holds a surface; it is added where none does.

    Parameters
    ----------
    target : str, optional
        The one that the project shows, by default.
    """
    with ws.writing() as session:
        surface = history.row_of(session, SURFACE, surface_id)
        settings = projects.settings_of(session, surface.project_id)
        wanted = target_of(target or settings.targets[0])
        rows = history.rows_of(session, DELIVERY, surface.project_id)
        bodies = history.bodies(session, DELIVERY, rows)
        fitting = [
            (row, body)
            for row in rows
            if isinstance(body := bodies[row.id], Delivery) and body.target == wanted.name
        ]
        for row, body in fitting:
            if surface_id in body.surfaces:
                return row.id
        if fitting:
            row, body = fitting[0]
            whole = rebuilt(body, surfaces=(*body.surfaces, surface_id))
            history.change(session, _words(body, whole), [history.Change(row, whole)])
            return row.id
        taken = {body.name for body in bodies.values() if isinstance(body, Delivery)}
        name = "first" if "first" not in taken else f"first_{wanted.name}"
        first = Delivery(
            title="First delivery", name=name, target=wanted.name, surfaces=(surface_id,)
        )
        action = history.acted(session, surface.project_id, "First delivery made")
        return history.begin(session, DELIVERY, surface.project_id, first, action).id


def install(ws: Workspace, delivery_id: str, progress: Progress) -> building.BuildView:
    """Put the newest build into the game folder.

    Raises
    ------
    BadRequest
        If nothing is built yet, or the game folder is not there.
    """
    with ws.session() as session:
        row = history.row_of(session, DELIVERY, delivery_id)
        newest = building.newest(session, delivery_id)
        project_id = row.project_id
    if newest is None:
        raise BadRequest("not-built", "Nothing is built yet.", "Build the delivery first.")
    progress.at(0.2, "Putting it into the game folder")
    shipment = _shipment(ws, project_id, newest)
    target = target_of(shipment.listing.game)
    if target.installs == "files":
        delivering.install(ws, shipment, progress)
    else:
        installing.install(ws, shipment, target)
    with ws.session() as session:
        return building.view_of(must(session, BuildRow, newest.id, "build"), inside=True)


def _shipment(ws: Workspace, project_id: str, build_row: BuildRow) -> Shipment:
    """Return a build with where it goes."""
    project = projects.get(ws, project_id)
    return Shipment(
        delivery_id=build_row.delivery_id,
        build_id=build_row.id,
        build=ws.data.builds / build_row.folder,
        listing=BuildRecord.model_validate_json(build_row.manifest).manifest,
        game=projects.game_folder(project),
        into=project.put_into,
    )


def plan(ws: Workspace, delivery_id: str, progress: Progress) -> Plan:
    """Say what installing the newest build of a delivery of loose files would do.

    Raises
    ------
    BadRequest
        If nothing is built yet, or its target reads deliveries as layers: those replace nothing.
    """
    with ws.session() as session:
        row = history.row_of(session, DELIVERY, delivery_id)
        newest = building.newest(session, delivery_id)
    if newest is None:
        raise BadRequest("not-built", "Nothing is built yet.", "Build the delivery first.")
    shipment = _shipment(ws, row.project_id, newest)
    if target_of(shipment.listing.game).installs != "files":
        raise BadRequest(
            "nothing-replaced",
            "This game reads deliveries beside its own files; none of them is replaced.",
            "Install it; there is nothing to choose.",
        )
    return delivering.plan(ws, shipment, progress)


def deliver(ws: Workspace, delivery_id: str, progress: Progress) -> dict[str, Any]:
    """Build, and install where nothing of the game is replaced; behind the one button.

    Where files of the game would be replaced, the artist sees the plan first.
    """
    view = building.build(ws, delivery_id, progress)
    with ws.session() as session:
        target = target_of(history.read(session, DELIVERY, delivery_id).target)
    plain = target.installs == "layers"
    if plain:
        install(ws, delivery_id, progress)
    return {"delivery": delivery_id, "number": view.number, "installed": plain}


def withdraw(ws: Workspace, delivery_id: str, progress: Progress) -> DeliveryView:
    """Take a delivery out of the game; the game's own files show again."""
    with ws.session() as session:
        row = history.row_of(session, DELIVERY, delivery_id)
        document = history.body_of(session, DELIVERY, row)
    if target_of(document.target).installs == "files":
        delivering.withdraw(ws, delivery_id, progress)
    else:
        folder = projects.game_folder(projects.get(ws, row.project_id))
        target = target_of(document.target)
        installing.withdraw(ws, folder, delivery_id, document.name, target)
    return get(ws, delivery_id)


def _view(ws: Workspace, session: Session, row: DocumentRow, document: Delivery) -> DeliveryView:
    fields = (
        *(BuildRow.id, BuildRow.number, BuildRow.files, BuildRow.bytes),
        BuildRow.created,
    )
    builds = session.exec(
        select(*fields)  # type: ignore[call-overload]
        .where(BuildRow.delivery_id == row.id)
        .order_by(col(BuildRow.number).desc())
    ).all()
    newest = building.newest(session, row.id)
    before = BuildRecord.model_validate_json(newest.manifest).files if newest else {}
    settings = projects.settings_of(session, row.project_id)
    targets = tuple(dict.fromkeys((*settings.targets, document.target)))
    if targets != settings.targets:
        settings = rebuilt(settings, targets=targets)
    stands = standing.of(ws, session, settings, row.id, document)
    wanted = set(document.surfaces)
    owners = history.rows_of(session, SURFACE, row.project_id)
    chosen = [owner for owner in owners if owner.id in wanted]
    known = summaries.of(ws, session, chosen, settings)
    undo_words, redo_words = history.neighbours(session, row)
    parts: list[PartView] = []
    problems: list[str] = []
    for surface_id in document.surfaces:
        summary = known.get(surface_id)
        if not isinstance(summary, Summary):
            problems.append(summary or "A surface is not there any more.")
            continue
        parts += [
            _part(surface_id, summary.title, part, before)
            for part in summary.parts.get(document.target, [])
        ]
    if words := clash(parts):
        problems.append(f"{words} Rename one of them on the bench.")
    return DeliveryView(
        id=row.id,
        revision=row.head,
        document=document,
        parts=parts,
        builds=[
            building.BuildView(
                id=b[0],
                number=b[1],
                files=b[2],
                bytes=b[3],
                created=b[4].isoformat(),
                installed=b[0] == stands.build and stands.state == "in",
            )
            for b in builds[:_SHOWN]
        ],
        in_game=stands.state == "in",
        standing=stands,
        undo=undo_words,
        redo=redo_words,
        problems=problems,
    )


def _part(surface_id: str, title: str, part: PartSummary, before: dict[str, Key]) -> PartView:
    change = "new"
    if part.path in before:
        change = "same" if before[part.path] == part.key else "changed"
    return PartView(
        surface_id=surface_id,
        title=title,
        map=part.map,
        path=part.path,
        format=part.format,
        width=part.width,
        height=part.height,
        key=part.shown,
        change=change,
        faults=part.faults,
    )
