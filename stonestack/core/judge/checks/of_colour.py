"""Checks of colour: what the light, the scanner or the maker left in it."""

from __future__ import annotations

import math

import numpy as np

from stonestack.core.document import Step
from stonestack.core.document.edits import AddStep, SetFrame
from stonestack.core.judge.checks.looked import Looked, MapFinding
from stonestack.core.judge.checks.traits import Guide
from stonestack.core.picture import colour
from stonestack.core.raw.frame import frame_of
from stonestack.core.steps import STEPS
from stonestack.core.steps.line_out import LineOut
from stonestack.core.tables.matters import MATTERS
from stonestack.core.tables.roles import Role
from stonestack.core.tile.ways import FAMILY

_LOST = 0.02
"""Share of the texels that may be black, or white, with nothing to tell in them."""
_DARKER, _LIGHTER = 0.6, 1.25
"""Times the range of a matter's albedo within which its middle is believed."""
_DARKEST, _LIGHTEST = 0.012, 0.92
"""Linear luminance beyond which hardly any dry matter lies, where it is not known which it is."""
_BROAD = 1.0
_SAME = 0.005
_SIDES = (
    "right",
    "upper right",
    "top",
    "upper left",
    "left",
    "lower left",
    "bottom",
    "lower right",
)


def crushed(looked: Looked) -> list[MapFinding]:
    """Say how much is black or white with nothing left to tell."""
    tones = looked.after.tones if looked.after is not None else None
    if tones is None or looked.map.role is not Role.COLOUR or looked.has("curves"):
        return []
    dark, light = tones.crushed > _LOST, tones.blown > _LOST
    if not (dark or light):
        return []
    low, high = _range(looked)
    ends = [low * 0.5 if dark else 0.0, min(high, 0.9) if light else 1.0]
    up = colour.to_srgb(np.array(ends, np.float32))
    points = [{"x": float(x), "y": round(float(y), 3)} for x, y in zip((0, 1), up, strict=True)]
    named = [f"{100 * tones.crushed:.0f} % is black"] if dark else []
    named += [f"{100 * tones.blown:.0f} % is white"] if light else []
    return [
        looked.finding(
            "crushed",
            f"{' and '.join(named)}, with nothing left in it",
            "No dry matter is so. Bring the ends in; what was lost there stays lost.",
            press="Bring the ends in",
            mend=looked.added("curves", points=points),
        )
    ]


def albedo(looked: Looked) -> list[MapFinding]:
    """Hold how light a colour is against what was measured of such matter."""
    tones = looked.after.tones if looked.after is not None else None
    matter = looked.surface.matter
    if tones is None or matter is None or looked.map.role is not Role.COLOUR:
        return []
    low, high = MATTERS[matter].albedo
    if low * _DARKER <= tones.middle <= high * _LIGHTER or tones.middle <= 0:
        return []
    wanted = low if tones.middle < low else high
    stops = min(6.0, max(-6.0, math.log2(wanted / tones.middle)))
    title = MATTERS[matter].title.lower()
    return [
        looked.finding(
            "albedo",
            f"It is {'darker' if stops > 0 else 'lighter'} than {title} is",
            f"It scatters {100 * tones.middle:.0f} % of the light; of {title} "
            f"{100 * low:.0f} to {100 * high:.0f} % was measured.",
            press="Lighten it" if stops > 0 else "Darken it",
            mend=looked.added("exposure", stops=round(round(stops / 0.05) * 0.05, 2)),
        )
    ]


def light(looked: Looked) -> list[MapFinding]:
    """Say of light that was left in: broad, or of a lamp on the relief."""
    if looked.map.role is not Role.COLOUR:
        return []
    return [*_broad(looked), *_lamp(looked)]


def _broad(looked: Looked) -> list[MapFinding]:
    tile = looked.tile
    if tile is None or looked.own is None or looked.has("balance_light"):
        return []
    if not any(f.kind == "light" and f.strength >= _BROAD for f in tile.faults):
        return []
    first = next((s.id for s in looked.map.steps if STEPS[s.params.kind].family == FAMILY), None)
    step = Step.model_validate({"params": {"kind": "balance_light"}})
    return [
        looked.finding(
            "broad-light",
            "Broad light was left in",
            "It repeats with the tile. Balance it.",
            press="Balance the light",
            mend=AddStep(map=looked.map.id, step=step, before=first),
        )
    ]


def _lamp(looked: Looked) -> list[MapFinding]:
    tones = looked.after.tones if looked.after is not None else None
    if tones is None or tones.lamp is None or looked.has("relief_light"):
        return []
    side = _SIDES[round(tones.lamp / 45) % 8]
    return [
        looked.finding(
            "lamp",
            f"A lamp at the {side} was left on its relief",
            "The game lights it again. Taken out at Finish, the relief is still read from it.",
            press="Take it out",
            mend=looked.added(
                "relief_light", finish=True, light="given", azimuth=round(tones.lamp)
            ),
        )
    ]


def helpers(looked: Looked) -> list[MapFinding]:
    """Say of a backdrop or a guide that was left in the picture."""
    left = looked.source.left if looked.source is not None else None
    own = looked.own
    if left is None or own is None:
        return []
    if left.backdrop is not None:
        mend = None
        if left.inside is not None and own.frame.plain:
            x0, y0, x1, y1 = left.inside
            inside = frame_of(((x0, y0), (x1, y0), (x1, y1), (x0, y1)))
            mend = SetFrame(map=looked.map.id, frame=inside)
        tint = "#{:02x}{:02x}{:02x}".format(*left.backdrop)
        return [
            looked.finding(
                "backdrop",
                f"An even backdrop, {tint}, takes {100 * left.share:.0f} % of it",
                "Crop it away."
                if mend
                else "Make alpha of it by its colour, or frame what lies inside.",
                press="Crop it away",
                mend=mend,
            )
        ]
    return [_guide(looked, guide) for guide in left.guides if not _taken_out(looked, guide)]


def _guide(looked: Looked, guide: Guide) -> MapFinding:
    at, width = round(guide.at, 4), min(5.0, max(0.01, round(100 * guide.width, 2)))
    down = guide.way == "down"
    return looked.finding(
        "guide",
        f"A guide line runs {guide.way} at {100 * at:.0f} %",
        "Fill it from its two sides.",
        press="Take it out",
        mend=looked.added("line_out", first=True, way=guide.way, at=at, width=width),
        parts=[[at, 0.0, at, 1.0] if down else [0.0, at, 1.0, at]],
    )


def _taken_out(looked: Looked, guide: Guide) -> bool:
    lines = (s.params for s in looked.map.steps if s.enabled and isinstance(s.params, LineOut))
    return any(line.way == guide.way and abs(line.at - guide.at) < _SAME for line in lines)


def _range(looked: Looked) -> tuple[float, float]:
    matter = looked.surface.matter
    low, high = MATTERS[matter].albedo if matter is not None else (0.0, 1.0)
    return max(low, 2 * _DARKEST), min(high, _LIGHTEST)
