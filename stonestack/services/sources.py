"""Sources: bring files in, checked first and then kept byte for byte."""

from __future__ import annotations

from pydantic import BaseModel
from sqlmodel import select

from stonestack.core import codecs
from stonestack.core.catalogue.describe import encoded, picture_bytes
from stonestack.core.codecs import FileFacts
from stonestack.core.errors import BadFile
from stonestack.core.naming import plain_file_name
from stonestack.core.surface import SourceOrigin
from stonestack.services.workspace import Workspace, must
from stonestack.store.tables import ProjectRow, SourceRow

MOST_BYTES = 512 << 20


class SourceView(BaseModel):
    """An imported file as the screen sees it."""

    id: str
    sha256: str
    facts: FileFacts
    origin: SourceOrigin


def view(row: SourceRow) -> SourceView:
    """Return a row as the screen sees it."""
    facts = FileFacts.model_validate_json(row.facts)
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
        ),
    )


def bring(ws: Workspace, project_id: str, name: str, data: bytes) -> SourceView:
    """Take a file in.

    Raises
    ------
    BadRequest
        If its name is not one.
    BadFile
        If it cannot be read whole; then nothing is kept.
    """
    plain = plain_file_name(name)
    if len(data) > MOST_BYTES:
        raise BadFile(
            "too-many-bytes",
            f"The file is larger than {MOST_BYTES >> 20} MB.",
            "Save it smaller, or in a compressed file format.",
        )
    facts = codecs.inspect(plain, data)
    with ws.session() as session:
        must(session, ProjectRow, project_id, "project")
        digest = ws.files.keep(data)
        known = session.exec(
            select(SourceRow).where(
                SourceRow.project_id == project_id,
                SourceRow.sha256 == digest,
                SourceRow.name == plain,
            )
        ).first()
        if known is not None:
            return view(known)
        row = SourceRow(
            project_id=project_id, sha256=digest, name=plain, facts=facts.model_dump_json()
        )
        session.add(row)
        session.flush()
        return view(row)


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
