"""Working files: out to an editor and back, checked and mended."""

from __future__ import annotations

import io
import os
import re
import threading
import time
import unittest
import zipfile
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from PIL import Image, ImageCms

from stonestack.core.document import Stage, Step, edits, rebuilt
from stonestack.core.files import codecs
from stonestack.core.files.workfiles import openraster
from stonestack.core.files.workfiles.openraster import GUIDES, ORIGINAL, PICTURE
from stonestack.core.files.workfiles.passing import GUIDE, WorkKind, guide_mask
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.references import SourceRef
from stonestack.core.picture.image import Space
from stonestack.core.raw.frame import frame_of
from stonestack.core.refit import as_stored
from stonestack.core.runtime.errors import Conflict
from stonestack.core.steps.tone import Tone
from stonestack.core.tables.roles import Role
from stonestack.demo.editor import paint
from stonestack.services.documents import projects, revisions, surfaces
from stonestack.services.editor import working
from stonestack.services.editor.watching import Watcher
from stonestack.services.editor.working import WorkfileView
from stonestack.services.game import finding, sources, taking
from stonestack.services.jobs import silent
from stonestack.services.safe import planning, putting
from tests.games import catalogued, colour_dds, entry, small_game, state
from tests.support import WorkspaceCase, add_step, raw_picture, take_back


class WorkingCase(WorkspaceCase):
    """A surface that was taken from a small game."""

    def setUp(self) -> None:
        super().setUp()
        self.game = small_game(self.root / "game")
        self.game_id = catalogued(self.ws, self.game)
        self.project = projects.create(self.ws, "Garden", self.game)
        wall = entry(self.ws, self.game_id, "tex/wall_c.dds")
        (self.surface,) = taking.into_project(
            self.ws, self.project.id, self.game_id, [wall.id or 0]
        )

    def out(self, kind: WorkKind = WorkKind.PNG, stage: Stage = Stage.SIZE) -> WorkfileView:
        return working.put_out(self.ws, self.surface.id, Role.COLOUR, stage, kind)

    def saved(
        self, view: WorkfileView, image: Image.Image, kind: str = "PNG", **options: object
    ) -> WorkfileView:
        image.save(view.path, kind, **options)
        working.look(self.ws)
        return working.listed(self.ws, self.surface.id)[0]

    def revision(self) -> int:
        return surfaces.get(self.ws, self.surface.id).revision

    def finished(self) -> np.ndarray:
        document = surfaces.get(self.ws, self.surface.id).document
        wiring = Wiring(document)
        key = wiring.at(Role.COLOUR, Stage.SIZE)
        assert key is not None
        self.ws.renderer.graphs.add(wiring.graph, [key])
        return self.ws.renderer.picture(key).pixels

    def editable(self, view: WorkfileView) -> Image.Image:
        with Image.open(view.path) as image:
            return image.convert("RGB")


class FrozenMaps(WorkingCase):
    def setUp(self) -> None:
        super().setUp()
        now = surfaces.get(self.ws, self.surface.id)
        self.surface = surfaces.freeze(self.ws, now.id, now.revision, Role.COLOUR)

    def painted(self, stage: Stage) -> WorkfileView:
        view = self.out(stage=stage)
        with Image.open(view.path) as image:
            image.convert("RGB").point(lambda v: 255 - v).save(view.path)
        working.look(self.ws)
        return next(w for w in working.listed(self.ws, self.surface.id) if w.id == view.id)

    def test_paint_after_its_steps_shows(self) -> None:
        before = self.finished()
        codes = [trouble.code for trouble in self.painted(Stage.STEPS).troubles]
        self.assertNotIn("behind-frozen", codes)
        self.assertGreater(np.abs(self.finished() - before).max(), 0.1)

    def test_paint_on_what_lies_behind_it_says_when_it_will_show(self) -> None:
        before = self.finished()
        codes = [trouble.code for trouble in self.painted(Stage.RAW).troubles]
        self.assertIn("behind-frozen", codes)
        self.assertTrue(np.array_equal(self.finished(), before))
        now = surfaces.get(self.ws, self.surface.id)
        surfaces.edit(self.ws, now.id, now.revision, edits.Thaw(map=Role.COLOUR))
        self.assertGreater(np.abs(self.finished() - before).max(), 0.1)


