"""Strokes of a marker: a further one makes a new kept file, so that each revision has its own."""

from __future__ import annotations

from stonestack.core.kinds.references import StrokesRef
from stonestack.core.steps.masks import strokes
from stonestack.core.steps.masks.strokes import Drawing, Stroke
from stonestack.services.workspace import Workspace


def added(ws: Workspace, before: str | None, stroke: Stroke | None) -> StrokesRef:
    """Keep a drawing with one more stroke; none to begin with.

    Parameters
    ----------
    before : str or None
        Content hash of the drawing that it is added to.
    stroke : Stroke or None

    Raises
    ------
    BadRequest
        If what is kept are no strokes, or they became too many.
    """
    if before is None:
        data = strokes.kept(Drawing(strokes=() if stroke is None else (stroke,)))
        return StrokesRef(sha256=ws.files.keep(data), count=0 if stroke is None else 1)
    data = ws.files.read(before)
    count = len(strokes.read(data).strokes)
    if stroke is None:
        return StrokesRef(sha256=before, count=count)
    data, keeps = strokes.grown(data, stroke)
    strokes.read(data)
    return StrokesRef(sha256=ws.files.keep_grown(data, before, keeps), count=count + 1)
