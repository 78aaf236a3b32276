"""Checks of maps that have to belong together: size, cut, place, and whose relief they carry."""

from __future__ import annotations

from collections.abc import Sequence

from stonestack.core.document import Mask, MaskPart, Step
from stonestack.core.document.edits import AddLimited, Edit, SetMovesWith, SetSize, Thaw
from stonestack.core.judge.checks.looked import Looked, MapFinding
from stonestack.core.judge.checks.old_relief import Part
from stonestack.core.kinds.references import MapRef
from stonestack.core.picture.image import Space
from stonestack.core.steps.masks.combining import Combine
from stonestack.core.steps.masks.outline import Corner, Outline
from stonestack.core.tables.roles import Role

_ANEW: dict[Role, str] = {
    Role.NORMAL: "normal_anew",
    Role.HEIGHT: "height_anew",
    Role.SPECULAR: "specular_anew",
    Role.GLOSS: "gloss_anew",
    Role.ROUGHNESS: "roughness_anew",
}
HELD_AGAINST_COLOUR = frozenset(_ANEW)
"""Roles whose maps show the relief, or the matter, that the colour shows."""
_FITS, _BETTER = 0.3, 1.5
"""Correlation with the colour from which on a map fits, and times as much as now."""
_GROWN, _SOFT = 0.5, 0.5
"""By how much a part is grown and feathered, in hundredths of the width."""


def size(looked: Looked) -> list[MapFinding]:
    """Say of a map that is finished at another size than the colour."""
    colour, own = looked.surface.of_role(Role.COLOUR), looked.map
    if colour is None or colour.id == own.id or not looked.leaves.delivered:
        return []
    if own.origin is None or colour.origin is None or own.place is not None:
        return []
    ours, theirs = own.size, colour.size
    if (ours.width, ours.height) == (theirs.width, theirs.height):
        return []
    half = (2 * ours.width, 2 * ours.height) == (theirs.width, theirs.height)
    if half and own.space is not Space.VECTOR:
        return []
    other = ours.width * theirs.height != ours.height * theirs.width
    return [
        looked.finding(
            "size",
            f"It is {ours.width} × {ours.height}, the colour {theirs.width} × {theirs.height}",
            "Their texels lie apart." if not other else "It is stretched against the colour.",
            press="Make it as large",
            mend=SetSize(map=own.id, size=theirs),
        )
    ]


def cut(looked: Looked) -> list[MapFinding]:
    """Say of a map with a file of its own that it would fit if it were cut the other way."""
    now, then = looked.accord, looked.otherwise
    if now is None or then is None or then.alike < _FITS or then.alike < _BETTER * now.alike:
        return []
    colour, own = looked.surface.of_role(Role.COLOUR), looked.map
    if colour is None or own.frozen is not None:
        return []
    alone = own.moves_with is not None
    return [
        looked.finding(
            "cut",
            "It is cut as the colour is, and fits only as it came"
            if alone
            else "It is not framed and cut as the colour is",
            "It was made for the finished tile. Leave it as it came."
            if alone
            else "What belongs together lies apart. Let it follow the colour.",
            level="fault",
            press="Leave it as it came" if alone else "Cut it alike",
            mend=SetMovesWith(map=own.id, moves_with=None if alone else colour.id),
        )
    ]


def place(looked: Looked) -> list[MapFinding]:
    """Say of a map that fits the colour elsewhere than where it lies."""
    moved = looked.accord.moved if looked.accord is not None else None
    if moved is None or cut(looked):
        return []
    across, down = (round(100 * share) for share in moved)
    ways = [f"{abs(across)} % {'right' if across > 0 else 'left'}"] if across else []
    ways += [f"{abs(down)} % {'down' if down > 0 else 'up'}"] if down else []
    return [
        looked.finding(
            "place",
            f"It seems to lie {' and '.join(ways) or 'a little'} off the colour",
            "It was cut elsewhere. Bring in the file that belongs to this colour, or make it anew.",
            level="fault",
        )
    ]


def old_relief(looked: Looked) -> list[MapFinding]:
    """Say where a map still shows a picture that the colour does not show any more."""
    found = looked.accord
    if found is None or not found.parts or found.moved is not None:
        return []
    share = sum(part.share for part in found.parts)
    where = "one place" if len(found.parts) == 1 else f"{len(found.parts)} places"
    frozen = looked.map.frozen is not None
    return [
        looked.finding(
            "old-relief",
            f"In {where}, {100 * share:.0f} % of it, it shows what the colour does not",
            "The colour was changed there and this map was not. "
            + ("Let it follow again." if frozen else "Make just that part anew."),
            press="Let it follow again" if frozen else "Make that part anew",
            mend=Thaw(map=looked.map.id) if frozen else _anew(looked, found.parts),
            parts=[[v for corner in part.corners for v in corner] for part in found.parts],
        )
    ]


def _anew(looked: Looked, parts: Sequence[Part]) -> Edit | None:
    colour = looked.surface.of_role(Role.COLOUR)
    kind = _ANEW.get(looked.map.role)
    if colour is None or kind is None or looked.map.id in looked.surface.reads(colour):
        return None
    params = {"kind": kind, "colour": MapRef(map=colour.id), **_as_elsewhere(looked)}
    step = Step.model_validate({"params": params})
    first, *others = (_outline(part) for part in parts)
    titles = {mask.title for mask in looked.surface.masks}
    title = next(t for t in _titles() if t not in titles)
    mask = Mask(
        title=title,
        shape=first,
        parts=tuple(MaskPart(how=Combine.ADD, shape=shape) for shape in others),
        grow=_GROWN,
        feather=_SOFT,
    )
    return AddLimited(map=looked.map.id, step=step, mask=mask)


def _titles() -> Sequence[str]:
    return ("Old relief", *(f"Old relief {n}" for n in range(2, 100)))


def _outline(part: Part) -> Outline:
    corners = (Corner(x=_within(x), y=_within(y)) for x, y in part.corners)
    return Outline(corners=tuple(corners))


def _within(share: float) -> float:
    return min(2.0, max(-1.0, share))


def _as_elsewhere(looked: Looked) -> dict[str, object]:
    """Return parameters that make a part as strong as the rest of the map is."""
    after = looked.after
    if after is None:
        return {}
    if after.slopes is not None:
        steepness = min(75.0, round(after.slopes.steepness * 2) / 2)
        return {"by": "steepness", "steepness": steepness}
    if after.levels is None:
        return {}
    if looked.map.role is Role.SPECULAR:
        low, high = (round(v * 200) / 200 for v in (after.levels.low, after.levels.high))
        return {"low": low, "high": high}
    if looked.map.role in (Role.GLOSS, Role.ROUGHNESS):
        return {"level": round(after.levels.middle, 2)}
    return {}
