"""The one store of revisions, for everything that has a history.

A document is at one of its revisions, its head. An action makes revisions of one or several
documents at once; undo takes an action back, in every document that it changed. Nothing is ever
deleted: an edit after an undo begins a branch, and what was on the other can be returned to. Heads
move by comparison with what they were, inside a transaction that lets no other write between.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from pydantic import BaseModel, ValidationError
from sqlmodel import Session, col, select

from stonestack.core.document import Document, Surface, deliveries, materials
from stonestack.core.document import project as project_settings
from stonestack.core.document import surface as surface_document
from stonestack.core.document.deliveries import Delivery
from stonestack.core.document.materials import Material
from stonestack.core.document.project import Settings
from stonestack.core.document.upgrades import read_values
from stonestack.core.runtime import memory
from stonestack.core.runtime.errors import BadRequest, Conflict, NotFound
from stonestack.store.tables import ActionRow, DocumentRow, RevisionRow

D = TypeVar("D", bound=Document)


@dataclass(frozen=True)
class Kind(Generic[D]):
    """A kind of document.

    Parameters
    ----------
    name : str
        In the database.
    words : str
        What it is called to a person.
    model : type of Document
    schema : int
        Version of the form in which it is stored now.
    """

    name: str
    words: str
    model: type[D]
    schema: int


SURFACE = Kind("surface", "surface", Surface, surface_document.SCHEMA)
MATERIAL = Kind("material", "material", Material, materials.SCHEMA)
DELIVERY = Kind("delivery", "delivery", Delivery, deliveries.SCHEMA)
SETTINGS = Kind("project", "project", Settings, project_settings.SCHEMA)

KINDS: dict[str, Kind[Any]] = {k.name: k for k in (SURFACE, MATERIAL, DELIVERY, SETTINGS)}


class Moved(BaseModel):
    """What an undo or redo did.

    Parameters
    ----------
    words : str
    revision : int
        Where the document that was asked for is now.
    documents : list of str
        Ids of what moved.
    left : list of str
        Kinds of what was changed again since, and so keeps that.
    """

    words: str
    revision: int
    documents: list[str]
    left: list[str] = []


@dataclass(frozen=True)
class Change:
    """A new state of a document.

    Parameters
    ----------
    document : DocumentRow
    body : Document
    base : int or None
        The revision that it was made on; None takes the present one, for what nobody else edits.
    """

    document: DocumentRow
    body: Document
    base: int | None = None


# ---- Reading -----------------------------------------------------------------------------


def row_of(session: Session, kind: Kind[D], document_id: str) -> DocumentRow:
    """Return a document's row.

    Raises
    ------
    NotFound
        If there is none of this kind.
    """
    row = session.get(DocumentRow, document_id)
    if row is None or row.kind != kind.name:
        raise NotFound(
            "not-there", f"This {kind.words} is not there any more.", "Go back to the list."
        )
    return row


def any_row(session: Session, document_id: str) -> DocumentRow:
    """Return a document's row, of whatever kind it is.

    Raises
    ------
    NotFound
        If there is none.
    """
    row = session.get(DocumentRow, document_id)
    if row is None:
        raise NotFound("not-there", "This is not there any more.", "Go back to the list.")
    return row


def rows_of(session: Session, kind: Kind[D], project_id: str) -> Sequence[DocumentRow]:
    """Return a project's documents of a kind, in the order they were made."""
    return session.exec(
        select(DocumentRow)
        .where(DocumentRow.project_id == project_id, DocumentRow.kind == kind.name)
        .order_by(col(DocumentRow.created), col(DocumentRow.id))
    ).all()


def owned(session: Session, kind: Kind[D], owner: str) -> Sequence[DocumentRow]:
    """Return the documents of a kind that belong to another, in the order they were made."""
    return session.exec(
        select(DocumentRow)
        .where(DocumentRow.owner == owner, DocumentRow.kind == kind.name)
        .order_by(col(DocumentRow.created), col(DocumentRow.id))
    ).all()


def read(session: Session, kind: Kind[D], document_id: str) -> D:
    """Return a document as it is now."""
    return body_of(session, kind, row_of(session, kind, document_id))


def body_of(session: Session, kind: Kind[D], row: DocumentRow) -> D:
    """Return the body of the revision that a document is at."""
    return at(session, kind, row.id, row.head)


