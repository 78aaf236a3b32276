"""The safe: originals of a game's files, kept before the first change, and what is ours there.

The safe keeps whole files of the game folder: a container as one file. So restoring the last
change of a container gives back exactly the file that the game brought.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from pydantic import BaseModel
from sqlmodel import Session, col, select

from stonestack.core.catalogue.describe import encoded, picture_bytes
from stonestack.core.files import containers
from stonestack.core.runtime.errors import Conflict, NotFound, StoneError
from stonestack.services.game import games
from stonestack.services.jobs import Progress, silent
from stonestack.services.workspace import Workspace, must
from stonestack.store import disk, reach, safe_list
from stonestack.store.disk import FileSource
from stonestack.store.files import sha256
from stonestack.store.place import DataFolder
from stonestack.store.safe_list import KeptLine
from stonestack.store.tables import EntryRow, GameFileRow, GameRow, KeptRow, PlacedRow


class PlacedState(BaseModel):
    """One thing of ours in the game, and how it stands.

    Parameters
    ----------
    state : str
        ``in place``, ``original`` (switched to the game's own), ``wiped`` (the game has put its
        own file back), ``changed`` (the game brought another file), ``gone``.
    """

    id: int
    path: str
    file: str
    state: str
    original: str
    ours: str
    version: str
    words: str


class KeptView(BaseModel):
    """One original in the safe."""

    path: str
    sha256: str
    size: int
    version: str
    created: str
    whole: bool


class Stray(BaseModel):
    """A file that is not what the list of changes says it must be."""

    path: str
    words: str


class Verified(BaseModel):
    """What a check of the safe and of the game folder found."""

    kept: list[KeptView]
    placed: list[PlacedState]
    strays: list[Stray] = []

    @property
    def safe_whole(self) -> bool:
        """Whether every original can be given back."""
        return all(k.whole for k in self.kept)

    @property
    def as_told(self) -> bool:
        """Whether the game's files and the safe agree with what was done."""
        return not self.strays

    @property
    def all_in_place(self) -> bool:
        """Whether all of ours is as it was put."""
        return all(p.state in ("in place", "original") for p in self.placed)


def chain_of(text: str) -> tuple[int, ...]:
    """Read a chain of indices from its stored form."""
    return tuple(int(part) for part in text.split("/") if part)


def keep(ws: Workspace, session: Session, game_id: str, root: Path, file: str) -> KeptRow:
    """Keep a file of the game in the safe, read back to verify, before it is changed."""
    reach.check_way(root, file)
    path = root / file
    status = path.stat()
    disk.see_room(ws.data.safe, status.st_size)
    digest = ws.safe.keep_copy(path)
    row = session.exec(
        select(KeptRow).where(
            KeptRow.game_id == game_id, KeptRow.path == file, KeptRow.sha256 == digest
        )
    ).first()
    if row is None:
        row = KeptRow(
            game_id=game_id,
            path=file,
            sha256=digest,
            size=status.st_size,
            mtime_ns=status.st_mtime_ns,
            version=games.version_of(root),
        )
        session.add(row)
        session.flush()
        safe_list.note(safe_list.kept_file(ws.data), [_line(root, row)])
    return row


def _line(root: Path, row: KeptRow) -> KeptLine:
    return KeptLine(
        root=str(root),
        path=row.path,
        sha256=row.sha256,
        size=row.size,
        mtime_ns=row.mtime_ns,
        version=row.version,
    )


def list_whole(ws: Workspace) -> None:
    """Bring the safe's own list up to date: an earlier version kept none."""
    with ws.session() as session:
        rows = session.exec(
            select(KeptRow, GameRow.root).join(GameRow).order_by(col(KeptRow.id))
        ).all()
    wanted = [_line(Path(root), row) for row, root in rows]
    if wanted:
        known = {(line.path, line.sha256) for line in safe_list.kept(ws.data)}
        missing = [line for line in wanted if (line.path, line.sha256) not in known]
        safe_list.note(safe_list.kept_file(ws.data), missing)


@dataclass(frozen=True)
class Past:
    """What the list of changes says of one file of a game."""

    first: str
    ours: frozenset[str]

    def is_ours(self, digest: str) -> bool:
        """Tell whether content is what we have put there, and never was the game's own."""
        return digest in self.ours and digest != self.first


