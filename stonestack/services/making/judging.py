"""What is measured of one step while it is worked on: tones, likeness, what lies inside."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from stonestack.core.document import Surface
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.node import Key
from stonestack.core.picture.image import Picture
from stonestack.core.picture.measures.histogram import COUNTED_AT, Histogram, counted
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps.match import Difference, Match, difference
from stonestack.services.documents import history
from stonestack.services.documents.history import SURFACE
from stonestack.services.workspace import Workspace


class Inside(BaseModel):
    """How much of what a step lays over a map lies inside a mask, 0..1; None where nothing does."""

    share: float | None


class Differences(BaseModel):
    """How far a map is from the picture that it is matched to: before the step, and after it."""

    before: Difference | None = None
    after: Difference | None = None


def histogram(ws: Workspace, surface_id: str, map_id: str, step_id: str) -> Histogram:
    """Count the tones that a step of a map gets, as the eye sees them."""
    wiring = Wiring(_document(ws, surface_id), COUNTED_AT)
    key = wiring.before(map_id, step_id)
    return Histogram(counts=[]) if key is None else counted(_picture(ws, wiring, key))


def inside(ws: Workspace, surface_id: str, map_id: str, step_id: str, mask_id: str) -> Inside:
    """Measure whether what a step lays over a map lies inside a mask.

    Raises
    ------
    BadRequest
        If the step lays nothing over.
    """
    document = _document(ws, surface_id)
    kind = document.map(map_id).step(step_id).kind
    if not kind.over:
        raise BadRequest(
            "lays-nothing", f"{kind.title} lays nothing over.", "Choose a picture or lettering."
        )
    wiring = Wiring(document, COUNTED_AT)
    found = wiring.layer(map_id, step_id, mask_id)
    if found is None:
        return Inside(share=None)
    layer, mask = (_picture(ws, wiring, key) for key in found)
    opacity = layer.opacity
    total = 0.0 if opacity is None else float(opacity.sum())
    if opacity is None or total < 1e-3:
        return Inside(share=None)
    return Inside(share=round(float(np.sum(opacity * mask.body)) / total, 4))


def differences(ws: Workspace, surface_id: str, map_id: str, step_id: str) -> Differences:
    """Measure how far a map is from the picture that a step matches it to."""
    document = _document(ws, surface_id)
    step = document.map(map_id).step(step_id)
    if not isinstance(step.params, Match):
        raise BadRequest("no-match", f"{step.kind.title} matches nothing.", "Choose Match.")
    wiring = Wiring(document, COUNTED_AT)
    key = wiring.before(map_id, step_id)
    if key is None:
        return Differences()
    other = _picture(ws, wiring, wiring.source_read(step.params.picture))
    before = _picture(ws, wiring, key)
    after = step.kind.apply(before, step.params, other)
    return Differences(before=difference(before, other), after=difference(after, other))


def _document(ws: Workspace, surface_id: str) -> Surface:
    with ws.session() as session:
        return history.read(session, SURFACE, surface_id)


def _picture(ws: Workspace, wiring: Wiring, key: Key) -> Picture:
    ws.renderer.graphs.add(wiring.graph, [key], lasting=False)
    return ws.renderer.picture(key)
