"""Game folders: catalogue, search, names, what is ours there and what is kept."""

from __future__ import annotations

from collections.abc import Sequence

from flask import Response
from flask_openapi3.openapi import OpenAPI
from pydantic import BaseModel, Field, RootModel

from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.naming import plain_file_name
from stonestack.services.documents import projects
from stonestack.services.documents.surfaces import SurfaceView
from stonestack.services.game import alike, cataloguing, finding, games, naming, pointing, taking
from stonestack.services.game.finding import EntryMore, Facets, Page, Query
from stonestack.services.game.games import GameFolderView
from stonestack.services.game.naming import NamesView
from stonestack.services.jobs import JobView, Progress, silent
from stonestack.services.safe import keeping, matching, planning, putting, returning
from stonestack.services.safe.keeping import Verified
from stonestack.services.safe.planning import Plan, Replacement
from stonestack.services.workspace import Workspace
from stonestack.web.answers import model, models, unchanging
from stonestack.web.api.projects import ProjectPath
from stonestack.web.api.surfaces import SurfacePath
from stonestack.web.asked import File, Place, path_of


class GamePath(BaseModel):
    """Names a registered game folder."""

    game_id: str


class EntryPath(GamePath):
    """Names a file of a catalogue."""

    entry_id: int


class TakePath(ProjectPath):
    """Names a project and a game folder."""

    game_id: str


class GameList(RootModel[list[GameFolderView]]):
    """All registered folders."""


class BegunList(RootModel[list[SurfaceView]]):
    """Surfaces that were begun."""


class PlacedPath(GamePath):
    """Names a picture of something of ours."""

    placed_id: int
    which: str = Field(pattern="^(original|now|ours)$")


class Folder(BaseModel):
    """A folder on this machine."""

    root: Place = Field(min_length=1)


class NewRoot(Folder):
    """Where a project's game folder lies now."""

    moved: bool = Field(False, description="The same game at another place, not another game")


class Reading(BaseModel):
    """How a folder is read."""

    thorough: bool = False


class LookQuery(BaseModel):
    """How a picture is shown."""

    longest: int | None = Field(None, ge=16, le=4096)
    level: int = Field(0, ge=0, le=16)
    sha256: str = Field("", description="Makes the address fixed, so that caches keep it")


class OwnNote(BaseModel):
    """The artist's own words for a file."""

    path: str = Field(max_length=1000)
    name: str = Field("", max_length=200)
    note: str = Field("", max_length=2000)
    shown: str = Field("", pattern="^(world|menu|)$")


class Names(BaseModel):
    """Where names come from."""

    place: Place = Field(min_length=1)


class Take(BaseModel):
    """Files to begin surfaces with."""

    entries: list[int] = Field(min_length=1, max_length=200)


class PutFile(BaseModel):
    """A picture for a place of the game."""

    file: File


class PutFiles(BaseModel):
    """Several pictures, each named like the file that it replaces."""

    files: list[File]

    @property
    def named(self) -> list[tuple[str, bytes]]:
        """Names and contents."""
        return [(plain_file_name(f.filename or ""), f.read()) for f in self.files]


class TickedQuery(BaseModel):
    """Which places are replaced, by their numbers with commas; empty leaves it to the plan."""

    ticked: str = ""

    @property
    def entries(self) -> set[int] | None:
        """The chosen entries."""
        return {int(x) for x in self.ticked.split(",") if x.strip().isdigit()} or None


class LikeFile(BaseModel):
    """A picture to look for."""

    file: File


class AlsoQuery(BaseModel):
    """Another catalogue that is looked through too: the project's shelf, or its game."""

    also: str = ""


class Which(BaseModel):
    """Which of ours; None means all."""

    paths: list[str] | None = None
    ids: list[int] | None = None
    even_changed: bool = False


class Shown(BaseModel):
    """Whether ours shows, or the original."""

    ours: bool


