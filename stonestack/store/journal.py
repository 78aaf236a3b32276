"""Change several files of a folder as one: after a crash all are finished or undone.

The way of a change:

1. the journal's file says what will be written, and is flushed (``staging``);
2. each new file is written beside its place and flushed;
3. the journal says that all are written (``swapping``); from here on it is finished, not undone;
4. each new file is renamed into its place;
5. the journal's file goes, once the caller has noted what was done.

:func:`unfinished` lists journals that a crash left behind, and :func:`settle` finishes or undoes
each.
"""

from __future__ import annotations

import os
import secrets
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ValidationError

from stonestack.core.runtime.errors import BadRequest, Conflict
from stonestack.store import disk, failures, reach
from stonestack.store.files import sha256_of, write_atomically
from stonestack.store.lock import exclusive


class Swap(BaseModel):
    """One file that gets new content, comes, or goes.

    Parameters
    ----------
    path, staged, old : str
        The file, the new one beside it, and a second name of the old one while it is needed.
    before, after : str
        Content hashes of both; empty where there is no file.
    mtime_ns : int or None
        Modification time that the new file is given; None leaves the present moment.
    goes : bool
        Whether the file goes, and no other comes in its place.
    made : str
        The topmost folder that there is only for this file, or empty: it comes with the file and
        goes with it, where nothing else lies in it.
    root : str
        The folder that the path must not lead out of, or empty.
    """

    path: str
    staged: str
    old: str
    before: str
    after: str
    mtime_ns: int | None = None
    goes: bool = False
    made: str = ""
    root: str = ""

    @property
    def finished(self) -> bool:
        """Whether the file is as the change wants it, as far as its being there tells."""
        return Path(self.path).is_file() != self.goes


class Journal(BaseModel):
    """One change of several files.

    Parameters
    ----------
    note : str
        JSON for whoever carries the change out, given back when it is settled.
    """

    state: Literal["staging", "swapping"]
    swaps: list[Swap]
    note: str = ""


class Change(BaseModel):
    """What is asked of one file; see :class:`Swap`."""

    path: Path
    before: str = ""
    after: str = ""
    mtime_ns: int | None = None
    goes: bool = False
    made: str = ""
    root: str = ""


def carry_out(
    folder: Path,
    changes: list[tuple[Change, Callable[[], Iterable[bytes]]]],
    note: str,
    done: Callable[[Journal], None],
) -> Journal:
    """Change files as one.

    Parameters
    ----------
    folder : Path
        Where journals lie.
    changes : list
        Each file with a function that yields its new bytes.
    note : str
        Kept in the journal for ``done``.
    done : callable
        Notes what was done; called after all files are in place, and again by
        :func:`settle` if a crash came between.

    Raises
    ------
    Conflict
        If somebody else has changed a file meanwhile; then nothing has changed.
    BadRequest
        If the disk is full, a file or folder may not be written, or a path has come to lead
        elsewhere; then nothing has changed.
    """
    with exclusive(folder):
        return _carried_out(folder, changes, note, done)


def _carried_out(
    folder: Path,
    changes: list[tuple[Change, Callable[[], Iterable[bytes]]]],
    note: str,
    done: Callable[[Journal], None],
) -> Journal:
    place = folder / f"{secrets.token_hex(8)}.json"
    swaps = [
        Swap(
            path=str(change.path),
            staged=str(disk.beside(change.path)),
            old=str(disk.beside(change.path)),
            before=change.before,
            after="",
            mtime_ns=change.mtime_ns,
            goes=change.goes,
            made=change.made,
            root=change.root,
        )
        for change, _ in changes
    ]
    journal = Journal(state="staging", swaps=swaps, note=note)
    try:
        for swap in swaps:
            _check_way(swap, place)
        write_atomically(place, journal.model_dump_json().encode())
        for swap, (change, content) in zip(swaps, changes, strict=True):
            if not swap.goes:
                _stage(swap, change, content)
        for parent in {Path(swap.path).parent for swap in swaps}:
            disk.now().flush_folder(parent)
        for swap in swaps:
            if swap.before:
                disk.now().link(Path(swap.path), Path(swap.old))
            _unchanged(swap)
            _check_way(swap, place)
        ready = Journal(state="swapping", swaps=swaps, note=note)
        write_atomically(place, ready.model_dump_json().encode())
    except OSError as error:
        _clear(place, swaps)
        raise failures.of_disk(error) from error
    except BaseException:
        _clear(place, swaps)
        raise
    try:
        _swap(ready, place)
    except (OSError, BadRequest) as error:
        # A file that is in use cannot be replaced on some systems.
        _give_back(swaps)
        _clear(place, swaps)
        raise (failures.of_disk(error) if isinstance(error, OSError) else error) from error
    done(ready)
    _clear(place, swaps)
    return ready


def held(path: Path) -> str:
    """Return the hash of what a file holds; empty where there is none."""
    return sha256_of(path) if path.is_file() else ""


