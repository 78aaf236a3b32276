"""Checks of a surface's maps: each says what is wrong, and its button mends it."""

import tempfile
import unittest
from pathlib import Path
from typing import ClassVar

import numpy as np

from stonestack.core.document import MapOrigin, Mask, Stage, Step, edits
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.codecs import pictures
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.judge.checks.looked import MapFinding
from stonestack.core.judge.checks.of_maps import MAP_CHECKS
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.runtime.errors import Conflict
from stonestack.core.steps.masks.rectangle import Rectangle
from stonestack.core.tables.matters import Matter
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Size
from stonestack.core.tools.converting import convert
from stonestack.services.documents import projects, surfaces
from stonestack.services.documents.surfaces import SurfaceView
from stonestack.services.game import sources
from stonestack.services.making import checking
from stonestack.services.workspace import Workspace
from stonestack.trials import scenes
from tests.sizes import swept
from tests.support import WorkspaceCase, begun

SIDE = 256
SCENE = scenes.scene("cobbles, dark joints", 31, SIDE)
LIT = scenes.photograph(SCENE, scenes.Light(), 31)


def png(values: Floats, bits: int = 8) -> bytes:
    """Return a file of plain numbers, 0..1."""
    body = values if values.ndim == 3 else values[..., np.newaxis]
    return pictures.write(
        Picture(np.ascontiguousarray(body, np.float32), Space.DATA), FileKind.PNG, bits
    )


def of_colour(stored: np.ndarray) -> bytes:
    return png(stored.astype(np.float32) / 255)


def of_normals(vectors: Floats) -> bytes:
    return png(vectors * 0.5 + 0.5)


def true_normals(turn: tuple[float, float, float] = (1, 1, 1)) -> Floats:
    vectors = scenes.normals(SCENE.height) * np.float32(turn)
    return np.asarray(vectors / np.linalg.norm(vectors, axis=2, keepdims=True), np.float32)


def heights() -> Floats:
    return np.asarray((SCENE.height - SCENE.height.min()) / np.ptp(SCENE.height), np.float32)