def past_of(ws: Workspace, root: Path) -> dict[str, Past]:
    """Return what was changed in a game folder, by file."""
    place = safe_list.changes_file(ws.data)
    size = place.stat().st_size if place.is_file() else 0
    return _past(ws.data, str(root), size)


@lru_cache(maxsize=8)
def _past(data: DataFolder, root: str, _size: int) -> dict[str, Past]:
    """Read the list of changes; it only grows, so its size says whether it is another."""
    first: dict[str, str] = {}
    put: dict[str, set[str]] = defaultdict(set)
    for line in safe_list.changes(data):
        if line.root == root:
            first.setdefault(line.path, line.before)
            if line.ours:
                put[line.path].add(line.after)
    return {path: Past(before, frozenset(put[path])) for path, before in first.items()}


def see_original(
    ws: Workspace,
    session: Session,
    game_id: str,
    root: Path,
    file: str,
    chain: str,
    current: str,
) -> None:
    """See that what a place holds may be kept as the game's original.

    It may where the safe has the file as it is, where the catalogue says so, or where the
    catalogue says nothing; never where it is what we have put there ourselves.

    Raises
    ------
    Conflict
        If it may not.
    """
    whole = reach.digest(root, file)
    past = past_of(ws, root).get(file)
    recorded = select(PlacedRow.id).where(PlacedRow.game_id == game_id, PlacedRow.file == file)
    if past is not None and past.is_ours(whole) and session.exec(recorded).first() is None:
        raise Conflict(
            "ours-without-record",
            f"{file} holds what Stone Stack put there earlier, not the game's own.",
            "Give the original back first: stone-stack safe restore, or let the game repair it.",
        )
    kept = select(KeptRow.id).where(
        KeptRow.game_id == game_id, KeptRow.path == file, KeptRow.sha256 == whole
    )
    if session.exec(kept).first() is not None:
        return
    said = session.exec(
        select(EntryRow.sha256)
        .join(GameFileRow)
        .where(EntryRow.game_id == game_id, GameFileRow.path == file, EntryRow.chain == chain)
    ).first()
    if said and said != current:
        raise Conflict(
            "not-as-read",
            f"{file} has changed since the folder was read.",
            "Read the folder again, so that it is known what the original is.",
        )


def ours(session: Session, game_id: str) -> list[PlacedRow]:
    """Return what is ours in a game folder."""
    return list(
        session.exec(
            select(PlacedRow).where(PlacedRow.game_id == game_id).order_by(col(PlacedRow.path))
        )
    )


def of_delivery(session: Session, delivery_id: str) -> list[PlacedRow]:
    """Return what a delivery has put among the files of a game."""
    return list(
        session.exec(
            select(PlacedRow)
            .where(PlacedRow.delivery_id == delivery_id)
            .order_by(col(PlacedRow.game_id), col(PlacedRow.path))
        )
    )


def placed_at(session: Session, game_id: str, file: str, chain: str) -> PlacedRow | None:
    """Return what is ours at a place, or None."""
    return session.exec(
        select(PlacedRow).where(
            PlacedRow.game_id == game_id, PlacedRow.file == file, PlacedRow.chain == chain
        )
    ).first()


def kept_bytes(ws: Workspace, digest: str, chain: tuple[int, ...]) -> bytes:
    """Return an original from the safe: a file, or an entry of a kept container.

    Raises
    ------
    NotFound
        If the safe has lost it, or it is no longer what it was.
    """
    if not ws.safe.whole(digest):
        raise NotFound(
            "not-in-safe",
            f"The original {digest[:12]} is lost or damaged in the safe.",
            "Let the game repair its files.",
        )
    with FileSource(ws.safe.path(digest)) as source:
        return containers.inside(source, chain)


def current_bytes(root: Path, file: str, chain: tuple[int, ...]) -> bytes:
    """Return what a place in the game folder holds now."""
    with reach.source(root, file) as source:
        return containers.inside(source, chain)