def unfinished(folder: Path) -> list[Path]:
    """Return the journals that a crash left behind."""
    return sorted(folder.glob("*.json")) if folder.is_dir() else []


def note_of(place: Path) -> str:
    """Return the note of a journal; empty where it is not ours to act on."""
    try:
        return Journal.model_validate_json(place.read_bytes()).note
    except (OSError, ValidationError):
        return ""


def settle(place: Path, done: Callable[[Journal], None]) -> Journal | None:
    """Finish or undo what a crash interrupted.

    Returns
    -------
    Journal or None
        What was finished, or None where the change was undone, or cannot be reached now:
        then the journal stays.
    """
    try:
        journal = Journal.model_validate_json(place.read_bytes())
    except ValidationError:
        # Journals are renamed into place whole, so this one is not ours to act on.
        return None
    if any(not _ground(swap).is_dir() for swap in journal.swaps):
        return None
    if journal.state == "staging":
        _clear(place, journal.swaps)
        return None
    _swap(journal, place, after_crash=True)
    done(journal)
    _clear(place, journal.swaps)
    return journal


def _ground(swap: Swap) -> Path:
    """Return the folder that a change stands on: one that was there before it."""
    return Path(swap.made or swap.path).parent


def _stage(swap: Swap, change: Change, content: Callable[[], Iterable[bytes]]) -> None:
    staged = Path(swap.staged)
    if swap.made:
        disk.now().make_folders(staged.parent)
    disk.now().write(staged, content())
    if swap.before:
        staged.chmod(change.path.stat().st_mode & 0o7777)
    else:
        disk.share(staged)
    if change.mtime_ns is not None:
        os.utime(staged, ns=(staged.stat().st_atime_ns, change.mtime_ns))
    swap.after = sha256_of(staged)
    if change.after and swap.after != change.after:
        raise Conflict(
            "changed-meanwhile",
            f"{change.path.name} did not come out as planned.",
            "Something else is changing it; try again when it is done.",
        )


def _unchanged(swap: Swap) -> None:
    path = Path(swap.path)
    if held(path) != swap.before or (not swap.before and path.exists()):
        raise Conflict(
            "changed-meanwhile",
            f"{path.name} was changed by somebody else just now.",
            "Nothing was replaced. Wait until the other program is done, then try again.",
        )


def _check_way(swap: Swap, place: Path) -> None:
    """See that a path leads through no link, and into nothing of our own."""
    if swap.root:
        own = reach.id_of(place.parent.parent)
        root = Path(swap.root)
        below = Path(swap.path).relative_to(root).as_posix()
        reach.check_way(root, below, [own] if own else [])


def _swap(journal: Journal, place: Path, after_crash: bool = False) -> None:
    for swap in journal.swaps:
        try:
            _check_way(swap, place)
        except BadRequest:
            if after_crash:
                # A folder has become a link since: what it leads to is not ours to touch.
                continue
            raise
        staged, path = Path(swap.staged), Path(swap.path)
        if swap.goes:
            if held(path) == swap.before:
                disk.now().unlink(path)
        elif not staged.is_file():
            continue
        # After a crash the file may have been replaced by the game meanwhile: theirs stays.
        elif held(path) == swap.before and sha256_of(staged) == swap.after:
            disk.now().rename(staged, path)
        else:
            disk.now().unlink(staged)
    _flush_parents(journal.swaps)


def _give_back(swaps: list[Swap]) -> None:
    """Put the old files back where one of several could not be replaced."""
    for swap in swaps:
        path, old = Path(swap.path), Path(swap.old)
        if swap.goes:
            if not path.exists():
                disk.now().rename(old, path)
        elif not Path(swap.staged).exists():
            if swap.before:
                disk.now().rename(old, path)
            else:
                disk.now().unlink(path)
    _flush_parents(swaps)


def _flush_parents(swaps: list[Swap]) -> None:
    for parent in {Path(swap.path).parent for swap in swaps}:
        # After a crash a folder may be gone already, with the last file in it.
        if parent.is_dir():
            disk.now().flush_folder(parent)


def _clear(place: Path, swaps: list[Swap]) -> None:
    """Delete what stands beside the files, folders that nothing lies in, and then the journal."""
    for swap in swaps:
        disk.now().unlink(Path(swap.staged))
        disk.now().unlink(Path(swap.old))
    for swap in swaps:
        if swap.made and not Path(swap.path).exists():
            _leave(Path(swap.path).parent, Path(swap.made))
    disk.now().unlink(place)
    if place.parent.is_dir():
        disk.now().flush_folder(place.parent)


def _leave(folder: Path, made: Path) -> None:
    """Delete a folder and those above it up to ``made``, as far as nothing lies in them."""
    while folder == made or made in folder.parents:
        if folder.is_dir():
            if any(folder.iterdir()):
                return
            disk.now().remove_folder(folder)
            disk.now().flush_folder(folder.parent)
        folder = folder.parent
