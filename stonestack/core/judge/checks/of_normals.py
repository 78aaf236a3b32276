"""Checks of normal maps: their length, the direction of green, how steep they are."""

from __future__ import annotations

import math

from stonestack.core.document import rebuilt
from stonestack.core.document.edits import Edit, SetOutput, SetSource, SetStep
from stonestack.core.judge.checks.looked import Looked, MapFinding
from stonestack.core.picture.image import Space
from stonestack.core.picture.normals import Green
from stonestack.core.tables.matters import MATTERS

_OFF = 0.02
_SURE = 0.8
_TURNED = 0.3
"""Correlation with the slopes of a height map from which on a direction is told."""
_TOO_STEEP, _STEEPEST = 2.2, 50.0
"""Times as steep as such matter begins with; and degrees, where nothing is known of the matter."""
_TOO_FLAT, _FLATTEST = 0.2, 0.5
_LEVEL = 0.05
"""Degrees below which there is no relief that could be made steeper."""


def unit(looked: Looked) -> list[MapFinding]:
    """Say which share of a file's vectors is not of unit length."""
    if looked.own is None or looked.off is None or looked.off < _OFF or looked.has("steeper"):
        return []
    return [
        looked.finding(
            "unit",
            f"{100 * looked.off:.0f} % of its vectors are not of length 1",
            "It was resized or painted as a colour is. Bring them to length 1.",
            press="Bring to length 1",
            mend=looked.added("steeper"),
        )
    ]


def green(looked: Looked) -> list[MapFinding]:
    """Say where a file's green points the other way than it is read.

    Told by a height map of its own, or by integrability.
    """
    own = looked.own
    if own is None or looked.map.space is not Space.VECTOR:
        return []
    other = Green.DOWN if own.green is Green.UP else Green.UP
    turn = SetSource(map=looked.map.id, origin=rebuilt(own, green=other))
    facing = looked.facing
    if facing is not None and max(abs(facing.right), abs(facing.up)) > _TURNED:
        right, up = facing.right < -_TURNED, facing.up < -_TURNED
        if up and not right:
            return [_green(looked, "the height map falls the other way", turn)]
        if right:
            return [
                looked.finding(
                    "inside-out",
                    "Its relief is inside out against the height map"
                    if up
                    else "Left and right are changed over against the height map",
                    "Turn it round, or invert the height map.",
                    level="fault",
                    press="Turn it round",
                    mend=looked.added("steeper", flip_x=True, flip_y=up),
                )
            ]
        return []
    slopes = looked.source.slopes if looked.source is not None else None
    if slopes is None or slopes.green is Green.UP or slopes.sure < _SURE:
        return []
    return [_green(looked, "no relief has such slopes", turn)]


def _green(looked: Looked, why: str, turn: SetSource) -> MapFinding:
    return looked.finding(
        "green",
        f"Its green seems to point {turn.origin.green}: {why}",
        f"Read it with green {turn.origin.green}, or it is lit from below.",
        level="fault",
        press=f"Read green {turn.origin.green}",
        mend=turn,
    )


def leaving(looked: Looked) -> list[MapFinding]:
    """Hold the direction of green against the target's."""
    leaves, wanted = looked.leaves, looked.target.green
    if looked.map.space is not Space.VECTOR or not leaves.delivered or leaves.green is wanted:
        return []
    says = looked.map.outputs.get(looked.target.name)
    output = {**(says.model_dump() if says else {}), "green": None}
    mend = SetOutput.model_validate(
        {"map": looked.map.id, "target": looked.target.name, "output": output}
    )
    return [
        looked.finding(
            "green-leaves",
            f"Green leaves pointing {leaves.green}; the game reads it {wanted}",
            f"Let green point {wanted}.",
            level="fault",
            press=f"Let it point {wanted}",
            mend=mend,
        )
    ]


def steepness(looked: Looked) -> list[MapFinding]:
    """Say where relief is far steeper or flatter than such matter is."""
    slopes = looked.after.slopes if looked.after is not None else None
    if slopes is None or looked.map.frozen is not None:
        return []
    matter = looked.surface.matter
    usual = MATTERS[matter].steepness if matter is not None else None
    most = max(_STEEPEST, 2 * usual) if usual is not None else _STEEPEST
    most = min(most, _TOO_STEEP * usual) if usual is not None and usual > 15 else most
    least = _TOO_FLAT * usual if usual is not None else _FLATTEST
    named = MATTERS[matter].title.lower() if matter is not None else "such a surface"
    if least <= slopes.steepness <= most:
        return []
    steep = slopes.steepness > most
    wanted = usual if usual is not None else (25.0 if steep else 5.0)
    return [
        looked.finding(
            "too-steep" if steep else "too-flat",
            f"Relief of {slopes.steepness:.0f}° is {'steep' if steep else 'flat'} for {named}",
            f"About {wanted:.0f}° is usual: one texel in ten is steeper.",
            press=f"Bring it to {wanted:.0f}°",
            mend=_as_steep(looked, slopes.steepness, wanted),
        )
    ]


def _as_steep(looked: Looked, now: float, wanted: float) -> Edit | None:
    step = looked.step("normal_from_height", "normal_from_colour")
    if step is not None and not looked.has("steeper"):
        values = {**dict(step.params), "by": "steepness", "steepness": round(wanted * 2) / 2}
        params = type(step.params).model_validate(values)
        return SetStep(map=looked.map.id, step=rebuilt(step, params=params))
    if now < _LEVEL:
        return None
    times = math.tan(math.radians(wanted)) / math.tan(math.radians(now))
    strength = round(min(max(times, 0.05), 8) / 0.05) * 0.05
    return looked.added("steeper", strength=round(strength, 2))
