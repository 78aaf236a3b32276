"""Materials: list, change and check them."""

from __future__ import annotations

from pydantic import BaseModel
from sqlmodel import Session

from stonestack.core.document import materials
from stonestack.core.document.materials import Material
from stonestack.core.kinds.findings import Finding
from stonestack.core.tables.roles import Role
from stonestack.core.tables.targets import Target, target_of
from stonestack.services.documents import history, projects, summaries
from stonestack.services.documents.history import MATERIAL, SURFACE
from stonestack.services.documents.summaries import Summary
from stonestack.services.workspace import Workspace
from stonestack.store.tables import DocumentRow


class SlotView(BaseModel):
    """One slot of a material: the file it names and a picture of it."""

    role: Role
    word: str
    file_name: str | None
    key: str | None


class MaterialSummary(BaseModel):
    """A material as the table sees it."""

    id: str
    surface_id: str
    revision: int
    document: Material | None
    slots: list[SlotView]
    findings: list[Finding] = []
    problem: str = ""


class MaterialView(BaseModel):
    """A material with its definition and what is wrong with it."""

    id: str
    surface_id: str
    revision: int
    document: Material
    path: str
    findings: list[Finding]
    definition: str
    undo: str | None
    redo: str | None


def listed(ws: Workspace, project_id: str) -> list[MaterialSummary]:
    """Return a project's materials in the order they were made."""
    with ws.session() as session:
        settings = projects.settings_of(session, project_id)
        rows = history.rows_of(session, MATERIAL, project_id)
        bodies = history.bodies(session, MATERIAL, rows)
        owners = history.rows_of(session, SURFACE, project_id)
        known = summaries.of(ws, session, owners, settings)
    target = target_of(settings.targets[0])
    return [
        MaterialSummary(
            id=row.id,
            surface_id=row.owner,
            revision=row.head,
            document=body if isinstance(body := bodies[row.id], Material) else None,
            slots=_slots(known.get(row.owner), target),
            findings=_findings(known.get(row.owner), target),
            problem="" if isinstance(body, Material) else str(body),
        )
        for row in rows
    ]


def get(ws: Workspace, material_id: str) -> MaterialView:
    """Return one material with its definition."""
    with ws.session() as session:
        row = history.row_of(session, MATERIAL, material_id)
        return _view(session, row)


def change(ws: Workspace, material_id: str, base: int, document: Material) -> MaterialView:
    """Replace a material's parameters.

    Raises
    ------
    Conflict
        If it was changed elsewhere since ``base``.
    """
    with ws.writing() as session:
        row = history.row_of(session, MATERIAL, material_id)
        before = history.body_of(session, MATERIAL, row)
        history.change(session, _words(before, document), [history.Change(row, document, base)])
    return get(ws, material_id)


def of_surface(session: Session, surface_id: str) -> list[Material]:
    """Return the materials that show a surface."""
    bodies = history.bodies(session, MATERIAL, history.owned(session, MATERIAL, surface_id))
    return [body for body in bodies.values() if isinstance(body, Material)]


def _words(before: Material, after: Material) -> str:
    for name, field in type(after).model_fields.items():
        value = getattr(after, name)
        if getattr(before, name) != value:
            words = {True: "on", False: "off"}.get(value, value)
            return f"{after.title}: {field.title or name.capitalize()} {words}"
    return f"{after.title}: as it was"


def _view(session: Session, row: DocumentRow) -> MaterialView:
    document = history.body_of(session, MATERIAL, row)
    surface = history.read(session, SURFACE, row.owner)
    settings = projects.settings_of(session, row.project_id)
    target = target_of(settings.targets[0])
    before, ahead = history.neighbours(session, row)
    return MaterialView(
        id=row.id,
        surface_id=row.owner,
        revision=row.head,
        document=document,
        path=target.material_path(document.name) if target.materials else "",
        findings=materials.check(document, surface, target),
        definition=materials.definition(document, surface, target).decode(),
        undo=before,
        redo=ahead,
    )


def _findings(summary: Summary | str | None, target: Target) -> list[Finding]:
    return summary.links.get(target.name, []) if isinstance(summary, Summary) else []


def _slots(summary: Summary | str | None, target: Target) -> list[SlotView]:
    if not isinstance(summary, Summary):
        return []
    parts = {part.role: part for part in summary.parts.get(target.name, [])}
    return [
        SlotView(
            role=role,
            word=word,
            file_name=parts[role].path if role in parts else None,
            key=summary.keys.get(role),
        )
        for role, word in target.slots.items()
    ]
