import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from stonestack.core.document import Stage, edits
from stonestack.core.document.materials import PhysicalKind
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.judge import verdicts
from stonestack.core.kinds.node import Node
from stonestack.core.picture import colour
from stonestack.core.picture.image import Picture, Space
from stonestack.core.runtime.errors import BadFile, BadRequest, Conflict, NotFound
from stonestack.core.steps.derive.normal import NormalFromHeight
from stonestack.core.steps.levels import Levels
from stonestack.core.tables.matters import MATTERS, Matter
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Size
from stonestack.core.tables.targets import TARGETS
from stonestack.services.documents import projects, revisions, surfaces
from stonestack.services.documents.projects import ProjectView
from stonestack.services.documents.summaries import SurfaceState
from stonestack.services.documents.surfaces import SurfaceView
from stonestack.services.game import sources
from stonestack.services.game.sources import SourceView
from stonestack.services.workspace import Workspace
from tests.core.catalogue.test_sources import WIDE, matrix_profile, with_profile
from tests.support import WorkspaceCase, add_step, png, raw_picture, set_step, take_back


def wall(ws: Workspace, _root: Path) -> tuple[ProjectView, SourceView, SurfaceView]:
    """Make a project with one surface that has a colour."""
    project = projects.create(ws, "Glasshouse", None)
    source = sources.bring(ws, project.id, "wall.png", raw_picture())
    surface = surfaces.create(ws, project.id, "Wall", "wall")
    for change in (
        edits.SetOrigin(map=Role.COLOUR, origin=source.origin),
        edits.SetSize(map=Role.COLOUR, size=Size(width=128, height=128), all_maps=True),
    ):
        surface = surfaces.edit(ws, surface.id, surface.revision, change)
    return project, source, surface


class SurfaceCase(WorkspaceCase):
    """A project with one surface that has a colour."""

    prepare = staticmethod(wall)

    def setUp(self) -> None:
        super().setUp()
        self.project, self.source, self.surface = self.prepared

    def edit(self, surface: SurfaceView, change: edits.Edit) -> SurfaceView:
        return surfaces.edit(self.ws, surface.id, surface.revision, change)


class MadeOf(SurfaceCase):
    """What a surface is made of is guessed as it starts, and is one action with that."""

    def material(self, surface: SurfaceView) -> tuple[PhysicalKind, float]:
        material = surfaces.get(self.ws, surface.id).material
        assert material is not None
        return material.physical, material.gloss

    def begun(self, name: str) -> SurfaceView:
        made = surfaces.create(self.ws, self.project.id, name.title(), name)
        return self.edit(made, edits.SetOrigin(map=Role.COLOUR, origin=self.source.origin))

    def test_a_name_that_says_it_sets_maps_and_material_with_the_first_colour(self) -> None:
        surface = self.begun("panes_glass")
        self.assertEqual(surface.document.matter, Matter.GLASS)
        self.assertGreater(surface.document.matter_guessed or 0, 0.5)
        info = MATTERS[Matter.GLASS]
        self.assertEqual(self.material(surface), (PhysicalKind.GLASS, info.gloss))
        normal = surface.document.map(Role.NORMAL).steps[0].params
        assert isinstance(normal, NormalFromHeight)
        self.assertEqual(normal.steepness, info.steepness)
        back = surfaces.undo(self.ws, surface.id, surface.revision)
        self.assertIsNone(back.document.matter)
        self.assertEqual(self.material(back)[0], PhysicalKind.STONE)

    def test_one_choice_changes_it_and_one_key_takes_that_back(self) -> None:
        surface = self.begun("panes_glass")
        wood = self.edit(surface, edits.SetMatter(matter=Matter.WOOD))
        self.assertIsNone(wood.document.matter_guessed)
        self.assertEqual(self.material(wood), (PhysicalKind.WOOD, MATTERS[Matter.WOOD].gloss))
        back = surfaces.undo(self.ws, wood.id, wood.revision)
        self.assertEqual(back.document.matter, Matter.GLASS)
        self.assertEqual(self.material(back)[0], PhysicalKind.GLASS)

    def test_another_colour_later_changes_nothing_of_it(self) -> None:
        surface = self.edit(self.begun("panes_glass"), edits.SetMatter(matter=Matter.WOOD))
        other = sources.bring(self.ws, self.project.id, "brick_wall.png", raw_picture(seed=9))
        again = self.edit(surface, edits.SetOrigin(map=Role.COLOUR, origin=other.origin))
        self.assertEqual(again.document.matter, Matter.WOOD)


