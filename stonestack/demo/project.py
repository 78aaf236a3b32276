"""The demo: a game folder, a project with its surfaces and materials, and a first delivery."""

from __future__ import annotations

import shutil
from pathlib import Path

from stonestack.core.document import edits, rebuilt
from stonestack.core.document.deliveries import Delivery
from stonestack.core.document.materials import Material, PhysicalKind
from stonestack.core.runtime.parallel import processes
from stonestack.core.steps.derive.height import HeightFromColour
from stonestack.core.steps.derive.normal import NormalFromHeight
from stonestack.core.tables.matters import Matter
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Size
from stonestack.demo.finishes import FINISHES
from stonestack.demo.label import CANVAS, LABEL, PAPER
from stonestack.demo.loose import loose
from stonestack.demo.originals import make_game_folder
from stonestack.demo.sources import SOURCES
from stonestack.services.delivery import deliveries
from stonestack.services.documents import materials, projects, surfaces
from stonestack.services.game import cataloguing, games, naming, pointing, sources
from stonestack.services.jobs import silent
from stonestack.services.starting import started
from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder

MADE = "demo-made"
"""This file in the data folder says that the demo is whole."""
GAME_MARK = "demo-game"
"""This file beside the demo's game says that it was drawn for it, and may be drawn anew."""

_TITLES = {
    "floor_encaustic": "Encaustic floor",
    "rib_copper": "Verdigris copper",
    "lattice_iron": "Iron lattice",
    "wall_limewash": "Limewash plaster",
    "glass_bottle": "Bottle glass",
    "bed_peat": "Peat and moss",
}

_MATERIALS = {
    "floor_encaustic": (PhysicalKind.TILE, 0.55, False, 2.4),
    "rib_copper": (PhysicalKind.METAL, 0.45, False, 1.8),
    "lattice_iron": (PhysicalKind.METAL, 0.5, True, 1.6),
    "wall_limewash": (PhysicalKind.PLASTER, 0.15, False, 3.0),
    "glass_bottle": (PhysicalKind.GLASS, 0.85, False, 1.2),
    "bed_peat": (PhysicalKind.EARTH, 0.1, False, 1.6),
}

_MADE_OF: dict[str, tuple[Matter, HeightFromColour, NormalFromHeight | None]] = {
    "floor_encaustic": (Matter.CERAMIC, HeightFromColour(), None),
    "rib_copper": (Matter.RUSTED_METAL, HeightFromColour(broad=0.3), None),
    "lattice_iron": (Matter.METAL, HeightFromColour(fine=0.6), None),
    "wall_limewash": (Matter.PLASTER, HeightFromColour(broad=0.3), None),
    "glass_bottle": (Matter.GLASS, HeightFromColour(fine=0.4), None),
    "bed_peat": (Matter.EARTH, HeightFromColour(broad=0.5), NormalFromHeight(relief=1.6)),
}
"""What each is made of, how its height is read, and its own relief where that was set by hand."""


def game_of(data: DataFolder) -> Path:
    """Return where the demo's game lies: beside its data, as no game may lie in it."""
    return data.root.with_name(f"{data.root.name}-game") / "Saltglass"


def ensure(data: DataFolder, shrunk: int = 1) -> Workspace:
    """Open the demo's workspace; it is made the first time, and again if that was interrupted.

    Parameters
    ----------
    shrunk : int
        How many times smaller raw pictures are made, where time counts more than looks.
    """
    if not (data.root / MADE).is_file():
        if data.root.exists():
            shutil.rmtree(data.root)
        beside = game_of(data).parent
        if (beside / GAME_MARK).is_file():
            shutil.rmtree(beside)
        workspace = Workspace(data)
        make(workspace, shrunk)
        (data.root / MADE).write_text("The demo project is whole.\n")
        return workspace
    ws = started(data)
    _moved_out(ws)
    return ws


def _moved_out(ws: Workspace) -> None:
    """Bring the game of an earlier demo, which lay inside the data folder, out of it."""
    old, new = ws.data.root / "Saltglass", game_of(ws.data)
    if old.is_dir() and not new.exists():
        new.parent.mkdir(exist_ok=True)
        (new.parent / GAME_MARK).write_text("The demo's game lies here; it goes with the demo.\n")
        old.rename(new)
    if not new.is_dir():
        return
    for project in projects.listed(ws):
        if project.game_folder == str(old):
            pointing.point(ws, project.id, new, moved=True)


