"""Open a data folder: what a crash interrupted is finished or undone first."""

from __future__ import annotations

from stonestack.services.delivery import sweeping
from stonestack.services.game import coming
from stonestack.services.safe import keeping
from stonestack.services.workspace import Workspace
from stonestack.store import journal
from stonestack.store.place import DataFolder


def started(data: DataFolder) -> Workspace:
    """Open a workspace and settle what was under way when the last one ended."""
    ws = Workspace(data)
    keeping.list_whole(ws)
    if journal.unfinished(ws.data.journal):
        from stonestack.services.safe import putting

        putting.settle(ws)
    sweeping.sweep(ws)
    coming.sweep(ws)
    return ws