class EachMapItsOwnFile(WorkingCase):
    """Files of one name in two folders of the game, as two maps of one surface."""

    def setUp(self) -> None:
        super().setUp()
        other = self.game / "shine" / "wall_c.dds"
        other.parent.mkdir()
        other.write_bytes(colour_dds(7))
        self.game_id = catalogued(self.ws, self.game)
        shine = entry(self.ws, self.game_id, "shine/wall_c.dds")
        source = sources.bring(self.ws, self.project.id, "shine.png", raw_picture(seed=8))
        now = surfaces.get(self.ws, self.surface.id)
        place = now.document.map(Role.COLOUR).place
        assert place is not None
        change = edits.TakeFromGame(
            role=Role.SPECULAR,
            origin=source.origin,
            place=rebuilt(place, path="shine/wall_c.dds", file="shine/wall_c.dds"),
            size=now.document.map(Role.COLOUR).size,
        )
        self.assertTrue(shine.id)
        self.surface = surfaces.edit(self.ws, now.id, now.revision, change)

    def test_what_is_painted_as_one_map_comes_back_as_that(self) -> None:
        colour = self.out()
        specular = working.put_out(
            self.ws, self.surface.id, Role.SPECULAR, Stage.SIZE, WorkKind.PNG
        )
        self.assertNotEqual(colour.path, specular.path)
        self.assertEqual(self.out().path, colour.path)
        with Image.open(specular.path) as image:
            image.convert("L").point(lambda v: 255 - v).save(specular.path)
        working.look(self.ws)
        document = surfaces.get(self.ws, self.surface.id).document
        self.assertEqual(document.map(Role.COLOUR).returned, ())
        self.assertEqual(len(document.map(Role.SPECULAR).returned), 1)

    def test_a_file_that_nobody_here_put_is_not_written_over(self) -> None:
        first = self.out()
        stranger = Path(first.path).with_name("wall_c_steps.png")
        stranger.write_bytes(b"somebody else's")
        view = self.out(stage=Stage.STEPS)
        self.assertEqual(stranger.read_bytes(), b"somebody else's")
        self.assertEqual(view.name, "wall_c_steps~2.png")

    def test_what_was_saved_just_before_is_taken_in_before_it_is_put_out_anew(self) -> None:
        view = self.out()
        with Image.open(view.path) as image:
            painted = image.convert("RGB").point(lambda v: 255 - v)
        painted.save(view.path)
        self.out()
        with Image.open(view.path) as image:
            self.assertTrue(np.allclose(np.asarray(image.convert("RGB")), painted, atol=1))


