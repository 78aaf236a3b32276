"""Sources: bring files in, checked first and then kept byte for byte."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from pydantic import BaseModel
from sqlmodel import select

from stonestack.core.catalogue.describe import Described, encoded, picture_bytes
from stonestack.core.catalogue.sources import SourceFacts, edges_meet, examine, few_texels
from stonestack.core.document import SourceOrigin, rebuilt
from stonestack.core.files import containers
from stonestack.core.files.codecs import pictures
from stonestack.core.files.codecs.sniff import READABLE, READABLE_WORDS, FileKind, kind_by_content
from stonestack.core.files.containers import packed
from stonestack.core.picture import swatches
from stonestack.core.picture.image import Picture, Space
from stonestack.core.runtime import stopping
from stonestack.core.runtime.errors import BadFile, Conflict, StoneError
from stonestack.core.tables.naming import plain_file_name
from stonestack.services.documents import projects
from stonestack.services.game import shelf
from stonestack.services.game.coming import coming
from stonestack.services.jobs import Progress
from stonestack.services.workspace import Workspace, must
from stonestack.store.files import sha256
from stonestack.store.tables import SourceRow

MOST_BYTES = 512 << 20
_MOST_ENTRIES = 2000


class SourceView(BaseModel):
    """An imported file as the screen sees it."""

    id: str
    sha256: str
    facts: SourceFacts
    origin: SourceOrigin


def blank(ws: Workspace, project_id: str, width: int, height: int, colour: str) -> SourceView:
    """Bring an empty picture of one colour in, to be filled by steps; it goes on over its edges."""
    light = np.broadcast_to(swatches.linear(colour), (height, width, 3))
    picture = Picture(np.ascontiguousarray(light), Space.LINEAR, wraps=True)
    name = f"blank {width} x {height} {colour[1:]}.png"
    made = bring(ws, project_id, name, pictures.write(picture, FileKind.PNG))
    return made.model_copy(update={"origin": rebuilt(made.origin, wraps=True)})


def view(row: SourceRow) -> SourceView:
    """Return a row as the screen sees it."""
    facts = SourceFacts.model_validate_json(row.facts)
    return SourceView(
        id=row.id,
        sha256=row.sha256,
        facts=facts,
        origin=SourceOrigin(
            sha256=row.sha256,
            name=row.name,
            width=facts.width,
            height=facts.height,
            alpha=facts.alpha == "used",
            wraps=facts.wraps,
            few=facts.few,
        ),
    )


def bring(ws: Workspace, project_id: str, name: str, data: bytes) -> SourceView:
    """Take a file in, and put it on the project's shelf.

    Raises
    ------
    BadRequest
        If its name is not one.
    BadFile
        If it cannot be read whole; then nothing is kept.
    """
    found = looked_at(ws, project_id, name, data)
    kept = keep(ws, project_id, found, data)
    shelf.catalogue(ws, project_id, {found.sha256: found.described})
    return kept


@dataclass(frozen=True)
class Found:
    """What a file is that may come in."""

    name: str
    sha256: str
    facts: SourceFacts
    described: Described


def looked_at(ws: Workspace, project_id: str, name: str, data: bytes) -> Found:
    """Check a file, and say what it is; nothing is kept.

    Raises
    ------
    BadRequest
        If its name is not one.
    BadFile
        If it cannot be read whole.
    """
    plain = plain_file_name(name)
    if len(data) > MOST_BYTES:
        raise BadFile(
            "too-many-bytes",
            f"The file is larger than {MOST_BYTES >> 20} MB.",
            "Save it smaller, or in a compressed file format.",
        )
    suffixes = projects.get(ws, project_id).target.suffixes
    examined = examine(plain, data, suffixes)
    facts = examined.facts.model_copy(
        update={"wraps": edges_meet(examined.small), "few": few_texels(examined.small)}
    )
    return Found(plain, sha256(data), facts, examined.described)


def keep(ws: Workspace, project_id: str, found: Found, data: bytes) -> SourceView:
    """Keep a file that was looked at.

    Raises
    ------
    Conflict
        If it is another one now.
    """
    if sha256(data) != found.sha256:
        raise Conflict("changed-meanwhile", f"{found.name} was changed just now.", "Try again.")
    with coming(ws, data) as digest, ws.writing() as session:
        known = session.exec(
            select(SourceRow).where(
                SourceRow.project_id == project_id,
                SourceRow.sha256 == digest,
                SourceRow.name == found.name,
            )
        ).first()
        if known is not None:
            return view(known)
        facts = found.facts.model_dump_json()
        row = SourceRow(project_id=project_id, sha256=digest, name=found.name, facts=facts)
        session.add(row)
        session.flush()
        return view(row)


class Refused(BaseModel):
    """A file that did not come in, and why."""

    name: str
    message: str
    fix: str


class Unpacked(BaseModel):
    """What came out of an archive."""

    brought: list[SourceView]
    refused: list[Refused]
    passed_over: int


def bring_archive(
    ws: Workspace, project_id: str, name: str, data: bytes, progress: Progress
) -> Unpacked:
    """Take in every picture of an archive; files of other kinds are passed over.

    Raises
    ------
    BadFile
        If it is no archive that is read here, its list of entries is damaged, or it holds more
        than is taken in at once.
    Cancelled
        If the person stops it; what came in before stays.
    """
    with stopping.stoppable(progress.is_stopped):
        return _archive(ws, project_id, name, data, progress)


def _archive(
    ws: Workspace, project_id: str, name: str, data: bytes, progress: Progress
) -> Unpacked:
    held = containers.Held(packed.unpacked(data, MOST_BYTES))
    if containers.form_of(held.at(0, containers.HEAD)) is None:
        raise BadFile(
            "not-an-archive",
            f"{name} is no archive that is read here.",
            "Bring a ZIP or TAR archive, packed or not; or unpack it and bring its pictures.",
        )
    archive, allowance = containers.opened(held), containers.Allowance(held.size)
    entries = allowance.list(archive)
    if len(entries) > _MOST_ENTRIES:
        raise BadFile(
            "too-many-files",
            f"{name} holds {len(entries):,} files; {_MOST_ENTRIES:,} are the most at once.",
            "Unpack it and bring the pictures that you want.",
        )
    brought, refused, passed_over = [], [], 0
    described: dict[str, Described] = {}
    for at, entry in enumerate(entries):
        progress.at(at / len(entries), entry.name)
        try:
            content = allowance.read(archive, entry)
            if kind_by_content(content) not in READABLE:
                passed_over += 1
                continue
            found = looked_at(ws, project_id, entry.name, content)
            brought.append(keep(ws, project_id, found, content))
            described[found.sha256] = found.described
        except StoneError as error:
            refused.append(Refused(name=entry.name, message=error.message, fix=error.fix))
    shelf.catalogue(ws, project_id, described)
    if not brought and not refused:
        raise BadFile(
            "no-pictures",
            f"{name} holds no pictures.",
            f"{READABLE_WORDS} Archives may hold these.",
        )
    return Unpacked(brought=brought, refused=refused, passed_over=passed_over)


def listed(ws: Workspace, project_id: str) -> list[SourceView]:
    """Return a project's sources, newest first."""
    with ws.session() as session:
        rows = session.exec(
            select(SourceRow)
            .where(SourceRow.project_id == project_id)
            .order_by(SourceRow.created.desc())  # type: ignore[attr-defined]
        )
        return [view(row) for row in rows]


def picture(ws: Workspace, source_id: str, longest: int = 320) -> bytes:
    """Return a source as a PNG for the screen."""
    with ws.session() as session:
        row = must(session, SourceRow, source_id, "source")
    kind = f"{longest}.0.png"
    kept = ws.cache.read(row.sha256, kind)
    if kept is None:
        kept = encoded(picture_bytes(ws.files.read(row.sha256), longest))
        ws.cache.write(row.sha256, kind, kept)
    return kept
