"""How a map leaves for a target: what its output says, and else what the target does."""

from __future__ import annotations

from dataclasses import dataclass

from stonestack.core.document.outward import MapOrigin, Output, SourceOrigin
from stonestack.core.document.surface import Map, Surface
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.blocks.quality import Quality
from stonestack.core.picture.image import Space
from stonestack.core.picture.mips import MipFilter
from stonestack.core.picture.normals import Green
from stonestack.core.tables.targets.model import Target


@dataclass(frozen=True)
class Leaving:
    """How one map leaves for one target.

    Parameters
    ----------
    format : BlockFormat
    green : Green
    name : str
        Its file name, without extension.
    path : str
        Below a delivery.
    delivered : bool
    quality : Quality
        How hard the encoder searches.
    filter : {"kaiser", "box", "lanczos", "nearest"}
        What makes its smaller levels.
    """

    format: BlockFormat
    green: Green
    name: str
    path: str
    delivered: bool
    quality: Quality
    filter: MipFilter


def leaving(surface: Surface, m: Map, target: Target) -> Leaving:
    """Return how a map leaves for a target."""
    says = m.outputs.get(target.name, Output())
    name = says.name or target.usual_name(surface.name, m.role)
    delivered = says.delivered
    if delivered is None:
        taken = any(other.place is not None for other in surface.maps)
        # Of a surface that was taken from the game only what was taken has a place there.
        delivered = m.place is not None if taken else m.role in target.delivered
    return Leaving(
        format=says.format or usual_format(surface, m, target),
        green=says.green or target.green,
        name=name,
        path=target.texture_path(name),
        delivered=delivered and m.origin is not None,
        quality=says.quality or Quality.STANDARD,
        filter=says.filter or "kaiser",
    )


def usual_format(surface: Surface, m: Map, target: Target) -> BlockFormat:
    """Return the target's usual format for a map, that keeps what the map holds."""
    formats = target.formats_of(m.role)
    if m.place is not None and m.place.format in formats:
        return m.place.format
    if m.space is Space.LINEAR:
        wanted = 4 if has_alpha(surface, m) else 3
        return next((f for f in formats if f.info.keeps >= wanted), formats[0])
    return formats[0]


def has_alpha(surface: Surface, m: Map) -> bool:
    """Tell whether the file that a map comes from uses its alpha."""
    if isinstance(m.origin, SourceOrigin):
        return m.origin.alpha
    if isinstance(m.origin, MapOrigin):
        source = surface.find(m.origin.map)
        return source is not None and has_alpha(surface, source)
    return False
