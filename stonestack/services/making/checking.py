"""What to look at in a surface's maps: measured by the graph, judged by the rules."""

from __future__ import annotations

from contextlib import ExitStack

from pydantic import BaseModel

from stonestack.core.document import Stage
from stonestack.core.document.materials import Material
from stonestack.core.graph.looking import looked, wanted
from stonestack.core.graph.wiring import Wiring
from stonestack.core.judge.checks.looked import MapFinding
from stonestack.core.judge.checks.of_maps import of_map
from stonestack.core.kinds.node import Key
from stonestack.core.runtime.errors import NotWanted
from stonestack.core.tables.targets import target_of
from stonestack.services.documents import history, projects
from stonestack.services.documents.history import MATERIAL, SURFACE
from stonestack.services.making.scheduler import Urgency, urgent
from stonestack.services.workspace import Workspace


class Checked(BaseModel):
    """What there is to look at in a surface, as of one revision."""

    revision: int
    findings: list[MapFinding]


def checked(ws: Workspace, surface_id: str) -> Checked:
    """Check every map of a surface; what was measured of the same maps is not measured again."""
    with ws.session() as session:
        row = history.row_of(session, SURFACE, surface_id)
        document = history.body_of(session, SURFACE, row)
        owned = history.owned(session, MATERIAL, surface_id)
        materials = history.bodies(session, MATERIAL, owned)
        settings = projects.settings_of(session, row.project_id)
    wiring = Wiring(document, target=target_of(settings.targets[0]))
    measuring = wanted(wiring)
    results = _measured(ws, surface_id, row.head, wiring, [one.key for one in measuring])
    own = materials[owned[0].id] if owned else None
    cutout = own.cutout if isinstance(own, Material) else None
    told: dict[str, dict[str, bytes]] = {m.id: {} for m in document.maps}
    for one, data in zip(measuring, results, strict=True):
        told[one.map][one.what] = data
    findings = [
        finding
        for m in document.maps
        for finding in of_map(looked(document, m, wiring, told[m.id], cutout))
    ]
    return Checked(revision=row.head, findings=findings)


def _measured(
    ws: Workspace, surface_id: str, revision: int, wiring: Wiring, keys: list[Key]
) -> list[bytes]:
    """Carry measurements out, unless what they need was stopped.

    A view that leaves a map lets go of it; for a check it is made all the same, as long as the
    surface has not moved on.
    """
    ws.renderer.graphs.add(wiring.graph, keys)
    maps = wiring.surface.maps
    shown = [key for m in maps if (key := wiring.at(m.id, Stage.STEPS)) is not None]
    while True:
        try:
            with ExitStack() as asked, urgent(Urgency.SHEET):
                for key in shown:
                    asked.enter_context(ws.renderer.asked(key))
                return list(ws.renderer.files(wiring.graph, keys))
        except NotWanted:
            with ws.session() as session:
                if history.row_of(session, SURFACE, surface_id).head != revision:
                    raise
