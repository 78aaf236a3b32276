"""Render in the background what the screens will ask for first."""

from __future__ import annotations

from typing import Any

from stonestack.core import stopping
from stonestack.core.codecs import apart
from stonestack.core.document import Stage
from stonestack.services import projects, surfaces
from stonestack.services.jobs import Progress
from stonestack.services.scheduler import Urgency, urgent
from stonestack.services.workspace import Workspace

THUMB, SWATCH = 96, 512


def warm(ws: Workspace, progress: Progress) -> dict[str, Any]:
    """Render small pictures and numbers of every surface that are not kept yet."""
    apart.ready()
    with urgent(Urgency.WARMING), stopping.stoppable(progress.is_stopped):
        _warm(ws, progress)
    ws.cache.trim()
    return {}


def _warm(ws: Workspace, progress: Progress) -> None:
    listed = [s for p in projects.listed(ws) for s in surfaces.listed(ws, p.id)]
    for done, summary in enumerate(listed):
        for by_stage in surfaces.get(ws, summary.id).keys.values():
            for stage, key in by_stage.items():
                progress.at(done / len(listed), f"Preparing {summary.title}")
                if key is not None:
                    ws.renderer.png(key, THUMB)
                    ws.renderer.facts(key, Stage(stage))
        for key in summary.keys.values():
            if key is not None:
                ws.renderer.png(key, SWATCH)
