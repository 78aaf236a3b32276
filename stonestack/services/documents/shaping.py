"""From raw material to a tile: proposals that the artist can take or leave."""

from __future__ import annotations

import itertools
import math
from functools import partial
from pathlib import Path

from pydantic import BaseModel

from stonestack.core.document import Map, SourceOrigin, Stage, Surface, edits
from stonestack.core.document.leaving import leaving
from stonestack.core.document.project import Settings
from stonestack.core.files import codecs
from stonestack.core.graph import ops
from stonestack.core.graph.ops.ways import Trying
from stonestack.core.graph.wiring import Wiring
from stonestack.core.judge.choosing import TRIED_AT
from stonestack.core.kinds.node import Key
from stonestack.core.picture import colour
from stonestack.core.picture.image import Picture
from stonestack.core.raw.frame import Frame, Straightened, straightened_as, within
from stonestack.core.raw.slant import corners_seen
from stonestack.core.runtime.errors import BadRequest, StoneError
from stonestack.core.tables.naming import code_name, filled
from stonestack.core.tables.roles import ROLES, Role
from stonestack.core.tables.sizing import Proposal, proposals
from stonestack.core.tables.targets import Target, target_of
from stonestack.core.tile.period import find_lattice
from stonestack.core.tile.periods_framed import whole_periods
from stonestack.services.documents import history, projects, surfaces
from stonestack.services.documents.history import SURFACE
from stonestack.services.documents.surfaces import SurfaceView
from stonestack.services.game import sources
from stonestack.services.workspace import Workspace

_LOOKED_AT = 1024
_EVEN = 0.4
"""Strength below which a structure recurs unevenly: most often it is seen at a slant."""
_WEAKLY = " But unevenly: if it is seen at a slant, straighten it by its lines first."
_SIDE_BY_SIDE = (
    "No two families of straight lines run together here."
    " If it is seen at a slant, put the corners on it by hand."
)
_ON_LINES = "Its lines run together: the corners lie on them now."


class FrameProposal(BaseModel):
    """A frame that holds whole periods of a structure, or lies on lines that run together.

    Parameters
    ----------
    frame : Frame or None
        None where nothing was found, or nothing that a frame could hold.
    words : str
        What was found, for the person.
    """

    frame: Frame | None
    words: str


def propose_sizes(ws: Workspace, surface_id: str, map_id: str) -> list[Proposal]:
    """Propose sizes for a map, the one that loses least first.

    A map that was taken from the game has one size only. Where the game has a texture of the
    map's name, its size is proposed first.
    """
    document, settings = _opened(ws, surface_id)
    wiring = Wiring(document)
    key = wiring.at(map_id, Stage.STEPS)
    if key is None:
        return []
    ws.renderer.graphs.add(wiring.graph, [key])
    picture = ws.renderer.picture(key)
    target = target_of(settings.targets[0])
    m = document.map(map_id)
    taken = (m.place.width, m.place.height) if m.place is not None else None
    propose = partial(
        proposals,
        picture.width,
        picture.height,
        picture.wraps,
        smallest=target.smallest,
        largest=target.largest,
        square=target.square,
    )
    found = propose(exact=taken)
    known = None if taken else _in_game(document, m, target, settings.game_folder)
    if known is None:
        return found
    first = propose(exact=known, most=1)
    named = [p.model_copy(update={"words": f"the game's own; {p.words}"}) for p in first]
    return named + [p for p in found if all(p.size != one.size for one in first)]


def _in_game(
    document: Surface, m: Map, target: Target, folder: str | None
) -> tuple[int, int] | None:
    """Return the size of the texture that the game itself has under a map's name."""
    if folder is None or not target.own_textures:
        return None
    name = leaving(document, m, target).name
    path = Path(folder) / filled(target.own_textures, name=name)
    if not path.is_file():
        return None
    try:
        texture = codecs.read_texture(path.read_bytes())
    except (StoneError, OSError):
        # What the game cannot be read by gives no size either; other checks say what is wrong.
        return None
    return texture.width, texture.height


def propose_frame(ws: Workspace, surface_id: str, map_id: str) -> FrameProposal:
    """Look for a structure in what a map's frame holds, and propose one of whole periods.

    So a picture that is seen at a slant is straightened by its corners first.
    """
    origin, picture = _framed(ws, surface_id, map_id)
    found = find_lattice(picture)
    if found is None:
        return FrameProposal(frame=None, words="Nothing recurs in this picture.")
    corners = whole_periods(found, picture.width, picture.height)
    # As many pixels as the source has for one that was looked at.
    looked = round(_LOOKED_AT / origin.frame.share)
    full = max(1.0, max(origin.width, origin.height) / looked)
    steps = [found.first] + ([found.second] if found.second else [])
    words = " and ".join(f"{math.hypot(x, y) * full:.0f}" for x, y in steps)
    if corners is None:
        return FrameProposal(
            frame=None,
            words=f"It recurs every {words} pixels, more than the picture holds.",
        )
    return FrameProposal(
        frame=within(origin.frame, corners, picture.width, picture.height),
        words=f"It recurs every {words} pixels.{_WEAKLY if found.strength < _EVEN else ''}",
    )


