"""The tables. Documents are kept as JSON text, validated by their models in core."""

from __future__ import annotations

import secrets
from datetime import UTC, datetime

from sqlalchemy import Index, UniqueConstraint
from sqlmodel import Field, SQLModel


def new_id() -> str:
    """Return a short random name for a row; it also stands in addresses."""
    return secrets.token_hex(6)


def now() -> datetime:
    """Return the present moment in UTC."""
    return datetime.now(UTC)


class ProjectRow(SQLModel, table=True):
    """One game's texture work; its settings are the document of the same id."""

    __tablename__ = "project"

    id: str = Field(default_factory=new_id, primary_key=True)
    created: datetime = Field(default_factory=now)


class SourceRow(SQLModel, table=True):
    """An imported file; its bytes lie in the file store under ``sha256``."""

    __tablename__ = "source"
    __table_args__ = (UniqueConstraint("project_id", "sha256", "name"),)

    id: str = Field(default_factory=new_id, primary_key=True)
    project_id: str = Field(foreign_key="project.id", index=True)
    sha256: str = Field(index=True)
    name: str
    facts: str
    created: datetime = Field(default_factory=now)


class DocumentRow(SQLModel, table=True):
    """Anything with a history: a surface, a material, a delivery, a project's settings.

    Parameters
    ----------
    kind : str
        ``surface``, ``material``, ``delivery`` or ``project``.
    owner : str
        The document that it belongs to: of a material, its surface; else empty.
    head : int
        The revision that it is at; 0 only while it is being made.
    tip : int
        Where redo leads: the newest revision on the present branch.
    moves : int
        Counts every move of the head, so that two answers can be told older and newer.
    summary : str
        What lists show of it, as JSON; ``summary_of`` says of what it was made.
    """

    __tablename__ = "document"
    __table_args__ = (Index("ix_document_list", "project_id", "kind", "created"),)

    id: str = Field(default_factory=new_id, primary_key=True)
    project_id: str = Field(foreign_key="project.id", index=True)
    kind: str
    owner: str = Field(default="", index=True)
    head: int = 0
    tip: int = 0
    moves: int = 0
    summary: str = ""
    summary_of: str = ""
    created: datetime = Field(default_factory=now)


class ActionRow(SQLModel, table=True):
    """One thing that a person did, to however many documents; its number is never used again."""

    __tablename__ = "action"
    __table_args__ = {"sqlite_autoincrement": True}  # SQLAlchemy wants a dict here.

    id: int | None = Field(default=None, primary_key=True)
    project_id: str = Field(foreign_key="project.id", index=True)
    words: str
    created: datetime = Field(default_factory=now)


class RevisionRow(SQLModel, table=True):
    """One state of a document, and in words what made it; its number is never used again."""

    __tablename__ = "revision"
    __table_args__ = {"sqlite_autoincrement": True}

    id: int | None = Field(default=None, primary_key=True)
    document_id: str = Field(foreign_key="document.id", index=True)
    parent: int | None = None
    action_id: int = Field(foreign_key="action.id", index=True)
    words: str
    schema_version: int
    body: str
    created: datetime = Field(default_factory=now)


class SnapshotRow(SQLModel, table=True):
    """A name for a revision."""

    __tablename__ = "snapshot"
    __table_args__ = (UniqueConstraint("document_id", "title"),)

    id: str = Field(default_factory=new_id, primary_key=True)
    document_id: str = Field(foreign_key="document.id", index=True)
    revision_id: int = Field(foreign_key="revision.id")
    title: str
    created: datetime = Field(default_factory=now)


class BuildRow(SQLModel, table=True):
    """A build of a delivery: its record, its folder below builds, and when it went out."""

    __tablename__ = "build"
    __table_args__ = (UniqueConstraint("delivery_id", "number"),)

    id: str = Field(default_factory=new_id, primary_key=True)
    delivery_id: str = Field(foreign_key="document.id", index=True)
    number: int
    manifest: str
    folder: str
    files: int = 0
    bytes: int = 0
    created: datetime = Field(default_factory=now)
    installed: datetime | None = None


class BuiltRow(SQLModel, table=True):
    """What a build holds of one surface, by the content key of all of it."""

    __tablename__ = "built"
    __table_args__ = (Index("ix_built_surface", "surface_id", "build_id"),)

    build_id: str = Field(foreign_key="build.id", primary_key=True)
    surface_id: str = Field(primary_key=True)
    target: str
    key: str


class NodeRow(SQLModel, table=True):
    """A node of the graph: one unit of work, by its content key.

    ``inputs`` and ``blobs`` are keys and hashes with spaces between.
    """

    __tablename__ = "node"

    key: str = Field(primary_key=True)
    op: str
    version: int
    params: str
    inputs: str
    blobs: str


