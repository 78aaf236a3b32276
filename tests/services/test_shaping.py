import io
import zipfile

import numpy as np

from stonestack.core.document import Stage, edits
from stonestack.core.raw.frame import Frame, frame_of
from stonestack.core.runtime.errors import BadFile, BadRequest
from stonestack.core.tables.roles import Role
from stonestack.core.tile.period import find_lattice
from stonestack.services.documents import projects, revisions, shaping, surfaces
from stonestack.services.game import shelf, sources
from stonestack.services.jobs import silent
from stonestack.trials.defects import stock
from stonestack.trials.slants import seen_at_a_slant
from tests.core.tile import defects
from tests.support import WorkspaceCase, noise, png, set_step


def stored(base: str, side: int = 200) -> bytes:
    return png(np.rint(defects.BASES[base](side, 5, False) * 255).astype(np.uint8))


def grey(side: int = 200) -> bytes:
    values = (noise(side, side, 9, 6, channels=1) * 255).astype(np.uint8)
    return png(np.repeat(values, 3, axis=2))


class Archives(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.project = projects.create(self.ws, "Quay", None).id

    def packed(self, files: dict[str, bytes]) -> bytes:
        buffer = io.BytesIO()
        with zipfile.ZipFile(buffer, "w") as archive:
            for name, data in files.items():
                archive.writestr(name, data)
        return buffer.getvalue()

    def test_pictures_come_in_others_are_passed_over_and_damaged_ones_said(self) -> None:
        data = self.packed(
            {
                "a/wall_c.png": stored("bricks"),
                "a/readme.txt": b"no picture",
                "a/torn.png": stored("bricks")[:300],
                "../../up.png": stored("weave"),
            }
        )
        done = sources.bring_archive(self.ws, self.project, "a.zip", data, silent())
        self.assertEqual([s.facts.name for s in done.brought], ["wall_c.png"])
        self.assertEqual({r.name for r in done.refused}, {"a/torn.png", "../../up.png"})
        self.assertEqual(done.passed_over, 1)
        kept = self.ws.files.read(done.brought[0].sha256)
        self.assertEqual(kept, stored("bricks"))

    def test_an_archive_without_pictures_is_refused_in_words(self) -> None:
        with self.assertRaises(BadFile) as refused:
            data = self.packed({"notes.txt": b"nothing"})
            sources.bring_archive(self.ws, self.project, "a.zip", data, silent())
        self.assertIn("holds no pictures", str(refused.exception))


class Beginnings(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.project = projects.create(self.ws, "Quay", None).id

    def test_a_set_starts_one_surface_whose_maps_follow_the_colour(self) -> None:
        for name, data in {
            "sail_c.png": stored("stochastic"),
            "sail_h.png": grey(),
            "lone_c.png": stored("bricks"),
        }.items():
            sources.bring(self.ws, self.project, name, data)
        (found,) = shelf.sets(self.ws, self.project)
        self.assertEqual((found.stem, set(found.roles)), ("sail", {Role.COLOUR, Role.HEIGHT}))
        begun = shaping.begin(self.ws, self.project, found.stem, found.roles)
        sizes = []
        for role in (Role.COLOUR, Role.HEIGHT):
            key = begun.keys[role][Stage.STEPS]
            assert key is not None
            facts = self.ws.renderer.facts(key, Stage.STEPS)
            sizes.append((facts.width, facts.height))
        self.assertEqual(sizes[0], sizes[1])
        self.assertLess(sizes[0][0], 200)

    def test_a_second_surface_of_one_source_gets_a_number(self) -> None:
        source = sources.bring(self.ws, self.project, "sail_c.png", stored("weave"))
        begun = [
            shaping.begin(self.ws, self.project, "sail", {Role.COLOUR: source.id}).document
            for _ in range(3)
        ]
        self.assertEqual([d.name for d in begun], ["sail", "sail_2", "sail_3"])
        self.assertEqual(begun[1].title, "Sail 2")

    def test_a_source_that_is_not_there_starts_nothing(self) -> None:
        with self.assertRaises(BadRequest):
            shaping.begin(self.ws, self.project, "sail", {Role.COLOUR: "nobody"})
        self.assertEqual(surfaces.listed(self.ws, self.project), [])


class Proposals(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        project = projects.create(self.ws, "Quay", None).id
        source = sources.bring(self.ws, project, "bricks.png", stored("bricks", 420))
        begun = surfaces.create(self.ws, project, "Bricks", "bricks")
        change = edits.SetOrigin(map=Role.COLOUR, origin=source.origin)
        self.surface = surfaces.edit(self.ws, begun.id, begun.revision, change)

    def test_a_frame_of_whole_repeats_is_proposed_and_taken(self) -> None:
        found = shaping.propose_frame(self.ws, self.surface.id, Role.COLOUR)
        assert found.frame is not None
        change = edits.SetFrame(map=Role.COLOUR, frame=found.frame)
        after = surfaces.edit(self.ws, self.surface.id, self.surface.revision, change)
        key = after.keys[Role.COLOUR][Stage.SOURCE]
        assert key is not None
        facts = self.ws.renderer.facts(key, Stage.SOURCE)
        for side in (facts.width, facts.height):
            self.assertAlmostEqual(side / 37.21, round(side / 37.21), delta=0.05)

    def test_a_grid_at_a_slant_gets_its_corners_and_then_its_whole_repeats(self) -> None:
        stored, _ = seen_at_a_slant(np.clip(stock("glazed", 460, 345, 3).raw, 0, 1), 3)
        seen = np.rint(stored * 255).astype(np.uint8)
        source = sources.bring(self.ws, self.surface.project_id, "slant.png", png(seen))
        origin = edits.SetOrigin(map=Role.COLOUR, origin=source.origin)
        surface = surfaces.edit(self.ws, self.surface.id, self.surface.revision, origin)
        found = shaping.propose_corners(self.ws, surface.id, Role.COLOUR)
        assert found.frame is not None
        self.assertIn("corners lie on them", found.words)
        straight = edits.SetFrame(map=Role.COLOUR, frame=found.frame)
        surface = surfaces.edit(self.ws, surface.id, surface.revision, straight)
        again = shaping.propose_corners(self.ws, surface.id, Role.COLOUR)
        self.assertIsNone(again.frame)
        self.assertIn("by hand", again.words)
        whole = shaping.propose_frame(self.ws, surface.id, Role.COLOUR)
        self.assertIsNotNone(whole.frame)
        self.assertNotIn("unevenly", whole.words)

    def test_from_a_rough_frame_the_same_proportions_come_out_as_from_the_whole_picture(
        self,
    ) -> None:
        stored, _ = seen_at_a_slant(np.clip(stock("glazed", 460, 345, 3).raw, 0, 1), 3)
        seen = np.rint(stored * 255).astype(np.uint8)
        source = sources.bring(self.ws, self.surface.project_id, "slant.png", png(seen))
        origin = edits.SetOrigin(map=Role.COLOUR, origin=source.origin)
        surface = surfaces.edit(self.ws, self.surface.id, self.surface.revision, origin)
        cells = []
        rough = frame_of(((0.04, 0.02), (0.98, 0.06), (0.97, 0.96), (0.03, 0.98)), ratio=3)
        for frame in (Frame(), rough):
            change = edits.SetFrame(map=Role.COLOUR, frame=frame)
            surface = surfaces.edit(self.ws, surface.id, surface.revision, change)
            found = shaping.propose_corners(self.ws, surface.id, Role.COLOUR)
            assert found.frame is not None
            straight = edits.SetFrame(map=Role.COLOUR, frame=found.frame)
            surface = surfaces.edit(self.ws, surface.id, surface.revision, straight)
            key = surface.keys[Role.COLOUR][Stage.SOURCE]
            assert key is not None
            lattice = find_lattice(self.ws.renderer.picture(key))
            assert lattice is not None and lattice.second is not None
            across, down = (
                max(abs(step[axis]) for step in (lattice.first, lattice.second)) for axis in (0, 1)
            )
            cells.append(across / down)
        self.assertAlmostEqual(cells[0], cells[1], delta=0.06 * cells[0])

    def test_bricks_at_a_slant_are_framed_once_the_corners_are_on_them(self) -> None:
        import cv2

        flat = np.rint(defects.BASES["bricks"](420, 5, False) * 255).astype(np.uint8)
        at = np.array([(90, 30), (330, 50), (410, 380), (20, 350)], np.float32)
        square = np.array([(0, 0), (420, 0), (420, 420), (0, 420)], np.float32)
        camera = cv2.getPerspectiveTransform(square, at)
        seen = cv2.warpPerspective(flat, camera, (440, 400), flags=cv2.INTER_CUBIC)
        source = sources.bring(self.ws, self.surface.project_id, "slope.png", png(seen))
        origin = edits.SetOrigin(map=Role.COLOUR, origin=source.origin)
        surface = surfaces.edit(self.ws, self.surface.id, self.surface.revision, origin)
        frame = frame_of(tuple((x / 440, y / 400) for x, y in at), ratio=1)
        straight = edits.SetFrame(map=Role.COLOUR, frame=frame)
        surface = surfaces.edit(self.ws, surface.id, surface.revision, straight)
        found = shaping.propose_frame(self.ws, surface.id, Role.COLOUR)
        assert found.frame is not None
        whole = edits.SetFrame(map=Role.COLOUR, frame=found.frame)
        surface = surfaces.edit(self.ws, surface.id, surface.revision, whole)
        key = surface.keys[Role.COLOUR][Stage.SOURCE]
        assert key is not None
        held = self.ws.renderer.picture(key)
        lattice = find_lattice(held)
        assert lattice is not None
        periods = held.width / abs(lattice.first[0] or lattice.first[1])
        self.assertGreater(lattice.strength, 0.4)
        self.assertAlmostEqual(periods, round(periods), delta=0.12)

    def test_sizes_are_proposed_the_least_loss_first(self) -> None:
        found = shaping.propose_sizes(self.ws, self.surface.id, Role.COLOUR)
        self.assertGreater(len(found), 1)
        self.assertLess(found[0].stretch, 2)

    def test_the_light_that_is_taken_out_can_be_seen(self) -> None:
        node = shaping.light_field(self.ws, self.surface.id, Role.COLOUR)
        assert node is not None
        field = self.ws.renderer.picture(node).pixels
        # Even light is half grey all over.
        self.assertAlmostEqual(float(field.mean()), 0.5, delta=0.1)

    def test_a_way_to_tile_is_replaced_by_another_in_its_place(self) -> None:
        from stonestack.core.tile.mirrored import MirrorTile

        change = set_step(self.surface.document, Role.COLOUR, 1, MirrorTile())
        after = surfaces.edit(self.ws, self.surface.id, self.surface.revision, change)
        kinds = [s.params.kind for s in after.document.map(Role.COLOUR).steps]
        self.assertEqual(kinds, ["balance_light", "mirror_tile"])
        self.assertIn("Mirror instead of Cut", revisions.listed(self.ws, after.id)[0].words)
        with self.assertRaises(BadRequest):
            wrong = set_step(self.surface.document, Role.COLOUR, 0, MirrorTile())
            surfaces.edit(self.ws, after.id, after.revision, wrong)


class Density(WorkspaceCase):
    def test_a_project_keeps_its_value(self) -> None:
        project = projects.create(self.ws, "Quay", None)
        self.assertEqual(project.texels_per_metre, 512)
        projects.adjust(self.ws, project.id, texels_per_metre=256)
        self.ws.close()
        self.ws = self.opened()
        self.assertEqual(projects.get(self.ws, project.id).texels_per_metre, 256)
