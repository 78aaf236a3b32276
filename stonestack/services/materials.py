"""Materials: list, change and check them."""

from __future__ import annotations

from pydantic import BaseModel
from sqlmodel import Session, col, select

from stonestack.core import materials
from stonestack.core.materials import Finding, Material
from stonestack.core.roles import Role
from stonestack.core.surface import Stage, Surface
from stonestack.core.targets import TARGETS, Target
from stonestack.core.wiring import Wiring
from stonestack.services.surfaces import current_document
from stonestack.services.workspace import Workspace, must
from stonestack.store.tables import MaterialRow, ProjectRow, SurfaceRow


class SlotView(BaseModel):
    """One slot of a material: the file it names and a picture of it."""

    role: Role
    word: str
    file_name: str | None
    key: str | None


class MaterialView(BaseModel):
    """A material as the table sees it."""

    id: str
    surface_id: str
    document: Material
    slots: list[SlotView]
    findings: list[Finding]
    definition: str


def listed(ws: Workspace, project_id: str) -> list[MaterialView]:
    """Return a project's materials in the order they were made."""
    with ws.session() as session:
        target = TARGETS[must(session, ProjectRow, project_id, "project").target]
        rows = session.exec(
            select(MaterialRow)
            .where(MaterialRow.project_id == project_id)
            .order_by(col(MaterialRow.created))
        ).all()
        return [_view(ws, session, row, target) for row in rows]


def change(ws: Workspace, material_id: str, document: Material) -> MaterialView:
    """Replace a material's parameters."""
    with ws.session() as session:
        row = must(session, MaterialRow, material_id, "material")
        target = TARGETS[must(session, ProjectRow, row.project_id, "project").target]
        row.document = document.model_dump_json()
        session.add(row)
        return _view(ws, session, row, target)


def of_surface(session: Session, surface_id: str) -> list[Material]:
    """Return the materials that show a surface."""
    rows = session.exec(select(MaterialRow).where(MaterialRow.surface_id == surface_id))
    return [Material.model_validate_json(row.document) for row in rows]


def _view(ws: Workspace, session: Session, row: MaterialRow, target: Target) -> MaterialView:
    document = Material.model_validate_json(row.document)
    surface = current_document(session, must(session, SurfaceRow, row.surface_id, "surface"))
    return MaterialView(
        id=row.id,
        surface_id=row.surface_id,
        document=document,
        slots=_slots(ws, surface, target),
        findings=materials.check(document, surface, target),
        definition=materials.definition(document, surface, target).decode(),
    )


def _slots(ws: Workspace, surface: Surface, target: Target) -> list[SlotView]:
    links = materials.linked(surface, target)
    wiring = Wiring(surface)
    keys = {role: wiring.at(role, Stage.SIZE) for role in target.slots if role in links}
    ws.renderer.graphs.add(wiring.graph, [key for key in keys.values() if key])
    return [
        SlotView(role=role, word=word, file_name=links.get(role), key=keys.get(role))
        for role, word in target.slots.items()
    ]
