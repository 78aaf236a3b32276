"""A delivery of loose files: put where the artist says, and taken out byte for byte."""

import unittest
from pathlib import Path
from unittest import mock

from stonestack.core.document import Output, edits, rebuilt
from stonestack.core.document.deliveries import Delivery
from stonestack.core.files import codecs
from stonestack.core.runtime.errors import BadRequest, Conflict
from stonestack.core.steps.levels import Levels
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Size
from stonestack.services.delivery import building, deliveries
from stonestack.services.documents import projects, surfaces
from stonestack.services.game import cataloguing, games, sources
from stonestack.services.jobs import silent
from stonestack.services.safe import keeping, putting, returning
from stonestack.services.safe.planning import Plan
from stonestack.services.workspace import Workspace
from stonestack.store import disk, journal
from tests.games import colour_dds, small_game, state
from tests.support import WorkspaceCase, add_step, raw_picture


def folders(root: Path) -> list[str]:
    """Return the folders below a root."""
    return sorted(p.relative_to(root).as_posix() for p in root.rglob("*") if p.is_dir())


class Died(BaseException):
    """The process is over; nothing after this moment is done."""


class Ending(disk.Disk):
    """A disk on which nothing more happens after so many operations."""

    def __init__(self, after: int) -> None:
        self.left = after

    def _step(self) -> None:
        self.left -= 1
        if self.left < 0:
            raise Died

    def write(self, path: Path, pieces: object) -> None:
        self._step()
        super().write(path, pieces)  # type: ignore[arg-type]

    def rename(self, source: Path, target: Path) -> None:
        self._step()
        super().rename(source, target)

    def link(self, source: Path, second: Path) -> None:
        self._step()
        super().link(source, second)

    def unlink(self, path: Path) -> None:
        self._step()
        super().unlink(path)

    def remove_folder(self, folder: Path) -> None:
        self._step()
        super().remove_folder(folder)

    def flush_folder(self, folder: Path) -> None:
        self._step()
        super().flush_folder(folder)


def loose(ws: Workspace, root: Path) -> tuple[str, surfaces.SurfaceView, str]:
    """Make a game of loose files, and a project for it with a surface in a delivery."""
    game = small_game(root / "game")
    (game / "room.json").unlink()
    project = projects.create(ws, "Own", game)
    source = sources.bring(ws, project.id, "wall.png", raw_picture())
    surface = surfaces.create(ws, project.id, "Wall", "wall")
    size = Size(width=64, height=64)
    for change in (
        edits.SetOrigin(map=Role.COLOUR, origin=source.origin),
        edits.SetSize(map=Role.COLOUR, size=size, all_maps=True),
    ):
        surface = surfaces.edit(ws, surface.id, surface.revision, change)
    document = Delivery(title="First", name="first", target="loose", surfaces=(surface.id,))
    return project.id, surface, deliveries.create(ws, project.id, document).id


class LooseCase(WorkspaceCase):
    """A project for a game of loose files, with one surface and a delivery that holds it."""

    prepare = staticmethod(loose)

    def setUp(self) -> None:
        super().setUp()
        self.game = self.root / "game"
        project, self.surface, delivery = self.prepared
        self.project = projects.get(self.ws, project)
        self.delivery = deliveries.get(self.ws, delivery)
        self.before = state(self.game)
        self.folders = folders(self.game)

    def edit(self, surface: surfaces.SurfaceView, change: edits.Edit) -> surfaces.SurfaceView:
        return surfaces.edit(self.ws, surface.id, surface.revision, change)

    def into(self, folder: str) -> None:
        projects.adjust(self.ws, self.project.id, put_into=folder)

    def put(self) -> None:
        building.build(self.ws, self.delivery.id, silent())
        deliveries.install(self.ws, self.delivery.id, silent())

    def take_out(self) -> None:
        deliveries.withdraw(self.ws, self.delivery.id, silent())

    def plan(self) -> Plan:
        return deliveries.plan(self.ws, self.delivery.id, silent())

    def whys(self) -> dict[str, str]:
        return {line.path: line.why for line in self.plan().lines}

    def assert_as_before(self) -> None:
        self.assertEqual(state(self.game), self.before)
        self.assertEqual(folders(self.game), self.folders)

    def in_game(self) -> bool:
        [view] = deliveries.listed(self.ws, self.project.id)
        return view.in_game