class Passing(WorkingCase):
    """Out and back."""

    def test_taken_maps_are_exactly_the_games_and_putting_back_changes_nothing(self) -> None:
        before = state(self.game)
        game_id, wanted = taking.of_surface(self.ws, self.surface.id)
        work, contents = planning.plan(self.ws, game_id, wanted)
        line = next(x for x in work.lines if not x.copy_of)
        self.assertTrue(line.same)
        self.assertEqual(contents[line.entry_id], (self.game / "tex/wall_c.dds").read_bytes())
        putting.put(self.ws, game_id, wanted, {line.entry_id}, silent())
        self.assertEqual(state(self.game), before)

    def test_each_kind_comes_back_as_a_revision_that_shows_the_change(self) -> None:
        for kind in WorkKind:
            with self.subTest(kind=kind):
                before, was = self.revision(), self.finished()
                view = self.out(kind)
                paint(Path(view.path))
                self.assertEqual(working.look(self.ws), [view.id])
                now = working.listed(self.ws, self.surface.id)[0]
                self.assertEqual((now.state, now.troubles), ("back", []))
                self.assertGreater(self.revision(), before)
                changed = np.abs(self.finished() - was).max(axis=2) > 0.02
                self.assertTrue(changed[30:34, 10:54].mean() > 0.9)
                self.assertFalse(changed[:8].any())
                surfaces.undo(self.ws, self.surface.id, self.revision())
                np.testing.assert_array_equal(self.finished(), was)

    def test_an_earlier_revision_is_taken_back_and_none_is_lost(self) -> None:
        first, was = self.revision(), self.finished()
        view = self.out()
        paint(Path(view.path))
        working.look(self.ws)
        painted_revision, with_paint = self.revision(), self.finished()
        keys = surfaces.revision_keys(self.ws, self.surface.id, first).keys
        key = keys[Role.COLOUR][Stage.SIZE]
        assert key is not None
        np.testing.assert_array_equal(self.ws.renderer.picture(key).pixels, was)
        now = take_back(self.ws, self.surface.id, painted_revision, first)
        np.testing.assert_array_equal(self.finished(), was)
        self.assertEqual(len(revisions.listed(self.ws, self.surface.id)), 4)
        take_back(self.ws, self.surface.id, now.revision, painted_revision)
        np.testing.assert_array_equal(self.finished(), with_paint)

    def test_what_is_not_painted_on_still_follows_earlier_changes(self) -> None:
        view = self.out()
        paint(Path(view.path))
        working.look(self.ws)
        with_paint = self.finished()
        change = add_step(Role.COLOUR, Tone(brightness=0.2))
        surfaces.edit(self.ws, self.surface.id, self.revision(), change)
        now = self.finished()
        self.assertGreater(float(np.abs(now[:8] - with_paint[:8]).mean()), 0.01)
        np.testing.assert_array_equal(now[31, 20:40], with_paint[31, 20:40])

    def test_only_the_painted_blocks_are_encoded_when_it_is_put_back(self) -> None:
        view = self.out()
        image = self.editable(view)
        image.paste((250, 10, 10), (8, 8, 16, 16))
        self.saved(view, image)
        game_id, wanted = taking.of_surface(self.ws, self.surface.id)
        work, _ = planning.plan(self.ws, game_id, wanted)
        line = next(x for x in work.lines if not x.copy_of)
        self.assertLess(line.made_anew, 0.05)
        self.assertGreater(line.made_anew, 0)

    def put_back(self) -> tuple[bytes, float]:
        """Return what would be put in place of the game's file, and the share made anew."""
        game_id, wanted = taking.of_surface(self.ws, self.surface.id)
        work, contents = planning.plan(self.ws, game_id, wanted)
        line = next(x for x in work.lines if not x.copy_of)
        return contents[line.entry_id], line.made_anew

    def test_a_level_of_its_own_goes_back_and_all_others_stay_to_the_byte(self) -> None:
        buffer = io.BytesIO()
        Image.new("RGB", (9, 9), (240, 20, 20)).save(buffer, "PNG")
        source = sources.bring(self.ws, self.project.id, "far.png", buffer.getvalue())
        picture = SourceRef(sha256=source.sha256, name="far.png", width=9, height=9)
        change = edits.SetLevel(map=Role.COLOUR, level=2, picture=picture)
        surfaces.edit(self.ws, self.surface.id, self.revision(), change)
        original = (self.game / "tex/wall_c.dds").read_bytes()
        data, anew = self.put_back()
        self.assertEqual(len(data), len(original))
        before, after = codecs.read_texture(original), codecs.read_texture(data)
        differing = [n for n, old in enumerate(before.levels) if old != after.levels[n]]
        self.assertEqual(differing, [2])
        self.assertGreater(after.texels(2)[..., 0].min(), 225)
        self.assertGreater(anew, 0)
        change = edits.SetLevel(map=Role.COLOUR, level=2)
        surfaces.edit(self.ws, self.surface.id, self.revision(), change)
        self.assertEqual(self.put_back(), (original, 0))

    def test_what_was_done_at_the_finished_size_goes_back_too(self) -> None:
        step = Step(params=Tone(brightness=0.3), finish=True)
        change = edits.AddStep(map=Role.COLOUR, step=step)
        surfaces.edit(self.ws, self.surface.id, self.revision(), change)
        original = codecs.read_texture((self.game / "tex/wall_c.dds").read_bytes())
        data, _ = self.put_back()
        darker = codecs.read_texture(data).texels()[..., :3].astype(float).mean()
        self.assertLess(darker, original.texels()[..., :3].mean() - 50)

    def test_the_watcher_takes_a_save_in_within_two_seconds(self) -> None:
        view = self.out(WorkKind.ORA)
        watcher = Watcher(self.ws)
        self.addCleanup(watcher.close)
        before = self.revision()
        began = time.monotonic()
        paint(Path(view.path))
        done = threading.Event()
        while self.revision() == before and time.monotonic() - began < 20:
            done.wait(0.02)
        self.assertGreater(self.revision(), before)
        self.assertLess(time.monotonic() - began, 2)

    def test_paint_on_the_source_lies_below_its_frame_and_every_step(self) -> None:
        frame = frame_of(((0.0, 0.0), (0.5, 0.0), (0.5, 0.5), (0.0, 0.5)))
        change = edits.SetFrame(map=Role.COLOUR, frame=frame)
        surfaces.edit(self.ws, self.surface.id, self.revision(), change)
        view = self.out(stage=Stage.SOURCE)
        image = self.editable(view)
        self.assertEqual(image.size, (64, 64))
        image.paste((250, 10, 10), (0, 0, 32, 32))
        self.saved(view, image)
        # Framed once: what was painted fills the frame.
        self.assertGreater(self.finished()[2:62, 2:62, 0].min(), 0.9)

    def test_paint_that_was_undone_in_the_editor_goes(self) -> None:
        was = self.finished()
        view = self.out()
        clean = Path(view.path).read_bytes()
        paint(Path(view.path))
        working.look(self.ws)
        self.assertTrue((self.finished() != was).any())
        Path(view.path).write_bytes(clean)
        working.look(self.ws)
        np.testing.assert_array_equal(self.finished(), was)

    def test_a_save_that_another_change_overtakes_is_taken_in_later(self) -> None:
        view = self.out()
        paint(Path(view.path))
        overtaken = Conflict("stale-edit", "Overtaken.", "Again.")
        with mock.patch.object(surfaces, "edit", side_effect=overtaken):
            self.assertEqual(working.look(self.ws), [])
        self.assertEqual(working.look(self.ws), [view.id])

    def test_companions_of_the_games_file_lie_beside_the_working_file(self) -> None:
        (self.game / "tex/wall.regions.txt").write_text("a 0 0 8 8\n")
        catalogued(self.ws, self.game)
        view = self.out()
        beside = Path(view.path).with_name("wall.regions.txt")
        self.assertEqual(beside.read_text(), "a 0 0 8 8\n")

    def test_putting_out_again_does_not_come_back_by_itself(self) -> None:
        self.out()
        before = self.revision()
        self.out()
        self.assertEqual(working.look(self.ws), [])
        self.assertEqual(self.revision(), before)

    def test_openraster_has_the_parts_that_its_specification_asks_for(self) -> None:
        view = self.out(WorkKind.ORA)
        with zipfile.ZipFile(view.path) as file:
            first = file.infolist()[0]
            self.assertEqual((first.filename, first.compress_type), ("mimetype", 0))
            self.assertEqual(file.read("mimetype"), b"image/openraster")
            self.assertLessEqual(
                {"stack.xml", "mergedimage.png", "Thumbnails/thumbnail.png"}, set(file.namelist())
            )
        names = [x.name for x in openraster.read(Path(view.path).read_bytes())]
        self.assertEqual(names[:2], [GUIDES, PICTURE])

    def test_a_layer_that_lies_beside_the_picture_shows_nothing_of_itself(self) -> None:
        view = self.out(WorkKind.ORA)
        with zipfile.ZipFile(view.path) as archive:
            parts = {name: archive.read(name) for name in archive.namelist()}
        for left, top in ((70, 0), (0, 70), (-70, 0), (0, -70)):
            moved = re.sub(r'x="\d+" y="\d+"', f'x="{left}" y="{top}"', parts["stack.xml"].decode())
            self.assertNotEqual(moved, parts["stack.xml"].decode())
            buffer = io.BytesIO()
            with zipfile.ZipFile(buffer, "w") as archive:
                for name, data in (parts | {"stack.xml": moved.encode()}).items():
                    archive.writestr(name, data)
            for layer in openraster.read(buffer.getvalue()):
                self.assertEqual(int(layer.texels.max()), 0, (left, top))

    def test_guides_and_the_original_left_visible_stay_out_of_the_picture(self) -> None:
        view = self.out(WorkKind.ORA)
        layers = openraster.read(Path(view.path).read_bytes())
        plain = next(x for x in layers if x.name == PICTURE)
        white = np.full_like(plain.texels, 255)
        layers = [*layers, openraster.Layer(ORIGINAL, white, True)]
        Path(view.path).write_bytes(openraster.write([layers[-1], *layers[:-1]]))
        was = self.finished()
        working.look(self.ws)
        (back,) = working.listed(self.ws, self.surface.id)
        self.assertEqual([t.code for t in back.troubles], ["original"])
        np.testing.assert_array_equal(self.finished(), was)


