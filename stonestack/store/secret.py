"""The data folder's secret: who can read it may use the application."""

from __future__ import annotations

import os
import secrets

from stonestack.core.runtime.errors import BadRequest
from stonestack.store.place import DataFolder

_LEAST = 20


def secret_of(data: DataFolder) -> str:
    """Return the secret of a data folder; it is made once, readable by its owner only.

    Raises
    ------
    BadRequest
        If what stands there is none.
    """
    place = data.root / "secret"
    try:
        handle = os.open(place, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        pass
    else:
        with os.fdopen(handle, "w", encoding="ascii") as file:
            file.write(secrets.token_urlsafe(32))
            file.flush()
            os.fsync(file.fileno())
    text = place.read_text("utf-8", "replace").strip()
    if len(text) < _LEAST or not text.isascii():
        raise BadRequest(
            "no-secret",
            f"{place} is damaged.",
            "Delete it and start again; bookmarks of before no longer work then.",
        )
    return text
