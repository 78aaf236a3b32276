"""The tables. Documents are kept as JSON text, validated by their models in core."""

from __future__ import annotations

import secrets
from datetime import UTC, datetime

from sqlalchemy import UniqueConstraint
from sqlmodel import Field, SQLModel


def new_id() -> str:
    """Return a short random name for a row; it also stands in addresses."""
    return secrets.token_hex(6)


def now() -> datetime:
    """Return the present moment in UTC."""
    return datetime.now(UTC)


class ProjectRow(SQLModel, table=True):
    """One game's texture work."""

    __tablename__ = "project"

    id: str = Field(default_factory=new_id, primary_key=True)
    title: str
    target: str
    game_folder: str | None = None
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


class SurfaceRow(SQLModel, table=True):
    """A surface; its document is its revision number ``current``."""

    __tablename__ = "surface"

    id: str = Field(default_factory=new_id, primary_key=True)
    project_id: str = Field(foreign_key="project.id", index=True)
    current: int = 1
    created: datetime = Field(default_factory=now)


class RevisionRow(SQLModel, table=True):
    """One state of a surface, and in words what made it."""

    __tablename__ = "revision"
    __table_args__ = (UniqueConstraint("surface_id", "number"),)

    id: str = Field(default_factory=new_id, primary_key=True)
    surface_id: str = Field(foreign_key="surface.id", index=True)
    number: int
    words: str
    document: str
    created: datetime = Field(default_factory=now)


class MaterialRow(SQLModel, table=True):
    """A material; its document links slots to the maps of a surface."""

    __tablename__ = "material"

    id: str = Field(default_factory=new_id, primary_key=True)
    project_id: str = Field(foreign_key="project.id", index=True)
    surface_id: str = Field(foreign_key="surface.id", index=True)
    document: str
    created: datetime = Field(default_factory=now)


class DeliveryRow(SQLModel, table=True):
    """A delivery: which surfaces go out, under which identifier."""

    __tablename__ = "delivery"

    id: str = Field(default_factory=new_id, primary_key=True)
    project_id: str = Field(foreign_key="project.id", index=True)
    document: str
    created: datetime = Field(default_factory=now)


class BuildRow(SQLModel, table=True):
    """A build of a delivery: its manifest, its folder below builds, and when it went out."""

    __tablename__ = "build"
    __table_args__ = (UniqueConstraint("delivery_id", "number"),)

    id: str = Field(default_factory=new_id, primary_key=True)
    delivery_id: str = Field(foreign_key="delivery.id", index=True)
    number: int
    manifest: str
    folder: str
    created: datetime = Field(default_factory=now)
    installed: datetime | None = None


class RenderRow(SQLModel, table=True):
    """What has to be computed for a content key."""

    __tablename__ = "render"

    key: str = Field(primary_key=True)
    plan: str