class PutAndTakenOut(LooseCase):
    def test_the_folder_of_another_game_gets_the_plain_target(self) -> None:
        self.assertEqual(self.project.target.name, "loose")

    def test_files_go_where_the_artist_says_and_nothing_else_is_written(self) -> None:
        self.into("mods/stone/textures")
        self.put()
        own = {f"mods/stone/textures/wall_{s}.dds" for s in "cns"}
        self.assertEqual(set(state(self.game)) - set(self.before), own)
        texture = codecs.dds.read((self.game / "mods/stone/textures/wall_c.dds").read_bytes())
        self.assertEqual((texture.width, texture.height), (64, 64))
        self.assertTrue(self.in_game())
        self.take_out()
        self.assertFalse(self.in_game())
        self.assert_as_before()

    def test_the_plan_says_what_is_new_and_what_is_replaced_and_changes_nothing(self) -> None:
        self.into("tex")
        building.build(self.ws, self.delivery.id, silent())
        self.assertEqual(self.whys()["tex/wall_c.dds"], "in place of the game's own")
        self.assertEqual(self.whys()["tex/wall_n.dds"], "a new file")
        [keep] = self.plan().keeps
        self.assertEqual((keep.file, keep.already), ("tex/wall_c.dds", False))
        self.assert_as_before()

    def test_what_is_replaced_comes_back_byte_for_byte_with_its_time(self) -> None:
        self.into("tex")
        self.put()
        self.assertNotEqual(state(self.game)["tex/wall_c.dds"], self.before["tex/wall_c.dds"])
        self.assertTrue(keeping.verify(self.ws, games.at(self.ws, self.game).id).safe_whole)
        self.take_out()
        self.assert_as_before()

    def test_capitals_alone_make_no_second_file(self) -> None:
        (self.game / "tex/wall_c.dds").rename(self.game / "tex/Wall_C.DDS")
        self.before = state(self.game)
        self.into("TEX")
        self.put()
        names = [n for n in state(self.game) if n.lower() == "tex/wall_c.dds"]
        self.assertEqual(names, ["tex/Wall_C.DDS"])
        self.take_out()
        self.assert_as_before()

    def test_a_later_build_replaces_ours_and_takes_out_what_it_lacks(self) -> None:
        self.into("tex")
        self.put()
        self.edit(
            self.surface,
            edits.SetOutput(map=Role.COLOUR, target="loose", output=Output(name="floor_c")),
        )
        building.build(self.ws, self.delivery.id, silent())
        whys = self.whys()
        self.assertIn("original comes back", whys["tex/wall_c.dds"])
        self.assertEqual(whys["tex/floor_c.dds"], "in place of the game's own")
        deliveries.install(self.ws, self.delivery.id, silent())
        self.assertEqual(state(self.game)["tex/wall_c.dds"], self.before["tex/wall_c.dds"])
        self.assertNotEqual(state(self.game)["tex/floor_c.dds"], self.before["tex/floor_c.dds"])
        self.take_out()
        self.assert_as_before()

    def test_another_folder_moves_the_files(self) -> None:
        self.into("one")
        self.put()
        self.into("two")
        self.put()
        self.assertFalse((self.game / "one").exists())
        self.assertTrue((self.game / "two/wall_c.dds").is_file())
        self.take_out()
        self.assert_as_before()

    def test_a_folder_with_something_of_somebody_else_in_it_stays(self) -> None:
        self.into("mods")
        self.put()
        (self.game / "mods/theirs.txt").write_text("mine")
        self.take_out()
        self.assertEqual([p.name for p in (self.game / "mods").iterdir()], ["theirs.txt"])

    def test_places_outside_the_game_are_refused(self) -> None:
        with self.assertRaises(BadRequest):
            self.into("../elsewhere")
        elsewhere = self.root / "elsewhere"
        elsewhere.mkdir()
        (self.game / "way").symlink_to(elsewhere)
        self.into("way")
        building.build(self.ws, self.delivery.id, silent())
        with self.assertRaises(BadRequest) as caught:
            deliveries.install(self.ws, self.delivery.id, silent())
        self.assertEqual(caught.exception.code, "outside-game")
        self.assertEqual(list(elsewhere.iterdir()), [])

    def test_a_file_on_the_way_and_a_folder_in_the_place_are_refused(self) -> None:
        self.into("tex/floor_c.dds")
        building.build(self.ws, self.delivery.id, silent())
        with self.assertRaises(BadRequest) as caught:
            self.plan()
        self.assertEqual(caught.exception.code, "not-a-folder")
        (self.game / "new/wall_c.dds").mkdir(parents=True)
        self.into("new")
        with self.assertRaises(BadRequest) as caught:
            deliveries.install(self.ws, self.delivery.id, silent())
        self.assertEqual(caught.exception.code, "not-a-file")

    def test_two_maps_whose_names_differ_in_capitals_alone_are_refused(self) -> None:
        self.edit(
            self.surface,
            edits.SetOutput(map=Role.COLOUR, target="loose", output=Output(name="WALL_N")),
        )
        with self.assertRaises(BadRequest) as caught:
            building.build(self.ws, self.delivery.id, silent())
        self.assertEqual(caught.exception.code, "two-files-one-name")
        # One that was built before that was looked at is not put in either.
        with mock.patch.object(building, "clash", return_value=""):
            building.build(self.ws, self.delivery.id, silent())
        with self.assertRaises(BadRequest) as caught:
            deliveries.install(self.ws, self.delivery.id, silent())
        self.assertEqual(caught.exception.code, "one-place-twice")
        self.assert_as_before()

    def test_nothing_of_the_sample_game_is_written_into_another(self) -> None:
        self.put()
        self.assertFalse((self.game / "deliveries").exists())
        self.assertFalse((self.game / "deliveries.json").exists())


