"""Surfaces: list, start, edit, undo and redo; and the keys of all their stages."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from pydantic import BaseModel
from sqlmodel import Session

from stonestack.core.document import (
    Frozen,
    SourceOrigin,
    Stage,
    Surface,
    differences,
    new_surface,
    rebuilt,
)
from stonestack.core.document.edits import AddMap, Edit, Freeze, SetMatter, SetOrigin
from stonestack.core.document.materials import Material, PhysicalKind
from stonestack.core.files import codecs
from stonestack.core.files.codecs import pictures
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.graph.wiring import Wiring
from stonestack.core.judge.matter_guess import guess_matter
from stonestack.core.kinds.node import Key
from stonestack.core.kinds.references import SourceRef
from stonestack.core.picture.image import Picture, Space
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.matters import MATTERS
from stonestack.core.tables.roles import Role
from stonestack.core.tables.targets import TARGETS, Target, target_of
from stonestack.services.documents import history, projects, summaries
from stonestack.services.documents.history import MATERIAL, SURFACE
from stonestack.services.documents.outputs import OutputView, outputs
from stonestack.services.documents.summaries import Summary, SurfaceState
from stonestack.services.workspace import Workspace
from stonestack.store.tables import DocumentRow, new_id

_GUESSED_AT = 256
_SURE_ENOUGH = 0.4
"""Below it nothing is said of what a surface is made of; its maps begin as usual."""


class SurfaceView(BaseModel):
    """A surface as the bench sees it."""

    id: str
    project_id: str
    revision: int
    moves: int
    document: Surface
    target: str
    keys: dict[str, dict[Stage, str | None]]
    masks: dict[str, str]
    """The keys of its masks as pictures, by id."""
    laid: dict[str, str]
    """The keys of maps as masks read them, by id, of those that a mask reads."""
    outputs: dict[str, OutputView]
    out_of_date: list[str]
    undo: str | None
    redo: str | None
    state: SurfaceState
    material_id: str | None
    material: Material | None
    said: str = ""
    """What was just undone or done again, in words."""
    left: list[str] = []
    """Kinds of what an undo or redo could not take along, since it was changed again."""


class SurfaceSummary(BaseModel):
    """A surface as the list of surfaces sees it."""

    id: str
    title: str
    name: str
    state: SurfaceState
    maps: int
    revision: int
    keys: dict[Role, str | None]
    width: int
    metres: float
    faults: int = 0
    problem: str = ""


class RevisionKeys(BaseModel):
    """The content keys of one revision."""

    number: int
    keys: dict[str, dict[Stage, str | None]]


# ---- Reading -----------------------------------------------------------------------------


def get(ws: Workspace, surface_id: str) -> SurfaceView:
    """Return a surface with the keys of all its stages."""
    with ws.session() as session:
        row = history.row_of(session, SURFACE, surface_id)
        document = history.body_of(session, SURFACE, row)
        undo, redo = history.neighbours(session, row)
        owned = history.owned(session, MATERIAL, surface_id)
        materials = history.bodies(session, MATERIAL, owned)
        settings = projects.settings_of(session, row.project_id)
        summary = summaries.of(ws, session, [row], settings)[row.id]
        state = summaries.state(ws, session, settings, row, summary)
    target = target_of(settings.targets[0])
    wiring = Wiring(document, target=target)
    shown = materials[owned[0].id] if owned else None
    return SurfaceView(
        id=surface_id,
        project_id=row.project_id,
        revision=row.head,
        moves=row.moves,
        document=document,
        target=target.name,
        keys=_announced(ws, wiring),
        masks=_announced_masks(ws, wiring),
        laid=_announced_laid(ws, wiring),
        outputs=outputs(document, target, settings.game_folder),
        out_of_date=[m.id for m in document.maps if wiring.out_of_date(m)],
        undo=undo,
        redo=redo,
        state=state,
        material_id=owned[0].id if owned else None,
        material=shown if isinstance(shown, Material) else None,
    )


def listed(ws: Workspace, project_id: str) -> list[SurfaceSummary]:
    """Return a project's surfaces in the order they were made; one that is unreadable says so."""
    with ws.session() as session:
        settings = projects.settings_of(session, project_id)
        rows = history.rows_of(session, SURFACE, project_id)
        known = summaries.of(ws, session, rows, settings)
        built = summaries.built(ws, session, settings, "document.project_id", project_id)
    return [_summary(row, known[row.id], built) for row in rows]


