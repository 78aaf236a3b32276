"""Deliveries: build them, and put them into the game."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

from pydantic import BaseModel
from sqlmodel import Session, col, select

from stonestack.core import codecs, materials, stopping
from stonestack.core.codecs.texture import Texture
from stonestack.core.deliveries import (
    MANIFEST,
    BuildRecord,
    Delivery,
    Manifest,
    add_file,
    manifest,
)
from stonestack.core.errors import BadRequest
from stonestack.core.parallel import cores
from stonestack.core.roles import Role
from stonestack.core.surface import Map, Node, Stage, Surface, plan
from stonestack.core.targets import TARGETS, Target
from stonestack.services import installing
from stonestack.services import materials as material_service
from stonestack.services.jobs import Progress
from stonestack.services.projects import game_folder, get
from stonestack.services.surfaces import current_document, delivered_keys
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
    role: Role
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


def build(ws: Workspace, delivery_id: str, progress: Progress) -> BuildView:
    """Render, compress and write out everything that a delivery holds.

    Maps that did not change since an earlier build come from the cache.
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
    files: dict[str, bytes] = {}
    planned = [
        (surface, m, node)
        for _, surface in chosen
        for m in surface.maps
        if m.delivered and (node := plan(surface, m.role, Stage.COMPRESS)) is not None
    ]
    for done, (surface, m, texture) in enumerate(_rendered(ws, planned, progress)):
        progress.at((done + 1) / (len(planned) + 1), f"{surface.title}: {m.file_name}")
        add_file(files, f"{target.textures}/{m.file_name}.dds", codecs.dds.write(texture))
    for surface_id, surface in chosen:
        for material in shown[surface_id]:
            path = materials.material_path(material, target)
            add_file(files, path, materials.definition(material, surface, target))
    if not files:
        raise BadRequest(
            "nothing-to-build",
            "This delivery holds no finished map.",
            "Choose a surface that has a colour, on the Deliveries page.",
        )
    progress.at(len(planned) / (len(planned) + 1), "Writing the delivery")
    listing = manifest(document, number, target.name, files)
    folder = ws.data.builds / delivery_id / str(number)
    text = listing.model_dump_json(indent=2) + "\n"
    write_folder_atomically(folder, {**files, MANIFEST: text.encode()})
    record = BuildRecord(
        manifest=listing, keys={sid: delivered_keys(surface) for sid, surface in chosen}
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


def _rendered(
    ws: Workspace, planned: list[tuple[Surface, Map, Node]], progress: Progress
) -> Iterator[tuple[Surface, Map, Texture]]:
    """Render compressed maps on all cores, and yield them in order as they are done."""

    def texture(node: Node) -> Texture:
        with stopping.stoppable(progress.is_stopped):
            return ws.renderer.texture(node)

    with ThreadPoolExecutor(max_workers=cores(), thread_name_prefix="build") as pool:
        futures = [pool.submit(texture, node) for _, _, node in planned]
        try:
            for (surface, m, _), future in zip(planned, futures, strict=True):
                yield surface, m, future.result()
        finally:
            for future in futures:
                future.cancel()


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
        parts += _parts(ws, surface_id, surface, target, last)
    return DeliveryView(
        id=row.id,
        document=document,
        parts=parts,
        builds=[_build_view(b) for b in builds],
        in_game=any(b.installed for b in builds),
    )


def _parts(
    ws: Workspace, surface_id: str, surface: Surface, target: Target, last: BuildRecord | None
) -> list[PartView]:
    before = last.keys.get(surface_id, {}) if last else {}
    names = {f.path for f in last.manifest.files} if last else set()
    parts = []
    for m in surface.maps:
        node = plan(surface, m.role, Stage.COMPRESS) if m.delivered else None
        if node is None:
            continue
        ws.renderer.announce([node])
        path = f"{target.textures}/{m.file_name}.dds"
        change = "new"
        if m.role in before:
            change = "same" if before[m.role] == node.key and path in names else "changed"
        parts.append(
            PartView(
                surface_id=surface_id,
                title=surface.title,
                role=m.role,
                path=path,
                format=str(m.format),
                width=m.size.width,
                height=m.size.height,
                key=node.key,
                change=change,
            )
        )
    return parts