def propose_corners(ws: Workspace, surface_id: str, map_id: str) -> FrameProposal:
    """Look for lines that run together in what a map's frame holds, and put the corners on them."""
    origin, picture = _framed(ws, surface_id, map_id)
    corners = corners_seen(colour.seen(picture))
    if corners is None:
        return FrameProposal(frame=None, words=_SIDE_BY_SIDE)
    frame = within(origin.frame, corners, picture.width, picture.height)
    # Sides that were not on the lines told no proportions; those of these corners tell them.
    return FrameProposal(frame=frame.model_copy(update={"ratio": 0.0}), words=_ON_LINES)


def _framed(ws: Workspace, surface_id: str, map_id: str) -> tuple[SourceOrigin, Picture]:
    """Return a map's source, and what its frame holds, at the size at which that is looked at."""
    document, _ = _opened(ws, surface_id)
    origin = document.map(map_id).origin
    wiring = Wiring(document, _LOOKED_AT)
    key = wiring.at(map_id, Stage.SOURCE)
    if key is None or not isinstance(origin, SourceOrigin):
        raise BadRequest("no-source", "There is no picture yet.", "Drop one first.")
    ws.renderer.graphs.add(wiring.graph, [key], lasting=False)
    return origin, ws.renderer.picture(key)


def straightened(ws: Workspace, surface_id: str, map_id: str) -> Straightened:
    """Say what a map's frame comes out as, and how its proportions were found."""
    document, _ = _opened(ws, surface_id)
    origin = document.map(map_id).origin
    if not isinstance(origin, SourceOrigin):
        raise BadRequest("no-source", "There is no picture yet.", "Drop one first.")
    return straightened_as(origin.frame, origin.width, origin.height)


def light_field(ws: Workspace, surface_id: str, map_id: str) -> Key | None:
    """Return the key of the broad light in a map's picture, as it is before any step."""
    document, _ = _opened(ws, surface_id)
    wiring = Wiring(document, _LOOKED_AT)
    key = wiring.at(map_id, Stage.SOURCE)
    if key is None:
        return None
    light = ops.put(wiring.graph, "light", None, (key,))
    ws.renderer.graphs.add(wiring.graph, [light], lasting=False)
    return light


def try_ways(ws: Workspace, surface_id: str, map_id: str) -> Key | None:
    """Return the key of what was found when a map's ways of tiling were tried, all of them."""
    document, _ = _opened(ws, surface_id)
    wiring = Wiring(document, TRIED_AT)
    found = wiring.before_tiling(map_id)
    if found is None:
        return None
    before, step = found
    trying = Trying.model_validate({"axes": getattr(step.params, "axes", "both")})
    ways = ops.put(wiring.graph, "ways", trying, (before,))
    ws.renderer.graphs.add(wiring.graph, [ways])
    return ways


def begin(ws: Workspace, project_id: str, stem: str, roles: dict[Role, str]) -> SurfaceView:
    """Start a surface from sources.

    Parameters
    ----------
    stem : str
        What it is called, by the files' names.
    roles : dict
        For each map that has a file of its own, the id of its source.

    Raises
    ------
    BadRequest
        If no source is named, or one is not there.
    """
    known = {s.id: s for s in sources.listed(ws, project_id)}
    if not roles or any(source not in known for source in roles.values()):
        raise BadRequest("no-such-source", "A picture is not there any more.", "Reload the page.")
    title, name = _free(ws, project_id, stem)
    changes: list[edits.Edit] = []
    # The colour first: what follows from it is settled by it.
    for role in sorted(roles, key=lambda r: list(ROLES).index(r)):
        changes.append(edits.AddMap(role=role))
        changes.append(edits.SetOrigin(map=str(role), origin=known[roles[role]].origin))
    return surfaces.create(ws, project_id, title, name, changes)


def _free(ws: Workspace, project_id: str, stem: str) -> tuple[str, str]:
    """Return a title and a code name that no surface has yet, numbered where there is one."""
    title = stem.replace("_", " ").strip().capitalize() or "Surface"
    name = code_name(stem)
    taken = {s.name for s in surfaces.listed(ws, project_id)}
    if name not in taken:
        return title, name
    number = next(n for n in itertools.count(2) if f"{name}_{n}" not in taken)
    return f"{title} {number}", f"{name}_{number}"


def _opened(ws: Workspace, surface_id: str) -> tuple[Surface, Settings]:
    with ws.session() as session:
        row = history.row_of(session, SURFACE, surface_id)
        document = history.body_of(session, SURFACE, row)
        return document, projects.settings_of(session, row.project_id)