class TwoDeliveriesOfOneFile(LooseCase):
    def second(self) -> deliveries.DeliveryView:
        document = rebuilt(self.delivery.document, name="second", title="Second")
        return deliveries.create(self.ws, self.project.id, document)

    def test_the_first_is_not_in_the_game_once_the_second_has_its_places(self) -> None:
        self.put()
        now = surfaces.get(self.ws, self.surface.id)
        self.edit(now, add_step(Role.COLOUR, Levels(middle=0.3)))
        second = self.second()
        building.build(self.ws, second.id, silent())
        deliveries.install(self.ws, second.id, silent())
        stands = {v.id: v.standing for v in deliveries.listed(self.ws, self.project.id)}
        self.assertEqual(stands[second.id].state, "in")
        self.assertEqual(stands[self.delivery.id].state, "out")

    def test_the_same_files_again_write_nothing(self) -> None:
        self.put()
        before = {p: p.stat().st_ino for p in self.game.rglob("*.dds")}
        deliveries.install(self.ws, self.delivery.id, silent())
        self.assertEqual({p: p.stat().st_ino for p in self.game.rglob("*.dds")}, before)
        self.take_out()
        self.assert_as_before()


class AfterAnUpdate(LooseCase):
    def setUp(self) -> None:
        super().setUp()
        self.into("tex")
        self.put()
        self.id = games.at(self.ws, self.game).id

    def states(self) -> dict[str, str]:
        return {p.path: p.state for p in keeping.verify(self.ws, self.id).placed}

    def test_what_the_update_wiped_is_put_back(self) -> None:
        (self.game / "tex/wall_c.dds").write_bytes(colour_dds(1))
        (self.game / "tex/wall_n.dds").unlink()
        wiped = {path for path, known in self.states().items() if known == "wiped"}
        self.assertEqual(wiped, {"tex/wall_c.dds", "tex/wall_n.dds"})
        returning.put_back(self.ws, self.id, None, silent())
        self.assertEqual(set(self.states().values()), {"in place"})
        self.take_out()
        self.assertNotIn("tex/wall_n.dds", state(self.game))

    def test_another_original_stays_until_it_is_asked_for(self) -> None:
        theirs = colour_dds(9)
        (self.game / "tex/wall_c.dds").write_bytes(theirs)
        with self.assertRaises(Conflict) as caught:
            self.take_out()
        self.assertIn("tex/wall_c.dds", caught.exception.message)
        self.assertEqual((self.game / "tex/wall_c.dds").read_bytes(), theirs)
        self.assertNotIn("tex/wall_n.dds", state(self.game))
        [view] = deliveries.listed(self.ws, self.project.id)
        self.assertEqual(view.standing.state, "changed")
        self.assertFalse(view.in_game)

    def test_replacing_the_new_one_keeps_it_and_puts_ours_as_it_was_built(self) -> None:
        theirs, ours = colour_dds(9), (self.game / "tex/wall_c.dds").read_bytes()
        (self.game / "tex/wall_c.dds").write_bytes(theirs)
        with self.ws.session() as session:
            row = keeping.placed_at(session, self.id, "tex/wall_c.dds", "")
        assert row is not None
        assert row.id is not None
        returning.put_back(self.ws, self.id, [row.id], silent())
        self.assertEqual((self.game / "tex/wall_c.dds").read_bytes(), ours)
        self.take_out()
        self.assertEqual((self.game / "tex/wall_c.dds").read_bytes(), theirs)

    def test_switching_to_the_originals_and_back(self) -> None:
        ours = state(self.game).keys()
        returning.switch(self.ws, self.id, False, silent())
        self.assert_as_before()
        returning.switch(self.ws, self.id, True, silent())
        self.assertEqual(state(self.game).keys(), ours)

    def test_restoring_everything_takes_the_delivery_out(self) -> None:
        returning.restore(self.ws, self.id, None, silent())
        self.assert_as_before()
        self.assertFalse(self.in_game())

    def test_the_catalogue_follows_where_there_is_one(self) -> None:
        cataloguing.catalogue(self.ws, self.id, silent())
        self.into("fresh")
        self.put()
        read = cataloguing.catalogue(self.ws, self.id, silent())
        self.assertEqual((read.changed, read.gone), (0, 0))


