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
    drawing = Drawing() if before is None else strokes.read(ws.files.read(before))
    if stroke is not None:
        drawing = Drawing(strokes=(*drawing.strokes, stroke))
    data = strokes.kept(drawing)
    strokes.read(data)
    return StrokesRef(sha256=ws.files.keep(data), count=len(drawing.strokes))
