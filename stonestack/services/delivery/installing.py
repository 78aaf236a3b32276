"""Put a build into a game folder, and take it out again; the game's own files stay as they are.

Saltglass reads deliveries from ``deliveries/``, in the order that ``deliveries.json`` lists.
A delivery is written whole into a new folder of its own; then the list is replaced as a journalled
change, which notes in the database which build is in the game. So at any moment the game sees
either the old delivery or the new one, and after a hard stop both say the same.
"""

from __future__ import annotations

import json
from itertools import chain
from pathlib import Path

from stonestack.core.document.deliveries import Manifest
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.targets import Target
from stonestack.services.delivery.shipment import Shipment
from stonestack.services.game import games
from stonestack.services.safe import putting
from stonestack.services.safe.putting import Ground
from stonestack.services.workspace import Workspace
from stonestack.store import disk, failures
from stonestack.store.files import sha256, sha256_of, write_folder_atomically

ORDER = "deliveries.json"
FOLDER = "deliveries"


def install(ws: Workspace, shipment: Shipment, target: Target) -> Path:
    """Copy a build into a game folder and list it last, so that it wins.

    Raises
    ------
    BadRequest
        If a file of the build has changed since it was built, or the game folder cannot be
        written; then nothing has changed there.
    Conflict
        If somebody else holds the folder's door for too long.
    """
    view = games.register(ws, shipment.game)
    listing = shipment.listing
    with putting.entered(ws, view.id, "putting a delivery in") as game:
        for _ in shipment.files():
            pass  # Each is looked at before anything is written.
        text = (shipment.build / target.manifest).read_bytes()
        name = f"{listing.delivery}-{sha256(text)[:10]}"
        place = game / FOLDER / name
        try:
            if place.exists() and not _whole(place, listing):
                _delete(place)
            if not place.exists():
                files = chain(shipment.files(), [(target.manifest, text)])
                write_folder_atomically(place, files, shared=True)
        except OSError as error:
            raise failures.of_disk(error) from error
        order = [e for e in _order(game) if e["delivery"] != listing.delivery]
        order.append({"delivery": listing.delivery, "folder": name})
        _reorder(ws, view.id, game, order, {shipment.delivery_id: shipment.build_id})
        _sweep(game, listing.delivery, name)
    return place


def withdraw(ws: Workspace, game: Path, delivery_id: str, name: str) -> None:
    """Take a delivery off the list, then delete its folder.

    Raises
    ------
    BadRequest
        If the game folder cannot be written; then nothing has changed there.
    Conflict
        If somebody else holds the folder's door for too long.
    """
    view = games.register(ws, game)
    with putting.entered(ws, view.id, "taking a delivery out") as root:
        order = [e for e in _order(root) if e["delivery"] != name]
        _reorder(ws, view.id, root, order, {delivery_id: ""})
        _sweep(root, name, None)


def _whole(place: Path, listing: Manifest) -> bool:
    """Tell whether a folder holds every file of a build as it was built."""
    return all(
        (path := place / entry.path).is_file() and sha256_of(path) == entry.sha256
        for entry in listing.files
    )


def _order(game: Path) -> list[dict[str, str]]:
    path = game / ORDER
    if not path.is_file():
        return []
    try:
        entries = json.loads(path.read_text("utf-8"))["order"]
        return [{"delivery": str(e["delivery"]), "folder": str(e["folder"])} for e in entries]
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise BadRequest(
            "order-damaged",
            f"{path} cannot be read.",
            "Mend or delete the file; deliveries can be installed again.",
        ) from error


def _reorder(
    ws: Workspace,
    game_id: str,
    game: Path,
    order: list[dict[str, str]],
    installed: dict[str, str],
) -> None:
    """Replace the list, and note with it which build is in the game."""
    text = (json.dumps({"order": order}, indent=2) + "\n").encode()
    ground = Ground.found(game_id, game, [ORDER])
    putting.rewrite(ws, ground, ORDER, text, installed)


def _sweep(game: Path, delivery: str, keep: str | None) -> None:
    """Delete folders of a delivery that the list names no more, and what a crash left."""
    for folder in (game / FOLDER).glob("*"):
        named = folder.name.removeprefix(f"{delivery}-")
        ours = (
            folder.name != named
            and len(named) == 10
            and all(c in "0123456789abcdef" for c in named)
        )
        if folder.name.startswith(disk.PREFIX) or (ours and folder.name != keep):
            _delete(folder)


def _delete(folder: Path) -> None:
    """Delete a folder; half deleted, it no longer has the name that it is known by."""
    if not folder.name.startswith(disk.PREFIX):
        away = disk.beside(folder)
        disk.now().rename(folder, away)
        folder = away
    disk.now().remove_tree(folder)