def bodies(
    session: Session, kind: Kind[D], rows: Sequence[DocumentRow]
) -> dict[str, D | BadRequest]:
    """Return the present bodies of many documents; of one that cannot be read, why."""
    found: dict[str, D | BadRequest] = {}
    heads = [row.head for row in rows]
    revisions: dict[str, RevisionRow] = {}
    for start in range(0, len(heads), 500):
        part = heads[start : start + 500]
        for revision in session.exec(select(RevisionRow).where(col(RevisionRow.id).in_(part))):
            revisions[revision.document_id] = revision
    for row in rows:
        try:
            found[row.id] = parsed(kind, revisions.get(row.id))
        except BadRequest as error:
            found[row.id] = error
    return found


def at(session: Session, kind: Kind[D], document_id: str, revision: int) -> D:
    """Return a document as it was at a revision.

    Raises
    ------
    BadRequest
        If it has no such revision, or that cannot be read.
    """
    row = session.get(RevisionRow, revision)
    if row is None or row.document_id != document_id:
        raise BadRequest(
            "no-such-revision", f"There is no revision {revision}.", "Choose one of the list."
        )
    return parsed(kind, row)


_TIMES = 10
"""How much more memory a document takes than its text."""


@memory.kept(lambda name, body, schema: _TIMES * len(body))
def _read(name: str, body: str, schema: int) -> Document:
    """Read a stored body; the same text is read once, since documents cannot be changed."""
    document: Document = KINDS[name].model.model_validate(read_values(name, body, schema))
    return document


def parsed(kind: Kind[D], row: RevisionRow | None) -> D:
    """Return a revision's body, upgraded to the present form.

    Raises
    ------
    BadRequest
        If it cannot be read; nothing else is touched by that.
    """
    try:
        if row is None:
            raise ValueError("Its present state is lost.")
        document = _read(kind.name, row.body, row.schema_version)
        assert isinstance(document, kind.model)
        return document
    except (ValueError, KeyError, TypeError) as error:
        words = str(error.errors()[0]["msg"]) if isinstance(error, ValidationError) else str(error)
        raise BadRequest(
            "unreadable",
            f"This {kind.words} cannot be read: {words.removeprefix('Value error, ')}",
            "Take back an earlier revision of it, or use the version that stored it.",
        ) from error


# ---- Writing: every function here wants a session of ``Workspace.writing`` ------------------


def begin(
    session: Session,
    kind: Kind[D],
    project_id: str,
    body: D,
    action: ActionRow,
    owner: str = "",
    document_id: str | None = None,
) -> DocumentRow:
    """Make a document, as a part of an action."""
    row = DocumentRow(project_id=project_id, kind=kind.name, owner=owner)
    if document_id is not None:
        row.id = document_id
    session.add(row)
    session.flush()
    _advance(session, row, body, action, action.words)
    return row


def acted(session: Session, project_id: str, words: str) -> ActionRow:
    """Begin an action: what follows is done, undone and listed as one."""
    action = ActionRow(project_id=project_id, words=words)
    session.add(action)
    session.flush()
    return action


def change(
    session: Session, words: str, changes: Sequence[Change], action: ActionRow | None = None
) -> ActionRow | None:
    """Make new revisions as one action; documents that stay as they are get none.

    Returns
    -------
    ActionRow or None
        None where nothing changes.

    Raises
    ------
    Conflict
        If a document has moved on from the revision that its change was made on; then nothing
        has changed.
    """
    for one in changes:
        if one.base is not None and one.document.head != one.base:
            raise stale(KINDS[one.document.kind].words)
    real = [
        one
        for one in changes
        if body_of(session, KINDS[one.document.kind], one.document) != one.body
    ]
    if not real:
        return None
    action = action or acted(session, real[0].document.project_id, words)
    for one in real:
        _advance(session, one.document, one.body, action, words)
    return action


def _advance(
    session: Session, row: DocumentRow, body: Document, action: ActionRow, words: str
) -> None:
    revision = RevisionRow(
        document_id=row.id,
        parent=row.head or None,
        action_id=action.id or 0,
        words=words,
        schema_version=KINDS[row.kind].schema,
        body=body.model_dump_json(),
    )
    session.add(revision)
    session.flush()
    row.head = row.tip = revision.id or 0
    row.moves += 1
    session.add(row)


