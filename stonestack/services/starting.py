"""Open a data folder: what a crash interrupted is finished or undone first."""

from __future__ import annotations

from stonestack.services.delivery import building
from stonestack.services.game import sources
from stonestack.services.safe import keeping, putting
from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder


def started(data: DataFolder) -> Workspace:
    """Open a workspace and settle what was under way when the last one ended."""
    ws = Workspace(data)
    keeping.list_whole(ws)
    putting.settle(ws)
    building.sweep(ws)
    sources.sweep(ws)
    return ws