class Troubles(WorkingCase):
    """What editors do to files, each said and mended."""

    def mended(self, view: WorkfileView, code: str) -> np.ndarray:
        fix = next(t for t in view.troubles if t.code == code)
        self.assertTrue(fix.fix)
        working.mend(self.ws, view.id, [code])
        return self.finished()

    def test_another_size_is_said_and_fitted(self) -> None:
        view = self.out()
        back = self.saved(view, self.editable(view).resize((100, 50)))
        self.assertIn("100 × 50", back.troubles[0].words)
        self.assertEqual(self.mended(back, "size").shape[:2], (64, 64))

    def test_merged_guides_are_noticed_and_taken_out(self) -> None:
        was = self.finished()
        view = self.out()
        texels = np.array(self.editable(view))
        texels[guide_mask(64, 64)] = GUIDE[:3]
        back = self.saved(view, Image.fromarray(texels))
        self.assertEqual([t.code for t in back.troubles], ["guides"])
        np.testing.assert_array_equal(self.mended(back, "guides"), was)

    def test_lost_alpha_is_noticed_and_given_back(self) -> None:
        cut = np.full((64, 64, 4), 200, np.uint8)
        cut[10:50, 10:50, 3] = 0
        picture = as_stored(_png(cut), Space.LINEAR)
        from stonestack.core.files.workfiles.passing import incoming, outgoing

        _, sent = outgoing(picture, WorkKind.PNG, None)
        flat = _png(np.ascontiguousarray(cut[..., :3]))
        back = incoming("x.png", flat, sent, True, set())
        self.assertEqual([t.code for t in back.troubles], ["alpha"])
        fixed = incoming("x.png", flat, sent, True, {"alpha"})
        with Image.open(io.BytesIO(fixed.png)) as image:
            np.testing.assert_array_equal(np.asarray(image)[..., 3], cut[..., 3])

    def test_indexed_colours_lying_extensions_and_profiles_are_said(self) -> None:
        view = self.out()
        image = self.editable(view)
        back = self.saved(view, image.quantize(16))
        self.assertEqual([t.code for t in back.troubles], ["mode"])
        back = self.saved(view, image.rotate(90), "BMP")
        self.assertEqual([t.code for t in back.troubles], ["extension"])
        profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()
        back = self.saved(view, image.rotate(180), icc_profile=profile)
        self.assertEqual([t.code for t in back.troubles], ["profile"])

    def test_half_written_files_wait_for_the_next_save(self) -> None:
        view = self.out()
        data = Path(view.path).read_bytes()
        before = self.revision()
        Path(view.path).write_bytes(data[: len(data) // 2])
        working.look(self.ws)
        (back,) = working.listed(self.ws, self.surface.id)
        self.assertEqual(back.state, "unread")
        self.assertEqual(self.revision(), before)
        paint_over = self.editable_from(data)
        self.assertEqual(self.saved(view, paint_over).state, "back")
        self.assertGreater(self.revision(), before)

    def editable_from(self, data: bytes) -> Image.Image:
        image = Image.open(io.BytesIO(data)).convert("RGB")
        image.paste((1, 2, 250), (0, 0, 20, 20))
        return image

    def test_one_bad_file_is_told_at_its_map_and_the_next_ones_come_in(self) -> None:
        piped, deep, fine = (
            self.out(WorkKind.PNG, Stage.STEPS),
            self.out(WorkKind.ORA, Stage.SIZE),
            self.out(WorkKind.PNG, Stage.SIZE),
        )
        Path(piped.path).unlink()
        os.mkfifo(piped.path)
        with zipfile.ZipFile(deep.path) as archive:
            parts = {name: archive.read(name) for name in archive.namelist()}
        stack = parts["stack.xml"].decode()
        parts["stack.xml"] = re.sub(r'x="\d+"', 'x="100000000000"', stack).encode()
        self.assertNotEqual(parts["stack.xml"].decode(), stack)
        with zipfile.ZipFile(deep.path, "w") as archive:
            for name, data in parts.items():
                archive.writestr(name, data)
        image = Image.open(fine.path).convert("RGB")
        image.paste((255, 0, 0), (4, 4, 20, 20))
        image.save(fine.path)
        self.assertEqual(working.look(self.ws), [fine.id])
        told = {view.id: view for view in working.listed(self.ws, self.surface.id)}
        for view in (piped, deep):
            self.assertEqual(told[view.id].state, "unread")
            self.assertTrue(told[view.id].troubles[0].words)
        # A pipe that becomes a file again comes in.
        Path(piped.path).unlink()
        image.save(piped.path)
        self.assertIn(piped.id, working.look(self.ws))

    def test_whatever_a_reader_raises_the_next_ones_come_in(self) -> None:
        first, second = self.out(WorkKind.PNG, Stage.STEPS), self.out(WorkKind.PNG, Stage.SIZE)
        for view in (first, second):
            image = Image.open(view.path).convert("RGB")
            image.paste((0, 0, 255), (4, 4, 20, 20))
            image.save(view.path)
        real, name = working.incoming, Path(first.path).name

        def failing(of: str, *rest: Any) -> Any:
            if of == name:
                raise OverflowError("inside a decoder")
            return real(of, *rest)

        with (
            mock.patch.object(working, "incoming", failing),
            self.assertLogs("stonestack.services.editor.working", "ERROR"),
        ):
            self.assertEqual(working.look(self.ws), [second.id])
        told = {view.id: view for view in working.listed(self.ws, self.surface.id)}
        self.assertIn("cannot be read", told[first.id].troubles[0].words)

    def test_surfaces_whose_names_differ_only_by_case_get_two_files(self) -> None:
        first = self.out()
        floor = entry(self.ws, self.game_id, "tex/floor_c.dds")
        (other,) = taking.into_project(self.ws, self.project.id, self.game_id, [floor.id or 0])
        second = working.put_out(self.ws, other.id, Role.COLOUR, Stage.SIZE, WorkKind.PNG)
        self.assertNotEqual(first.path.casefold(), second.path.casefold())
        self.assertTrue(finding.everything(self.ws, self.game_id))


def _png(pixels: np.ndarray) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "PNG")
    return buffer.getvalue()


if __name__ == "__main__":
    unittest.main()
