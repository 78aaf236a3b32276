"""Read a game folder without changing a byte of it: files, containers, and what is in them."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor, wait
from dataclasses import dataclass, field
from multiprocessing.synchronize import Event
from pathlib import Path

from stonestack.core.catalogue.describe import Described, describe
from stonestack.core.files import containers
from stonestack.core.files.containers import Held
from stonestack.core.files.containers.walking import Leaf, walked
from stonestack.core.runtime import stopping
from stonestack.core.runtime.errors import StoneError
from stonestack.core.runtime.parallel import cores, process_context
from stonestack.store import reach
from stonestack.store.disk import PREFIX, FileSource

MOST_LOOKED = 256 << 20
"""A loose file larger than this is hashed and named by its first bytes, but not decoded."""
_HEAD = 1 << 16
_BATCH = 256
_WORTH_PROCESSES = 600
"""Fewer files than this are read sooner than other processes could start."""
_LOOKED_AFTER = 0.1
_asked: Callable[[], bool] | None = None
"""In a process that reads for another: whether that wants to stop."""


@dataclass(frozen=True)
class Seen:
    """A file of the folder as its listing shows it."""

    path: str
    size: int
    mtime_ns: int


@dataclass(frozen=True)
class EntryRead:
    """One file that was read: loose, or inside a container."""

    path: str
    chain: tuple[int, ...]
    size: int
    sha256: str
    described: Described


@dataclass(frozen=True)
class FileRead:
    """A file of the folder with all that is in it."""

    seen: Seen
    sha256: str
    form: str
    problem: str
    entries: list[EntryRead]


@dataclass
class Listing:
    """A folder's listing: its files, and what was left out, with the reason."""

    files: list[Seen] = field(default_factory=list)
    left_out: list[tuple[str, str]] = field(default_factory=list)


def listing(root: Path, own: Path | None = None) -> Listing:
    """List a folder and all below it; links are never followed.

    Parameters
    ----------
    own : Path, optional
        Our own data folder, which is left out wherever it is mounted.

    Raises
    ------
    FileNotFoundError
        If the folder itself is not there.
    """
    found = Listing()
    barred = reach.id_of(own) if own is not None else None
    waiting = [("", root)]
    first = True
    while waiting:
        below, folder = waiting.pop()
        if barred is not None and reach.id_of(folder) == barred:
            found.left_out.append((below.rstrip("/"), "is Stone Stack's own data folder"))
            continue
        try:
            with os.scandir(folder) as entries:
                for entry in sorted(entries, key=lambda e: e.name):
                    _list_one(found, waiting, below, entry)
        except OSError as error:
            if first:
                raise
            found.left_out.append((below.rstrip("/"), f"cannot be opened: {error.strerror}"))
        first = False
    return found


def _list_one(
    found: Listing, waiting: list[tuple[str, Path]], below: str, entry: os.DirEntry[str]
) -> None:
    path = below + entry.name
    if entry.name.startswith(PREFIX):
        return
    try:
        path.encode("utf-8")
    except UnicodeEncodeError:
        shown = path.encode("utf-8", "replace").decode()
        found.left_out.append((shown, "its name is not valid text; rename it"))
        return
    try:
        if entry.is_symlink():
            found.left_out.append((path, "is a link; links are not followed"))
        elif entry.is_dir():
            waiting.append((f"{path}/", Path(entry.path)))
        elif entry.is_file():
            status = entry.stat()
            found.files.append(Seen(path, status.st_size, status.st_mtime_ns))
        else:
            found.left_out.append((path, "is neither a file nor a folder"))
    except OSError as error:
        found.left_out.append((path, f"cannot be opened: {error.strerror}"))


def read_all(root: Path, todo: list[tuple[Seen, str]]) -> Iterator[tuple[int, list[FileRead]]]:
    """Read files in batches, on all cores where there are many.

    Parameters
    ----------
    todo : list
        Files, each with its known hash or an empty text.

    Yields
    ------
    int, list of FileRead
        How many are read so far, and a batch of them.

    Raises
    ------
    Cancelled
        If the work is not wanted any more; reading ends inside a file then too.
    """
    batches = list(_batches(todo))
    done = 0
    if len(todo) < _WORTH_PROCESSES:
        for batch in batches:
            read = read_files(str(root), batch)
            done += len(batch)
            yield done, read
        return
    context = process_context(__name__)
    stop = context.Event()
    with ProcessPoolExecutor(cores(), context, _begin, (stop,)) as pool:
        futures = [pool.submit(read_files, str(root), batch) for batch in batches]
        try:
            for batch, future in zip(batches, futures, strict=True):
                while not wait([future], _LOOKED_AFTER).done:
                    stopping.check()
                done += len(batch)
                yield done, future.result()
        finally:
            stop.set()
            for future in futures:
                future.cancel()