def _summary(row: DocumentRow, summary: Summary | str, built: summaries.Built) -> SurfaceSummary:
    if isinstance(summary, str):
        return SurfaceSummary(
            id=row.id,
            title="Unreadable surface",
            name="",
            state=SurfaceState.UNREADABLE,
            maps=0,
            revision=row.head,
            keys={},
            width=0,
            metres=1,
            problem=summary,
        )
    first = next(iter(summary.parts.values()), [])
    return SurfaceSummary(
        id=row.id,
        title=summary.title,
        name=summary.name,
        state=summaries.state_of(row.id, summary, built),
        maps=summary.maps,
        revision=row.head,
        keys=summary.keys,
        width=summary.width,
        metres=summary.metres,
        faults=sum(part.faults for part in first),
    )


# ---- Changing ----------------------------------------------------------------------------


@dataclass(frozen=True)
class Beginning:
    """A surface that is to be, and the edits that it begins with.

    Maps that it has already are not added.
    """

    title: str
    name: str
    edits: Sequence[Edit] = ()


def create(
    ws: Workspace, project_id: str, title: str, name: str, edits: Sequence[Edit] = ()
) -> SurfaceView:
    """Make a surface, with its material and the edits that it begins with, as one action.

    Raises
    ------
    BadRequest
        If the name cannot be a file name, or another surface has it.
    """
    words = f"{title} started"
    [made] = create_all(ws, project_id, words, [Beginning(title, name, edits)])
    return made


def create_all(
    ws: Workspace, project_id: str, words: str, beginnings: Sequence[Beginning]
) -> list[SurfaceView]:
    """Make surfaces, with their materials and edits, as one action: all of them or none.

    Raises
    ------
    BadRequest
        If a name cannot be a file name, another surface has it, or an edit does not fit.
    """
    with ws.session() as session:
        settings = projects.settings_of(session, project_id)
        rows = history.rows_of(session, SURFACE, project_id)
        known = summaries.of(ws, session, rows, settings).values()
        taken = {s.name for s in known if isinstance(s, Summary)}
        seen = {row.id: row.head for row in rows}
    target = target_of(settings.targets[0])
    made = [_made(ws, beginning, target) for beginning in beginnings]
    with ws.writing() as session:
        # Others may have been started, or renamed, since.
        rows = history.rows_of(session, SURFACE, project_id)
        newer = [row for row in rows if seen.get(row.id) != row.head]
        bodies = history.bodies(session, SURFACE, newer).values()
        taken |= {body.name for body in bodies if isinstance(body, Surface)}
        for beginning in beginnings:
            if beginning.name in taken:
                raise BadRequest(
                    "name-taken",
                    f"Another surface is called {beginning.name}.",
                    "Choose another name.",
                )
            taken.add(beginning.name)
        action = history.acted(session, project_id, words)
        ids = []
        for plain, edited in made:
            own = plain.material.surface
            row = history.begin(session, SURFACE, project_id, plain.surface, action, "", own)
            held = history.begin(session, MATERIAL, project_id, plain.material, action, own)
            # What it begins with is a state of its own, so that one undo takes it back.
            changes = [history.Change(row, edited.surface), history.Change(held, edited.material)]
            history.change(session, words, changes, action)
            ids.append(own)
    return [get(ws, surface_id) for surface_id in ids]


class _Both(NamedTuple):
    surface: Surface
    material: Material


def _made(ws: Workspace, beginning: Beginning, target: Target) -> tuple[_Both, _Both]:
    """Return a new surface with its material, plain, and as it is after its edits."""
    roles = frozenset(r for r in Role if r.info.usual and _wanted(r, target))
    title, name = beginning.title, beginning.name
    surface = history.validated(lambda: new_surface(title, name, roles, frozenset(target.colours)))
    plain = now = _Both(surface, Material(title=title, name=name, surface=new_id()))
    for change in beginning.edits:
        if isinstance(change, AddMap) and now.surface.of_role(change.role) is not None:
            continue
        after = _edited(now.surface, change, _guess(ws, now.surface, change))
        now = _Both(after, _suited(now.surface, after, now.material))
    return plain, now


def _wanted(role: Role, target: Target) -> bool:
    """Tell whether a target asks for a role, or some role that it asks for comes from it."""
    asked = set(target.delivered) | set(target.slots)
    sources = {r.info.derived.source for r in asked if r.info.derived is not None}
    return role in asked or role.value in sources