class Frozen(SurfaceCase):
    def test_a_map_that_holds_colours_keeps_them(self) -> None:
        pixels = np.zeros((64, 64, 3), np.uint8)
        pixels[..., 0], pixels[..., 1] = 200, 30
        source = sources.bring(self.ws, self.project.id, "tint.png", png(pixels))
        now = self.edit(self.surface, edits.SetOrigin(map=Role.SPECULAR, origin=source.origin))
        now = self.edit(now, edits.SetColours(map=Role.SPECULAR, colours=True))
        loose = self.render(now, Role.SPECULAR)
        now = surfaces.freeze(self.ws, now.id, now.revision, Role.SPECULAR)
        kept = self.render(now, Role.SPECULAR)
        self.assertEqual(kept.space, Space.LINEAR)
        self.assertLess(np.abs(kept.pixels - loose.pixels).max(), 1e-4)
        self.assertGreater(np.ptp(kept.pixels[0, 0]), 0.5)

    def render(self, view: SurfaceView, role: Role) -> Picture:
        key = view.keys[role][Stage.FINISH]
        assert key is not None
        return self.ws.renderer.picture(key)


class Rendering(SurfaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.ran: list[Node] = []
        self.ws.renderer.on_run = self.ran.append

    def render_all(self, surface: SurfaceView) -> list[str]:
        """Render every map to the end and return the operations that really ran."""
        self.ran.clear()
        for by_stage in surface.keys.values():
            key = by_stage[Stage.COMPRESS]
            assert key is not None
            self.ws.renderer.ktx2(key)
        return sorted(node.op for node in self.ran)

    def test_shared_beginnings_are_computed_once(self) -> None:
        ran = self.render_all(self.surface)
        self.assertEqual(ran.count("decode"), 1)
        self.assertEqual(ran.count("cut_tile"), 1)
        self.assertEqual(ran.count("compress"), 4)

    def test_a_change_renders_only_what_depends_on_it(self) -> None:
        self.render_all(self.surface)
        changed = self.edit(
            self.surface,
            set_step(self.surface.document, Role.NORMAL, 0, NormalFromHeight(relief=4)),
        )
        self.assertEqual(self.render_all(changed), ["compress", "normal_from_height", "size"])

    def test_undo_renders_nothing(self) -> None:
        self.render_all(self.surface)
        changed = self.edit(self.surface, add_step(Role.COLOUR, Levels(black=0.2)))
        self.render_all(changed)
        back = surfaces.undo(self.ws, changed.id, changed.revision)
        self.assertEqual(self.render_all(back), [])

    def test_a_new_start_takes_finished_textures_from_the_cache(self) -> None:
        self.render_all(self.surface)
        again = self.opened()
        ran: list[Node] = []
        again.renderer.on_run = ran.append
        key = self.surface.keys[Role.COLOUR][Stage.COMPRESS]
        assert key is not None
        again.renderer.ktx2(key)
        self.assertEqual(ran, [])

    def test_an_emptied_cache_only_costs_time(self) -> None:
        key = self.surface.keys[Role.NORMAL][Stage.COMPRESS]
        assert key is not None
        first = self.ws.renderer.ktx2(key)
        for file in (self.root / "data" / "cache").rglob("*.*"):
            file.unlink()
        self.assertEqual(self.opened().renderer.ktx2(key), first)

    def test_numbers_say_what_was_measured(self) -> None:
        keys = self.surface.keys[Role.COLOUR]
        steps, packed = keys[Stage.STEPS], keys[Stage.COMPRESS]
        assert steps and packed
        tile = self.ws.renderer.facts(steps, Stage.STEPS)
        assert tile.scores is not None
        self.assertAlmostEqual(tile.scores.x, 1, delta=0.3)
        done = frozenset({"balance_light", "cut_tile"})
        self.assertEqual(tile.finding, verdicts.of_tile(tile.scores, done))
        facts = self.ws.renderer.facts(packed, Stage.COMPRESS)
        self.assertEqual((facts.levels, facts.bytes), (8, 8192 + 2048 + 512 + 128 + 32 + 8 + 8 + 8))
        assert facts.psnr is not None
        self.assertGreater(facts.psnr, 20)

    def test_a_passing_look_is_small_and_makes_no_revision(self) -> None:
        change = set_step(self.surface.document, Role.NORMAL, 0, NormalFromHeight(relief=9))
        key = surfaces.preview(
            self.ws, self.surface.id, change, Role.NORMAL, Stage.STEPS, longest=64
        )
        assert key is not None
        self.assertLessEqual(max(self.ws.renderer.picture(key).pixels.shape[:2]), 64)
        self.assertEqual(surfaces.get(self.ws, self.surface.id).revision, self.surface.revision)


class UndoAndRedo(SurfaceCase):
    def test_both_outlive_a_new_start(self) -> None:
        renamed = self.edit(self.surface, edits.Rename(title="East wall"))
        surfaces.undo(self.ws, renamed.id, renamed.revision)
        again = self.opened()
        seen = surfaces.get(again, self.surface.id)
        self.assertEqual((seen.document.title, seen.redo), ("Wall", "Renamed to East wall"))
        forward = surfaces.redo(again, seen.id, seen.revision)
        self.assertEqual(forward.document.title, "East wall")
        self.assertIsNone(forward.redo)

    def test_an_edit_after_undo_begins_a_new_way(self) -> None:
        one = self.edit(self.surface, edits.Rename(title="One"))
        back = surfaces.undo(self.ws, one.id, one.revision)
        two = self.edit(back, edits.Rename(title="Two"))
        self.assertIsNone(two.redo)
        entries = revisions.listed(self.ws, two.id)
        self.assertEqual(entries[0].words, "Renamed to Two")
        left = next(e for e in entries if e.words == "Renamed to One")
        self.assertFalse(left.on_branch)
        again = take_back(self.ws, two.id, two.revision, left.id)
        self.assertEqual(again.document.title, "One")

    def test_everything_can_be_undone_back_to_the_start(self) -> None:
        seen = self.surface
        while seen.undo:
            seen = surfaces.undo(self.ws, seen.id, seen.revision)
        self.assertEqual(seen.state, SurfaceState.EMPTY)
        with self.assertRaises(BadRequest):
            surfaces.undo(self.ws, seen.id, seen.revision)

    def test_a_stale_edit_is_answered_with_a_conflict_and_loses_nothing(self) -> None:
        self.edit(self.surface, edits.Rename(title="First"))
        with self.assertRaises(Conflict):
            self.edit(self.surface, edits.Rename(title="Second"))
        self.assertEqual(surfaces.get(self.ws, self.surface.id).document.title, "First")

    def test_an_edit_that_changes_nothing_makes_no_revision(self) -> None:
        same = self.edit(self.surface, edits.Rename(title="Wall"))
        self.assertEqual(same.revision, self.surface.revision)

    def test_a_value_that_does_not_fit_is_refused_in_words(self) -> None:
        with self.assertRaises(BadRequest) as caught:
            self.edit(self.surface, add_step(Role.COLOUR, NormalFromHeight()))
        self.assertIn("not for colour", caught.exception.message)


class FirstColour(SurfaceCase):
    def test_a_colour_with_alpha_makes_the_material_cut_out(self) -> None:
        pixels = np.full((40, 40, 4), 200, np.uint8)
        pixels[:20, :, 3] = 0
        source = sources.bring(self.ws, self.project.id, "grid.png", png(pixels))
        made = surfaces.create(self.ws, self.project.id, "Grid", "grid")
        change = edits.SetOrigin(map=Role.COLOUR, origin=source.origin)
        material = self.edit(made, change).material
        assert material is not None
        self.assertTrue(material.cutout)
        solid = surfaces.get(self.ws, self.surface.id).material
        assert solid is not None
        self.assertFalse(solid.cutout)


class Sources(SurfaceCase):
    def test_bytes_are_kept_as_they_came(self) -> None:
        self.assertEqual(self.ws.files.read(self.source.sha256), raw_picture())

    def test_the_same_file_twice_is_one_source(self) -> None:
        again = sources.bring(self.ws, self.project.id, "wall.png", raw_picture())
        self.assertEqual(again.id, self.source.id)

    def test_bad_files_leave_nothing_behind(self) -> None:
        def kept() -> int:
            return sum(1 for p in (self.root / "data" / "files").rglob("*") if p.is_file())

        before = kept()
        for name, data in (
            ("cut.png", raw_picture()[:2000]),
            ("words.png", b"no picture at all" * 40),
            ("empty.png", b""),
            ("box.zip", b"PK\x03\x04" + bytes(99)),
        ):
            with self.assertRaises(BadFile):
                sources.bring(self.ws, self.project.id, name, data)
        with self.assertRaises(BadRequest):
            sources.bring(self.ws, self.project.id, "../../up.png", raw_picture(seed=9))
        self.assertEqual(kept(), before)
        self.assertEqual(len(sources.listed(self.ws, self.project.id)), 1)

    def test_a_source_that_is_lost_is_said_in_words(self) -> None:
        for file in (self.root / "data" / "files").rglob("*"):
            if file.is_file():
                file.unlink()
        key = self.surface.keys[Role.COLOUR][Stage.SOURCE]
        assert key is not None
        with self.assertRaises(NotFound) as caught:
            self.opened().renderer.png(key)
        self.assertIn("Bring the picture in again", caught.exception.fix)

    def test_a_source_that_was_tampered_with_is_not_used(self) -> None:
        for file in (self.root / "data" / "files").rglob("*"):
            if file.is_file():
                file.write_bytes(raw_picture(seed=77))
        key = self.surface.keys[Role.COLOUR][Stage.SOURCE]
        assert key is not None
        with self.assertRaises(NotFound):
            self.opened().renderer.png(key)


class Colours(SurfaceCase):
    """A specular map whose file has a wide colour profile."""

    def setUp(self) -> None:
        super().setUp()
        rng = np.random.default_rng(4)
        self.pixels = rng.integers(0, 256, (64, 64, 3), dtype=np.uint8)
        data = with_profile(self.pixels, matrix_profile(WIDE, 2.2))
        self.shine = sources.bring(self.ws, self.project.id, "wall_shine.png", data)

    def seen(self, surface: SurfaceView) -> Picture:
        key = surface.keys[Role.SPECULAR][Stage.SOURCE]
        assert key is not None
        return self.ws.renderer.picture(key)

    def test_a_profile_is_followed_only_where_the_map_holds_colours(self) -> None:
        origin = self.shine.origin
        surface = self.edit(self.surface, edits.SetOrigin(map=Role.SPECULAR, origin=origin))
        plain = self.seen(surface)
        self.assertIs(plain.space, Space.DATA)
        # Plain numbers: the mean of what is stored, untouched by the profile.
        grey = self.pixels.mean(axis=2, keepdims=True)
        np.testing.assert_allclose(plain.pixels * 255, grey, atol=1e-3)
        surface = self.edit(surface, edits.SetColours(map=Role.SPECULAR, colours=True))
        coloured = self.seen(surface)
        self.assertIs(coloured.space, Space.LINEAR)
        as_srgb = colour.to_linear(self.pixels.astype(np.float32) / 255)
        self.assertGreater(float(np.abs(coloured.pixels - as_srgb).mean()), 0.02)
        # One channel would keep the red only.
        self.assertEqual(surface.outputs[Role.SPECULAR].format, BlockFormat.BC1)
        undone = surfaces.undo(self.ws, surface.id, surface.revision)
        self.assertEqual(undone.outputs[Role.SPECULAR].format, BlockFormat.BC4)

    def test_a_target_can_say_so_for_all_its_surfaces(self) -> None:
        tinted = TARGETS["saltglass"].model_copy(update={"colours": frozenset({Role.SPECULAR})})
        with mock.patch.dict(TARGETS, saltglass=tinted):
            made = surfaces.create(self.ws, self.project.id, "Tinted", "tinted")
        surface = self.edit(made, edits.SetOrigin(map=Role.SPECULAR, origin=self.shine.origin))
        self.assertIs(self.seen(surface).space, Space.LINEAR)
        self.assertFalse(self.surface.document.map(Role.SPECULAR).colours)

    def test_directions_are_no_colours(self) -> None:
        with self.assertRaises(BadRequest):
            self.edit(self.surface, edits.SetColours(map=Role.NORMAL, colours=True))


if __name__ == "__main__":
    unittest.main()
