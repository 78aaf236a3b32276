"""Render in the background what the screens will ask for first."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

from stonestack.core import stopping
from stonestack.core.codecs import apart
from stonestack.core.document import Stage
from stonestack.core.errors import StoneError
from stonestack.services import checking, materials, projects, surfaces
from stonestack.services.jobs import Progress
from stonestack.services.materials import MaterialSummary
from stonestack.services.scheduler import Urgency, urgent
from stonestack.services.surfaces import SurfaceSummary
from stonestack.services.workspace import Workspace

THUMB, SLOT, SWATCH = 96, 192, 512
"""Sides of pictures in lists, in the slots of materials, and of surfaces."""
AT_HAND = 24
"""So many surfaces, those last changed, are checked before they are opened."""
Work = tuple[str, Callable[[], None]]
"""What is prepared, in words, and how."""


def warm(ws: Workspace, progress: Progress) -> dict[str, Any]:
    """Render small pictures and numbers that are not kept yet, and check what is at hand.

    What cannot be made is left, and told where somebody looks at it.

    Returns
    -------
    dict
        ``left``: the titles of what could not be prepared.
    """
    apart.ready()
    left = []
    with urgent(Urgency.WARMING), stopping.stoppable(progress.is_stopped):
        listed = list(_all(ws))
        for done, (title, work) in enumerate(listed):
            progress.at(done / len(listed), f"Preparing {title}")
            try:
                work()
            except StoneError:
                left.append(title)
    ws.cache.trim()
    return {"left": left}


def _all(ws: Workspace) -> Iterator[Work]:
    """Yield all that screens ask for first: lists, then what is checked when it is opened."""
    listed = [s for p in projects.listed(ws) for s in surfaces.listed(ws, p.id)]
    readable = [s for s in listed if not s.problem]
    for summary in readable:
        yield summary.title, partial(_show, ws, summary)
    for project in projects.listed(ws):
        for material in materials.listed(ws, project.id):
            title = material.document.title if material.document else "a material"
            yield title, partial(_fill, ws, material)
    for summary in sorted(readable, key=lambda s: -s.revision)[:AT_HAND]:
        yield summary.title, partial(_check, ws, summary)


def _show(ws: Workspace, summary: SurfaceSummary) -> None:
    for by_stage in surfaces.get(ws, summary.id).keys.values():
        for stage, key in by_stage.items():
            if key is not None:
                ws.renderer.png(key, THUMB)
                ws.renderer.facts(key, Stage(stage))
    for key in summary.keys.values():
        if key is not None:
            ws.renderer.png(key, SWATCH)


def _fill(ws: Workspace, material: MaterialSummary) -> None:
    for slot in material.slots:
        if slot.key is not None:
            ws.renderer.png(slot.key, SLOT)


def _check(ws: Workspace, summary: SurfaceSummary) -> None:
    checking.checked(ws, summary.id)