def make(ws: Workspace, shrunk: int = 1) -> None:
    """Make the demo project in an empty workspace."""
    game = game_of(ws.data)
    game.parent.mkdir(exist_ok=True)
    (game.parent / GAME_MARK).write_text("The demo's game lies here; it goes with the demo.\n")
    # Drawing is plain array work that one interpreter cannot share between cores.
    with processes(__name__, 2) as pool:
        drawn = {name: pool.submit(_drawn, name, shrunk) for name in SOURCES}
        spare = pool.submit(loose)
        make_game_folder(game)
        project = projects.create(ws, "Saltglass", game)
        made = [_surface(ws, project.id, name, drawn[name].result()) for name in SOURCES]
        for name, data in spare.result().items():
            sources.bring(ws, project.id, name, data)
    _label(ws, project.id)
    projects.adjust(ws, project.id, presets=tuple(FINISHES.values()))
    known = games.register(ws, game)
    cataloguing.catalogue(ws, known.id, silent())
    naming.attach(ws, known.id, game / "names.csv")
    delivery = deliveries.create(
        ws,
        project.id,
        Delivery(
            title="Glasshouse, first restoration",
            name="restoration",
            target=project.target.name,
            surfaces=tuple(made),
        ),
    )
    deliveries.deliver(ws, delivery.id, silent())


def _label(ws: Workspace, project_id: str) -> None:
    """Begin a surface on an empty canvas, and make it by steps; it is for the next delivery."""
    canvas = sources.blank(ws, project_id, *CANVAS, PAPER)
    surface = surfaces.create(ws, project_id, "Seed packet", "label_seed")
    for edit in (
        edits.SetOrigin(map=Role.COLOUR, origin=canvas.origin),
        edits.PutRecipe(map=Role.COLOUR, recipe=LABEL, instead=True),
    ):
        surface = surfaces.edit(ws, surface.id, surface.revision, edit)


def _drawn(name: str, shrunk: int) -> bytes:
    return SOURCES[name].encoded(shrunk)


def _surface(ws: Workspace, project_id: str, name: str, picture: bytes) -> str:
    source = sources.bring(ws, project_id, SOURCES[name].file_name, picture)
    surface = surfaces.create(ws, project_id, _TITLES[name], name)
    begin = edits.SetOrigin(map=Role.COLOUR, origin=source.origin)
    surface = surfaces.edit(ws, surface.id, surface.revision, begin)
    for step in surface.document.map(Role.COLOUR).steps:
        if step.proposed:
            # The restorers have chosen; nothing is proposed over it.
            chosen = edits.SetStep(map=Role.COLOUR, step=rebuilt(step, proposed=False))
            surface = surfaces.edit(ws, surface.id, surface.revision, chosen)
    matter, height, normal = _MADE_OF[name]
    said = edits.SetMatter(matter=matter)
    surface = surfaces.edit(ws, surface.id, surface.revision, said)
    for role, params in ((Role.HEIGHT, height), (Role.NORMAL, normal)):
        if params is None:
            continue
        step = surface.document.map(role).steps[0]
        change = edits.SetStep(map=role, step=rebuilt(step, params=params))
        surface = surfaces.edit(ws, surface.id, surface.revision, change)
    if name in FINISHES:
        look = edits.PutRecipe(map=Role.COLOUR, recipe=FINISHES[name])
        surface = surfaces.edit(ws, surface.id, surface.revision, look)
    size = surface.document.map(Role.COLOUR).size
    half = Size(width=size.width // 2, height=size.height // 2)
    small = edits.SetSize(map=Role.SPECULAR, size=half)
    surface = surfaces.edit(ws, surface.id, surface.revision, small)
    physical, gloss, cutout, metres = _MATERIALS[name]
    if surface.material_id is not None:
        materials.change(
            ws,
            surface.material_id,
            materials.get(ws, surface.material_id).revision,
            Material(
                title=_TITLES[name],
                name=name,
                surface=surface.id,
                physical=physical,
                gloss=gloss,
                cutout=cutout,
                metres=metres,
            ),
        )
    return surface.id
