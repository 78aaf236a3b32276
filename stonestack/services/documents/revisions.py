"""What was done to documents: their revisions, names for these, and a project's actions."""

from __future__ import annotations

from pydantic import BaseModel
from sqlmodel import Session, col, select

from stonestack.core.runtime.errors import BadRequest
from stonestack.services.documents import history
from stonestack.services.documents.history import KINDS, Moved
from stonestack.services.workspace import Workspace
from stonestack.store.tables import ActionRow, DocumentRow, RevisionRow, SnapshotRow


class RevisionView(BaseModel):
    """One entry of a document's history.

    Parameters
    ----------
    id : int
        Never used again.
    parent : int or None
    words, created : str
    current : bool
        Whether the document is at it.
    on_branch : bool
        Whether it lies on the way that undo and redo go; else it was left by an edit after an undo.
    snapshots : list of str
        Names that it was given.
    """

    id: int
    parent: int | None
    words: str
    created: str
    current: bool
    on_branch: bool
    snapshots: list[str]


class ActedOn(BaseModel):
    """A document that an action changed."""

    id: str
    kind: str


class ActionView(BaseModel):
    """One thing that was done in a project, and to which documents.

    Parameters
    ----------
    in_force : bool
        Whether it counts now; else it was undone, or left by an edit after an undo.
    """

    id: int
    words: str
    created: str
    documents: list[ActedOn]
    in_force: bool


def undo(ws: Workspace, document_id: str, base: int) -> Moved:
    """Take back the last action that changed a document, in all that it changed."""
    with ws.writing() as session:
        return history.undo(session, history.any_row(session, document_id), base)


def redo(ws: Workspace, document_id: str, base: int) -> Moved:
    """Do again what was last undone."""
    with ws.writing() as session:
        return history.redo(session, history.any_row(session, document_id), base)


def take_back(ws: Workspace, document_id: str, base: int, number: int) -> Moved:
    """Make an earlier revision, of any branch, the newest one; nothing in between is lost."""
    with ws.writing() as session:
        row = history.any_row(session, document_id)
        words = history.take_back(session, row, base, number)
        return Moved(words=words, revision=row.head, documents=[document_id])


def listed(ws: Workspace, document_id: str, most: int = 500) -> list[RevisionView]:
    """Return a document's revisions on all branches, newest first; named ones always."""
    with ws.session() as session:
        row = history.any_row(session, document_id)
        names: dict[int, list[str]] = {}
        for snapshot in session.exec(select(SnapshotRow).where(SnapshotRow.document_id == row.id)):
            names.setdefault(snapshot.revision_id, []).append(snapshot.title)
        fields = (RevisionRow.id, RevisionRow.parent, RevisionRow.words, RevisionRow.created)
        found = session.exec(
            select(*fields)  # type: ignore[type-var]
            .where(RevisionRow.document_id == row.id)
            .order_by(col(RevisionRow.id).desc())
        ).all()
    revisions = [(r[0] or 0, r[1], r[2], r[3]) for r in found]
    branch = _way_to(row.tip, {r[0]: r[1] for r in revisions})
    return [
        RevisionView(
            id=number,
            parent=parent,
            words=words,
            created=created.isoformat(),
            current=number == row.head,
            on_branch=number in branch,
            snapshots=sorted(names.get(number, [])),
        )
        for place, (number, parent, words, created) in enumerate(revisions)
        if place < most or number in names or number == row.head
    ]


def name(ws: Workspace, document_id: str, number: int, title: str) -> list[RevisionView]:
    """Give a revision a name; a name that was another's goes over to this one.

    Raises
    ------
    BadRequest
        If the name is empty, or the revision is not one of this document.
    """
    title = " ".join(title.split())
    if not title:
        raise BadRequest("no-name", "A snapshot needs a name.", "Type one.")
    with ws.writing() as session:
        row = history.any_row(session, document_id)
        history.at(session, KINDS[row.kind], row.id, number)
        known = _snapshot(session, row, title)
        snapshot = known or SnapshotRow(document_id=row.id, revision_id=number, title=title)
        snapshot.revision_id = number
        session.add(snapshot)
    return listed(ws, document_id)


def forget_name(ws: Workspace, document_id: str, title: str) -> list[RevisionView]:
    """Take a name away; what it named stays."""
    with ws.writing() as session:
        known = _snapshot(session, history.any_row(session, document_id), title)
        if known is not None:
            session.delete(known)
    return listed(ws, document_id)


def _snapshot(session: Session, row: DocumentRow, title: str) -> SnapshotRow | None:
    return session.exec(
        select(SnapshotRow).where(SnapshotRow.document_id == row.id, SnapshotRow.title == title)
    ).first()


def actions(ws: Workspace, project_id: str, most: int = 300) -> list[ActionView]:
    """Return what was done in a project, newest first."""
    with ws.session() as session:
        rows = session.exec(
            select(ActionRow)
            .where(ActionRow.project_id == project_id)
            .order_by(col(ActionRow.id).desc())
            .limit(most)
        ).all()
        changed = session.exec(
            select(RevisionRow.action_id, RevisionRow.id, DocumentRow)
            .join(DocumentRow, col(DocumentRow.id) == col(RevisionRow.document_id))
            .where(col(RevisionRow.action_id).in_([row.id for row in rows]))
        ).all()
        documents: dict[int, list[ActedOn]] = {}
        in_force: set[int] = set()
        ways: dict[str, set[int]] = {}
        for action, revision, document in changed:
            documents.setdefault(action, []).append(ActedOn(id=document.id, kind=document.kind))
            if document.id not in ways:
                ways[document.id] = _way_here(session, document)
            if revision in ways[document.id]:
                in_force.add(action)
    return [
        ActionView(
            id=row.id or 0,
            words=row.words,
            created=row.created.isoformat(),
            documents=documents.get(row.id or 0, []),
            in_force=row.id in in_force,
        )
        for row in rows
    ]


def _way_here(session: Session, row: DocumentRow) -> set[int]:
    """Return the revisions that a document's present state was made over."""
    found = session.exec(
        select(RevisionRow.id, RevisionRow.parent).where(RevisionRow.document_id == row.id)
    )
    return _way_to(row.head, {number or 0: parent for number, parent in found})


def _way_to(revision: int, parents: dict[int, int | None]) -> set[int]:
    """Return a revision and all that it was made over."""
    way: set[int] = set()
    here: int | None = revision
    while here is not None and here in parents:
        way.add(here)
        here = parents[here]
    return way