def _begin(stop: Event) -> None:
    """Begin a process that reads: it stops when the event is set."""
    global _asked
    _asked = stop.is_set


def _batches(todo: list[tuple[Seen, str]]) -> Iterator[list[tuple[Seen, str]]]:
    """Cut the work into parts of some files or some megabytes."""
    batch: list[tuple[Seen, str]] = []
    size = 0
    for seen, known in todo:
        batch.append((seen, known))
        size += seen.size
        if len(batch) >= _BATCH or size > 32 << 20:
            yield batch
            batch, size = [], 0
    if batch:
        yield batch


def read_files(root: str, files: list[tuple[Seen, str]]) -> list[FileRead]:
    """Read several files, each with its known hash or an empty text.

    The unit of work that runs in a process of its own.
    """
    if _asked is not None:
        with stopping.stoppable(_asked):
            return [read_file(Path(root), seen, known) for seen, known in files]
    return [read_file(Path(root), seen, known) for seen, known in files]


def read_file(root: Path, seen: Seen, known: str = "") -> FileRead:
    """Read a file and, if it is a container, all that is in it. Never raises for bad content.

    Parameters
    ----------
    known : str
        The hash that the file had; where it still has that, its content is not looked at.
    """
    try:
        with reach.opened(root, seen.path) as handle:
            return _read_open(handle, seen, known)
    except (OSError, StoneError) as error:
        words = error.message if isinstance(error, StoneError) else error.strerror or error
        problem = f"It cannot be read: {words}".rstrip(".") + "."
        entry = EntryRead(seen.path, (), seen.size, "", Described("unreadable", problem=problem))
        return FileRead(seen, "", "", problem, [entry])


def _read_open(handle: int, seen: Seen, known: str) -> FileRead:
    """Read a file that is open; it is this one, whatever its path comes to lead to."""
    status = os.fstat(handle)
    seen = Seen(seen.path, status.st_size, status.st_mtime_ns)
    if seen.size <= MOST_LOOKED:
        with os.fdopen(handle, "rb", closefd=False) as file:
            data = file.read(MOST_LOOKED + 1)
        digest = hashlib.sha256(data).hexdigest()
        if digest == known:
            return FileRead(seen, digest, "", "", [])
        form = containers.form_of(data[: containers.HEAD])
        if form is None:
            entry = EntryRead(seen.path, (), len(data), digest, describe(data))
            return FileRead(seen, digest, "", "", [entry])
        return _container(seen, digest, form.name, Held(data))
    with os.fdopen(handle, "rb", closefd=False) as file:
        digest = hashlib.file_digest(file, "sha256").hexdigest()
    if digest == known:
        return FileRead(seen, digest, "", "", [])
    with FileSource(handle) as source:
        head = source.at(0, _HEAD)
        form = containers.form_of(head[: containers.HEAD])
        if form is not None:
            return _container(seen, digest, form.name, source)
    described = describe(head)
    large = Described(
        described.kind,
        described.width,
        described.height,
        described.levels,
        problem="The file is too large to look at; it is kept and restored all the same.",
    )
    entry = EntryRead(seen.path, (), seen.size, digest, large)
    return FileRead(seen, digest, "", "", [entry])


def _container(seen: Seen, digest: str, form: str, source: containers.Source) -> FileRead:
    entries: list[EntryRead] = []
    problem = ""
    try:
        for leaf in walked(source):
            problem = problem or (leaf.problem if leaf.data is not None else "")
            entries.append(_entry(seen.path, leaf))
    except StoneError as error:
        problem = error.message
    if problem and not entries:
        described = Described(form, problem=problem)
        entries = [EntryRead(seen.path, (), seen.size, digest, described)]
    return FileRead(seen, digest, form, problem, entries)


def _entry(place: str, leaf: Leaf) -> EntryRead:
    path = "/".join((place, *map(_plain, leaf.names)))
    if leaf.data is None:
        described = Described("unreadable", problem=leaf.problem)
        return EntryRead(path, leaf.chain, leaf.size, "", described)
    digest = hashlib.sha256(leaf.data).hexdigest()
    return EntryRead(path, leaf.chain, leaf.size, digest, describe(leaf.data))


def _plain(name: str) -> str:
    """Return an entry's name as it is shown below its container.

    It is never used as a path on disk; parts that would climb are shown as what they are.
    """
    parts = [p for p in name.replace("\\", "/").split("/") if p not in ("", ".")]
    return "/".join("‥" if p == ".." else p for p in parts) or "(no name)"
