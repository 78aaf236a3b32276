"""What a file that comes in is: its facts, what it is for, and which files belong together."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from pydantic import BaseModel

from stonestack.core import codecs
from stonestack.core.catalogue.describe import describe
from stonestack.core.catalogue.guess import guess_raw
from stonestack.core.catalogue.names import NameParts, parts
from stonestack.core.codecs import FileFacts
from stonestack.core.image import Space
from stonestack.core.resize import limited
from stonestack.core.roles import Role

_LOOKED_AT = 512
_LEAST = 32
_MEETS, _AS_SHARP = 1.1, 0.8
"""How much of a step, and how little detail, an edge may have that meets."""


class SourceFacts(FileFacts):
    """A file's facts, and what it is for as far as its name and pixels tell.

    ``use`` is ``surface``, ``icon`` or ``unknown``; confidence is 0..1. ``wraps`` tells that its
    opposite edges meet, so that it is a tile already.
    """

    stem: str = ""
    role: Role | None = None
    role_confidence: float = 0.0
    role_reason: str = ""
    use: str = "unknown"
    use_reason: str = ""
    wraps: bool = False


class SourceSet(BaseModel):
    """Files that belong together by their names, as one surface.

    Parameters
    ----------
    stem : str
        What their names share.
    roles : dict
        For each map, which of the files it is.
    missing : list of Role
        Maps that a whole set has and this one lacks.
    """

    stem: str
    roles: dict[Role, str]
    missing: list[Role]


def examine(name: str, data: bytes, suffixes: Mapping[str, Role] | None = None) -> SourceFacts:
    """Read a file fully, say what it is, and weigh what it is for.

    Parameters
    ----------
    name : str
    data : bytes
        The whole file.
    suffixes : mapping, optional
        Last words of names that mean a role to the target, beside the usual ones.

    Raises
    ------
    BadFile
        If it cannot be read.
    """
    facts = codecs.inspect(name, data)
    words = named(name, suffixes or {})
    seen = describe(data).look
    common = {**facts.model_dump(), "stem": words.stem}
    if seen is None:
        return SourceFacts(**common)
    told = guess_raw(words, seen, facts.width, facts.height)
    return SourceFacts(
        **common,
        role=told.role,
        role_confidence=told.sure,
        role_reason=told.reason,
        use=told.use,
        use_reason=told.use_reason,
    )


def edges_meet(data: bytes) -> bool:
    """Tell whether a picture's opposite edges meet both ways as well as its inside does."""
    from stonestack.core.tile.seam import seam_score

    picture = limited(codecs.read_picture(data, Space.LINEAR), _LOOKED_AT)
    if min(picture.width, picture.height) < _LEAST:
        return False
    scores = seam_score(picture)
    return all(
        edge.step <= _MEETS and min(edge.detail, edge.at_wrap) >= _AS_SHARP
        for edge in (scores.left_right, scores.top_bottom)
    )


def named(name: str, suffixes: Mapping[str, Role]) -> NameParts:
    """Take a name apart by the usual words and the target's own."""
    found = parts(name)
    last = name.rpartition(".")[0].rpartition("_")[2].casefold()
    if last not in suffixes or found.suffix == last:
        return replace(found, role=suffixes.get(last, found.role))
    stem = found.stem.removesuffix(f"_{last}")
    return replace(found, stem=stem, role=suffixes[last], suffix=last)
