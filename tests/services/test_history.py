"""The one store of revisions: branches, actions over documents, two writers, old folders."""

from __future__ import annotations

import json
import tarfile
import unittest
from pathlib import Path

import numpy as np
from sqlalchemy import text

from stonestack.core.document import edits, rebuilt
from stonestack.core.document.deliveries import Delivery
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.picture.normals import Green
from stonestack.core.runtime.errors import BadRequest, Conflict
from stonestack.core.steps.levels import Levels
from stonestack.core.tables.roles import Role
from stonestack.services.delivery import building, deliveries
from stonestack.services.documents import materials, projects, revisions, surfaces
from stonestack.services.documents.summaries import SurfaceState
from stonestack.services.game import sources
from stonestack.services.jobs import silent
from stonestack.services.safe import returning
from stonestack.services.workspace import Workspace
from stonestack.store.files import sha256
from stonestack.store.place import DataFolder
from tests.forked import Forked
from tests.services import writers
from tests.services.test_surfaces import SurfaceCase
from tests.sizes import times
from tests.support import WorkspaceCase, add_step, png, take_back

FIXTURE = Path(__file__).resolve().parent.parent / "fixtures" / "before_documents.tar.gz"


class Branches(SurfaceCase):
    def test_numbers_are_never_used_again(self) -> None:
        one = self.edit(self.surface, edits.Rename(title="One"))
        back = surfaces.undo(self.ws, one.id, one.revision)
        two = self.edit(back, edits.Rename(title="Two"))
        self.assertNotEqual(one.revision, two.revision)
        self.assertGreater(two.revision, one.revision)
        self.assertGreater(two.moves, back.moves)

    def test_taking_back_past_an_undone_tail_lands_where_it_was_asked_to(self) -> None:
        first = self.surface
        one = self.edit(first, edits.Rename(title="One"))
        two = self.edit(one, edits.Rename(title="Two"))
        back = surfaces.undo(self.ws, two.id, two.revision)
        taken = take_back(self.ws, back.id, back.revision, first.revision)
        self.assertEqual(taken.document, first.document)
        undone = surfaces.undo(self.ws, taken.id, taken.revision)
        self.assertEqual(undone.document.title, "One")

    def test_redo_goes_along_the_branch_that_was_last_on(self) -> None:
        one = self.edit(self.surface, edits.Rename(title="One"))
        self.edit(surfaces.undo(self.ws, one.id, one.revision), edits.Rename(title="Two"))
        three = self.edit(surfaces.get(self.ws, one.id), edits.Rename(title="Three"))
        back = surfaces.undo(self.ws, three.id, three.revision)
        back = surfaces.undo(self.ws, back.id, back.revision)
        self.assertEqual(back.document.title, "Wall")
        forward = surfaces.redo(self.ws, back.id, back.revision)
        self.assertEqual(forward.document.title, "Two")

    def test_a_snapshot_is_a_name_for_a_revision(self) -> None:
        one = self.edit(self.surface, edits.Rename(title="One"))
        revisions.name(self.ws, one.id, one.revision, "Before the moss")
        revisions.name(self.ws, one.id, self.surface.revision, " Before  the moss ")
        entries = revisions.listed(self.ws, one.id, most=1)
        named = [e.id for e in entries if e.snapshots == ["Before the moss"]]
        self.assertEqual(named, [self.surface.revision])
        left = revisions.forget_name(self.ws, one.id, "Before the moss")
        self.assertEqual([e.snapshots for e in left if e.snapshots], [])
        self.assertIn(self.surface.revision, [e.id for e in left])

    def test_a_name_needs_words_and_a_revision_of_this_document(self) -> None:
        with self.assertRaises(BadRequest):
            revisions.name(self.ws, self.surface.id, self.surface.revision, "  ")
        other = surfaces.create(self.ws, self.project.id, "Other", "other")
        with self.assertRaises(BadRequest):
            revisions.name(self.ws, self.surface.id, other.revision, "Theirs")


