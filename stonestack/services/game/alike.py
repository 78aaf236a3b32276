"""Find what looks like a picture, in one catalogue or several."""

from __future__ import annotations

import time
from concurrent.futures import ThreadPoolExecutor
from typing import Any, Literal

import numpy as np
from sqlmodel import col, select

from stonestack.core.catalogue import local, looks
from stonestack.core.catalogue.describe import picture_bytes
from stonestack.core.runtime.errors import BadRequest, StoneError
from stonestack.core.runtime.parallel import cores
from stonestack.services.game.finding import EntryView, content, viewed
from stonestack.services.jobs import Progress
from stonestack.services.workspace import Workspace
from stonestack.store.files import sha256
from stonestack.store.tables import EntryRow

NEAR_LOOK = 74
"""Bits, of 256, within which another picture counts as looking alike."""
_PARTS = "parts3"
"""What features are kept as."""
_TIMED_FROM = 8
"""So many are timed before it is said how long the rest takes."""


def like(
    ws: Workspace,
    places: list[str],
    data: bytes,
    progress: Progress,
    limit: int = 24,
    way: Literal["both", "whole"] = "both",
) -> list[EntryView]:
    """Return the entries that look like a picture, the likest first.

    The perceptual hash finds whole copies, toned, resized or compressed again; where none is
    near, local features find a crop, or a part of a screenshot. Either is sought as it is and
    turned over.

    Parameters
    ----------
    places : list of str
        Ids of the catalogues that are looked through.
    """
    asked = picture_bytes(data, looks.SIDE * 8)
    turned_over = [np.ascontiguousarray(texels) for texels in (asked[:, ::-1], asked[::-1])]
    look, *others = (looks.look(texels) for texels in (asked, *turned_over))
    marks = ",".join("?" * len(places))
    with ws.session() as session:
        rows = (
            session.connection()
            .exec_driver_sql(
                "SELECT e.id, c.hash, c.sha256, c.tones, e.backup, e.width * e.height, e.game_id "
                "FROM entry e JOIN content c ON c.sha256 = e.sha256 "
                f"WHERE e.game_id IN ({marks}) AND c.flat = ?",
                (*places, int(look.flat)),
            )
            .all()
        )
    if not rows:
        return []
    if look.flat:
        raise BadRequest(
            "too-plain",
            "This picture is nearly one colour; too much looks like it.",
            "Drop a picture with something on it.",
        )
    hashes = np.frombuffer(b"".join(r[1] for r in rows), np.uint8).reshape(-1, looks.HASH_BYTES)
    tones = np.frombuffer(b"".join(r[3] for r in rows), np.uint8).reshape(len(rows), -1)
    apart, colours = looks.distances(look.hash, hashes), _apart(look.tones, tones)
    for other in others:
        turned = looks.distances(other.hash, hashes)
        # A picture that is its own mirror image is as near both ways.
        nearer = turned < apart
        apart = np.where(nearer, turned, apart)
        colours = np.where(nearer, _apart(other.tones, tones), colours)
    # Colours only decide between pictures that are drawn alike.
    order = sorted(
        range(len(rows)),
        key=lambda i: (apart[i] + 0.15 * colours[i], rows[i][4], -rows[i][5]),
    )
    found = [(rows[i][0], int(apart[i])) for i in order if apart[i] <= NEAR_LOOK]
    best = int(apart[order[0]])
    if way == "both" and best > NEAR_LOOK // 2:
        large = picture_bytes(data, local.LONGEST)
        cuts = _by_parts(ws, large, {r[2]: (r[6], r[0]) for r in rows}, progress)
        known = {entry for entry, _ in cuts}
        found = cuts + [pair for pair in found if pair[0] not in known]
    found = found[:limit]
    with ws.session() as session:
        by_id = {
            r.id: r
            for r in session.exec(
                select(EntryRow).where(col(EntryRow.id).in_([f[0] for f in found]))
            )
        }
        views = [
            view
            for place in places
            for view in viewed(
                session, place, [by_id[i] for i, _ in found if by_id[i].game_id == place]
            )
        ]
    order_of = {entry: n for n, (entry, _) in enumerate(found)}
    views.sort(key=lambda v: order_of[v.id])
    distances = dict(found)
    return [v.model_copy(update={"distance": distances[v.id]}) for v in views]


