"""Go through all that a file unfolds to, containers inside containers too."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from stonestack.core.files.containers import HEAD, MOST_DEPTH, form_of, opened
from stonestack.core.files.containers.form import Allowance, Held, Source
from stonestack.core.runtime import stopping
from stonestack.core.runtime.errors import StoneError
from stonestack.core.runtime.readers import reader


@dataclass(frozen=True)
class Leaf:
    """A file in a container that is not unfolded further.

    Parameters
    ----------
    names : tuple of str
        Its name in its container, behind those of the containers around it.
    chain : tuple of int
        Its index in each of them.
    size : int
    data : bytes or None
        None where it cannot be read.
    problem : str
        Why it cannot be read, or what is wrong with the container that it is; or empty.
    """

    names: tuple[str, ...]
    chain: tuple[int, ...]
    size: int
    data: bytes | None
    problem: str = ""


@reader("container", takes="source", made=Held)
def walked(source: Source) -> Iterator[Leaf]:
    """Yield all files in a container, in its order; only one is held at a time.

    A container inside that cannot be opened, or holds nothing, is a leaf itself.

    Raises
    ------
    BadFile
        If the outer one is damaged, or lists more than a file of its size should.
    Cancelled
        If the work is not wanted any more.
    """
    return _walked((), (), source, Allowance(source.size))


def _walked(
    names: tuple[str, ...], chain: tuple[int, ...], source: Source, allowance: Allowance
) -> Iterator[Leaf]:
    container = opened(source)
    for entry in allowance.list(container):
        stopping.check()
        inner, here = (*names, entry.name), (*chain, entry.index)
        if entry.problem:
            problem = f"It cannot be read: {entry.problem}."
            yield Leaf(inner, here, entry.size, None, problem)
            continue
        try:
            data = allowance.read(container, entry)
        except StoneError as error:
            yield Leaf(inner, here, entry.size, None, error.message)
            continue
        problem, found = "", False
        if form_of(data[:HEAD]) is not None and len(here) < MOST_DEPTH:
            try:
                for leaf in _walked(inner, here, Held(data), allowance):
                    found = True
                    yield leaf
            except StoneError as error:
                problem = error.message
        if not found:
            yield Leaf(inner, here, entry.size, data, problem)
