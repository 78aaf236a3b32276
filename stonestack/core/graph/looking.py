"""Which measurements the checks of a surface's maps need, as nodes of its graph."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from pydantic import BaseModel

from stonestack.core.document import (
    Map,
    MapOrigin,
    SourceOrigin,
    Stage,
    Surface,
    first_look,
    moving_steps,
    rebuilt,
)
from stonestack.core.document.leaving import leaving
from stonestack.core.graph import ops
from stonestack.core.graph.asked import facts_of
from stonestack.core.graph.ops.checking import Unit
from stonestack.core.graph.ops.facts import RenderFacts
from stonestack.core.graph.wiring import Wiring
from stonestack.core.judge.checks.accord import Accord, Facing
from stonestack.core.judge.checks.looked import Looked
from stonestack.core.judge.checks.of_sets import HELD_AGAINST_COLOUR
from stonestack.core.judge.checks.traits import Traits
from stonestack.core.kinds.node import Key
from stonestack.core.picture.image import Space
from stonestack.core.tables.roles import Role

_MODELS: dict[str, type[BaseModel]] = {
    "after": Traits,
    "source": Traits,
    "unit": Unit,
    "tile": RenderFacts,
    "accord": Accord,
    "otherwise": Accord,
    "facing": Facing,
}


_SMALL = 512
"""Longest side of what is only tried."""


@dataclass(frozen=True)
class Wanted:
    """One measurement: of which map, what it is, and the node that gives it."""

    map: str
    what: str
    key: Key


def wanted(wiring: Wiring, before: Key | None = None) -> list[Wanted]:
    """Put all measurements that checks of a surface need into its graph.

    Parameters
    ----------
    before : Key, optional
        The colour as it was when other maps belonged to it, where the surface does not know that.
    """
    found = []
    for m in wiring.surface.maps:
        keys = {"after": _traits(wiring, m), "source": None, "unit": None, "tile": None}
        if isinstance(m.origin, SourceOrigin) and m.frozen is None:
            source = wiring.at(m.id, Stage.SOURCE)
            assert source is not None
            keys["source"] = ops.put(wiring.graph, "check:traits", None, (source,))
            if m.space is Space.VECTOR:
                stored = ops.put(wiring.graph, "channels", None, (), (m.origin.sha256,))
                keys["unit"] = ops.put(wiring.graph, "check:unit", None, (stored,))
        after = wiring.at(m.id, Stage.STEPS)
        if m.role is Role.COLOUR and after is not None:
            keys["tile"] = facts_of(wiring.graph, after, Stage.STEPS)
        keys["accord"], keys["facing"] = _accord(wiring, m, before), _facing(wiring, m)
        keys["otherwise"] = _otherwise(wiring, m)
        found += [Wanted(m.id, what, key) for what, key in keys.items() if key is not None]
    return found


def looked(
    surface: Surface, m: Map, wiring: Wiring, told: Mapping[str, bytes], cutout: bool | None
) -> Looked:
    """Return a map with what was measured of it.

    Parameters
    ----------
    told : mapping of str to bytes
        Results of the map's measurements, by :attr:`Wanted.what`.
    """
    read = {what: _MODELS[what].model_validate_json(data) for what, data in told.items()}
    unit, tile = read.pop("unit", None), read.pop("tile", None)
    return Looked(
        surface=surface,
        map=m,
        leaves=leaving(surface, m, wiring.target),
        target=wiring.target,
        cutout=cutout,
        off=unit.off if isinstance(unit, Unit) else None,
        tile=tile.scores if isinstance(tile, RenderFacts) else None,
        **read,  # type: ignore[arg-type]
    )


def _traits(wiring: Wiring, m: Map) -> Key | None:
    after = wiring.at(m.id, Stage.STEPS)
    return None if after is None else ops.put(wiring.graph, "check:traits", None, (after,))


def _accord(wiring: Wiring, m: Map, before: Key | None) -> Key | None:
    """Hold a map that does not follow the colour by itself against it."""
    colour = wiring.surface.of_role(Role.COLOUR)
    apart = isinstance(m.origin, SourceOrigin) or wiring.out_of_date(m)
    if colour is None or not apart or m.role not in HELD_AGAINST_COLOUR:
        return None
    now, own = wiring.at(colour.id, Stage.STEPS), wiring.at(m.id, Stage.STEPS)
    if now is None or own is None:
        return None
    first = first_look(colour)
    then = before
    if then is None and first != colour:
        earlier = Wiring(wiring.surface.with_map(first), wiring.longest, wiring.graph)
        then = earlier.at(colour.id, Stage.STEPS)
    inputs = (now, own) if then is None else (now, own, then)
    return ops.put(wiring.graph, "check:accord", None, inputs)


def _otherwise(wiring: Wiring, m: Map) -> Key | None:
    """Hold a map with a file of its own against the colour, cut as it is not cut now."""
    colour = wiring.surface.of_role(Role.COLOUR)
    if colour is None or m.role not in HELD_AGAINST_COLOUR or m.frozen is not None:
        return None
    files = isinstance(colour.origin, SourceOrigin) and isinstance(m.origin, SourceOrigin)
    if not files or not _moves(colour):
        return None
    led = rebuilt(m, moves_with=colour.id if m.moves_with is None else None)
    small = Wiring(wiring.surface.with_map(led), _SMALL, wiring.graph)
    inputs = (small.at(colour.id, Stage.STEPS), small.at(m.id, Stage.STEPS))
    if inputs[0] is None or inputs[1] is None:
        return None
    return ops.put(wiring.graph, "check:accord", None, (inputs[0], inputs[1]))


def _moves(colour: Map) -> bool:
    framed = isinstance(colour.origin, SourceOrigin) and not colour.origin.frame.plain
    return framed or bool(moving_steps(colour))


def _facing(wiring: Wiring, m: Map) -> Key | None:
    """Hold a normal map with a file of its own against a height map that has one too."""
    height = wiring.surface.of_role(Role.HEIGHT)
    if m.role is not Role.NORMAL or height is None or isinstance(m.origin, MapOrigin):
        return None
    if not (isinstance(m.origin, SourceOrigin) and isinstance(height.origin, SourceOrigin)):
        return None
    inputs = (wiring.at(height.id, Stage.STEPS), wiring.at(m.id, Stage.STEPS))
    if inputs[0] is None or inputs[1] is None or m.frozen or height.frozen:
        return None
    return ops.put(wiring.graph, "check:facing", None, (inputs[0], inputs[1]))