class CutShort(LooseCase):
    def test_after_a_stop_at_any_moment_the_game_is_as_before_or_as_put(self) -> None:
        self.into("tex/deep")
        (self.game / "tex/deep").mkdir()
        (self.game / "tex/deep/wall_c.dds").write_bytes(colour_dds(5))
        self.into("tex/deep")
        self.before, self.folders = state(self.game), folders(self.game)
        building.build(self.ws, self.delivery.id, silent())
        deliveries.install(self.ws, self.delivery.id, silent())
        ours = {name: digest for name, (digest, _) in state(self.game).items()}
        self.take_out()
        self.into("tex/deep")
        self.assert_each_moment(
            lambda: deliveries.install(self.ws, self.delivery.id, silent()), ours
        )

    def test_new_folders_come_and_go_with_their_files(self) -> None:
        self.into("mods/stone")
        self.put()
        ours = {name: digest for name, (digest, _) in state(self.game).items()}
        self.take_out()
        self.assert_each_moment(
            lambda: deliveries.install(self.ws, self.delivery.id, silent()), ours
        )

    def assert_each_moment(self, work: object, ours: dict[str, str]) -> None:
        seen = set()
        for moment in range(400):
            over = self.died(Ending(moment), work)
            putting.settle(self.ws)
            now = state(self.game)
            digests = {name: digest for name, (digest, _) in now.items()}
            self.assertIn(digests, (ours, {n: d for n, (d, _) in self.before.items()}), moment)
            seen.add(digests == ours)
            self.assertEqual(journal.unfinished(self.ws.data.journal), [])
            self.died_again(moment)
            self.take_out()
            self.assert_as_before()
            if over:
                break
        self.assertEqual(seen, {True, False})

    def died(self, ending: Ending, work: object) -> bool:
        assert callable(work)
        try:
            with disk.using(ending):
                work()
        except Died:
            return False
        return True

    def died_again(self, moment: int) -> None:
        """Die while taking out as well, then settle."""
        self.died(Ending(moment), self.take_out)
        putting.settle(self.ws)
        self.assertEqual(journal.unfinished(self.ws.data.journal), [])


if __name__ == "__main__":
    unittest.main()
