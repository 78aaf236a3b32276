"""The list of deliveries that a layered game loads, and whose each entry is.

``deliveries.json`` names folders below ``deliveries/``, the one that wins last. Each entry, and
the name of its folder, carries the id of the delivery that put it there: what has another's id is
never changed.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

from stonestack.core.runtime.errors import BadRequest
from stonestack.store.files import sha256

ORDER = "deliveries.json"
FOLDER = "deliveries"
_MARK = 10
"""Digits of the manifest's hash that a folder's name ends in."""


@dataclass(frozen=True)
class Owner:
    """A delivery, and by what its entries are known.

    Parameters
    ----------
    id, name : str
    builds : tuple of (str, str)
        Ids of its builds, each with the hash of its manifest, the newest first.
    """

    id: str
    name: str
    builds: tuple[tuple[str, str], ...]

    def folder(self, digest: str) -> str:
        """Return what the folder of a build is called in the game."""
        return f"{self.name}-{self.id}-{digest[:_MARK]}"

    def owns(self, entry: dict[str, Any]) -> bool:
        """Tell whether an entry is of this delivery.

        One that carries no id is, where it names just what a build of this delivery was called.
        """
        owner = entry.get("owner", "")
        return owner == self.id or (not owner and self.owns_folder(str(entry.get("folder", ""))))

    def owns_folder(self, name: str) -> bool:
        """Tell by its name whether a folder is of this delivery."""
        head, _, mark = name.rpartition("-")
        if head == f"{self.name}-{self.id}":
            return len(mark) == _MARK and set(mark) <= set("0123456789abcdef")
        return head == self.name and any(digest[:_MARK] == mark for _, digest in self.builds)


def read(game: Path) -> dict[str, Any]:
    """Return the list as it stands: whatever else it holds, ``order`` is a list of entries.

    Raises
    ------
    BadRequest
        If it cannot be read.
    """
    path = game / ORDER
    if not path.is_file():
        return {"order": []}
    try:
        whole = json.loads(path.read_text("utf-8"))
        if not all(isinstance(e["folder"], str) for e in whole["order"]):
            raise TypeError
    except (OSError, ValueError, KeyError, TypeError, RecursionError) as error:
        raise BadRequest(
            "order-damaged",
            f"{path} cannot be read.",
            "Mend or delete the file; deliveries can be installed again.",
        ) from error
    return dict(whole)


def text_of(whole: dict[str, Any]) -> bytes:
    """Return a list as it is written."""
    return (json.dumps(whole, indent=2, ensure_ascii=False) + "\n").encode()


@lru_cache(maxsize=4096)
def manifest_hash(manifest: Path) -> str:
    """Return the hash of a build's manifest, which never changes; empty where it is not there."""
    return sha256(manifest.read_bytes()) if manifest.is_file() else ""
