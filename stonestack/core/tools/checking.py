"""Check map files beside each other, as the command line does it: by the rules of the bench."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping

from pydantic import ValidationError

from stonestack.core.document import Map, SourceOrigin, Surface, rebuilt
from stonestack.core.graph import ops
from stonestack.core.graph.looking import looked, wanted
from stonestack.core.graph.ops.evaluating import Evaluator
from stonestack.core.graph.ops.pictures import Reading
from stonestack.core.graph.wiring import Wiring
from stonestack.core.judge.checks.looked import MapFinding
from stonestack.core.judge.checks.of_maps import of_map
from stonestack.core.picture.normals import Green
from stonestack.core.tables.matters import Matter
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Size
from stonestack.core.tools.applying import map_of_file


def check_files(
    files: Mapping[Role, bytes],
    *,
    matter: Matter | None = None,
    green: Green = Green.UP,
    tiles: bool | None = None,
    before: bytes | None = None,
) -> list[MapFinding]:
    """Return what there is to look at in files that are the maps of one surface.

    Parameters
    ----------
    files : mapping of Role to bytes
    matter : Matter, optional
        What the surface is made of.
    green : Green
        Which way green is understood to point in the file of normals.
    tiles : bool, optional
        Whether the pictures go on over their edges; if left out, it is looked for each.
    before : bytes, optional
        The colour as it was when the other maps belonged to it.

    Raises
    ------
    BadFile
        If a file cannot be read.
    """
    maps = tuple(_map(role, files[role], tiles, green) for role in Role if role in files)
    surface = Surface(title="Files", name="files", maps=maps, matter=matter)
    blobs = {hashlib.sha256(data).hexdigest(): data for data in files.values()}
    wiring = Wiring(surface)
    then = None
    if before is not None:
        digest = hashlib.sha256(before).hexdigest()
        blobs[digest] = before
        reading = Reading(space=Role.COLOUR.info.space, wraps=_wraps(maps))
        then = ops.put(wiring.graph, "decode", reading, (), (digest,))
    run = Evaluator(blobs.__getitem__)
    told: dict[str, dict[str, bytes]] = {m.id: {} for m in maps}
    for one in wanted(wiring, then):
        told[one.map][one.what] = run.file(wiring.graph, one.key)
    return [f for m in maps for f in of_map(looked(surface, m, wiring, told[m.id], None))]


def _map(role: Role, data: bytes, tiles: bool | None, green: Green) -> Map:
    m = map_of_file(role, data, tiles)
    assert isinstance(m.origin, SourceOrigin)
    origin = rebuilt(m.origin, green=green) if role is Role.NORMAL else m.origin
    m = rebuilt(m, origin=origin)
    try:
        return rebuilt(m, size=Size(width=origin.width, height=origin.height))
    except ValidationError:
        # No size that a texture can have: what it is finished at is not known yet.
        return m


def _wraps(maps: tuple[Map, ...]) -> bool:
    origins = (m.origin for m in maps if m.role is Role.COLOUR)
    return any(isinstance(origin, SourceOrigin) and origin.wraps for origin in origins)
