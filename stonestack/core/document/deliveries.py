"""Deliveries: what goes out to a game, and its manifest."""

from __future__ import annotations

from pydantic import BaseModel, Field, TypeAdapter, field_validator

from stonestack.core.document import Document, checked_name
from stonestack.core.kinds.node import Key

SCHEMA = 2
"""Version of the form in which deliveries are stored."""


class Delivery(Document):
    """Which surfaces go out together, under which identifier."""

    title: str = Field(min_length=1, max_length=80)
    name: str
    target: str
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
    """What a build holds; targets that ask for one get it as a file."""

    delivery: str
    title: str
    version: int
    game: str
    files: list[DeliveredFile]

    @staticmethod
    def listed(contents: bytes) -> list[DeliveredFile]:
        """Return the files of a listing, as its node has made it."""
        return TypeAdapter(list[DeliveredFile]).validate_json(contents)


class BuildRecord(BaseModel):
    """What is remembered of a build: its manifest, and the content keys of all that is in it.

    Parameters
    ----------
    manifest : Manifest
    files : dict
        The key of each file, by its path.
    surfaces : dict
        The key of all that each surface brought, by its id. One whose key is another now has
        changed since.
    archive : str
        The key of all its files in one archive, which is made when it is asked for; empty in
        builds that were made before there were archives.
    """

    manifest: Manifest
    files: dict[str, Key] = {}
    surfaces: dict[str, Key] = {}
    archive: Key = ""