def verify(
    ws: Workspace, game_id: str, thorough: bool = True, progress: Progress | None = None
) -> Verified:
    """Check the safe, and how each of ours stands.

    Parameters
    ----------
    thorough : bool
        Whether every original is read and compared with its hash, or only looked for.
    progress : Progress, optional
        Told of each original, and asked whether to stop.
    """
    progress = progress or silent()
    root = games.folder(ws, game_id)
    with ws.session() as session:
        kept = session.exec(
            select(KeptRow).where(KeptRow.game_id == game_id).order_by(col(KeptRow.path))
        ).all()
        rows = ours(session, game_id)
    views = []
    for done, k in enumerate(kept):
        progress.at(0.5 * done / len(kept), f"Reading the original of {k.path}")
        views.append(
            KeptView(
                path=k.path,
                sha256=k.sha256,
                size=k.size,
                version=k.version,
                created=k.created.isoformat(),
                whole=ws.safe.whole(k.sha256) if thorough else ws.safe.holds(k.sha256),
            )
        )
    progress.at(0.5, "Reading the game's files")
    return Verified(
        kept=views,
        placed=list(states(root, rows, quick=not thorough)),
        strays=list(_strays(ws, root, kept, {row.file for row in rows})) if thorough else [],
    )


def _strays(
    ws: Workspace, root: Path, kept: Sequence[KeptRow], ours_now: set[str]
) -> Iterator[Stray]:
    """Say where the game or the safe holds what it must not, by the list of changes."""
    past = past_of(ws, root)
    for row in kept:
        was_ours = row.path in past and past[row.path].is_ours(row.sha256)
        if was_ours and not _is_container(ws, row.sha256):
            words = "The safe holds what we had put there ourselves as the game's original."
            yield Stray(path=row.path, words=words)
    for path, was in past.items():
        if path not in ours_now and was.is_ours(reach.digest(root, path)):
            words = "Ours is in the game, though it counts as given back."
            yield Stray(path=path, words=words)


def _is_container(ws: Workspace, digest: str) -> bool:
    """Tell whether a kept file is a container: one with ours in it stands for another entry."""
    if not ws.safe.holds(digest):
        return False
    with FileSource(ws.safe.path(digest)) as source:
        return containers.form_of(source.at(0, containers.HEAD)) is not None


def states(root: Path, rows: list[PlacedRow], quick: bool = False) -> Iterator[PlacedState]:
    """Say of each of ours how it stands now.

    Parameters
    ----------
    quick : bool
        Whether a file of the same size and time may be taken for unchanged since the last look.
    """
    for row in rows:
        state, words = _state(root, row, quick)
        yield PlacedState(
            id=row.id or 0,
            path=row.path,
            file=row.file,
            state=state,
            original=row.original,
            ours=row.ours,
            version=row.version,
            words=words,
        )


@lru_cache(maxsize=4096)
def _digest(root: Path, file: str, chain: str, _size: int, _mtime_ns: int) -> str:
    """Hash what a place holds; asked again and again while the page is open."""
    return sha256(current_bytes(root, file, chain_of(chain)))


def _state(root: Path, row: PlacedRow, quick: bool) -> tuple[str, str]:
    try:
        if not quick:
            _digest.cache_clear()
        status = (root / row.file).stat()
        digest = _digest(root, row.file, row.chain, status.st_size, status.st_mtime_ns)
    except FileNotFoundError:
        if not row.original:
            # The game had no such file: with ours gone, it is as it was.
            return ("wiped", "Ours is gone.") if row.shown else ("original", "Ours waits.")
        return "gone", "The file is not there any more."
    except (OSError, StoneError) as error:
        return "gone", f"It cannot be read now: {error}"
    if digest == row.ours:
        return "in place", "Ours is in place."
    if digest == row.original:
        if not row.shown:
            return "original", "The original shows; ours waits."
        return "wiped", "The game has put its own file back."
    return "changed", "The game brought another file here; look at it before you replace it."


def picture(ws: Workspace, game_id: str, placed_id: int, which: str) -> bytes:
    """Return one of ours as a small PNG: the original, what is there now, or ours."""
    root = games.folder(ws, game_id)
    with ws.session() as session:
        row = must(session, PlacedRow, placed_id, "replacement")  # type: ignore[arg-type]
    chain = chain_of(row.chain)
    if which == "ours":
        data = ws.files.read(row.ours)
    elif which == "original":
        data = kept_bytes(ws, row.kept, chain)
    else:
        data = current_bytes(root, row.file, chain)
    return encoded(picture_bytes(data, 256))
