"""How deliveries stand in their game: by what lies in its folder, not by what was noted."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from pathlib import Path, PurePosixPath
from typing import Literal

from pydantic import BaseModel
from sqlmodel import Session, col, select

from stonestack.core.document.deliveries import BuildRecord, DeliveredFile, Delivery
from stonestack.core.document.project import Settings
from stonestack.core.runtime.errors import StoneError
from stonestack.core.tables.targets import Target, target_of
from stonestack.services.workspace import Workspace
from stonestack.store import layers, reach
from stonestack.store.layers import FOLDER, Owner
from stonestack.store.spelling import Spelling, place_below
from stonestack.store.tables import BuildRow, GameRow, PlacedRow


class Standing(BaseModel):
    """How a delivery stands in its game.

    Parameters
    ----------
    state : str
        ``in``: all of a build is there; ``changed``: something of it was put there, and not all
        of it is there now; ``out``.
    build : str
        The build that it is about; empty where it is out.
    words : str
        What is not as it was put.
    """

    state: Literal["in", "changed", "out"] = "out"
    build: str = ""
    words: str = ""


def of(
    ws: Workspace, session: Session, settings: Settings, delivery_id: str, delivery: Delivery
) -> Standing:
    """Return how a delivery stands in its project's game, or where its loose files were put."""
    target = target_of(delivery.target)
    if target.installs == "files":
        return _loose(session, settings, delivery_id)
    if settings.game_folder is None:
        return Standing()
    owner = owner_of(ws, session, delivery_id, delivery.name, target)
    return _layered(session, Path(settings.game_folder), owner)


def owner_of(ws: Workspace, session: Session, delivery_id: str, name: str, target: Target) -> Owner:
    """Return by what the entries of a delivery in a layered game are known."""
    rows = session.exec(
        select(BuildRow.id, BuildRow.folder)
        .where(BuildRow.delivery_id == delivery_id)
        .order_by(col(BuildRow.number).desc())
    ).all()
    builds = (
        (build_id, layers.manifest_hash(ws.data.builds / folder / target.manifest))
        for build_id, folder in rows
    )
    return Owner(delivery_id, name, tuple((b, digest) for b, digest in builds if digest))


def _layered(session: Session, game: Path, owner: Owner) -> Standing:
    try:
        own = [entry for entry in layers.read(game)["order"] if owner.owns(entry)]
    except StoneError as error:
        return Standing(state="changed", words=error.message)
    if not own:
        return Standing()
    folder = PurePosixPath(FOLDER, own[-1]["folder"])
    build_id = next((b for b, digest in owner.builds if digest.startswith(folder.name[-10:])), "")
    if not build_id:
        return Standing(state="changed", words="The build that is in the game is not known here.")
    files = _files(session, build_id)
    missing = [f for f in files if _digest(game, (folder / f.path).as_posix()) != f.sha256]
    return _told(build_id, len(files), missing)


def _loose(session: Session, settings: Settings, delivery_id: str) -> Standing:
    build = session.exec(
        select(BuildRow.id).where(
            BuildRow.delivery_id == delivery_id, col(BuildRow.installed).is_not(None)
        )
    ).first()
    placed = session.exec(
        select(PlacedRow.file, PlacedRow.ours, GameRow.root)
        .join(GameRow)
        .where(PlacedRow.delivery_id == delivery_id)
    ).all()
    if build is None:
        return Standing()
    files = _files(session, build)
    there = {ours for file, ours, root in placed if _digest(Path(root), file) == ours}
    missing = [f for f in files if f.sha256 not in there]
    if settings.game_folder is not None and missing:
        # The same bytes are the same file, whoever put them.
        root, spelling = Path(settings.game_folder), Spelling()
        missing = [f for f in missing if not _lies(root, settings.put_into, f, spelling)]
    if len(missing) == len(files) and not placed:
        return Standing()
    return _told(build, len(files), missing)


def _lies(root: Path, into: str, file: DeliveredFile, spelling: Spelling) -> bool:
    """Tell whether a file lies where it would be put."""
    try:
        place = place_below(root, PurePosixPath(into, file.path).as_posix(), spelling)
    except StoneError:
        return False
    return _digest(root, place) == file.sha256


def _told(build: str, files: int, missing: Sequence[DeliveredFile]) -> Standing:
    if not missing:
        return Standing(state="in", build=build)
    count = len(missing)
    how = "is not as it was put" if count == 1 else "are not as they were put"
    words = f"{count} of {files} files {how}: {missing[0].path}"
    return Standing(state="changed", build=build, words=words)


def _digest(root: Path, path: str) -> str:
    """Return the hash of a file below a folder; empty where it is not to be had."""
    try:
        status = (root / path).stat()
        stamp = (status.st_size, status.st_mtime_ns, status.st_ctime_ns, status.st_ino)
        return _hashed(root, path, stamp)
    except (OSError, StoneError):
        return ""


@lru_cache(maxsize=65536)
def _hashed(root: Path, path: str, _stamp: tuple[int, ...]) -> str:
    """Hash a file; as long as its stamp is the same, so is it."""
    return reach.digest(root, path)


def _files(session: Session, build_id: str) -> Sequence[DeliveredFile]:
    text = session.exec(select(BuildRow.manifest).where(BuildRow.id == build_id)).one()
    return _listed(text)


@lru_cache(maxsize=32)
def _listed(manifest: str) -> Sequence[DeliveredFile]:
    return BuildRecord.model_validate_json(manifest).manifest.files