class GameRow(SQLModel, table=True):
    """A registered game folder, or the shelf of what was brought into a project.

    ``report`` holds what was left out of its catalogue, as JSON; ``revision`` counts the
    catalogue's changes.
    """

    __tablename__ = "game"

    id: str = Field(default_factory=new_id, primary_key=True)
    root: str = Field(unique=True)
    title: str
    version: str = ""
    report: str = "[]"
    revision: int = 0
    shelf_of: str | None = None
    read: datetime | None = None
    created: datetime = Field(default_factory=now)


class GameFileRow(SQLModel, table=True):
    """A file of a game folder, as it was when last read."""

    __tablename__ = "gamefile"
    __table_args__ = (UniqueConstraint("game_id", "path"),)

    id: int | None = Field(default=None, primary_key=True)
    game_id: str = Field(foreign_key="game.id", index=True)
    path: str
    size: int
    mtime_ns: int
    sha256: str
    form: str = ""
    problem: str = ""


class ContentRow(SQLModel, table=True):
    """What some content is and looks like, whatever it is called; see ``core.catalogue``."""

    __tablename__ = "content"

    sha256: str = Field(primary_key=True)
    version: int
    kind: str
    width: int
    height: int
    levels: int
    format: str
    alpha: str
    problem: str
    family: str
    sure: float
    seen: str
    icon: float
    icon_seen: str
    flat: bool
    hash: bytes
    tones: bytes


class EntryRow(SQLModel, table=True):
    """A file of the catalogue: loose, or an entry of a container by its chain of indices."""

    __tablename__ = "entry"
    __table_args__ = (Index("ix_entry_thing", "game_id", "thing"),)

    id: int | None = Field(default=None, primary_key=True)
    game_id: str = Field(foreign_key="game.id", index=True)
    file_id: int = Field(foreign_key="gamefile.id", index=True)
    path: str
    chain: str
    name: str
    place: str
    haystack: str
    kind: str
    format: str
    sha256: str = Field(index=True)
    size: int
    width: int
    height: int
    levels: int
    alpha: str
    role: str
    role_reason: str
    sure: float
    use: str
    use_reason: str
    thing: str = ""
    relation: str = ""
    reason: str = ""
    of_id: int | None = None
    tier: str = ""
    variant: str = ""
    human: str = ""
    backup: bool = False
    problem: str = ""


class NoteRow(SQLModel, table=True):
    """A name that people know a file or thing by, from a table or the artist's own."""

    __tablename__ = "note"

    id: int | None = Field(default=None, primary_key=True)
    game_id: str = Field(foreign_key="game.id", index=True)
    code: str
    human: str
    note: str = ""
    shown: str = ""
    own: bool = False


class KeptRow(SQLModel, table=True):
    """An original in the safe: a whole file of the game, byte for byte."""

    __tablename__ = "kept"
    __table_args__ = (UniqueConstraint("game_id", "path", "sha256"),)

    id: int | None = Field(default=None, primary_key=True)
    game_id: str = Field(foreign_key="game.id", index=True)
    path: str
    sha256: str
    size: int
    mtime_ns: int
    version: str
    created: datetime = Field(default_factory=now)


class PlacedRow(SQLModel, table=True):
    """Something of ours in a game folder, and the original that it stands for.

    Parameters
    ----------
    original, kept : str
        Hashes of the original and of the whole file in the safe that holds it; both are empty
        where the game had no such file.
    delivery_id : str
        The delivery that put it; empty where it was put back by hand.
    made : str
        The topmost folder below the game that was made for it, or empty.
    """

    __tablename__ = "placed"
    __table_args__ = (UniqueConstraint("game_id", "file", "chain"),)

    id: int | None = Field(default=None, primary_key=True)
    game_id: str = Field(foreign_key="game.id", index=True)
    path: str
    file: str
    chain: str
    original: str
    ours: str
    kept: str
    version: str
    shown: bool = True
    delivery_id: str = Field(default="", index=True)
    made: str = ""
    created: datetime = Field(default_factory=now)


class WorkfileRow(SQLModel, table=True):
    """A file that was put out for an outside image editor, and is watched."""

    __tablename__ = "workfile"

    id: str = Field(default_factory=new_id, primary_key=True)
    surface_id: str = Field(foreign_key="document.id", index=True)
    map: str
    stage: str
    path: str
    kind: str
    sent: str
    seen: str
    state: str
    findings: str = "[]"
    width: int
    height: int
    alpha: bool
    created: datetime = Field(default_factory=now)
