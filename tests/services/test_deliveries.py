import io
import json
import zipfile
from collections.abc import Iterator, Sequence
from pathlib import Path
from threading import Thread
from unittest import mock

from stonestack.core.document import Output, edits, rebuilt
from stonestack.core.document.deliveries import BuildRecord, Delivery
from stonestack.core.files import codecs
from stonestack.core.kinds.node import Graph, Key
from stonestack.core.runtime.errors import BadRequest, Cancelled, Conflict
from stonestack.core.tables.roles import Role
from stonestack.services.delivery import building, deliveries, sweeping
from stonestack.services.documents import materials, projects, revisions, surfaces
from stonestack.services.documents.summaries import SurfaceState
from stonestack.services.game import sources
from stonestack.services.jobs import silent, told
from stonestack.store import door, files, journal
from stonestack.store.tables import BuildRow
from tests.services.test_surfaces import SurfaceCase
from tests.support import WorkspaceCase, raw_picture, set_output


class DeliveryCase(SurfaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.game = self.root / "game"
        self.game.mkdir()
        (self.game / "room.json").write_text("{}")
        document = Delivery(
            title="First", name="first", target="saltglass", surfaces=(self.surface.id,)
        )
        self.delivery = deliveries.create(self.ws, self.project.id, document)
        projects.adjust(self.ws, self.project.id, game_folder=str(self.game))

    def listed_folders(self) -> list[str]:
        order = json.loads((self.game / "deliveries.json").read_text())["order"]
        return [entry["folder"] for entry in order]


class OneGameForTwoProjects(DeliveryCase):
    """Deliveries of one name, from two projects, in one layered game."""

    def setUp(self) -> None:
        super().setUp()
        self.other_project = projects.create(self.ws, "Other", self.game, "saltglass")
        surface = surfaces.create(self.ws, self.other_project.id, "Wall", "wall")
        source = sources.bring(self.ws, self.other_project.id, "o.png", raw_picture(seed=9))
        self.edit(surface, edits.SetOrigin(map=Role.COLOUR, origin=source.origin))
        document = rebuilt(self.delivery.document, surfaces=(surface.id,))
        self.other = deliveries.create(self.ws, self.other_project.id, document)

    def stands(self) -> tuple[str, str]:
        views = [deliveries.get(self.ws, each.id) for each in (self.delivery, self.other)]
        return views[0].standing.state, views[1].standing.state

    def test_neither_touches_what_the_other_has_put(self) -> None:
        for each in (self.delivery, self.other):
            deliveries.deliver(self.ws, each.id, silent())
        self.assertEqual(self.stands(), ("in", "in"))
        self.assertEqual(len(self.listed_folders()), 2)
        deliveries.withdraw(self.ws, self.other.id, silent())
        self.assertEqual(self.stands(), ("in", "out"))
        [left] = self.listed_folders()
        self.assertIn(self.delivery.id, left)
        self.assertTrue((self.game / "deliveries" / left / "textures/wall_c.dds").is_file())

    def test_a_strangers_entry_of_the_same_name_stays_with_all_it_says(self) -> None:
        stranger = {"delivery": "first", "folder": "first-0123456789", "note": "mine"}
        place = self.game / "deliveries" / stranger["folder"]
        place.mkdir(parents=True)
        order = {"order": [stranger], "since": 3}
        (self.game / "deliveries.json").write_text(json.dumps(order))
        self.assertEqual(self.stands(), ("out", "out"))
        deliveries.deliver(self.ws, self.delivery.id, silent())
        deliveries.withdraw(self.ws, self.delivery.id, silent())
        self.assertEqual(json.loads((self.game / "deliveries.json").read_text()), order)
        self.assertTrue(place.is_dir())

    def test_what_was_put_before_entries_carried_an_owner_is_known_and_replaced(self) -> None:
        deliveries.deliver(self.ws, self.delivery.id, silent())
        [name] = self.listed_folders()
        plain = f"first-{name.rpartition('-')[2]}"
        (self.game / "deliveries" / name).rename(self.game / "deliveries" / plain)
        order = {"order": [{"delivery": "first", "folder": plain}]}
        (self.game / "deliveries.json").write_text(json.dumps(order))
        self.assertEqual(self.stands(), ("in", "out"))
        deliveries.install(self.ws, self.delivery.id, silent())
        self.assertEqual(self.listed_folders(), [name])
        self.assertFalse((self.game / "deliveries" / plain).exists())

    def test_the_folder_tells_and_not_what_was_noted(self) -> None:
        deliveries.deliver(self.ws, self.delivery.id, silent())
        [name] = self.listed_folders()
        texture = self.game / "deliveries" / name / "textures/wall_c.dds"
        whole = texture.read_bytes()
        texture.write_bytes(whole[:-1] + bytes([whole[-1] ^ 1]))
        now = deliveries.get(self.ws, self.delivery.id)
        self.assertEqual((now.standing.state, now.in_game), ("changed", False))
        self.assertIn("textures/wall_c.dds", now.standing.words)
        self.assertEqual(surfaces.get(self.ws, self.surface.id).state, SurfaceState.BUILT)
        texture.write_bytes(whole)
        self.assertEqual(self.stands(), ("in", "out"))
        (self.game / "deliveries.json").unlink()
        self.assertEqual(self.stands(), ("out", "out"))

    def test_the_same_build_again_writes_nothing(self) -> None:
        deliveries.deliver(self.ws, self.delivery.id, silent())
        before = {p: p.stat().st_ino for p in self.game.rglob("*")}
        deliveries.install(self.ws, self.delivery.id, silent())
        self.assertEqual({p: p.stat().st_ino for p in self.game.rglob("*")}, before)


class Building(DeliveryCase):
    def test_a_build_holds_textures_definitions_and_a_manifest_that_fits(self) -> None:
        built = building.build(self.ws, self.delivery.id, silent())
        folder = building.build_folder(self.ws, built.id)
        names = {p.relative_to(folder).as_posix() for p in folder.rglob("*") if p.is_file()}
        expected = {f"textures/wall_{s}.dds" for s in "cns"}
        self.assertEqual(names, expected | {"materials/wall.json", "delivery.json"})
        listing = json.loads((folder / "delivery.json").read_text())
        for entry in listing["files"]:
            data = (folder / entry["path"]).read_bytes()
            self.assertEqual((entry["sha256"], entry["bytes"]), (files.sha256(data), len(data)))

    def test_an_archive_holds_what_was_built_and_is_the_same_again(self) -> None:
        built = building.build(self.ws, self.delivery.id, silent())
        folder = building.build_folder(self.ws, built.id)
        self.edit(self.surface, set_output(Role.COLOUR, name="wall_other"))
        data = building.archived(self.ws, built.id)
        with zipfile.ZipFile(io.BytesIO(data)) as box:
            self.assertIsNone(box.testzip())
            held = {name: box.read(name) for name in box.namelist()}
        files_there = {
            p.relative_to(folder).as_posix(): p for p in folder.rglob("*") if p.is_file()
        }
        self.assertEqual(held, {name: p.read_bytes() for name, p in files_there.items()})
        self.assertEqual(building.archived(self.opened(), built.id), data)

    def test_a_build_of_before_there_were_archives_says_what_to_do(self) -> None:
        built = building.build(self.ws, self.delivery.id, silent())
        with self.ws.writing() as session:
            row = session.get(BuildRow, built.id)
            assert row is not None
            record = BuildRecord.model_validate_json(row.manifest)
            row.manifest = rebuilt(record, archive="").model_dump_json()
            session.add(row)
        with self.assertRaises(BadRequest) as caught:
            building.archived(self.ws, built.id)
        self.assertEqual(caught.exception.fix, "Build it again.")

    def test_the_definition_links_by_relative_paths_that_exist(self) -> None:
        built = building.build(self.ws, self.delivery.id, silent())
        folder = building.build_folder(self.ws, built.id)
        definition = folder / "materials" / "wall.json"
        for link in json.loads(definition.read_text())["textures"].values():
            self.assertTrue((definition.parent / link).resolve().is_file(), link)

    def test_the_built_file_is_the_texture_that_the_bench_shows(self) -> None:
        built = building.build(self.ws, self.delivery.id, silent())
        folder = building.build_folder(self.ws, built.id)
        key = self.surface.keys[Role.COLOUR]["compress"]
        assert key is not None
        shown = codecs.ktx2.read(self.ws.renderer.ktx2(key))
        self.assertEqual(codecs.dds.read((folder / "textures/wall_c.dds").read_bytes()), shown)

    def test_the_same_work_gives_the_same_bytes(self) -> None:
        one = building.build(self.ws, self.delivery.id, silent())
        for file in (self.root / "data" / "cache").rglob("*.*"):
            file.unlink()
        two = building.build(self.opened(), self.delivery.id, silent())
        one_files, two_files = (
            building.record_of(self.ws, build.id).manifest.files for build in (one, two)
        )
        self.assertEqual(one_files, two_files)
        self.assertEqual((one.number, two.number), (1, 2))

    def test_two_maps_of_one_name_are_refused(self) -> None:
        self.edit(
            self.surface,
            set_output(Role.SPECULAR, name="wall_c"),
        )
        with self.assertRaises(BadRequest) as caught:
            building.build(self.ws, self.delivery.id, silent())
        self.assertIn("wall_c.dds", caught.exception.message)

    def test_names_that_differ_in_capitals_only_are_told_before_a_build(self) -> None:
        loose = rebuilt(self.delivery.document, name="loose", target="loose")
        delivery = deliveries.create(self.ws, self.project.id, loose)
        change = edits.SetOutput(map=Role.SPECULAR, target="loose", output=Output(name="WALL_C"))
        self.edit(self.surface, change)
        [problem] = deliveries.get(self.ws, delivery.id).problems
        self.assertIn("differ in capitals only", problem)
        faults = {p.path: p.faults for p in deliveries.get(self.ws, delivery.id).parts}
        self.assertEqual(faults["WALL_C.dds"], 1)
        with self.assertRaises(BadRequest) as caught:
            building.build(self.ws, delivery.id, silent())
        self.assertEqual(caught.exception.code, "two-files-one-name")

    def test_undo_says_what_it_undid(self) -> None:
        changed = self.edit(self.surface, edits.Rename(title="Other wall"))
        undone = surfaces.undo(self.ws, changed.id, changed.revision)
        self.assertEqual(undone.said, "Undone: Renamed to Other wall")
        again = surfaces.redo(self.ws, undone.id, undone.revision)
        self.assertEqual(again.said, "Done again: Renamed to Other wall")
        self.assertEqual(surfaces.get(self.ws, again.id).said, "")

    def test_states_follow_the_work(self) -> None:
        def state() -> SurfaceState:
            return surfaces.get(self.ws, self.surface.id).state

        self.assertEqual(state(), SurfaceState.DRAFT)
        building.build(self.ws, self.delivery.id, silent())
        self.assertEqual(state(), SurfaceState.BUILT)
        deliveries.install(self.ws, self.delivery.id, silent())
        self.assertEqual(state(), SurfaceState.INSTALLED)
        undone = surfaces.undo(self.ws, self.surface.id, self.surface.revision)
        self.assertEqual(state(), SurfaceState.CHANGED)
        surfaces.redo(self.ws, undone.id, undone.revision)
        self.assertEqual(state(), SurfaceState.INSTALLED)

    def test_a_surface_without_a_delivery_goes_into_the_first(self) -> None:
        other = surfaces.create(self.ws, self.project.id, "Other", "other")
        self.assertEqual(deliveries.holding(self.ws, other.id), self.delivery.id)
        [view] = deliveries.listed(self.ws, self.project.id)
        self.assertEqual(view.document.surfaces, (self.surface.id, other.id))

    def test_a_material_says_what_is_missing(self) -> None:
        self.edit(
            self.surface,
            set_output(Role.NORMAL, delivered=False),
        )
        [listed] = materials.listed(self.ws, self.project.id)
        view = materials.get(self.ws, listed.id)
        self.assertEqual([f.words for f in view.findings], ["No normal map is linked"])

    def test_whatever_changes_a_file_or_its_name_counts_as_changed_since_the_build(self) -> None:
        building.build(self.ws, self.delivery.id, silent())

        def state() -> SurfaceState:
            return surfaces.listed(self.ws, self.project.id)[0].state

        self.assertEqual(state(), SurfaceState.BUILT)
        material_id = self.surface.material_id
        assert material_id is not None
        for changes in ({"gloss": 0.9}, {"metres": 7.5}, {"cutout": True}):
            view = materials.get(self.ws, material_id)
            changed = rebuilt(view.document, **changes)
            materials.change(self.ws, material_id, view.revision, changed)
            self.assertEqual(state(), SurfaceState.CHANGED, changes)
            after = materials.get(self.ws, material_id)
            revisions.undo(self.ws, material_id, after.revision)
            self.assertEqual(state(), SurfaceState.BUILT)
        named = self.edit(self.surface, set_output(Role.NORMAL, name="wall_bumps"))
        self.assertEqual(state(), SurfaceState.CHANGED)
        [view] = deliveries.listed(self.ws, self.project.id)
        changes = {part.path: part.change for part in view.parts}
        self.assertEqual(changes["textures/wall_bumps.dds"], "new")
        self.assertEqual(changes["materials/wall.json"], "changed")
        self.assertEqual(changes["textures/wall_c.dds"], "same")
        surfaces.undo(self.ws, named.id, named.revision)
        self.assertEqual(state(), SurfaceState.BUILT)


class Installing(DeliveryCase):
    def test_a_second_install_replaces_the_first_and_leaves_no_litter(self) -> None:
        deliveries.deliver(self.ws, self.delivery.id, silent())
        [first] = self.listed_folders()
        self.edit(self.surface, edits.Rename(title="Other wall"))
        deliveries.deliver(self.ws, self.delivery.id, silent())
        [second] = self.listed_folders()
        self.assertNotEqual(first, second)
        self.assertEqual([p.name for p in (self.game / "deliveries").iterdir()], [second])

    def test_a_failure_while_writing_leaves_the_game_as_it_was(self) -> None:
        deliveries.deliver(self.ws, self.delivery.id, silent())
        before = self.listed_folders()
        self.edit(self.surface, edits.Rename(title="Other wall"))
        building.build(self.ws, self.delivery.id, silent())
        real = files.write_atomically
        for fail_at in range(1, 6):
            calls = 0

            def failing(path, data, limit=fail_at):
                nonlocal calls
                calls += 1
                if calls >= limit:
                    raise OSError(28, "No space left on device")
                real(path, data)

            with (
                mock.patch.object(files, "write_atomically", failing),
                mock.patch.object(journal, "write_atomically", failing),
                self.assertRaises(BadRequest) as caught,
            ):
                deliveries.install(self.ws, self.delivery.id, silent())
            self.assertEqual(caught.exception.code, "disk-full")
            self.assertEqual(self.listed_folders(), before)
            folder = self.game / "deliveries" / before[0]
            self.assertTrue((folder / "textures" / "wall_c.dds").is_file())
        deliveries.install(self.ws, self.delivery.id, silent())
        self.assertNotEqual(self.listed_folders(), before)

    def test_a_build_that_was_tampered_with_is_not_installed(self) -> None:
        built = building.build(self.ws, self.delivery.id, silent())
        folder = building.build_folder(self.ws, built.id)
        (folder / "textures/wall_c.dds").write_bytes(b"something else")
        with self.assertRaises(BadRequest) as caught:
            deliveries.install(self.ws, self.delivery.id, silent())
        self.assertEqual(caught.exception.code, "build-damaged")
        self.assertFalse((self.game / "deliveries.json").exists())

    def test_taking_out_leaves_other_deliveries_and_the_games_own_files(self) -> None:
        own = self.game / "base" / "textures" / "wall_c.dds"
        files.write_atomically(own, b"the game's own")
        others = self.game / "deliveries" / "first-edition"
        others.mkdir(parents=True)
        deliveries.deliver(self.ws, self.delivery.id, silent())
        self.assertFalse(deliveries.withdraw(self.ws, self.delivery.id, silent()).in_game)
        self.assertEqual(self.listed_folders(), [])
        self.assertEqual(own.read_bytes(), b"the game's own")
        self.assertEqual([p.name for p in (self.game / "deliveries").iterdir()], ["first-edition"])

    def folders(self) -> list[str]:
        place = self.ws.data.builds / self.delivery.id
        return sorted(folder.name for folder in place.iterdir())

    def test_a_stop_between_the_files_and_their_record_is_in_nobodys_way(self) -> None:
        with (
            mock.patch.object(building, "BuiltRow", side_effect=KeyboardInterrupt),
            self.assertRaises(KeyboardInterrupt),
        ):
            building.build(self.ws, self.delivery.id, silent())
        self.assertEqual(deliveries.get(self.ws, self.delivery.id).builds, [])
        self.assertEqual(len(self.folders()), 1)
        sweeping.sweep(self.ws)
        self.assertEqual(self.folders(), [])
        built = building.build(self.ws, self.delivery.id, silent())
        self.assertEqual(built.number, 1)
        deliveries.install(self.ws, self.delivery.id, silent())

    def test_of_two_builds_at_once_one_is_kept_and_the_other_is_told(self) -> None:
        told: list[Conflict] = []

        class Meanwhile:
            """Makes the files, but not before another has tried to build."""

            def files(_self, graph: Graph, keys: Sequence[Key]) -> Iterator[bytes]:
                other = Thread(target=another)
                other.start()
                other.join()
                return self.ws.renderer.files(graph, keys)

        def another() -> None:
            try:
                building.build(self.ws, self.delivery.id, silent())
            except Conflict as error:
                told.append(error)

        with mock.patch.object(door, "PATIENCE", 0.1):
            first = building.build(self.ws, self.delivery.id, silent(), Meanwhile())
        self.assertIn("has been building this delivery since", told[0].message)
        [kept] = deliveries.get(self.ws, self.delivery.id).builds
        self.assertEqual(kept.id, first.id)
        self.assertEqual(self.folders(), [building.build_folder(self.ws, kept.id).name])
        self.assertEqual(building.build(self.ws, self.delivery.id, silent()).number, 2)

    def test_a_stopped_build_leaves_nothing_behind(self) -> None:
        steps: list[str] = []

        def listen(_share: float, doing: str) -> None:
            steps.append(doing)
            if len(steps) == 2:
                raise Cancelled

        with self.assertRaises(Cancelled):
            building.build(self.ws, self.delivery.id, told(listen))
        self.assertEqual(self.folders(), [])
        self.assertEqual(deliveries.get(self.ws, self.delivery.id).builds, [])

    def test_files_are_written_one_by_one_and_not_gathered(self) -> None:
        writing = files.write_atomically

        def seen(path: Path, data: bytes) -> None:
            made.append(path.name)
            writing(path, data)

        made: list[str] = []

        class Counting:
            """Makes a file only when the one before is on disk."""

            def files(_self, graph: Graph, keys: Sequence[Key]) -> Iterator[bytes]:
                for number, data in enumerate(self.ws.renderer.files(graph, keys)):
                    # All that were asked for before have been written; the list is no file.
                    self.assertGreaterEqual(len(made), number - 1)
                    yield data

        with mock.patch.object(files, "write_atomically", seen):
            built = building.build(self.ws, self.delivery.id, silent(), Counting())
        self.assertEqual(len(made), built.files + 1)

    def test_nothing_is_installed_before_it_is_built(self) -> None:
        with self.assertRaises(BadRequest) as caught:
            deliveries.install(self.ws, self.delivery.id, silent())
        self.assertEqual(caught.exception.code, "not-built")


class Projects(WorkspaceCase):
    def test_a_project_is_found_by_title_or_id(self) -> None:
        made = projects.create(self.ws, "Glasshouse", None)
        self.assertEqual(projects.found(self.ws, "Glasshouse"), made)
        self.assertEqual(projects.found(self.ws, made.id), made)
        with self.assertRaises(BadRequest) as caught:
            projects.found(self.ws, "Other")
        self.assertIn(made.id, caught.exception.fix)