def edit(ws: Workspace, surface_id: str, base: int, change: Edit) -> SurfaceView:
    """Make the next revision.

    Raises
    ------
    Conflict
        If ``base`` is not the present revision: another tab was faster.
    BadRequest
        If the edit does not fit the surface.
    """
    with ws.session() as session:
        guess = _guess(ws, history.read(session, SURFACE, surface_id), change)
    with ws.writing() as session:
        row = history.row_of(session, SURFACE, surface_id)
        if row.head != base:
            raise history.stale(SURFACE.words)
        before = history.body_of(session, SURFACE, row)
        after = _edited(before, change, guess)
        owned = history.owned(session, MATERIAL, surface_id)
        bodies = history.bodies(session, MATERIAL, owned)
        changes = [
            history.Change(row, after, base),
            *(
                history.Change(each, _suited(before, after, body))
                for each in owned
                if isinstance(body := bodies[each.id], Material)
            ),
        ]
        history.change(session, change.words(before), changes)
    return _moved_on(ws, surface_id, before)


def _edited(before: Surface, change: Edit, guess: SetMatter | None) -> Surface:
    """Return a surface after an edit, and after what its first picture says it is made of."""
    after = history.validated(lambda: change.apply(before))
    begun = isinstance(change, SetOrigin) and before.map(change.map).origin is None
    return guess.apply(after) if guess is not None and begun else after


def _suited(before: Surface, after: Surface, material: Material) -> Material:
    """Let a material be cut out as its first colour is, and shine as what it is made of does."""
    changes: dict[str, object] = {}
    if _first_colour_is_open(before, after):
        changes["cutout"] = True
    if after.matter is not None and after.matter is not before.matter:
        info = MATTERS[after.matter]
        changes |= {"physical": PhysicalKind(info.physical), "gloss": info.gloss}
    return rebuilt(material, **changes) if changes else material


def freeze(ws: Workspace, surface_id: str, base: int, map_id: str) -> SurfaceView:
    """Keep a map's result after its steps as it is now.

    Raises
    ------
    BadRequest
        If the map has no source yet.
    """
    with ws.session() as session:
        document = history.read(session, SURFACE, surface_id)
    key, picture = _after_steps(ws, document, map_id)
    kept = ws.files.keep(pictures.write(picture, FileKind.PNG, 16))
    frozen = Frozen(sha256=kept, of=key, wraps=picture.wraps, space=picture.space)
    return edit(ws, surface_id, base, Freeze(map=map_id, frozen=frozen))


def keep_tile(ws: Workspace, surface_id: str, role: Role) -> SourceRef:
    """Keep a map's result after its steps as a picture that other surfaces can use.

    It is as it is now: a picture of another surface that went on changing would change maps that
    nobody is looking at.

    Raises
    ------
    BadRequest
        If the map has no source yet.
    """
    with ws.session() as session:
        document = history.read(session, SURFACE, surface_id)
    m = document.of_role(role)
    if m is None:
        title = role.info.title.lower()
        raise BadRequest("no-such-map", f"{document.title} has no {title}.", "Choose another.")
    picture = _after_steps(ws, document, m.id)[1]
    kept = ws.files.keep(pictures.write(picture, FileKind.PNG, 16))
    name = f"{document.title}, {m.title.lower()}"
    return SourceRef(sha256=kept, name=name, width=picture.width, height=picture.height)


def _after_steps(ws: Workspace, document: Surface, map_id: str) -> tuple[Key, Picture]:
    """Return a map's own result after its steps, frozen or not."""
    m = document.map(map_id)
    wiring = Wiring(document)
    key = wiring.after_steps(map_id, recipe=True)
    if key is None:
        raise BadRequest("nothing-there", f"{m.title} has no source yet.", "Bring a picture first.")
    ws.renderer.graphs.add(wiring.graph, [key])
    return key, ws.renderer.picture(key)


def preview(
    ws: Workspace, surface_id: str, change: Edit, map_id: str, stage: Stage, longest: int | None
) -> Key | None:
    """Return the key of a passing look at an edit that is not made yet."""
    with ws.session() as session:
        row = history.row_of(session, SURFACE, surface_id)
        before = history.body_of(session, SURFACE, row)
        settings = projects.settings_of(session, row.project_id)
    after = history.validated(lambda: change.apply(before))
    wiring = Wiring(after, longest, target=target_of(settings.targets[0]))
    key = wiring.at(map_id, stage)
    if key is not None:
        ws.renderer.graphs.add(wiring.graph, [key], lasting=False)
    return key


