"""Take a thin line out that runs from edge to edge: a guide that was left in."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.texels import normalised


class LineOut(StepParams):
    """Parameters of :func:`line_out`."""

    kind: Literal["line_out"] = "line_out"
    way: Literal["down", "across"] = Field("down", title="It runs", description="From edge to edge")
    at: float = Field(
        0.5, ge=0, le=1, multiple_of=0.0001, title="At", description="Share of the side"
    )
    width: float = Field(
        0.5, ge=0.01, le=5, multiple_of=0.01, title="Width", description="Per cent of the side"
    )


def line_out(picture: Picture, params: LineOut) -> Picture:
    """Fill a line evenly from what lies on its two sides, over the edge of a tile too."""
    turned = params.way == "across"
    body = picture.body.transpose(1, 0, 2) if turned else picture.body
    filled = _filled(body, params.at, params.width / 100, picture.wraps)
    if picture.space is Space.VECTOR:
        filled = normalised(filled)
    return picture.with_body(
        np.ascontiguousarray(filled.transpose(1, 0, 2) if turned else filled, np.float32)
    )


def _filled(body: Floats, at: float, width: float, wraps: bool) -> Floats:
    side = body.shape[1]
    first = int(np.floor((at - width / 2) * side))
    last = max(first + 1, int(np.ceil((at + width / 2) * side)))
    if last - first + 2 > side:
        return body
    beside = np.array([first - 1, last])
    if wraps:
        beside %= side
    else:
        # At a rim there is one side only.
        inside = [place for place in beside if 0 <= place < side]
        beside = np.array([inside[0], inside[-1]])
    share = (np.arange(1, last - first + 1) / (last - first + 1)).astype(np.float32)
    share = share[np.newaxis, :, np.newaxis]
    line = body[:, beside[:1]] * (1 - share) + body[:, beside[1:]] * share
    places = np.arange(first, last)
    there = np.ones(len(places), np.bool_) if wraps else (places >= 0) & (places < side)
    out = body.copy()
    out[:, places[there] % side] = line[:, there]
    return out


STEP = StepKind(
    name="line_out",
    title="Line out",
    hint="Fills a thin line, such as a guide, from its two sides",
    params=LineOut,
    version=1,
    apply=line_out,
    spaces=frozenset(Space),
    group=Group.DETAIL,
    summary=lambda p: f"{p.way} at {100 * p.at:.1f} %",
)
