"""What the safe holds and what was changed, as plain lines that need no database.

``kept.jsonl`` says of each original its name, place, hash, time and the version of the game;
``changes.jsonl`` says what every change put where. A line is flushed before the change that it
speaks of goes on. Whoever has only the safe's folder can give every original back.
"""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path
from typing import TypeVar

from pydantic import BaseModel, ValidationError

from stonestack.core.runtime.errors import BadFile, Conflict, StoneError
from stonestack.store import disk, failures, reach
from stonestack.store.door import door
from stonestack.store.files import FileStore, sha256_of
from stonestack.store.place import DataFolder


class KeptLine(BaseModel, frozen=True):
    """An original: a whole file of a game folder, as it was before the first change.

    Parameters
    ----------
    root, path : str
        The game folder, and the file below it with forward slashes.
    sha256 : str
        Its content hash, by which it lies in the safe.
    size, mtime_ns : int
        Bytes, and modification time.
    version : str
        The game's version at the time, or empty.
    """

    root: str
    path: str
    sha256: str
    size: int
    mtime_ns: int
    version: str = ""


class ChangedLine(BaseModel, frozen=True):
    """One file of one change, noted once it was done.

    Parameters
    ----------
    before, after : str
        Content hashes; empty where there was, or is, no file.
    ours : bool
        Whether something of ours is in it afterwards.
    """

    root: str
    path: str
    before: str
    after: str
    ours: bool


Line = TypeVar("Line", KeptLine, ChangedLine)


def kept_file(data: DataFolder) -> Path:
    """Return where the list of originals lies."""
    return data.safe / "kept.jsonl"


def changes_file(data: DataFolder) -> Path:
    """Return where the list of changes lies."""
    return data.safe / "changes.jsonl"


def kept(data: DataFolder) -> list[KeptLine]:
    """Return the originals that the safe's list names, oldest first; each once."""
    return list(dict.fromkeys(_lines(kept_file(data), KeptLine)))


def changes(data: DataFolder) -> list[ChangedLine]:
    """Return every change that was done, oldest first."""
    return list(_lines(changes_file(data), ChangedLine))


def note(place: Path, lines: list[KeptLine] | list[ChangedLine]) -> None:
    """Write lines at the end of a list, and flush them."""
    for line in lines:
        disk.now().append(place, line.model_dump_json().encode() + b"\n")


def _lines(place: Path, kind: type[Line]) -> Iterator[Line]:
    if not place.is_file():
        return
    for text in place.read_bytes().splitlines():
        try:
            yield kind.model_validate_json(text)
        except ValidationError:
            # A line that a crash cut off: what it would have spoken of was not done.
            continue


class GivenBack(BaseModel):
    """What was given back from the safe, and what could not be, with the reason."""

    paths: list[str]
    left: list[str]


def restore(
    data: DataFolder,
    lines: list[KeptLine],
    into: Path | None = None,
    even_changed: bool = False,
) -> GivenBack:
    """Give originals back by the safe's list alone, each for itself.

    Parameters
    ----------
    lines : list of KeptLine
        Which; of several for one place the newest that is the game's own.
    into : Path, optional
        A folder to write them to, instead of the games; one below it for each of several games.
    even_changed : bool
        Whether to overwrite what neither we nor the safe know; it is kept first.
    """
    safe = FileStore(data.safe)
    ours: dict[tuple[str, str], set[str]] = defaultdict(set)
    for change in changes(data):
        if change.ours:
            ours[change.root, change.path].add(change.after)
    chosen: dict[tuple[str, str], KeptLine] = {}
    for line in lines:
        if line.sha256 not in ours[line.root, line.path] or (line.root, line.path) not in chosen:
            chosen[line.root, line.path] = line
    several = len({line.root for line in chosen.values()}) > 1
    done = GivenBack(paths=[], left=[])
    for place, line in chosen.items():
        root = Path(line.root)
        if into is not None:
            root = into / root.name if several else into
        try:
            if into is not None:
                root.mkdir(parents=True, exist_ok=True)
            with door(root, data.doors, "giving originals back"):
                _see_free(
                    data, safe, line, root, ours[place] if into is None else set(), even_changed
                )
                _give_back(safe, line, root, data)
        except StoneError as error:
            done.left.append(f"{line.path}: {error.message} {error.fix}")
        else:
            done.paths.append(str(root / line.path))
    return done


def _see_free(
    data: DataFolder,
    safe: FileStore,
    line: KeptLine,
    root: Path,
    ours: set[str],
    even_changed: bool,
) -> None:
    """See that nothing is overwritten but what is ours, or what is kept."""
    there = reach.digest(root, line.path)
    if not there or there == line.sha256 or there in ours:
        return
    if not even_changed:
        raise Conflict(
            "changed-since",
            "what is there is not what we have put there.",
            "Look at it; --even-changed keeps it in the safe, and then gives the original back.",
        )
    status = (root / line.path).stat()
    kept_now = KeptLine(
        root=str(root),
        path=line.path,
        sha256=safe.keep_copy(root / line.path),
        size=status.st_size,
        mtime_ns=status.st_mtime_ns,
    )
    note(kept_file(data), [kept_now])


def _give_back(safe: FileStore, line: KeptLine, root: Path, data: DataFolder) -> None:
    if not safe.whole(line.sha256):
        raise BadFile(
            "not-in-safe",
            f"its original {line.sha256[:12]} is lost or damaged in the safe.",
            "Let the game repair its files.",
        )
    reach.refuse_own(root, data.root)
    reach.check_way(root, line.path)
    path = root / line.path
    beside = disk.beside(path)
    try:
        if path.is_file() and sha256_of(path) == line.sha256:
            os.utime(path, ns=(path.stat().st_atime_ns, line.mtime_ns))
            return
        disk.now().make_folders(path.parent)
        disk.now().write(beside, disk.pieces(safe.path(line.sha256)))
        os.utime(beside, ns=(line.mtime_ns, line.mtime_ns))
        disk.now().rename(beside, path)
        disk.now().flush_folder(path.parent)
    except OSError as error:
        beside.unlink(missing_ok=True)
        raise failures.of_disk(error) from error