class Actions(SurfaceCase):
    def grid(self) -> surfaces.SurfaceView:
        pixels = np.full((40, 40, 4), 200, np.uint8)
        pixels[:20, :, 3] = 0
        source = sources.bring(self.ws, self.project.id, "grid.png", png(pixels))
        made = surfaces.create(self.ws, self.project.id, "Grid", "grid")
        return self.edit(made, edits.SetOrigin(map=Role.COLOUR, origin=source.origin))

    def test_undo_takes_back_all_that_an_action_did(self) -> None:
        grid = self.grid()
        assert grid.material is not None
        self.assertTrue(grid.material.cutout)
        back = surfaces.undo(self.ws, grid.id, grid.revision)
        assert back.material is not None
        self.assertFalse(back.material.cutout)
        self.assertIsNone(back.document.map(Role.COLOUR).origin)
        again = surfaces.redo(self.opened(), back.id, back.revision)
        assert again.material is not None
        self.assertTrue(again.material.cutout)

    def test_what_was_changed_again_since_keeps_that_and_is_named(self) -> None:
        grid = self.grid()
        assert grid.material_id is not None
        view = materials.get(self.ws, grid.material_id)
        changed = rebuilt(view.document, gloss=0.77)
        materials.change(self.ws, view.id, view.revision, changed)
        back = surfaces.undo(self.ws, grid.id, grid.revision)
        self.assertEqual(back.left, ["material"])
        assert back.material is not None
        self.assertEqual((back.material.gloss, back.material.cutout), (0.77, True))

    def test_materials_deliveries_and_settings_are_undone_too(self) -> None:
        assert self.surface.material_id is not None
        view = materials.get(self.ws, self.surface.material_id)
        wide = materials.change(self.ws, view.id, view.revision, rebuilt(view.document, metres=9.0))
        revisions.undo(self.ws, view.id, wide.revision)
        self.assertEqual(materials.get(self.ws, view.id).document, view.document)
        made = deliveries.create(
            self.ws, self.project.id, Delivery(title="D", name="d", target="saltglass")
        )
        full = rebuilt(made.document, surfaces=(self.surface.id,))
        filled = deliveries.change(self.ws, made.id, made.revision, full)
        revisions.undo(self.ws, made.id, filled.revision)
        self.assertEqual(deliveries.get(self.ws, made.id).document.surfaces, ())
        before = projects.get(self.ws, self.project.id)
        after = projects.adjust(self.ws, self.project.id, texels_per_metre=777)
        revisions.undo(self.ws, self.project.id, after.revision)
        self.assertEqual(
            projects.get(self.ws, self.project.id).texels_per_metre, before.texels_per_metre
        )

    def test_an_older_form_cannot_overwrite_a_newer_one(self) -> None:
        assert self.surface.material_id is not None
        view = materials.get(self.ws, self.surface.material_id)
        materials.change(self.ws, view.id, view.revision, rebuilt(view.document, gloss=0.9))
        with self.assertRaises(Conflict):
            materials.change(self.ws, view.id, view.revision, rebuilt(view.document, metres=5.0))
        self.assertEqual(materials.get(self.ws, view.id).document.gloss, 0.9)

    def test_the_project_lists_every_action(self) -> None:
        self.edit(self.surface, edits.Rename(title="Named"))
        found = revisions.actions(self.ws, self.project.id)
        self.assertEqual(found[0].words, "Renamed to Named")
        self.assertEqual([d.id for d in found[0].documents], [self.surface.id])
        started = next(a for a in found if a.words == "Wall started")
        self.assertEqual([d.kind for d in started.documents], ["surface", "material"])

    def test_what_was_undone_or_left_behind_is_listed_as_not_in_force(self) -> None:
        one = self.edit(self.surface, edits.Rename(title="One"))
        self.edit(surfaces.undo(self.ws, one.id, one.revision), edits.Rename(title="Two"))
        found = {a.words: a.in_force for a in revisions.actions(self.ws, self.project.id)}
        self.assertFalse(found["Renamed to One"])
        self.assertTrue(found["Renamed to Two"])


