"""Deliveries: build them, and put them into the game."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any, Protocol

from pydantic import BaseModel
from sqlmodel import Session, col, select

from stonestack.core import stopping
from stonestack.core.deliveries import (
    MANIFEST,
    BuildRecord,
    Delivery,
    Manifest,
)
from stonestack.core.errors import BadRequest
from stonestack.core.graph import Graph, Key
from stonestack.core.materials import Material
from stonestack.core.ops.files import Heading
from stonestack.core.roles import Role
from stonestack.core.surface import Surface
from stonestack.core.targets import TARGETS, Target
from stonestack.core.wiring import Wiring, contents_of, manifest_of, parts_of
from stonestack.services import installing
from stonestack.services import materials as material_service
from stonestack.services.jobs import Progress
from stonestack.services.projects import game_folder, get
from stonestack.services.scheduler import Urgency, urgent
from stonestack.services.surfaces import current_document
from stonestack.services.workspace import Workspace, must
from stonestack.store.files import write_folder_atomically
from stonestack.store.tables import BuildRow, DeliveryRow, ProjectRow, SurfaceRow, now


class BuildView(BaseModel):
    """A build as the screen sees it."""

    id: str
    number: int
    manifest: Manifest
    created: str
    installed: bool


class PartView(BaseModel):
    """One file that the next build will hold."""

    surface_id: str
    title: str
    role: Role | None
    path: str
    format: str
    width: int
    height: int
    key: str | None
    change: str


class DeliveryView(BaseModel):
    """A delivery as the screen sees it."""

    id: str
    document: Delivery
    parts: list[PartView]
    builds: list[BuildView]
    in_game: bool


def listed(ws: Workspace, project_id: str) -> list[DeliveryView]:
    """Return a project's deliveries in the order they were made."""
    with ws.session() as session:
        must(session, ProjectRow, project_id, "project")
        rows = session.exec(
            select(DeliveryRow)
            .where(DeliveryRow.project_id == project_id)
            .order_by(col(DeliveryRow.created))
        ).all()
        return [_view(ws, session, row) for row in rows]


def create(ws: Workspace, project_id: str, document: Delivery) -> DeliveryView:
    """Make a delivery.

    Raises
    ------
    BadRequest
        If another delivery of the project has its name.
    """
    with ws.session() as session:
        must(session, ProjectRow, project_id, "project")
        rows = session.exec(select(DeliveryRow).where(DeliveryRow.project_id == project_id)).all()
        if any(_document(row).name == document.name for row in rows):
            raise BadRequest(
                "name-taken", f"Another delivery is called {document.name}.", "Choose another name."
            )
        row = DeliveryRow(project_id=project_id, document=document.model_dump_json())
        session.add(row)
        session.flush()
        return _view(ws, session, row)


def change(ws: Workspace, delivery_id: str, document: Delivery) -> DeliveryView:
    """Change what goes into a delivery; its name stays, since the game knows it by that."""
    with ws.session() as session:
        row = must(session, DeliveryRow, delivery_id, "delivery")
        if _document(row).name != document.name:
            raise BadRequest(
                "name-fixed", "A delivery keeps its name.", "Make another delivery instead."
            )
        row.document = document.model_dump_json()
        session.add(row)
        return _view(ws, session, row)


def holding(ws: Workspace, surface_id: str) -> str:
    """Return the delivery that holds a surface; it is added to the first where none does."""
    with ws.session() as session:
        surface = must(session, SurfaceRow, surface_id, "surface")
        rows = session.exec(
            select(DeliveryRow)
            .where(DeliveryRow.project_id == surface.project_id)
            .order_by(col(DeliveryRow.created))
        ).all()
        for row in rows:
            if surface_id in _document(row).surfaces:
                return row.id
        if rows:
            document = _document(rows[0])
            row = rows[0]
        else:
            document = Delivery(title="First delivery", name="first")
            row = DeliveryRow(project_id=surface.project_id, document="")
        whole = document.model_copy(update={"surfaces": (*document.surfaces, surface_id)})
        row.document = whole.model_dump_json()
        session.add(row)
        session.flush()
        return row.id


class Maker(Protocol):
    """Whoever makes the files of a graph: this machine, or a cluster."""

    def files(self, graph: Graph, keys: Sequence[Key]) -> Iterator[bytes]:
        """Yield the bytes of files, in order."""


def build(
    ws: Workspace, delivery_id: str, progress: Progress, maker: Maker | None = None
) -> BuildView:
    """Render, compress and write out everything that a delivery holds.

    Maps that did not change since an earlier build come from the cache.

    Parameters
    ----------
    maker : Maker, optional
        Who makes the files; this machine by default.
    """
    with ws.session() as session:
        row = must(session, DeliveryRow, delivery_id, "delivery")
        document = _document(row)
        target = _target(session, row)
        chosen = [
            (
                surface_id,
                current_document(session, must(session, SurfaceRow, surface_id, "surface")),
            )
            for surface_id in document.surfaces
        ]
        shown = {sid: material_service.of_surface(session, sid) for sid, _ in chosen}
        earlier = session.exec(select(BuildRow).where(BuildRow.delivery_id == delivery_id)).all()
        number = max((b.number for b in earlier), default=0) + 1
    graph = Graph()
    parts = {
        surface_id: parts_of(Wiring(surface, graph=graph), surface_id, shown[surface_id], target)
        for surface_id, surface in chosen
    }
    whole = [part for own in parts.values() for part in own]
    if not whole:
        raise BadRequest(
            "nothing-to-build",
            "This delivery holds no finished map.",
            "Choose a surface that has a colour, on the Deliveries page.",
        )
    contents = contents_of(graph, whole)
    heading = Heading(
        delivery=document.name, title=document.title, version=number, game=target.name
    )
    listing = manifest_of(graph, contents, heading)
    files: dict[str, bytes] = {}
    keys = [part.key for part in whole]
    with urgent(Urgency.JOB), stopping.stoppable(progress.is_stopped):
        for done, data in enumerate((maker or ws.renderer).files(graph, [*keys, listing])):
            path = whole[done].path if done < len(whole) else MANIFEST
            progress.at(done / (len(whole) + 1), path)
            files[path] = data
    progress.at(len(whole) / (len(whole) + 1), "Writing the delivery")
    folder = ws.data.builds / delivery_id / str(number)
    write_folder_atomically(folder, files)
    record = BuildRecord(
        manifest=Manifest.model_validate_json(files[MANIFEST]),
        files={part.path: part.key for part in whole},
        surfaces={sid: contents_of(graph, own) for sid, own in parts.items() if own},
    )
    with ws.session() as session:
        made = BuildRow(
            delivery_id=delivery_id,
            number=number,
            manifest=record.model_dump_json(),
            folder=f"{delivery_id}/{number}",
        )
        session.add(made)
        session.flush()
        return _build_view(made)


