"""Build a delivery: make its files, write them out, remember what they were made of."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Protocol

from pydantic import BaseModel
from sqlmodel import Session, col, select

from stonestack.core.document import Surface
from stonestack.core.document.deliveries import BuildRecord, Delivery, Manifest
from stonestack.core.graph.ops import File
from stonestack.core.graph.ops.files import Heading
from stonestack.core.graph.parts import Part, archive_of, clash, contents_of, manifest_of, parts_of
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.node import Graph, Key
from stonestack.core.runtime import stopping
from stonestack.core.runtime.errors import BadRequest, NotFound
from stonestack.core.tables.targets import target_of
from stonestack.services.delivery.sweeping import sweep_one
from stonestack.services.documents import history
from stonestack.services.documents import materials as material_service
from stonestack.services.documents.history import DELIVERY, SURFACE
from stonestack.services.jobs import Progress
from stonestack.services.making.scheduler import Urgency, urgent
from stonestack.services.workspace import Workspace
from stonestack.store import failures
from stonestack.store.door import door
from stonestack.store.files import write_folder_atomically
from stonestack.store.tables import BuildRow, BuiltRow, new_id


class BuildView(BaseModel):
    """A build as the screen sees it."""

    id: str
    number: int
    files: int
    bytes: int
    created: str
    installed: bool


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

    Raises
    ------
    BadRequest
        If there is nothing to build, or the disk is full; then nothing has changed.
    Conflict
        If the delivery is being built elsewhere for longer than one waits.
    """
    own = ws.data.builds / delivery_id
    own.mkdir(exist_ok=True)
    with door(own, ws.data.doors, "building this delivery"):
        sweep_one(ws, own)
        return _build(ws, delivery_id, progress, maker)


def _build(ws: Workspace, delivery_id: str, progress: Progress, maker: Maker | None) -> BuildView:
    with ws.session() as session:
        document = history.read(session, DELIVERY, delivery_id)
        earlier = session.exec(select(BuildRow).where(BuildRow.delivery_id == delivery_id)).all()
        number = max((b.number for b in earlier), default=0) + 1
        graph, parts = _wired(session, document)
    target = target_of(document.target)
    whole = [part for own in parts.values() for part in own]
    if not whole:
        raise BadRequest(
            "nothing-to-build",
            "This delivery holds no finished map.",
            "Choose a surface that has a colour, on the Deliveries page.",
        )
    if words := clash(whole):
        raise BadRequest("two-files-one-name", words, "Rename one of them on the bench.")
    paths = [*(part.path for part in whole), ""]  # What all of them contain is no file.
    contents = contents_of(graph, whole)
    keys = [*(part.key for part in whole), contents]
    if target.manifest:
        heading = Heading(
            delivery=document.name, title=document.title, version=number, game=target.name
        )
        keys.append(manifest_of(graph, contents, heading))
        paths.append(target.manifest)
    archive = archive_of(graph, {p: key for p, key in zip(paths, keys, strict=True) if p})
    listing = b"[]"

    def files() -> Iterator[tuple[str, bytes]]:
        nonlocal listing
        made = (maker or ws.renderer).files(graph, keys)
        for done, (path, data) in enumerate(zip(paths, made, strict=True)):
            progress.at(done / len(keys), path or "Listing")
            if path:
                yield path, data
            else:
                listing = data

    own = new_id()
    folder = f"{delivery_id}/{number}-{own[:8]}"
    with urgent(Urgency.JOB), stopping.stoppable(progress.is_stopped):
        try:
            write_folder_atomically(ws.data.builds / folder, files())
        except OSError as error:
            raise failures.of_disk(error) from error
    record = BuildRecord(
        manifest=Manifest(
            delivery=document.name,
            title=document.title,
            version=number,
            game=target.name,
            files=Manifest.listed(listing),
        ),
        files={part.path: part.key for part in whole},
        surfaces={sid: contents_of(graph, own) for sid, own in parts.items() if own},
        archive=archive,
    )
    ws.renderer.graphs.add(graph, [archive])
    with ws.writing() as session:
        row = BuildRow(
            id=own,
            delivery_id=delivery_id,
            number=number,
            manifest=record.model_dump_json(),
            folder=folder,
            files=len(record.manifest.files),
            bytes=sum(file.bytes for file in record.manifest.files),
        )
        session.add(row)
        session.flush()
        for surface_id, key in record.surfaces.items():
            session.add(
                BuiltRow(build_id=row.id, surface_id=surface_id, target=target.name, key=key)
            )
    return view_of(row)


def _wired(session: Session, document: Delivery) -> tuple[Graph, dict[str, list[Part]]]:
    """Put all that a delivery holds into one graph."""
    graph = Graph()
    target = target_of(document.target)
    rows = [history.row_of(session, SURFACE, surface_id) for surface_id in document.surfaces]
    bodies = history.bodies(session, SURFACE, rows)
    parts: dict[str, list[Part]] = {}
    for surface_id in document.surfaces:
        surface = bodies[surface_id]
        if not isinstance(surface, Surface):
            raise surface
        shown = material_service.of_surface(session, surface_id)
        wiring = Wiring(surface, graph=graph, target=target)
        parts[surface_id] = parts_of(wiring, surface_id, shown)
    return graph, parts


def build_folder(ws: Workspace, build_id: str) -> Path:
    """Return where a build lies."""
    return ws.data.builds / _row(ws, build_id).folder


def archived(ws: Workspace, build_id: str) -> bytes:
    """Return all files of a build as one ZIP archive.

    Raises
    ------
    BadRequest
        If there is no such build, or what it was made of is not known any more.
    """
    key = record_of(ws, build_id).archive
    try:
        result = ws.renderer.result(key)
    except NotFound as error:
        raise BadRequest(
            "no-archive", "What this build was made of is not known any more.", "Build it again."
        ) from error
    assert isinstance(result, File)
    return result.data


def record_of(ws: Workspace, build_id: str) -> BuildRecord:
    """Return what is remembered of a build."""
    return BuildRecord.model_validate_json(_row(ws, build_id).manifest)


def _row(ws: Workspace, build_id: str) -> BuildRow:
    with ws.session() as session:
        row = session.get(BuildRow, build_id)
    if row is None:
        raise BadRequest("not-built", "There is no such build.", "Build the delivery again.")
    return row


def newest(session: Session, delivery_id: str) -> BuildRow | None:
    """Return the last build of a delivery, if there is one."""
    return session.exec(
        select(BuildRow)
        .where(BuildRow.delivery_id == delivery_id)
        .order_by(col(BuildRow.number).desc())
    ).first()


def view_of(row: BuildRow, inside: bool = False) -> BuildView:
    """Return a build as the screen sees it; ``inside`` says whether it is in the game."""
    return BuildView(
        id=row.id,
        number=row.number,
        files=row.files,
        bytes=row.bytes,
        created=row.created.isoformat(),
        installed=inside,
    )
