"""What a file that comes in is: its facts, what it is for, and which files belong together."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from pydantic import BaseModel, computed_field

from stonestack.core.catalogue.describe import Described, describe
from stonestack.core.catalogue.filenames import NameParts, parts
from stonestack.core.catalogue.guess import CALLED, guess_raw
from stonestack.core.files import codecs
from stonestack.core.files.codecs import FileFacts, pictures
from stonestack.core.files.codecs.headers import PILLOW
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.normals import Green, green_of
from stonestack.core.picture.resize import limited
from stonestack.core.picture.texels import from_texels, to_texels
from stonestack.core.runtime.readers import reader
from stonestack.core.tables.roles import Role

_LOOKED_AT = 512
_LEAST = 32
_NAMED_GREEN = 0.9
"""How sure a name is that says which way green points; slopes that are surer overrule it."""
_FEW_ACROSS, _FEW_COLOURS, _EACH = 128, (3, 64), 8
"""Longest side, fewest and most colours of art of few texels, and how often each is used."""
_MEETS, _AS_SHARP = 1.1, 0.8
"""How much of a step, and how little detail, an edge may have that meets."""


class SourceFacts(FileFacts):
    """A file's facts, and what it is for as far as its name and pixels tell.

    ``green`` tells of normals which way their second channel points, as their slopes show.
    ``use`` is ``surface``, ``icon`` or ``unknown``; confidence is 0..1. ``wraps`` tells that its
    opposite edges meet, so that it is a tile already; ``few`` that it is art of few texels, each of
    which counts.
    """

    stem: str = ""
    role: Role | None = None
    role_confidence: float = 0.0
    role_reason: str = ""
    use: str = "unknown"
    use_reason: str = ""
    green: Green | None = None
    green_confidence: float = 0.0
    wraps: bool = False
    few: bool = False

    @computed_field  # type: ignore[prop-decorator]
    @property
    def begins_as(self) -> Role:
        """The map that a surface begins with, which is made of this file alone.

        A grey photograph may be one of many; where that is not sure it is the colour.
        """
        sure = self.role is not None and self.role_confidence >= CALLED
        return self.role if sure and self.role is not None else Role.COLOUR


def few_texels(picture: Picture) -> bool:
    """Tell whether a picture of colour is art of few texels: small, in few colours, each often."""
    if max(picture.width, picture.height) > _FEW_ACROSS:
        return False
    body = to_texels(picture)[..., :3].reshape(-1, 3).astype(np.uint32)
    count = len(np.unique(body[:, 0] << 16 | body[:, 1] << 8 | body[:, 2]))
    return _FEW_COLOURS[0] <= count <= min(_FEW_COLOURS[1], len(body) // _EACH)


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


@dataclass(frozen=True)
class Examined:
    """A file that comes in: its facts, what a catalogue says of it, and the picture, made small."""

    facts: SourceFacts
    described: Described
    small: Picture


@reader("source", name="sample.png")
def examine(name: str, data: bytes, suffixes: Mapping[str, Role] | None = None) -> Examined:
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
    kind = codecs.checked_kind(data)
    if kind in PILLOW:
        # Decoded once; all that is asked of it is told from the survey.
        survey = pictures.survey(data, kind, 2 * _LOOKED_AT)
        small = from_texels(survey.texels, Space.LINEAR)
    else:
        survey = None
        small = codecs.read_picture(data, Space.LINEAR, 2 * _LOOKED_AT)
    facts = codecs.inspect(name, data, survey)
    words = named(name, suffixes or {})
    described = describe(data, survey)
    common = {**facts.model_dump(), "stem": words.stem}
    if described.look is None:
        return Examined(SourceFacts(**common), described, small)
    told = guess_raw(words, described.look, facts.width, facts.height)
    green: dict[str, object] = {}
    if told.role is Role.NORMAL:
        way, sure = green_of(_vectors(small))
        if words.green is not None and sure < _NAMED_GREEN:
            way, sure = words.green, _NAMED_GREEN
        green = {"green": way, "green_confidence": sure}
    weighed = SourceFacts(
        **common,
        **green,
        role=told.role,
        role_confidence=told.sure,
        role_reason=told.reason,
        use=told.use,
        use_reason=told.use_reason,
    )
    return Examined(weighed, described, small)


def _vectors(small: Picture) -> Floats:
    """Return a picture that was read as colour as the vectors that its numbers are."""
    return np.asarray(colour.to_srgb(small.body) * np.float32(2) - np.float32(1), np.float32)


def edges_meet(picture: Picture) -> bool:
    """Tell whether a picture's opposite edges meet both ways as well as its inside does."""
    from stonestack.core.tile.seam import seam_score

    picture = limited(picture, _LOOKED_AT)
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