def install(ws: Workspace, delivery_id: str, progress: Progress) -> BuildView:
    """Put the newest build into the game folder.

    Raises
    ------
    BadRequest
        If nothing is built yet, or the game folder is not there.
    """
    with ws.session() as session:
        row = must(session, DeliveryRow, delivery_id, "delivery")
        newest = _newest(session, delivery_id)
        project_id = row.project_id
    if newest is None:
        raise BadRequest("not-built", "Nothing is built yet.", "Build the delivery first.")
    progress.at(0.2, "Putting it into the game folder")
    record = BuildRecord.model_validate_json(newest.manifest)
    folder = game_folder(get(ws, project_id))
    installing.install(folder, ws.data.builds / newest.folder, record.manifest)
    with ws.session() as session:
        for build_row in session.exec(select(BuildRow).where(BuildRow.delivery_id == delivery_id)):
            build_row.installed = now() if build_row.id == newest.id else None
            session.add(build_row)
    newest.installed = now()
    return _build_view(newest)


def deliver(ws: Workspace, delivery_id: str, progress: Progress) -> dict[str, Any]:
    """Build and install in one go; the result of the job behind the one button."""
    build(ws, delivery_id, progress)
    view = install(ws, delivery_id, progress)
    return {"delivery": view.manifest.delivery, "number": view.number}


def withdraw(ws: Workspace, delivery_id: str) -> DeliveryView:
    """Take a delivery out of the game; the game's own files show again."""
    with ws.session() as session:
        row = must(session, DeliveryRow, delivery_id, "delivery")
        project_id, name = row.project_id, _document(row).name
    installing.withdraw(game_folder(get(ws, project_id)), name)
    with ws.session() as session:
        for build_row in session.exec(select(BuildRow).where(BuildRow.delivery_id == delivery_id)):
            build_row.installed = None
            session.add(build_row)
        return _view(ws, session, must(session, DeliveryRow, delivery_id, "delivery"))


def build_folder(ws: Workspace, build_view: BuildView, delivery_id: str) -> Path:
    """Return where a build lies."""
    return ws.data.builds / delivery_id / str(build_view.number)


def _document(row: DeliveryRow) -> Delivery:
    return Delivery.model_validate_json(row.document)


def _target(session: Session, row: DeliveryRow) -> Target:
    return TARGETS[must(session, ProjectRow, row.project_id, "project").target]


def _newest(session: Session, delivery_id: str) -> BuildRow | None:
    return session.exec(
        select(BuildRow)
        .where(BuildRow.delivery_id == delivery_id)
        .order_by(col(BuildRow.number).desc())
    ).first()


def _build_view(row: BuildRow) -> BuildView:
    return BuildView(
        id=row.id,
        number=row.number,
        manifest=BuildRecord.model_validate_json(row.manifest).manifest,
        created=row.created.isoformat(),
        installed=row.installed is not None,
    )


def _view(ws: Workspace, session: Session, row: DeliveryRow) -> DeliveryView:
    document = _document(row)
    target = _target(session, row)
    builds = session.exec(
        select(BuildRow).where(BuildRow.delivery_id == row.id).order_by(col(BuildRow.number).desc())
    ).all()
    last = BuildRecord.model_validate_json(builds[0].manifest) if builds else None
    parts: list[PartView] = []
    for surface_id in document.surfaces:
        surface = current_document(session, must(session, SurfaceRow, surface_id, "surface"))
        shown = material_service.of_surface(session, surface_id)
        parts += _parts(ws, surface_id, surface, shown, target, last)
    return DeliveryView(
        id=row.id,
        document=document,
        parts=parts,
        builds=[_build_view(b) for b in builds],
        in_game=any(b.installed for b in builds),
    )


def _parts(
    ws: Workspace,
    surface_id: str,
    surface: Surface,
    shown: list[Material],
    target: Target,
    last: BuildRecord | None,
) -> list[PartView]:
    before = last.files if last else {}
    wiring = Wiring(surface)
    views = []
    for part in parts_of(wiring, surface_id, shown, target):
        change = "new"
        if part.path in before:
            change = "same" if before[part.path] == part.key else "changed"
        m = surface.map(part.role) if part.role is not None else None
        views.append(
            PartView(
                surface_id=surface_id,
                title=surface.title,
                role=part.role,
                path=part.path,
                format=str(m.format) if m else "",
                width=m.size.width if m else 0,
                height=m.size.height if m else 0,
                key=wiring.graph[part.key].inputs[0] if m else None,
                change=change,
            )
        )
    ws.renderer.graphs.add(wiring.graph, [view.key for view in views if view.key])
    return views