def register(app: OpenAPI, ws: Workspace) -> None:
    """Add the routes."""

    @app.get("/api/games", responses={200: GameList})
    def list_games() -> Response:
        return models(list(games.listed(ws)))

    @app.post("/api/games", responses={200: GameFolderView})
    def register_game(body: Folder) -> Response:
        return model(games.register(ws, path_of(body.root)))

    @app.get("/api/projects/<project_id>/registered-game", responses={200: GameFolderView})
    def project_game(path: ProjectPath) -> Response:
        folder = projects.game_folder(projects.get(ws, path.project_id))
        return model(games.register(ws, folder))

    @app.get("/api/games/<game_id>", responses={200: GameFolderView})
    def get_game(path: GamePath) -> Response:
        return model(games.get(ws, path.game_id))

    @app.put("/api/games/<game_id>/root", responses={200: GameFolderView})
    def move_game(path: GamePath, body: Folder) -> Response:
        return model(games.move(ws, path.game_id, path_of(body.root)))

    @app.post("/api/games/<game_id>/catalogue", responses={200: JobView})
    def catalogue_game(path: GamePath, body: Reading) -> Response:
        return model(
            ws.jobs.start(
                "Reading the game folder",
                lambda progress: cataloguing.catalogue(ws, path.game_id, progress, body.thorough),
            )
        )

    @app.get("/api/games/<game_id>/entries", responses={200: Page})
    def find_entries(path: GamePath, query: Query) -> Response:
        return model(finding.search(ws, path.game_id, query))

    @app.get("/api/games/<game_id>/facets", responses={200: Facets})
    def game_facets(path: GamePath) -> Response:
        return model(finding.facets(ws, path.game_id))

    def looking(game_id: str, also: str, data: bytes) -> Response:
        places = [game_id, *([also] if also else [])]
        return model(
            ws.jobs.start(
                "Looking for what looks like it",
                lambda progress: {
                    "entries": [
                        e.model_dump(mode="json") for e in alike.like(ws, places, data, progress)
                    ]
                },
            )
        )

    @app.post("/api/games/<game_id>/like", responses={200: JobView})
    def find_like(path: GamePath, query: AlsoQuery, form: LikeFile) -> Response:
        return looking(path.game_id, query.also, form.file.read())

    @app.post("/api/games/<game_id>/entries/<int:entry_id>/like", responses={200: JobView})
    def find_like_entry(path: EntryPath, query: AlsoQuery) -> Response:
        data = finding.content(ws, path.game_id, path.entry_id)
        return looking(path.game_id, query.also, data)

    @app.get("/api/games/<game_id>/entries/<int:entry_id>", responses={200: EntryMore})
    def get_entry(path: EntryPath) -> Response:
        return model(finding.more(ws, path.game_id, path.entry_id))

    @app.get("/api/games/<game_id>/entries/<int:entry_id>/picture.png")
    def entry_picture(path: EntryPath, query: LookQuery) -> Response:
        data, shown = finding.picture(ws, path.game_id, path.entry_id, query.longest, query.level)
        if query.sha256 == shown:
            return unchanging(data, "image/png")
        return Response(data, mimetype="image/png", headers={"Cache-Control": "no-store"})

    @app.get("/api/games/<game_id>/entries/<int:entry_id>/marker.png")
    def entry_marker(path: EntryPath) -> Response:
        data = finding.marker_picture(ws, path.game_id, path.entry_id)
        return Response(data, mimetype="image/png", headers={"Cache-Control": "no-store"})

    @app.put("/api/projects/<project_id>/registered-game", responses={200: GameFolderView})
    def point_project(path: ProjectPath, body: NewRoot) -> Response:
        return model(pointing.point(ws, path.project_id, path_of(body.root), body.moved))

    @app.post("/api/games/<game_id>/names", responses={200: NamesView})
    def attach_names(path: GamePath, body: Names) -> Response:
        root = games.folder(ws, path.game_id)
        place = path_of(body.place)
        return model(
            naming.attach(ws, path.game_id, place if place.is_absolute() else root / place)
        )

    @app.get("/api/games/<game_id>/names", responses={200: NamesView})
    def count_names(path: GamePath) -> Response:
        return model(naming.view(ws, path.game_id))

    @app.get("/api/games/<game_id>/names.csv")
    def export_names(path: GamePath) -> Response:
        return Response(
            naming.table(ws, path.game_id),
            mimetype="text/csv",
            headers={"Content-Disposition": "attachment; filename=names.csv"},
        )

    @app.put("/api/games/<game_id>/note", responses={200: NamesView})
    def keep_note(path: GamePath, body: OwnNote) -> Response:
        naming.own(ws, path.game_id, body.path, body.name, body.note, body.shown)
        return model(naming.view(ws, path.game_id))

    @app.post("/api/projects/<project_id>/take/<game_id>", responses={200: BegunList})
    def take(path: TakePath, body: Take) -> Response:
        return models(list(taking.into_project(ws, path.project_id, path.game_id, body.entries)))

    def planned(
        game_id: str, wanted: list[Replacement], query: TickedQuery, unmatched: Sequence[str] = ()
    ) -> Response:
        def work(progress: Progress) -> Plan:
            made, _ = planning.plan(ws, game_id, wanted, query.entries, progress)
            return made.model_copy(update={"unmatched": list(unmatched)})

        return model(ws.jobs.start("See what would change", work))

    def placing(game_id: str, wanted: list[Replacement], query: TickedQuery) -> Response:
        return model(
            ws.jobs.start(
                "Putting back",
                lambda progress: putting.put(ws, game_id, wanted, query.entries, progress),
            )
        )

    @app.post("/api/games/<game_id>/entries/<int:entry_id>/plan", responses={200: JobView})
    def plan_file(path: EntryPath, query: TickedQuery, form: PutFile) -> Response:
        wanted = [planning.from_file(path.entry_id, form.file.read())]
        return planned(path.game_id, wanted, query)

    @app.post("/api/games/<game_id>/entries/<int:entry_id>/put", responses={200: JobView})
    def put_file(path: EntryPath, query: TickedQuery, form: PutFile) -> Response:
        wanted = [planning.from_file(path.entry_id, form.file.read())]
        return placing(path.game_id, wanted, query)

    @app.post("/api/games/<game_id>/plan", responses={200: JobView})
    def plan_files(path: GamePath, query: TickedQuery, form: PutFiles) -> Response:
        wanted, unmatched = matching.matched(ws, path.game_id, form.named)
        return planned(path.game_id, wanted, query, unmatched)

    @app.post("/api/games/<game_id>/put", responses={200: JobView})
    def put_files(path: GamePath, query: TickedQuery, form: PutFiles) -> Response:
        wanted, _ = matching.matched(ws, path.game_id, form.named)
        return placing(path.game_id, wanted, query)

    @app.post("/api/surfaces/<surface_id>/put-plan", responses={200: JobView})
    def plan_surface(path: SurfacePath, query: TickedQuery) -> Response:
        game_id, wanted = taking.of_surface(ws, path.surface_id)
        return planned(game_id, wanted, query)

    @app.post("/api/surfaces/<surface_id>/put", responses={200: JobView})
    def put_surface(path: SurfacePath, query: TickedQuery) -> Response:
        game_id, wanted = taking.of_surface(ws, path.surface_id)
        if query.ticked and query.entries is None:
            raise BadRequest("nothing-ticked", "No place is ticked.", "Tick at least one.")
        return placing(game_id, wanted, query)

    @app.get("/api/games/<game_id>/ours", responses={200: Verified})
    def verify_game(path: GamePath) -> Response:
        return model(keeping.verify(ws, path.game_id, thorough=False))

    @app.post("/api/games/<game_id>/check", responses={200: JobView})
    def check_game(path: GamePath) -> Response:
        return model(
            ws.jobs.start(
                "Checking every file",
                lambda progress: keeping.verify(ws, path.game_id, progress=progress),
            )
        )

    @app.post("/api/games/<game_id>/restore", responses={200: JobView})
    def restore_game(path: GamePath, body: Which) -> Response:
        return model(
            ws.jobs.start(
                "Giving originals back",
                lambda progress: returning.restore(
                    ws, path.game_id, body.paths, progress, body.even_changed
                ),
            )
        )

    @app.post("/api/games/<game_id>/put-back", responses={200: JobView})
    def put_all_back(path: GamePath, body: Which) -> Response:
        return model(
            ws.jobs.start(
                "Putting back what was wiped",
                lambda progress: returning.put_back(ws, path.game_id, body.ids, progress),
            )
        )

    @app.post("/api/games/<game_id>/shown", responses={200: Verified})
    def switch_game(path: GamePath, body: Shown) -> Response:
        returning.switch(ws, path.game_id, body.ours, silent())
        return model(keeping.verify(ws, path.game_id))

    @app.get("/api/games/<game_id>/placed/<int:placed_id>/<which>.png")
    def placed_picture(path: PlacedPath) -> Response:
        data = keeping.picture(ws, path.game_id, path.placed_id, path.which)
        return Response(data, mimetype="image/png", headers={"Cache-Control": "no-store"})