def undo(session: Session, row: DocumentRow, base: int) -> Moved:
    """Take back the action that a document's present state comes from, in all that it changed.

    A document that was changed again since keeps that; it is named in what is returned.

    Raises
    ------
    Conflict
        If the document has moved on from ``base``.
    BadRequest
        If there is nothing before.
    """
    _check_base(row, base)
    head = _head(session, row)
    if head.parent is None:
        raise BadRequest("at-the-end", "Nothing to undo.", "This is as far as the history goes.")
    moved, left = [], []
    for other, revision in _same_action(session, head):
        if revision.parent is None:
            continue
        if other.head == revision.id:
            other.head = revision.parent
            other.moves += 1
            session.add(other)
            moved.append(other.id)
        else:
            left.append(KINDS[other.kind].words)
    return Moved(words=head.words, revision=row.head, documents=moved, left=left)


def redo(session: Session, row: DocumentRow, base: int) -> Moved:
    """Do again what was last undone, in all documents that stand where it was taken back."""
    _check_base(row, base)
    ahead = _ahead(session, row)
    if ahead is None:
        raise BadRequest("at-the-end", "Nothing to redo.", "This is as far as the history goes.")
    moved, left = [], []
    for other, revision in _same_action(session, ahead):
        following = _ahead(session, other)
        if following is not None and following.id == revision.id:
            other.head = revision.id or 0
            other.moves += 1
            session.add(other)
            moved.append(other.id)
        elif other.head != revision.id:
            left.append(KINDS[other.kind].words)
    return Moved(words=ahead.words, revision=row.head, documents=moved, left=left)


def take_back(session: Session, row: DocumentRow, base: int, revision: int) -> str:
    """Make an earlier state, of any branch, the newest one; nothing is lost.

    It is a revision of its own, so that it can be undone like any other change.

    Returns
    -------
    str
        The words of what was done.
    """
    _check_base(row, base)
    earlier = session.get(RevisionRow, revision)
    kind = KINDS[row.kind]
    body = at(session, kind, row.id, revision)
    words = f"Back to “{earlier.words}”" if earlier is not None else ""
    action = acted(session, row.project_id, words)
    _advance(session, row, body, action, words)
    return words


def stale(words: str) -> Conflict:
    """Return the answer to a change that was made on an older state."""
    return Conflict(
        "stale-edit",
        f"This {words} was changed elsewhere meanwhile.",
        "It is shown anew; make the change again.",
    )


def _check_base(row: DocumentRow, base: int) -> None:
    if row.head != base:
        raise stale(KINDS[row.kind].words)


def _head(session: Session, row: DocumentRow) -> RevisionRow:
    head = session.get(RevisionRow, row.head)
    if head is None:
        raise BadRequest(
            "history-broken", "Its present state is lost.", "Take back an earlier revision."
        )
    return head


def _same_action(session: Session, revision: RevisionRow) -> list[tuple[DocumentRow, RevisionRow]]:
    """Return the documents that an action changed, each with its revision."""
    found = session.exec(
        select(DocumentRow, RevisionRow)
        .join(RevisionRow, col(RevisionRow.document_id) == col(DocumentRow.id))
        .where(RevisionRow.action_id == revision.action_id)
        .order_by(col(RevisionRow.id))
    ).all()
    return [(document, one) for document, one in found]


def _ahead(session: Session, row: DocumentRow) -> RevisionRow | None:
    """Return the revision that redo leads to, or None."""
    here = session.get(RevisionRow, row.tip)
    while here is not None and here.id != row.head:
        if here.parent == row.head:
            return here
        here = session.get(RevisionRow, here.parent) if here.parent is not None else None
    return None


# ---- Looking back ------------------------------------------------------------------------


def neighbours(session: Session, row: DocumentRow) -> tuple[str | None, str | None]:
    """Return in words what undo would take back, and what redo would do again."""
    head = session.get(RevisionRow, row.head)
    ahead = _ahead(session, row)
    before = head.words if head is not None and head.parent is not None else None
    return before, ahead.words if ahead is not None else None


def validated(make: Callable[[], D]) -> D:
    """Run a change of a document and put its model's objections into words for the person."""
    try:
        return make()
    except ValidationError as error:
        words = str(error.errors()[0]["msg"]).removeprefix("Value error, ")
        raise BadRequest("does-not-fit", words, "Choose another value.") from error
