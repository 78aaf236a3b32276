"""How every map of a surface leaves for a target, as the bench and the lists say it."""

from __future__ import annotations

from pydantic import BaseModel

from stonestack.core.document import Map, SourceOrigin, Surface, way_of
from stonestack.core.document.leaving import leaving
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.blocks.quality import Quality
from stonestack.core.judge.checks.outputs import of_output
from stonestack.core.kinds.findings import Finding
from stonestack.core.picture.mips import MipFilter
from stonestack.core.picture.normals import Green
from stonestack.core.tables.targets import Target
from stonestack.services.documents import projects


class OutputView(BaseModel):
    """How a map leaves for the target that is shown.

    Parameters
    ----------
    format, green, name, path, delivered, quality, filter
        As it leaves, whether the output or the target says so.
    formats : list of BlockFormat
        Those that the target takes.
    extension : str
        Behind the name, with the dot.
    findings : list of Finding
        What the target would refuse or read wrongly.
    as_in_game : bool
        Whether it was taken from the game and nothing was done to it: its blocks go back untouched.
    """

    format: BlockFormat
    green: Green
    name: str
    path: str
    extension: str
    delivered: bool
    quality: Quality
    filter: MipFilter
    formats: list[BlockFormat]
    findings: list[Finding]
    as_in_game: bool = False


def outputs(document: Surface, target: Target, folder: str | None) -> dict[str, OutputView]:
    """Return how every map of a surface leaves for a target, and what is wrong with that."""
    names = projects.texture_names(target, folder)
    found = {}
    for m in document.maps:
        leaves = leaving(document, m, target)
        found[m.id] = OutputView(
            format=leaves.format,
            green=leaves.green,
            name=leaves.name,
            path=leaves.path,
            extension=f".{leaves.path.rpartition('.')[2]}",
            delivered=leaves.delivered,
            quality=leaves.quality,
            filter=leaves.filter,
            formats=list(target.formats_of(m.role)),
            findings=of_output(document, m, leaves, target, names),
            as_in_game=_untouched(document, m),
        )
    return found


def _untouched(document: Surface, m: Map) -> bool:
    """Tell whether a map is still exactly the game's own file."""
    place, origin, way = m.place, m.origin, way_of(document, m)
    return (
        place is not None
        and isinstance(origin, SourceOrigin)
        and origin.sha256 == place.sha256
        and way.frame.plain
        and not way.moved
        and not any(step.enabled for step in m.steps)
        and not way.returned
        and way.frozen is None
        and not m.levels
        and (m.size.width, m.size.height) == (place.width, place.height)
    )
