"""A build on its way into a game."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from stonestack.core.document.deliveries import Manifest
from stonestack.core.runtime.errors import BadRequest
from stonestack.store.files import sha256


@dataclass(frozen=True)
class Shipment:
    """A build, and where it goes.

    Parameters
    ----------
    delivery_id, build_id : str
    build : Path
        The folder that the build lies in.
    listing : Manifest
        Its files.
    game : Path
        The game folder.
    into : str
        The folder inside it, with forward slashes; empty for the game folder itself.
    """

    delivery_id: str
    build_id: str
    build: Path
    listing: Manifest
    game: Path
    into: str

    def files(self) -> Iterator[tuple[str, bytes]]:
        """Read the files of the build one after the other, and see that they are what was built.

        Yields
        ------
        path : str
        data : bytes

        Raises
        ------
        BadRequest
            If one is not.
        """
        for entry in self.listing.files:
            path = self.build / entry.path
            data = path.read_bytes() if path.is_file() else b""
            if sha256(data) != entry.sha256:
                raise BadRequest(
                    "build-damaged",
                    f"{entry.path} has changed since it was built.",
                    "Build the delivery again.",
                )
            yield entry.path, data
