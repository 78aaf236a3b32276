"""The making of a surface's stages: how far it is, what is at work, and how to stop it."""

from __future__ import annotations

from pydantic import BaseModel

from stonestack.core.document import Map, SourceOrigin, Stage
from stonestack.core.graph import ops
from stonestack.services.documents import surfaces
from stonestack.services.documents.surfaces import SurfaceView
from stonestack.services.workspace import Workspace


class MakingView(BaseModel):
    """How far the making of a surface is."""

    done: int
    total: int
    doing: str | None
    """What is being computed right now, if anything."""
    stopped: bool
    """Whether a person stopped it, and something is not made."""


def get(ws: Workspace, surface_id: str) -> MakingView:
    """Return how far the making of a surface is."""
    return _view(ws, surfaces.get(ws, surface_id))


def stop(ws: Workspace, surface_id: str) -> MakingView:
    """Stop what is being made of a surface; nothing more is made until told to go on."""
    surface = surfaces.get(ws, surface_id)
    ws.renderer.halt(key for stage, key in _shown(surface) if not ws.renderer.measured(key, stage))
    return _view(ws, surface)


def go_on(ws: Workspace, surface_id: str) -> MakingView:
    """Make what was stopped."""
    surface = surfaces.get(ws, surface_id)
    ws.renderer.go_on(key for _, key in _shown(surface))
    return _view(ws, surface)


def _view(ws: Workspace, surface: SurfaceView) -> MakingView:
    shown = _shown(surface)
    keys = [key for _, key in shown]
    at_work = ws.renderer.at_work(keys)
    return MakingView(
        done=sum(ws.renderer.measured(key, stage) for stage, key in shown),
        total=len(shown),
        doing=ops.words(at_work[0]) if at_work else None,
        stopped=ws.renderer.halted(keys),
    )


def _shown(surface: SurfaceView) -> list[tuple[Stage, str]]:
    """Return the stages that the course sheet shows, with their keys."""
    return [
        (stage, key)
        for m in surface.document.maps
        for stage, key in surface.keys[m.id].items()
        if key is not None and _is_shown(m, stage, surface.outputs[m.id].delivered)
    ]


def _is_shown(m: Map, stage: Stage, delivered: bool) -> bool:
    if stage is Stage.SOURCE:
        return isinstance(m.origin, SourceOrigin)
    return stage in (Stage.STEPS, Stage.SIZE) or (stage is Stage.COMPRESS and delivered)
