"""Container files: many files in one, read and rewritten without touching what stays.

A container form is one module with a :class:`Form`: add the module and list it in ``FORMS``.
Entries are told apart by their index, since a container may hold one name twice.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from stonestack.core.files.containers import tarred, zipped
from stonestack.core.files.containers.form import (
    MOST_ENTRY,
    Allowance,
    Container,
    Entry,
    Form,
    Held,
    Source,
)
from stonestack.core.runtime.errors import BadFile

__all__ = [
    "HEAD",
    "MOST_DEPTH",
    "MOST_ENTRY",
    "Allowance",
    "Container",
    "Entry",
    "Form",
    "Held",
    "Source",
    "changed_inside",
    "form_of",
    "inside",
    "opened",
]

FORMS: tuple[Form, ...] = (zipped.FORM, tarred.FORM)
HEAD = 262
"""So many bytes tell a container's form."""
MOST_DEPTH = 6


def form_of(head: bytes) -> Form | None:
    """Return the form of a container by its first bytes, or None for any other file."""
    return next((form for form in FORMS if form.told(head)), None)


def opened(source: Source) -> Container:
    """Open a container.

    Raises
    ------
    BadFile
        If it is none, or its list of entries is damaged.
    """
    form = form_of(source.at(0, min(HEAD, source.size)))
    if form is None:
        raise BadFile(
            "not-a-container",
            "This file is not a container any more.",
            "Read the folder again; something else has changed the file.",
        )
    return form.open(source)


def inside(source: Source, chain: tuple[int, ...]) -> bytes:
    """Return an entry's content.

    Parameters
    ----------
    source : Source
        A file of the game folder.
    chain : tuple of int
        Index in the container, then in the container inside it, and so on; empty for the
        whole file.
    """
    if len(chain) > MOST_DEPTH:
        raise _too_deep()
    for index in chain:
        source = Held(opened(source).read(index))
    return source.at(0, source.size)


def changed_inside(source: Source, changes: Mapping[tuple[int, ...], bytes]) -> Iterator[bytes]:
    """Yield the bytes of a file with some entries replaced; all others stay as they are.

    Parameters
    ----------
    source : Source
    changes : mapping
        New content by chain of indices. An empty chain replaces the whole file.
    """
    if () in changes:
        yield changes[()]
        return
    container = opened(source)
    direct: dict[int, bytes] = {}
    deeper: dict[int, dict[tuple[int, ...], bytes]] = {}
    for chain, data in changes.items():
        if len(chain) > MOST_DEPTH:
            raise _too_deep()
        if len(chain) == 1:
            direct[chain[0]] = data
        else:
            deeper.setdefault(chain[0], {})[chain[1:]] = data
    for index, inner in deeper.items():
        held = Held(container.read(index))
        direct[index] = b"".join(changed_inside(held, inner))
    yield from container.rewritten(direct)


def _too_deep() -> BadFile:
    return BadFile(
        "too-deep",
        f"Containers lie more than {MOST_DEPTH} deep in each other here.",
        "Unpack the outer ones first.",
    )
