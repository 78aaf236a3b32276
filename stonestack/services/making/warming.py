"""Render in the background what the screens will ask for first."""

from __future__ import annotations

from typing import Any

from stonestack.core.document import Stage
from stonestack.core.files.codecs import apart
from stonestack.core.runtime import stopping
from stonestack.core.runtime.errors import StoneError
from stonestack.services.documents import projects, surfaces
from stonestack.services.documents.surfaces import SurfaceSummary
from stonestack.services.jobs import Progress
from stonestack.services.making import checking
from stonestack.services.making.scheduler import Urgency, urgent
from stonestack.services.workspace import Workspace

THUMB, SLOT, SWATCH = 96, 192, 512
"""Sides of pictures in lists, in the slots of materials, and of surfaces."""
AT_HAND = 24
"""So many surfaces, those last changed, are checked before they are opened."""


def warm(ws: Workspace, progress: Progress) -> dict[str, Any]:
    """Render small pictures and numbers of every surface, and check those at hand.

    What cannot be made is left, and told where somebody looks at it.

    Returns
    -------
    dict
        ``left``: the titles of surfaces that could not be prepared.
    """
    apart.ready()
    listed = [s for p in projects.listed(ws) for s in surfaces.listed(ws, p.id) if not s.problem]
    at_hand = {s.id for s in sorted(listed, key=lambda s: -s.revision)[:AT_HAND]}
    left = []
    with urgent(Urgency.WARMING), stopping.stoppable(progress.is_stopped):
        for done, summary in enumerate(listed):
            progress.at(done / len(listed), f"Preparing {summary.title}")
            try:
                _prepare(ws, summary, checked=summary.id in at_hand)
            except StoneError:
                left.append(summary.title)
    ws.cache.trim()
    return {"left": left}


def _prepare(ws: Workspace, summary: SurfaceSummary, checked: bool) -> None:
    for by_stage in surfaces.get(ws, summary.id).keys.values():
        for stage, key in by_stage.items():
            if key is not None:
                ws.renderer.png(key, THUMB)
                ws.renderer.facts(key, Stage(stage))
    for key in summary.keys.values():
        if key is not None:
            for side in (SLOT, SWATCH):
                ws.renderer.png(key, side)
    if checked:
        checking.checked(ws, summary.id)
