"""Put a build into a layered game, and take it out again; the game's own files stay as they are.

Such a game reads deliveries from ``deliveries/``, in the order that ``deliveries.json`` lists.
A delivery is written whole into a new folder of its own; then the list is replaced as a journalled
change, which notes in the database which build was put there. So at any moment the game sees
either the old delivery or the new one, and after a hard stop both say the same. What another has
put there stays, whatever it is called.
"""

from __future__ import annotations

from itertools import chain
from pathlib import Path
from typing import Any

from stonestack.core.document.deliveries import Manifest
from stonestack.core.tables.targets import Target
from stonestack.services.delivery.shipment import Shipment
from stonestack.services.documents import standing
from stonestack.services.game import games
from stonestack.services.safe import putting
from stonestack.services.safe.putting import Ground
from stonestack.services.workspace import Workspace
from stonestack.store import disk, failures, layers
from stonestack.store.files import sha256, sha256_of, write_folder_atomically
from stonestack.store.layers import FOLDER, ORDER, Owner


def install(ws: Workspace, shipment: Shipment, target: Target) -> Path:
    """Copy a build into a game folder and list it last, so that it wins.

    What stands there whole already is not written again.

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
    with ws.session() as session:
        owner = standing.owner_of(ws, session, shipment.delivery_id, listing.delivery, target)
    with putting.entered(ws, view.id, "putting a delivery in") as game:
        for _ in shipment.files():
            pass  # Each is looked at before anything is written.
        text = (shipment.build / target.manifest).read_bytes()
        name = owner.folder(sha256(text))
        place = game / FOLDER / name
        try:
            if place.exists() and not _whole(place, listing):
                _delete(place)
            if not place.exists():
                files = chain(shipment.files(), [(target.manifest, text)])
                write_folder_atomically(place, files, shared=True)
        except OSError as error:
            raise failures.of_disk(error) from error
        entry = {"delivery": listing.delivery, "folder": name, "owner": owner.id}
        _reorder(ws, view.id, game, owner, [entry], shipment.build_id)
        _sweep(game, owner, name)
    return place


def withdraw(ws: Workspace, game: Path, delivery_id: str, name: str, target: Target) -> None:
    """Take a delivery off the list, then delete its folder.

    Raises
    ------
    BadRequest
        If the game folder cannot be written; then nothing has changed there.
    Conflict
        If somebody else holds the folder's door for too long.
    """
    view = games.register(ws, game)
    with ws.session() as session:
        owner = standing.owner_of(ws, session, delivery_id, name, target)
    with putting.entered(ws, view.id, "taking a delivery out") as root:
        _reorder(ws, view.id, root, owner, [], "")
        _sweep(root, owner, None)


def _whole(place: Path, listing: Manifest) -> bool:
    """Tell whether a folder holds every file of a build as it was built."""
    return all(
        (path := place / entry.path).is_file() and sha256_of(path) == entry.sha256
        for entry in listing.files
    )


def _reorder(
    ws: Workspace, game_id: str, game: Path, owner: Owner, own: list[dict[str, Any]], build_id: str
) -> None:
    """Put an owner's own entries last in the list, and note with it which build is there."""
    ground = Ground.found(game_id, game, [ORDER])
    before = layers.read(game)
    others = [e for e in before["order"] if not owner.owns(e)]
    text = layers.text_of({**before, "order": [*others, *own]})
    putting.rewrite(ws, ground, ORDER, text, {owner.id: build_id})


def _sweep(game: Path, owner: Owner, keep: str | None) -> None:
    """Delete folders of a delivery that the list names no more, and what a crash left."""
    listed = {entry["folder"] for entry in layers.read(game)["order"]}
    for folder in (game / FOLDER).glob("*"):
        unlisted = owner.owns_folder(folder.name) and folder.name not in {keep, *listed}
        if folder.name.startswith(disk.PREFIX) or unlisted:
            _delete(folder)


def _delete(folder: Path) -> None:
    """Delete a folder; half deleted, it no longer has the name that it is known by."""
    if not folder.name.startswith(disk.PREFIX):
        away = disk.beside(folder)
        disk.now().rename(folder, away)
        folder = away
    disk.now().remove_tree(folder)
