"""Put a build into a game folder, and take it out again; the game's own files stay as they are.

Saltglass reads deliveries from ``deliveries/``, in the order that ``deliveries.json`` lists.
A delivery is written whole into a new folder of its own; then the list is replaced in one
rename. So at any moment the game sees either the old delivery or the new one.
"""

from __future__ import annotations

import json
import shutil
from collections.abc import Iterator
from itertools import chain
from pathlib import Path

from stonestack.core.deliveries import Manifest
from stonestack.core.errors import BadRequest
from stonestack.core.targets import Target
from stonestack.store.files import sha256, write_atomically, write_folder_atomically

ORDER = "deliveries.json"
FOLDER = "deliveries"


def install(game: Path, build: Path, listing: Manifest, target: Target) -> Path:
    """Copy a build into a game folder and list it last, so that it wins.

    Raises
    ------
    BadRequest
        If a file of the build has changed since it was built, or the game folder cannot be
        written; then nothing has changed there.
    """
    for _ in files_of(build, listing):
        pass  # Each is looked at before anything is written.
    text = (build / target.manifest).read_bytes()
    folder_name = f"{listing.delivery}-{sha256(text)[:10]}"
    place = game / FOLDER / folder_name
    try:
        if not place.exists():
            write_folder_atomically(
                place, chain(files_of(build, listing), [(target.manifest, text)])
            )
        order = [e for e in _order(game) if e["delivery"] != listing.delivery]
        order.append({"delivery": listing.delivery, "folder": folder_name})
        _write_order(game, order)
    except OSError as error:
        raise BadRequest(
            "game-folder-not-written",
            f"The game folder could not be written: {error.strerror or error}.",
            "Free some space or change its permissions, then install again.",
        ) from error
    _sweep(game, listing.delivery, folder_name)
    return place


def files_of(build: Path, listing: Manifest) -> Iterator[tuple[str, bytes]]:
    """Read the files of a build one after the other, and see that they are what was built.

    Yields
    ------
    path : str
    data : bytes

    Raises
    ------
    BadRequest
        If one is not.
    """
    for entry in listing.files:
        path = build / entry.path
        data = path.read_bytes() if path.is_file() else b""
        if sha256(data) != entry.sha256:
            raise BadRequest(
                "build-damaged",
                f"{entry.path} has changed since it was built.",
                "Build the delivery again.",
            )
        yield entry.path, data


def withdraw(game: Path, delivery: str) -> None:
    """Take a delivery off the list, then delete its folder."""
    _write_order(game, [e for e in _order(game) if e["delivery"] != delivery])
    _sweep(game, delivery, None)


def _order(game: Path) -> list[dict[str, str]]:
    path = game / ORDER
    if not path.is_file():
        return []
    try:
        entries = json.loads(path.read_text())["order"]
        return [{"delivery": str(e["delivery"]), "folder": str(e["folder"])} for e in entries]
    except (ValueError, KeyError, TypeError) as error:
        raise BadRequest(
            "order-damaged",
            f"{path} cannot be read.",
            "Mend or delete the file; deliveries can be installed again.",
        ) from error


def _write_order(game: Path, order: list[dict[str, str]]) -> None:
    write_atomically(game / ORDER, (json.dumps({"order": order}, indent=2) + "\n").encode())


def _sweep(game: Path, delivery: str, keep: str | None) -> None:
    """Delete folders of a delivery that the list names no more."""
    for folder in (game / FOLDER).glob(f"{delivery}-*"):
        named = folder.name.removeprefix(f"{delivery}-")
        ours = len(named) == 10 and all(c in "0123456789abcdef" for c in named)
        if ours and folder.name != keep:
            shutil.rmtree(folder)