def advice(ws: Workspace, surface_id: str, map_id: str) -> Key | None:
    """Return the key of what says which format suits a map; None where it has no origin."""
    with ws.session() as session:
        row = history.row_of(session, SURFACE, surface_id)
        document = history.body_of(session, SURFACE, row)
        settings = projects.settings_of(session, row.project_id)
    wiring = Wiring(document, target=target_of(settings.targets[0]))
    key = wiring.advice(map_id)
    if key is not None:
        ws.renderer.graphs.add(wiring.graph, [key], lasting=False)
    return key


def undo(ws: Workspace, surface_id: str, base: int) -> SurfaceView:
    """Take back the last action that changed a surface, in all that it changed."""
    return _move(ws, surface_id, base, history.undo, "Undone")


def redo(ws: Workspace, surface_id: str, base: int) -> SurfaceView:
    """Do again what was last undone."""
    return _move(ws, surface_id, base, history.redo, "Done again")


def revision_keys(ws: Workspace, surface_id: str, number: int) -> RevisionKeys:
    """Return the content keys of an earlier revision, for looking at it beside the present one."""
    with ws.session() as session:
        row = history.row_of(session, SURFACE, surface_id)
        document = history.at(session, SURFACE, surface_id, number)
        settings = projects.settings_of(session, row.project_id)
    wiring = Wiring(document, target=target_of(settings.targets[0]))
    return RevisionKeys(number=number, keys=_announced(ws, wiring))


def changed(ws: Workspace, surface_id: str, before: int, after: int) -> list[str]:
    """Return what is different between two states of a surface, in words; 0 is the present one."""
    with ws.session() as session:
        row = history.row_of(session, SURFACE, surface_id)
        one, other = (
            history.at(session, SURFACE, surface_id, number or row.head)
            for number in (before, after)
        )
    return differences.between(one, other)


def _announced(ws: Workspace, wiring: Wiring) -> dict[str, dict[Stage, Key | None]]:
    """Make the keys of all stages known, so that their renders can be asked for by address."""
    stages = wiring.stages()
    ws.renderer.graphs.add(wiring.graph, [k for by in stages.values() for k in by.values() if k])
    return stages


def _announced_masks(ws: Workspace, wiring: Wiring) -> dict[str, Key]:
    masks = wiring.masks()
    ws.renderer.graphs.add(wiring.graph, masks.values())
    return masks


def _announced_laid(ws: Workspace, wiring: Wiring) -> dict[str, Key]:
    laid = wiring.laid()
    ws.renderer.graphs.add(wiring.graph, laid.values())
    return laid


def _first_colour_is_open(before: Surface, after: Surface) -> bool:
    """Tell whether a colour has just come in for the first time, and with alpha in use."""
    now, then = after.of_role(Role.COLOUR), before.of_role(Role.COLOUR)
    if now is None or not isinstance(now.origin, SourceOrigin) or not now.origin.alpha:
        return False
    return then is None or then.origin is None


def _guess(ws: Workspace, document: Surface, change: Edit) -> SetMatter | None:
    """Return what a surface is made of by its first colour, as far as that can be told."""
    if not isinstance(change, SetOrigin) or not isinstance(change.origin, SourceOrigin):
        return None
    m = document.find(change.map)
    if m is None or m.role is not Role.COLOUR or m.origin is not None:
        return None
    data = ws.files.read(change.origin.sha256)
    picture = codecs.read_picture(data, Space.LINEAR, _GUESSED_AT)
    names = f"{document.name}_{change.origin.name}"
    guess = guess_matter(replace(picture, wraps=change.origin.wraps), names)
    if guess.sure < _SURE_ENOUGH:
        return None
    return SetMatter(matter=guess.matter, guessed=guess.sure, why=guess.why)


def _move(
    ws: Workspace,
    surface_id: str,
    base: int,
    way: Callable[[Session, DocumentRow, int], history.Moved],
    said: str,
) -> SurfaceView:
    with ws.writing() as session:
        row = history.row_of(session, SURFACE, surface_id)
        before = history.body_of(session, SURFACE, row)
        moved = way(session, row, base)
    view = _moved_on(ws, surface_id, before)
    return view.model_copy(update={"said": f"{said}: {moved.words}", "left": moved.left})


def _moved_on(ws: Workspace, surface_id: str, before: Surface) -> SurfaceView:
    """Return a surface as it is now; what was being made only of its former state is dropped.

    What was stopped before goes on: it belongs to what the person wants to see now.
    """
    view = get(ws, surface_id)
    former = Wiring(before, target=TARGETS[view.target]).stages()
    gone = {key for by in former.values() for key in by.values() if key}
    now = {key for by in view.keys.values() for key in by.values() if key}
    ws.renderer.drop(gone - now)
    ws.renderer.go_on(now)
    return view