def _apart(
    mine: bytes, tones: np.ndarray[Any, np.dtype[np.uint8]]
) -> np.ndarray[Any, np.dtype[np.float32]]:
    """Return how far the colours of parts are from those of other pictures."""
    own = np.frombuffer(mine, np.uint8).astype(np.float32)
    return np.asarray(np.abs(tones.astype(np.float32) - own).mean(axis=1), np.float32)


def _by_parts(
    ws: Workspace,
    asked: np.ndarray[Any, np.dtype[np.uint8]],
    contents: dict[str, tuple[str, int]],
    progress: Progress,
) -> list[tuple[int, int]]:
    wanted = local.Sought(asked)

    def compared(digest: str, game_id: str, entry_id: int) -> tuple[int, float | None]:
        """Return how many features agree, and how long the first look took, if it was that."""
        new, started = not is_marked(ws, digest), time.perf_counter()
        parts = marked(ws, digest, game_id, entry_id)
        took = time.perf_counter() - started if new else None
        return (0 if parts is None else wanted.agreement(parts)), took

    scores: list[tuple[int, int]] = []
    left = _Left(sum(not is_marked(ws, digest) for digest in contents))
    pool = ThreadPoolExecutor(cores())
    try:
        begun = [pool.submit(compared, digest, *place) for digest, place in contents.items()]
        for done, ((_, entry_id), future) in enumerate(zip(contents.values(), begun, strict=True)):
            words = f"Comparing {done:,} of {len(contents):,} pictures{left.words}"
            progress.at(done / len(contents), words)
            agreed, took = future.result()
            left.took(took)
            if agreed:
                scores.append((entry_id, agreed))
    finally:
        pool.shutdown(cancel_futures=True)
    scores.sort(key=lambda pair: -pair[1])
    return [(entry_id, max(0, NEAR_LOOK - agreed)) for entry_id, agreed in scores]


class _Left:
    """How long the pictures will take that are looked at for the first time."""

    def __init__(self, count: int) -> None:
        self._count, self._done, self._took = count, 0, 0.0

    def took(self, seconds: float | None) -> None:
        """Note how long the look at a picture took; None where it was not the first."""
        if seconds is not None:
            self._done += 1
            self._took += seconds / cores()

    @property
    def words(self) -> str:
        """Say how long the rest takes; empty where nothing is new."""
        if self._count <= self._done:
            return ""
        said = f"; {self._count - self._done:,} for the first time"
        if self._done < _TIMED_FROM:
            return said
        return f"{said}, about {_duration(self._took / self._done * (self._count - self._done))}"


def _duration(seconds: float) -> str:
    if seconds < 60:
        return f"{max(1, round(seconds))} s"
    return f"{round(seconds / 60)} min"


def is_marked(ws: Workspace, digest: str) -> bool:
    """Tell whether the features of some content are kept."""
    return ws.cache.path(digest, _PARTS).exists()


def marked(ws: Workspace, digest: str, game_id: str, entry_id: int) -> local.Features | None:
    """Return the features of an entry's content, made once; None where it cannot be read."""
    kept = ws.cache.read(digest, _PARTS)
    if kept is None:
        try:
            held = content(ws, game_id, entry_id)
            kept = local.features(picture_bytes(held, local.LONGEST)).stored()
        except StoneError:
            return None
        # A place may hold something else than when it was catalogued.
        ws.cache.write(sha256(held), _PARTS, kept)
    return local.Features.read(kept)


def looked_at(ws: Workspace) -> int:
    """Return how many pictures all catalogues have looked at."""
    with ws.session() as session:
        found = session.connection().exec_driver_sql("SELECT COUNT(*) FROM content").scalar()
    return int(found or 0)


def unmarked(ws: Workspace) -> list[tuple[str, str, int]]:
    """Return content, place and entry of all pictures whose features are not made yet."""
    with ws.session() as session:
        rows = (
            session.connection()
            .exec_driver_sql(
                "SELECT c.sha256, MIN(e.game_id), MIN(e.id) FROM content c "
                "JOIN entry e ON e.sha256 = c.sha256 WHERE c.flat = 0 GROUP BY c.sha256"
            )
            .all()
        )
    return [(r[0], r[1], r[2]) for r in rows if not is_marked(ws, r[0])]