class TwoWriters(SurfaceCase):
    def test_each_edit_is_applied_or_refused_and_none_is_lost(self) -> None:
        made = surfaces.create(self.ws, self.project.id, "Empty", "empty")
        count, threads = times(1000, 80), 4  # The threads share them evenly.
        running = [
            Forked(writers.main, self.root / "data", made.id, name, count, threads)
            for name in ("a", "b")
        ]
        answers = [json.loads(process.end(400)[1]) for process in running]
        told = [one for answer in answers for one in answer]
        done = [(base, title) for one in told for base, title in one["done"]]
        tried = sum(len(one["done"]) + one["refused"] + one["undone"] for one in told)
        self.assertEqual(tried, 2 * count)
        self.assertGreater(len(done), count // 10)
        with self.ws.engine.connect() as connection:
            kept = connection.execute(
                text("SELECT id, parent, words FROM revision WHERE document_id = :id"),
                {"id": made.id},
            ).all()
        words = [row[2] for row in kept if row[2].startswith("Renamed")]
        # All that was answered as done is there, once, on the revision that it was made on.
        self.assertEqual(sorted(words), sorted(f"Renamed to {title}" for _, title in done))
        parents = {row[2]: row[1] for row in kept}
        for base, title in done:
            self.assertEqual(parents[f"Renamed to {title}"], base)
        self.assertEqual(len({row[0] for row in kept}), len(kept))
        final = surfaces.get(self.ws, made.id)
        self.assertIn(final.revision, {row[0] for row in kept})


class Unreadable(SurfaceCase):
    def test_one_that_cannot_be_read_is_shown_as_such_and_breaks_no_list(self) -> None:
        other = surfaces.create(self.ws, self.project.id, "Other", "other")
        before = other.revision
        broken = self.edit(other, edits.Rename(title="Broken"))
        with self.ws.engine.begin() as connection:
            connection.execute(
                text("UPDATE revision SET body = '{\"title\": 3}' WHERE id = :id"),
                {"id": broken.revision},
            )
            connection.execute(text("UPDATE document SET summary_of = ''"))
        listed = surfaces.listed(self.ws, self.project.id)
        self.assertEqual([s.state for s in listed], [SurfaceState.DRAFT, SurfaceState.UNREADABLE])
        self.assertTrue(listed[1].problem)
        self.assertEqual(len(materials.listed(self.ws, self.project.id)), 2)
        with self.assertRaises(BadRequest):
            surfaces.get(self.ws, other.id)
        mended = take_back(self.ws, other.id, broken.revision, before)
        self.assertEqual(mended.document.title, "Other")


class OldFolder(WorkspaceCase):
    """A data folder that the version before documents has made."""

    def setUp(self) -> None:
        super().setUp()
        self.ws.close()
        self.old = self.root / "old"
        with tarfile.open(FIXTURE) as archive:
            archive.extractall(self.old)  # Our own fixture: nothing in it leads elsewhere.
        import sqlite3

        with sqlite3.connect(self.old / "data" / "stonestack.sqlite3") as database:
            for table, column in (
                ("project", "game_folder"),
                ("game", "root"),
                ("workfile", "path"),
            ):
                database.execute(
                    f"UPDATE {table} SET {column} = replace({column}, '@', ?)", (str(self.old),)
                )
        database.close()
        self.ws = Workspace(DataFolder(self.old / "data"))
        self.addCleanup(self.ws.close)
        self.project = projects.listed(self.ws)[0]

    def surface(self, title: str) -> surfaces.SurfaceView:
        found = next(s for s in surfaces.listed(self.ws, self.project.id) if s.title == title)
        return surfaces.get(self.ws, found.id)

    def test_surfaces_come_over_with_what_they_say(self) -> None:
        self.assertEqual(self.project.title, "Glasshouse")
        wall = surfaces.get(self.ws, surfaces.listed(self.ws, self.project.id)[0].id)
        normal = wall.outputs[Role.NORMAL]
        self.assertEqual((normal.format, normal.green), (BlockFormat.BC7, Green.DOWN))
        self.assertEqual(wall.outputs[Role.SPECULAR].name, "wall_gleam")
        self.assertEqual(wall.outputs[Role.COLOUR].name, "wall_c")
        self.assertFalse(wall.outputs[Role.HEIGHT].delivered)
        kinds = [s.params.kind for s in wall.document.map(Role.COLOUR).steps]
        self.assertEqual(kinds, ["balance_light", "cut_tile", "levels"])
        relief = wall.document.map(Role.NORMAL).steps[0].params
        self.assertEqual(relief.relief, 5)  # type: ignore[union-attr]
        key = wall.keys[Role.NORMAL]["compress"]
        assert key is not None
        self.assertEqual(self.ws.renderer.texture(key).format, BlockFormat.BC7)

    def test_history_goes_on_where_it_was_with_its_undone_tail(self) -> None:
        wall = surfaces.get(self.ws, surfaces.listed(self.ws, self.project.id)[0].id)
        self.assertEqual(wall.redo, "Renamed to Wall, undone")
        self.assertEqual(wall.undo, "Colour: Levels added")
        entries = revisions.listed(self.ws, wall.id)
        self.assertEqual(len(entries), 7)
        forward = surfaces.redo(self.ws, wall.id, wall.revision)
        self.assertEqual(forward.document.title, "Wall, undone")
        back = surfaces.undo(self.ws, wall.id, forward.revision)
        back = surfaces.undo(self.ws, back.id, back.revision)
        self.assertEqual(len(back.document.map(Role.COLOUR).steps), 2)
        edited = surfaces.edit(
            self.ws, back.id, back.revision, add_step(Role.COLOUR, Levels(white=0.9))
        )
        self.assertEqual(edited.document.title, "Wall")
        first = entries[-1].id
        self.assertIsNone(
            take_back(self.ws, wall.id, edited.revision, first).document.map(Role.COLOUR).origin
        )

    def test_materials_and_deliveries_come_over(self) -> None:
        listed = materials.listed(self.ws, self.project.id)
        material = listed[0].document
        assert material is not None
        self.assertEqual((material.gloss, material.metres), (0.8, 3.5))
        [delivery] = deliveries.listed(self.ws, self.project.id)
        self.assertEqual((delivery.document.name, delivery.document.target), ("first", "saltglass"))
        self.assertEqual(
            [(b.number, b.files, b.installed) for b in delivery.builds], [(1, 4, True)]
        )
        self.assertGreater(delivery.builds[0].bytes, 10_000)
        built = building.build(self.ws, delivery.id, silent())
        self.assertEqual(built.number, 2)

    def test_the_safe_gives_the_game_its_original_back(self) -> None:
        from stonestack.services.game import games

        game_id = next(g.id for g in games.listed(self.ws) if g.root == str(self.old / "game"))
        done = returning.restore(self.ws, game_id, None, silent())
        self.assertEqual(done.paths, ["tex/wall_c.dds"])
        data = (self.old / "game/tex/wall_c.dds").read_bytes()
        self.assertEqual(
            sha256(data), "acc14fcaf157a06d4682e316f4cde3a208af9e02cf7fc7dccd7147344c49114d"
        )


if __name__ == "__main__":
    unittest.main()
