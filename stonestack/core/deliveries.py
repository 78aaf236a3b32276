"""Deliveries: what goes out to a game, and its manifest."""

from __future__ import annotations

import hashlib

from pydantic import BaseModel, Field, field_validator

from stonestack.core.errors import BadRequest
from stonestack.core.roles import Role
from stonestack.core.surface import Document, checked_name

MANIFEST = "delivery.json"


class Delivery(Document):
    """Which surfaces go out together, under which identifier."""

    title: str = Field(min_length=1, max_length=80)
    name: str
    surfaces: tuple[str, ...] = ()

    @field_validator("name")
    @classmethod
    def _plain_name(cls, name: str) -> str:
        return checked_name(name)


class DeliveredFile(BaseModel):
    """One file of a build."""

    path: str
    sha256: str
    bytes: int


class Manifest(BaseModel):
    """What a build holds; lies in it as ``delivery.json``."""

    delivery: str
    title: str
    version: int
    game: str
    files: list[DeliveredFile]


class BuildRecord(BaseModel):
    """What is remembered of a build: its manifest, and the content key of every map in it.

    Keys are by surface and role; a surface whose keys are others now has changed since.
    """

    manifest: Manifest
    keys: dict[str, dict[Role, str]]


def manifest(delivery: Delivery, version: int, game: str, files: dict[str, bytes]) -> Manifest:
    """List the files of a build, sorted by path."""
    return Manifest(
        delivery=delivery.name,
        title=delivery.title,
        version=version,
        game=game,
        files=[
            DeliveredFile(path=path, sha256=hashlib.sha256(data).hexdigest(), bytes=len(data))
            for path, data in sorted(files.items())
        ],
    )


def add_file(files: dict[str, bytes], path: str, data: bytes) -> None:
    """Add a file to a build.

    Raises
    ------
    BadRequest
        If another file of the build has that path.
    """
    if path in files:
        raise BadRequest(
            "two-files-one-name",
            f"Two maps or materials want to be {path}.",
            "Rename one of them on the bench.",
        )
    files[path] = data
