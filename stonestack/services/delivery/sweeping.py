"""Delete what a hard stop left of builds."""

from __future__ import annotations

from pathlib import Path

from sqlmodel import select

from stonestack.core.runtime.errors import Conflict
from stonestack.services.workspace import Workspace
from stonestack.store import disk
from stonestack.store.door import door
from stonestack.store.tables import BuildRow


def sweep(ws: Workspace) -> None:
    """Delete what a hard stop left of builds that were never noted."""
    for own in ws.data.builds.glob("*/"):
        try:
            with door(own, ws.data.doors, "sweeping up", patience=0):
                sweep_one(ws, own)
        except Conflict:
            continue  # Somebody builds there just now.


def sweep_one(ws: Workspace, own: Path) -> None:
    """Behind a delivery's door: delete folders of builds that the database does not know."""
    with ws.session() as session:
        known = set(session.exec(select(BuildRow.folder).where(BuildRow.delivery_id == own.name)))
    for folder in own.iterdir():
        if f"{own.name}/{folder.name}" not in known:
            disk.now().remove_tree(folder)