class Checking(WorkspaceCase):
    """In one workspace, so that what was made of a picture for one test is there for the next."""

    kept: ClassVar[Workspace]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.kept = Workspace(begun(folder / "data"))
        cls.addClassCleanup(cls.kept.close)

    def opened(self) -> Workspace:
        return self.kept

    def setUp(self) -> None:
        super().setUp()
        self.project = projects.create(self.ws, "Glasshouse", None)

    def edit(self, surface: SurfaceView, *changes: edits.Edit) -> SurfaceView:
        for change in changes:
            surface = surfaces.edit(self.ws, surface.id, surface.revision, change)
        return surface

    def begun(self, shown: bytes = b"", **own: bytes) -> SurfaceView:
        """Return a surface of stone whose colour tiles already, with other files of its own."""
        number = len(list(surfaces.listed(self.ws, self.project.id)))
        surface = surfaces.create(self.ws, self.project.id, f"Wall {number}", f"wall_{number}")
        for role, data in {"colour": shown or of_colour(LIT), **own}.items():
            if surface.document.of_role(Role(role)) is None:
                surface = self.edit(surface, edits.AddMap(role=Role(role)))
            brought = sources.bring(self.ws, self.project.id, f"{role}.png", data)
            origin = brought.origin.model_copy(update={"wraps": True})
            surface = self.edit(surface, edits.SetOrigin(map=role, origin=origin))
        small = Size(width=SIDE, height=SIDE)
        colour_steps = surface.document.map("colour").steps
        return self.edit(
            surface,
            *(edits.RemoveStep(map="colour", step=step.id) for step in colour_steps),
            edits.SetSize(map="colour", size=small, all_maps=True),
            edits.SetMatter(matter=Matter.STONE),
        )

    def found(self, surface: SurfaceView) -> dict[str, MapFinding]:
        told = checking.checked(self.ws, surface.id)
        self.assertEqual(told.revision, surface.revision)
        return {finding.code: finding for finding in told.findings}

    def mended(self, surface: SurfaceView, code: str) -> SurfaceView:
        """Press what mends a finding; it is gone, and one undo brings it back."""
        finding = self.found(surface)[code]
        self.assertTrue(finding.words and finding.fix and finding.press)
        assert finding.mend is not None
        after = self.edit(surface, finding.mend)
        self.assertNotIn(code, self.found(after))
        back = surfaces.undo(self.ws, after.id, after.revision)
        self.assertIn(code, self.found(back))
        return surfaces.redo(self.ws, back.id, back.revision)

    def test_a_sound_set_has_nothing_to_look_at(self) -> None:
        self.assertEqual(self.found(self.begun()), {})
        own = self.begun(normal=of_normals(true_normals()), height=png(heights(), 16))
        self.assertEqual(self.found(own), {})

    def test_files_of_every_form_are_checked(self) -> None:
        normals, grey = of_normals(true_normals()), png(heights())
        for name in ("bc1", "bc5", "rg8"):
            stored = convert(normals, "n.dds", role=Role.NORMAL, format_name=name).data
            found = self.found(self.begun(normal=stored))
            self.assertLessEqual(set(found), {"unit"}, name)
        for name in ("bc4", "bc1"):
            stored = convert(grey, "h.dds", role=Role.HEIGHT, format_name=name).data
            self.assertEqual(self.found(self.begun(height=stored)), {}, name)
        deep = png(true_normals() * 0.5 + 0.5, 16)
        self.assertEqual(self.found(self.begun(normal=deep)), {})
        one = np.full((4, 4, 3), 128, np.uint8)
        self.found(self.begun(of_colour(one), normal=of_colour(one), height=png(heights()[:8, :4])))

    def test_vectors_that_are_not_of_unit_length(self) -> None:
        surface = self.begun(normal=png((true_normals() * 0.5 + 0.5) * 0.8))
        self.mended(surface, "unit")

    def test_green_the_wrong_way_by_integrability_and_by_a_height_map(self) -> None:
        turned = of_normals(true_normals((1, -1, 1)))
        for more in ({}, {"height": png(heights(), 16)}):
            begun = self.begun(normal=turned, **more)
            self.assertEqual(set(self.found(begun)), {"green"})
            surface = self.mended(begun, "green")
            origin = surface.document.map("normal").origin
            self.assertEqual(getattr(origin, "green", None), "down")

    def test_a_relief_that_is_inside_out_against_its_height_map(self) -> None:
        surface = self.begun(
            normal=of_normals(true_normals((-1, -1, 1))), height=png(heights(), 16)
        )
        self.mended(surface, "inside-out")

    def test_green_that_leaves_another_way_than_the_game_reads_it(self) -> None:
        surface = self.begun()
        says = edits.SetOutput.model_validate(
            {"map": "normal", "target": "saltglass", "output": {"green": "down"}}
        )
        self.mended(self.edit(surface, says), "green-leaves")

    def test_relief_too_steep_and_too_flat_of_a_file_and_of_a_derivation(self) -> None:
        steep, flat = (of_normals(true_normals((by, by, 1))) for by in (8, 0.02))
        self.mended(self.begun(normal=steep), "too-steep")
        self.mended(self.begun(normal=flat), "too-flat")
        surface = self.begun()
        step = surface.document.map("normal").steps[0]
        values = {**step.params.model_dump(), "steepness": 75}
        changed = Step.model_validate({**step.model_dump(), "params": values})
        surface = self.edit(surface, edits.SetStep(map="normal", step=changed))
        after = self.mended(surface, "too-steep")
        self.assertEqual(getattr(after.document.map("normal").steps[0].params, "steepness", 0), 22)

    def test_a_backdrop_is_cropped_and_a_guide_taken_out(self) -> None:
        sheet = np.full((320, 360, 3), (0, 255, 0), np.uint8)
        sheet[30 : 30 + SIDE, 60 : 60 + SIDE] = LIT
        self.mended(self.begun(of_colour(sheet)), "backdrop")
        lined = LIT.copy()
        lined[:, 100:102] = (0, 255, 255)
        after = self.edit(self.begun(of_colour(lined)))
        finding = self.found(after)["guide"]
        self.assertEqual(len(finding.parts), 1)
        self.mended(after, "guide")

    @swept
    def test_black_and_white_with_nothing_left_in_them(self) -> None:
        stored = np.clip((LIT.astype(np.int16) - 90) * 3, 0, 255)
        after = self.mended(self.begun(of_colour(stored)), "crushed")
        self.assertEqual(after.document.map("colour").steps[-1].params.kind, "curves")

    def test_a_colour_that_is_darker_or_lighter_than_its_matter(self) -> None:
        linear = colour.bytes_to_linear(LIT)
        dark = colour.to_srgb((linear * np.float32(0.1)).astype(np.float32))
        self.mended(self.begun(png(dark)), "albedo")
        pale = colour.to_srgb(np.clip(0.85 + 0.1 * linear, 0, 1).astype(np.float32))
        self.mended(self.begun(png(pale)), "albedo")

    def test_a_lamp_is_taken_out_at_finish_and_the_relief_stays_as_it_was(self) -> None:
        scene = scenes.scene("gravel", 6, SIDE)
        light = scenes.Light(azimuth=215, elevation=30, sky=0.3)
        surface = self.begun(of_colour(scenes.photograph(scene, light, 6)))
        before = surface.keys["height"][Stage.STEPS]
        after = self.mended(surface, "lamp")
        self.assertEqual(after.keys["height"][Stage.STEPS], before)
        self.assertTrue(after.document.map("colour").steps[-1].finish)

    def test_broad_light_is_balanced(self) -> None:
        across = np.linspace(0.55, 1.5, SIDE, dtype=np.float32)[np.newaxis, :, np.newaxis]
        fine = scenes.scene("gravel", 12, SIDE)
        linear = colour.bytes_to_linear(scenes.photograph(fine, scenes.Light(), 12)) * across
        surface = self.begun(png(colour.to_srgb(np.clip(linear, 0, 1).astype(np.float32))))
        self.mended(surface, "broad-light")

    def test_specular_that_no_such_matter_has(self) -> None:
        grey = heights() * np.float32(0.2)
        surface = self.begun(specular=png(grey + np.float32(0.4), 16))
        self.mended(surface, "specular")
        metal = self.edit(self.begun(), edits.SetMatter(matter=Matter.METAL))
        self.assertNotIn("specular", self.found(metal))
        dim = self.edit(
            self.begun(specular=png(grey * np.float32(0.2), 16)),
            edits.SetMatter(matter=Matter.METAL),
        )
        self.mended(dim, "specular")

    def test_specular_that_is_one_value_all_over(self) -> None:
        surface = self.begun(specular=png(np.full((SIDE, SIDE), 0.04, np.float32)))
        after = self.mended(surface, "one-value")
        self.assertIsInstance(after.document.map("specular").origin, MapOrigin)

    @swept
    def test_alpha_that_does_nothing(self) -> None:
        solid = np.ones((SIDE, SIDE), np.float32)
        self.mended(self.begun(alpha=png(solid)), "all-opaque")
        self.mended(self.begun(alpha=png(solid * 0)), "all-clear")
        half = (heights() > 0.5).astype(np.float32)
        finding = self.found(self.begun(alpha=png(half)))["alpha-unused"]
        self.assertIsNone(finding.mend)
        says = edits.SetOutput.model_validate(
            {"map": "colour", "target": "saltglass", "output": {"format": "bc3"}}
        )
        after = self.mended(self.edit(self.begun(), says), "alpha-not-needed")
        self.assertEqual(after.outputs["colour"].format, BlockFormat.BC1)

    def test_maps_of_another_size_than_the_colour(self) -> None:
        surface = self.begun()
        other = edits.SetSize(map="specular", size=Size(width=SIDE, height=SIDE // 2))
        surface = self.mended(self.edit(surface, other), "size")
        half = edits.SetSize(map="specular", size=Size(width=SIDE // 2, height=SIDE // 2))
        surface = self.edit(surface, half)
        self.assertNotIn("size", self.found(surface))
        fine = edits.SetSize(map="normal", size=Size(width=SIDE // 2, height=SIDE // 2))
        self.mended(self.edit(surface, fine), "size")

    def test_a_map_that_is_cut_otherwise_than_the_colour_either_way(self) -> None:
        inner = {"top_left": {"x": 0.2, "y": 0.1}, "top_right": {"x": 0.9, "y": 0.1}}
        inner |= {"bottom_right": {"x": 0.9, "y": 0.8}, "bottom_left": {"x": 0.2, "y": 0.8}}
        surface = self.begun(normal=of_normals(true_normals()))
        surface = self.edit(
            surface,
            edits.SetFrame.model_validate({"map": "colour", "frame": inner}),
            edits.SetMovesWith(map="normal", moves_with=None),
        )
        after = self.mended(surface, "cut")
        self.assertEqual(after.document.map("normal").moves_with, "colour")
        row, column = (
            slice(round(0.1 * SIDE), round(0.8 * SIDE)),
            slice(round(0.2 * SIDE), round(0.9 * SIDE)),
        )
        finished = of_normals(true_normals()[row, column])
        brought = sources.bring(self.ws, self.project.id, "finished.png", finished)
        after = self.edit(after, edits.SetOrigin(map="normal", origin=brought.origin))
        self.mended(after, "cut")

    def test_a_map_that_lies_off_the_colour(self) -> None:
        moved = np.roll(true_normals(), (40, -60), (0, 1))
        finding = self.found(self.begun(normal=of_normals(moved)))["place"]
        self.assertIn("23 % left and 16 % down", finding.words)

    def test_old_relief_is_found_where_the_colour_was_changed_and_made_anew_just_there(
        self,
    ) -> None:
        surface = self.begun(normal=of_normals(true_normals()))
        mask = Mask(title="Mended", shape=Rectangle(x=0.25, y=0.3, width=0.3, height=0.3))
        fill = Step.model_validate({"params": {"kind": "fill", "colour": "#7a7468"}})
        surface = self.edit(surface, edits.AddLimited(map="colour", step=fill, mask=mask))
        finding = self.found(surface)["old-relief"]
        x, y = np.array(finding.parts[0]).reshape(-1, 2).T
        np.testing.assert_allclose((x.min(), x.max()), (0.25, 0.55), atol=0.03)
        np.testing.assert_allclose((y.min(), y.max()), (0.3, 0.6), atol=0.03)
        after = self.mended(surface, "old-relief")

        def seen(view: SurfaceView) -> Floats:
            key = view.keys["normal"][Stage.STEPS]
            assert key is not None
            return self.ws.renderer.picture(key).pixels

        was, now = seen(surface), seen(after)
        inside = (slice(round(0.36 * SIDE), round(0.54 * SIDE)),) * 2
        self.assertGreater(float(now[inside][..., 2].mean()), float(was[inside][..., 2].mean()))
        away = np.ones((SIDE, SIDE), np.bool_)
        away[round(0.25 * SIDE) : round(0.66 * SIDE), round(0.2 * SIDE) : round(0.6 * SIDE)] = False
        np.testing.assert_allclose(now[away], was[away], atol=1e-5)

    def test_a_frozen_map_says_it_too_and_follows_again(self) -> None:
        surface = self.begun()
        surface = surfaces.freeze(self.ws, surface.id, surface.revision, "normal")
        self.assertEqual(self.found(surface), {})
        mask = Mask(title="Mended", shape=Rectangle(x=0.25, y=0.3, width=0.3, height=0.3))
        fill = Step.model_validate({"params": {"kind": "fill", "colour": "#7a7468"}})
        surface = self.edit(surface, edits.AddLimited(map="colour", step=fill, mask=mask))
        self.assertEqual(surface.out_of_date, ["normal"])
        after = self.mended(surface, "old-relief")
        self.assertIsNone(after.document.map("normal").frozen)

    def test_what_is_as_it_was_is_not_measured_again(self) -> None:
        surface = self.begun(normal=of_normals(true_normals()))
        self.found(surface)
        ran: list[str] = []
        self.ws.renderer.on_run = lambda node: ran.append(node.op)
        self.found(surface)
        renamed = self.edit(surface, edits.Rename(title="Another"))
        self.found(renamed)
        self.assertEqual(ran, [])

    def test_what_was_stopped_is_not_made_for_a_check(self) -> None:
        surface = self.begun(of_colour(LIT[::-1]))
        key = surface.keys["normal"][Stage.STEPS]
        assert key is not None
        self.ws.renderer.halt([key])
        with self.assertRaises(Conflict):
            self.found(surface)
        self.ws.renderer.go_on([key])
        self.assertEqual(self.found(surface), {})


class Register(unittest.TestCase):
    def test_every_check_is_named_once(self) -> None:
        self.assertEqual(len(set(MAP_CHECKS)), len(MAP_CHECKS))


if __name__ == "__main__":
    unittest.main()
