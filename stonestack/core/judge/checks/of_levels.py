"""Checks of plain numbers: specular that no such matter has, maps that say nothing, alpha."""

from __future__ import annotations

from stonestack.core.document import MapOrigin, SourceOrigin, rebuilt
from stonestack.core.document.edits import Edit, RemoveMap, SetOrigin, SetOutput, SetStep
from stonestack.core.document.edits.matter import numbers
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.judge.checks.looked import Looked, MapFinding
from stonestack.core.kinds.step import StepParams
from stonestack.core.tables.matters import MATTERS
from stonestack.core.tables.roles import ROLES, Role

_DIM_METAL, _BRIGHT = 0.6, 1.5
"""Times the range of a matter's reflection within which its middle is believed."""
_ROOM = 0.03
_ONE_VALUE = 1.5 / 255
_OPAQUE, _CLEAR = 254.5 / 255, 0.5 / 255
_VARYING = frozenset(
    {Role.SPECULAR, Role.GLOSS, Role.ROUGHNESS, Role.HEIGHT, Role.OCCLUSION, Role.CAVITY}
)


def specular(looked: Looked) -> list[MapFinding]:
    """Hold specular against what was measured of such matter."""
    matter, middle = looked.surface.matter, _middle(looked)
    if looked.map.role is not Role.SPECULAR or matter is None or middle is None:
        return []
    info = MATTERS[matter]
    low, high = info.reflects
    title = info.title.lower()
    if info.metal and middle < _DIM_METAL * low:
        words = f"Specular is too dark for {title}"
    elif not info.metal and middle > max(_BRIGHT * high, high + _ROOM):
        words = f"Specular is too bright for {title}"
    else:
        return []
    wanted = (low + high) / 2
    return [
        looked.finding(
            "specular",
            words,
            f"It reflects {100 * middle:.0f} % of what falls straight on; {title} reflects "
            f"{100 * low:.0f} to {100 * high:.0f} %.",
            press="Bring it there",
            mend=_brought(looked, middle, wanted),
        )
    ]


def _middle(looked: Looked) -> float | None:
    if looked.after is None:
        return None
    if looked.after.levels is not None:
        return looked.after.levels.middle
    return looked.after.tones.middle if looked.after.tones is not None else None


def _brought(looked: Looked, middle: float, wanted: float) -> Edit | None:
    """Return the edit that brings specular to a level: its derivation's, or a curve."""
    step, matter = looked.step("specular_from_colour"), looked.surface.matter
    if step is not None and matter is not None:
        before: StepParams = step.params
        values = numbers(MATTERS[matter])["specular_from_colour"]
        params = type(before).model_validate({**dict(before), **values})
        if params != before:
            return SetStep(map=looked.map.id, step=rebuilt(step, params=params))
    if looked.map.frozen is not None or looked.after is None or looked.after.levels is None:
        return None
    times = wanted / max(middle, 1 / 255)
    end = (1.0, times) if times <= 1 else (1 / times, 1.0)
    points = [{"x": 0.0, "y": 0.0}, {"x": round(end[0], 4), "y": round(end[1], 4)}]
    return looked.added("curves", points=points)


def one_value(looked: Looked) -> list[MapFinding]:
    """Say of a map that should vary that it is one value all over."""
    levels = looked.after.levels if looked.after is not None else None
    if levels is None or looked.map.role not in _VARYING or not looked.leaves.delivered:
        return []
    if levels.most - levels.least > _ONE_VALUE:
        return []
    derived = ROLES[looked.map.role].derived
    below = looked.surface.of_role(Role(derived.source)) if derived is not None else None
    mend = None
    own = isinstance(looked.map.origin, SourceOrigin)
    if own and below is not None and below.origin is not None and not _read_by(looked, below.id):
        mend = SetOrigin(map=looked.map.id, origin=MapOrigin(map=below.id))
    return [
        looked.finding(
            "one-value",
            f"It is {levels.middle:.2f} all over",
            "It says no more than one number would."
            + (f" Make it of {below.title.lower()}." if mend and below else ""),
            press=f"Make it of {below.title.lower()}" if below else "",
            mend=mend,
        )
    ]


def _read_by(looked: Looked, map_id: str) -> bool:
    """Tell whether another map is made of this one, so that this one cannot be made of that."""
    ahead, seen = [map_id], set()
    while ahead:
        here = ahead.pop()
        if here == looked.map.id:
            return True
        if here not in seen:
            seen.add(here)
            ahead += looked.surface.reads(looked.surface.map(here))
    return False


def alpha(looked: Looked) -> list[MapFinding]:
    """Say of alpha that does nothing."""
    if looked.map.role is Role.ALPHA:
        return _of_alpha(looked)
    return _of_format(looked) if looked.map.role is Role.COLOUR else []


def _of_alpha(looked: Looked) -> list[MapFinding]:
    levels = looked.after.levels if looked.after is not None else None
    if levels is None:
        return []
    if levels.least >= _OPAQUE:
        surface = looked.surface
        used = any(looked.map.id in surface.reads(m) for m in surface.maps) or any(
            looked.map.id in mask.reads_maps for mask in surface.masks
        )
        return [
            looked.finding(
                "all-opaque",
                "It is all opaque, so it cuts nothing",
                "Take it out." if not used else "Give it another beginning.",
                press="Take it out",
                mend=None if used else RemoveMap(map=looked.map.id),
            )
        ]
    if levels.most <= _CLEAR:
        return [
            looked.finding(
                "all-clear",
                "It is all clear, so nothing is seen",
                "Turn it round.",
                level="fault",
                press="Turn it round",
                mend=looked.added("invert_values") if looked.map.frozen is None else None,
            )
        ]
    if looked.cutout is False:
        return [
            looked.finding(
                "alpha-unused",
                "The material is not cut out, so nothing uses it",
                "At Materials, tick Cut out, or take it out here.",
            )
        ]
    return []


def _of_format(looked: Looked) -> list[MapFinding]:
    clear = looked.after.clear if looked.after is not None else None
    leaves = looked.leaves
    if (
        looked.after is None
        or clear
        or not leaves.delivered
        or leaves.format is not BlockFormat.BC3
    ):
        return []
    if BlockFormat.BC1 not in looked.target.formats_of(looked.map.role):
        return []
    says = looked.map.outputs.get(looked.target.name)
    output = {**(says.model_dump() if says else {}), "format": BlockFormat.BC1}
    mend = SetOutput.model_validate(
        {"map": looked.map.id, "target": looked.target.name, "output": output}
    )
    return [
        looked.finding(
            "alpha-not-needed",
            "It is stored with an alpha that is all opaque",
            "BC1 holds it in half the bytes.",
            press="Store it as BC1",
            mend=mend,
        )
    ]
