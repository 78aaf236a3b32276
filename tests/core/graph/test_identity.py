"""Things with ids: masks, amounts, blending, layers, references, frozen maps, outputs."""

import unittest

import numpy as np
from pydantic import ValidationError

from stonestack.core.document import (
    Frozen,
    MapOrigin,
    Mask,
    SourceOrigin,
    Stage,
    Step,
    Surface,
    edits,
    new_surface,
    rebuilt,
)
from stonestack.core.document.leaving import leaving
from stonestack.core.document.upgrades import read_values
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.codecs import dds, pictures
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.graph import ops
from stonestack.core.graph.ops.evaluating import Evaluator
from stonestack.core.graph.parts import contents_of, parts_of
from stonestack.core.graph.wiring import Wiring
from stonestack.core.judge.checks.outputs import of_output
from stonestack.core.kinds.references import MapRef, SourceRef
from stonestack.core.picture.blending import Blend, mixed
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.normals import Green
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps import STEPS
from stonestack.core.steps.another import AnotherMap
from stonestack.core.steps.derive.normal import NormalFromHeight
from stonestack.core.steps.laying import LayPicture, lay_picture
from stonestack.core.steps.levels import Levels
from stonestack.core.steps.masks.rectangle import Rectangle
from stonestack.core.steps.masks.rectangle import draw as draw_rectangle
from stonestack.core.steps.tone import Tone
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Size
from stonestack.core.tables.targets import TARGETS
from stonestack.core.tile.mirrored import MirrorTile
from tests.core.document.test_surface import ORIGIN, begun
from tests.support import add_step, colour_picture, set_output, set_step

FILES = {
    "ab" * 32: pictures.write(colour_picture(96, 64), FileKind.PNG),
    "cd" * 32: pictures.write(
        Picture(np.full((8, 8, 3), (0.9, 0.05, 0.05), np.float32), Space.LINEAR), FileKind.PNG
    ),
}
SMALL = ORIGIN.model_copy(update={"width": 96, "height": 64})


def picture(surface: Surface, map_id: str, stage: Stage = Stage.STEPS) -> Picture:
    """Return a map at a stage, carried out here."""
    wiring = Wiring(surface)
    key = wiring.at(map_id, stage)
    assert key is not None
    return Evaluator(FILES.__getitem__).picture(wiring.graph, key)


def plain() -> Surface:
    """Return a surface whose colour is a small picture with nothing done to it."""
    surface = edits.SetOrigin(map="colour", origin=SMALL).apply(new_surface("Wall", "wall"))
    return surface.with_map(rebuilt(surface.map("colour"), steps=()))


class Masks(unittest.TestCase):
    def limited(self, mask: Mask, surface: Surface | None = None) -> Surface:
        surface = surface or plain()
        step = Step(id="t", params=Tone(brightness=0.5))
        surface = edits.AddStep(map="colour", step=step).apply(surface)
        return edits.AddMask(mask=mask, map="colour", step="t").apply(surface)

    def test_a_step_works_inside_its_mask_only(self) -> None:
        shape = Rectangle(x=0.25, y=0.25, width=0.5, height=0.5, soft=0)
        before = picture(plain(), "colour").pixels
        after = picture(self.limited(Mask(id="m", title="Middle", shape=shape)), "colour").pixels
        np.testing.assert_array_equal(after[:16], before[:16])
        np.testing.assert_allclose(after[17:47, 25:71], before[17:47, 25:71] * 0.5, rtol=1e-5)
        other = Mask(id="m", title="Rest", shape=shape, inverted=True)
        rest = picture(self.limited(other), "colour").pixels
        np.testing.assert_allclose(rest[:16], before[:16] * 0.5, rtol=1e-5)
        np.testing.assert_array_equal(rest[17:47, 25:71], before[17:47, 25:71])

    def test_a_mask_on_the_source_moves_with_the_tile_s_texels(self) -> None:
        surface = edits.AddStep(map="colour", step=Step(params=MirrorTile(axes="x"))).apply(plain())
        shape = Rectangle(x=0, y=0, width=0.1, height=1, soft=0)
        mask = Mask(id="m", title="Left", shape=shape, on="source")
        before = picture(surface, "colour").pixels
        after = picture(self.limited(mask, surface), "colour").pixels
        changed = (np.abs(after - before) > 1e-4).any(axis=(0, 2))
        on_tile = picture(self.limited(mask.model_copy(update={"on": "tile"}), surface), "colour")
        as_drawn = (np.abs(on_tile.pixels - before) > 1e-4).any(axis=(0, 2))
        drawn = draw_rectangle(shape, 96, 64, False)[..., np.newaxis]
        guide = picture(plain(), "colour")
        geometry = STEPS["mirror_tile"].geometry
        assert geometry is not None
        solution = geometry.solve(guide, MirrorTile(axes="x"))
        moved = geometry.lay(Picture(drawn, Space.DATA), guide, solution, MirrorTile(axes="x"))
        np.testing.assert_array_equal(changed, (moved.pixels > 0).any(axis=(0, 2)))
        self.assertTrue(as_drawn[0] and not as_drawn[-1])
        self.assertFalse((changed == as_drawn).all())

    def test_a_rectangle_covers_its_share_at_every_resolution(self) -> None:
        for soft in (0.0, 0.1):
            shape = Rectangle(x=0.1, y=0.2, width=0.37, height=0.43, soft=soft)
            for width, height in ((64, 64), (512, 256), (37, 91)):
                drawn = draw_rectangle(shape, width, height, False)
                self.assertAlmostEqual(float(drawn.mean()), 0.37 * 0.43, delta=0.004)
                self.assertTrue(drawn.min() >= 0 and drawn.max() <= 1)

    def test_over_the_edge_of_a_tile_it_comes_in_at_the_other(self) -> None:
        shape = Rectangle(x=0.8, y=0.3, width=0.4, height=0.3, soft=0)
        drawn = draw_rectangle(shape, 100, 100, True)
        self.assertTrue(drawn[40, 5] == 1 and drawn[40, 95] == 1 and drawn[40, 50] == 0)
        self.assertAlmostEqual(float(drawn.mean()), 0.12, delta=0.002)
        self.assertEqual(float(draw_rectangle(shape, 100, 100, False)[40, 5]), 0)

    def test_one_in_use_cannot_go_and_a_step_cannot_name_one_that_is_not_there(self) -> None:
        surface = self.limited(Mask(id="m", title="Part", shape=Rectangle()))
        with self.assertRaises(BadRequest) as caught:
            edits.RemoveMask(mask="m").apply(surface)
        self.assertEqual(caught.exception.code, "mask-in-use")
        step = surface.map("colour").step("t")
        free = edits.SetStep(map="colour", step=rebuilt(step, mask=None)).apply(surface)
        self.assertEqual(edits.RemoveMask(mask="m").apply(free).masks, ())
        with self.assertRaises(ValidationError):
            edits.SetStep(map="colour", step=rebuilt(step, mask="nobody")).apply(free)

    def test_a_step_that_moves_texels_cannot_be_limited(self) -> None:
        with self.assertRaises(ValidationError):
            Step(params=MirrorTile(), mask="m")
        with self.assertRaises(ValidationError):
            Step(params=MirrorTile(), amount=0.5)


class Blending(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(2)
        self.a = Picture(rng.random((4, 5, 1), dtype=np.float32), Space.DATA)
        self.b = Picture(rng.random((4, 5, 1), dtype=np.float32), Space.DATA)

    def test_modes_are_those_of_the_compositing_standard(self) -> None:
        a, b = self.a.pixels, self.b.pixels
        wanted = {
            Blend.NORMAL: b,
            Blend.MULTIPLY: a * b,
            Blend.SCREEN: a + b - a * b,
            Blend.DARKEN: np.minimum(a, b),
            Blend.LIGHTEN: np.maximum(a, b),
            Blend.ADD: np.minimum(a + b, 1),
            Blend.OVERLAY: np.where(a <= 0.5, 2 * a * b, 1 - 2 * (1 - a) * (1 - b)),
        }
        # The other two have tests of their own.
        self.assertEqual(set(wanted) | {Blend.SOFT_LIGHT, Blend.HIGHER}, set(Blend))
        for blend, values in wanted.items():
            got = mixed(self.a, self.b, None, 1, blend).pixels
            np.testing.assert_allclose(got, values, atol=1e-6, err_msg=blend)

    def test_amount_goes_from_nothing_to_beyond(self) -> None:
        for amount in (0, 0.25, 1, 1.5):
            got = mixed(self.a, self.b, None, amount, Blend.NORMAL).pixels
            wanted = np.clip(self.a.pixels + amount * (self.b.pixels - self.a.pixels), 0, 1)
            np.testing.assert_allclose(got, wanted, atol=1e-6)

    def test_vectors_stay_of_unit_length(self) -> None:
        up = Picture(np.tile(np.float32([0, 0, 1]), (2, 2, 1)), Space.VECTOR)
        tilted = Picture(np.tile(np.float32([0.6, 0, 0.8]), (2, 2, 1)), Space.VECTOR)
        got = mixed(up, tilted, None, 0.5, Blend.NORMAL).pixels
        np.testing.assert_allclose(np.linalg.norm(got, axis=2), 1, atol=1e-6)

    def test_what_is_whole_costs_no_node(self) -> None:
        surface = add_step("colour", Levels(black=0.1)).apply(plain())
        wiring = Wiring(surface)
        wiring.stages()
        self.assertNotIn("mix", {n.op for n in wiring.graph.values()})


class Layers(unittest.TestCase):
    REF = SourceRef(sha256="cd" * 32, name="sign.png", width=8, height=8)

    def test_a_picture_lies_where_it_is_placed_and_nowhere_else(self) -> None:
        params = LayPicture(picture=self.REF, x=0.5, y=0.5, width=0.25)
        surface = add_step("colour", params).apply(plain())
        before, after = picture(plain(), "colour").pixels, picture(surface, "colour").pixels
        changed = np.abs(after - before).max(axis=2) > 1e-3
        self.assertAlmostEqual(changed.sum(), 24 * 24, delta=60)
        np.testing.assert_allclose(after[32, 48], (0.9, 0.05, 0.05), atol=0.01)
        self.assertFalse(changed[:, :34].any())

    def test_it_wraps_over_the_edges_of_a_tile(self) -> None:
        solid = Picture(np.ones((8, 8, 3), np.float32), Space.LINEAR)
        tile = Picture(np.zeros((60, 60, 3), np.float32), Space.LINEAR, wraps=True)
        corner = lay_picture(tile, LayPicture(picture=self.REF, x=0, y=0, width=0.3), solid)
        middle = lay_picture(tile, LayPicture(picture=self.REF, x=0.5, y=0.5, width=0.3), solid)
        rolled = np.roll(corner.pixels, (30, 30), (0, 1))
        np.testing.assert_allclose(rolled, middle.pixels, atol=1e-5)
        open_ = Picture(tile.pixels, Space.LINEAR)
        cut = lay_picture(open_, LayPicture(picture=self.REF, x=0, y=0, width=0.3), solid)
        self.assertEqual(float(cut.pixels[..., 3][30:].max()), 0)

    def test_turned_a_quarter_it_is_what_a_turn_of_the_array_gives(self) -> None:
        rng = np.random.default_rng(1)
        sign = Picture(rng.random((20, 20, 3), dtype=np.float32), Space.LINEAR)
        tile = Picture(np.zeros((40, 40, 3), np.float32), Space.LINEAR)
        plain_ = lay_picture(tile, LayPicture(picture=self.REF, width=0.5), sign).pixels
        turned = lay_picture(tile, LayPicture(picture=self.REF, width=0.5, turn=90), sign).pixels
        np.testing.assert_allclose(turned, np.rot90(plain_, -1), atol=1e-4)

    def test_amount_and_blend_are_those_of_every_step(self) -> None:
        params = LayPicture(picture=self.REF, width=4)
        step = Step(params=params, amount=0.5, blend=Blend.MULTIPLY)
        surface = edits.AddStep(map="colour", step=step).apply(plain())
        before, after = picture(plain(), "colour").pixels, picture(surface, "colour").pixels
        self.assertLess(float(after[..., 1].mean()), 0.8 * float(before[..., 1].mean()))


class References(unittest.TestCase):
    def test_another_map_is_read_and_its_change_is_a_change_of_this_one(self) -> None:
        surface = edits.AddMap(role=Role.OCCLUSION).apply(plain())
        surface = edits.SetOrigin(
            map="occlusion", origin=SMALL.model_copy(update={"sha256": "cd" * 32})
        ).apply(surface)
        step = Step(params=AnotherMap(map=MapRef(map="occlusion")), blend=Blend.MULTIPLY)
        dark = edits.AddStep(map="colour", step=step).apply(surface)
        one = Wiring(dark).at("colour", Stage.STEPS)
        changed = add_step("occlusion", Levels(black=0.2)).apply(dark)
        self.assertNotEqual(Wiring(changed).at("colour", Stage.STEPS), one)
        self.assertLess(
            picture(dark, "colour").pixels.mean(), picture(plain(), "colour").pixels.mean()
        )
        self.assertIn("occlusion", list(dark.reads(dark.map("colour"))))

    def test_a_circle_is_refused_by_whatever_way(self) -> None:
        step = Step(params=AnotherMap(map=MapRef(map="height")))
        with self.assertRaises(ValidationError) as caught:
            edits.AddStep(map="colour", step=step).apply(begun())
        self.assertIn("from itself", str(caught.exception))

    def test_a_map_that_is_not_there_or_not_of_the_kind_is_refused(self) -> None:
        for name in ("nobody", "normal"):
            step = Step(params=AnotherMap(map=MapRef(map=name)))
            with self.assertRaises(ValidationError):
                edits.AddStep(map="specular", step=step).apply(begun())


class Maps(unittest.TestCase):
    def test_a_derived_map_keeps_the_step_that_makes_it(self) -> None:
        surface = begun()
        [step] = surface.map("normal").steps
        with self.assertRaises(BadRequest) as caught:
            edits.RemoveStep(map="normal", step=step.id).apply(surface)
        self.assertEqual(caught.exception.code, "needs-its-derivation")
        with self.assertRaises(ValidationError):
            edits.SetStep(map="normal", step=rebuilt(step, enabled=False)).apply(surface)

    def test_a_file_takes_it_away_and_a_map_brings_it_back(self) -> None:
        own = edits.SetOrigin(map="normal", origin=ORIGIN).apply(begun())
        self.assertEqual(own.map("normal").steps, ())
        again = edits.SetOrigin(map="normal", origin=MapOrigin(map="height")).apply(own)
        kinds = [s.params.kind for s in again.map("normal").steps]
        self.assertEqual(kinds, ["normal_from_height"])
        with self.assertRaises(BadRequest):
            edits.SetOrigin(map="colour", origin=MapOrigin(map="normal")).apply(own)
        at_once = edits.SetOrigin(map="normal", origin=MapOrigin(map="colour")).apply(own)
        [step] = at_once.map("normal").steps
        self.assertEqual(step.params.kind, "normal_from_colour")

    def test_every_role_can_be_added_and_taken_out_again(self) -> None:
        surface = begun()
        for role in Role:
            if surface.of_role(role) is None:
                surface = edits.AddMap(role=role).apply(surface)
        self.assertEqual([m.role for m in surface.maps], list(Role))
        with self.assertRaises(BadRequest):
            edits.RemoveMap(map="height").apply(surface)
        for role in (Role.NORMAL, Role.OCCLUSION, Role.CAVITY, Role.BLEND, Role.HEIGHT):
            surface = edits.RemoveMap(map=role).apply(surface)
        self.assertIsNone(surface.of_role(Role.HEIGHT))

    def test_colour_is_not_compulsory(self) -> None:
        surface = new_surface("Bumps", "bumps")
        for m in ("normal", "specular", "height"):
            surface = edits.SetOrigin(map=m, origin=None).apply(surface)
        surface = edits.RemoveMap(map="colour").apply(surface)
        surface = edits.SetOrigin(map="height", origin=SMALL).apply(surface)
        surface = edits.SetOrigin(map="normal", origin=MapOrigin(map="height")).apply(surface)
        self.assertEqual(picture(surface, "normal").space, Space.VECTOR)

    def test_a_frozen_map_stays_and_says_when_it_is_out_of_date(self) -> None:
        surface = plain()
        key = Wiring(surface).after_steps("height", recipe=True)
        assert key is not None
        frozen = Frozen(sha256="cd" * 32, of=key)
        kept = edits.Freeze(map="height", frozen=frozen).apply(surface)
        self.assertFalse(Wiring(kept).out_of_date(kept.map("height")))
        self.assertEqual(picture(kept, "height").pixels.shape, (8, 8, 1))
        changed = add_step("colour", Levels(black=0.2)).apply(kept)
        self.assertTrue(Wiring(changed).out_of_date(changed.map("height")))
        self.assertEqual(picture(changed, "height").pixels.shape, (8, 8, 1))
        thawed = edits.Thaw(map="height").apply(changed)
        self.assertEqual(picture(thawed, "height").pixels.shape, (64, 96, 1))

    def test_roughness_is_gloss_turned_round(self) -> None:
        surface = edits.AddMap(role=Role.GLOSS).apply(plain())
        surface = edits.AddMap(role=Role.ROUGHNESS).apply(surface)
        surface = edits.SetOrigin(map="roughness", origin=MapOrigin(map="gloss")).apply(surface)
        gloss = picture(surface, "gloss").pixels
        np.testing.assert_allclose(picture(surface, "roughness").pixels, 1 - gloss, atol=1e-6)

    def test_a_source_whose_edges_meet_is_taken_as_a_tile(self) -> None:
        tile = SMALL.model_copy(update={"wraps": True})
        surface = edits.SetOrigin(map="colour", origin=tile).apply(new_surface("T", "t"))
        self.assertEqual([s.params.kind for s in surface.map("colour").steps], ["balance_light"])
        self.assertTrue(picture(surface, "height").wraps)
        open_ = edits.SetSource(map="colour", origin=SMALL).apply(surface)
        self.assertFalse(picture(open_, "height").wraps)


STEEP = NormalFromHeight(by="steepness", steepness=40)
"""Enough to be more than what compression loses."""


class Outputs(unittest.TestCase):
    LOOSE, SALT = TARGETS["loose"], TARGETS["saltglass"]

    def test_one_surface_leaves_for_each_target_in_its_own_way(self) -> None:
        surface = edits.SetSize(map="colour", size=Size(width=64, height=64), all_maps=True).apply(
            plain()
        )
        surface = set_step(surface, "normal", 0, STEEP).apply(surface)
        made = {}
        for target in (self.LOOSE, self.SALT):
            wiring = Wiring(surface, target=target)
            parts = parts_of(wiring, "s", [])
            run = Evaluator(FILES.__getitem__)
            made[target.name] = {p.path: run.file(wiring.graph, p.key) for p in parts}
            self.assertIn(contents_of(wiring.graph, parts), wiring.graph)
        self.assertEqual(
            set(made["saltglass"]), {f"textures/wall_{s}.dds" for s in ("c", "n", "s")}
        )
        self.assertEqual(set(made["loose"]), {f"wall_{s}.dds" for s in ("c", "n", "s")})
        self.assertEqual(made["saltglass"]["textures/wall_c.dds"][84:88], b"DX10")
        self.assertEqual(made["loose"]["wall_c.dds"][84:88], b"DXT1")
        self.assertEqual(made["loose"]["wall_n.dds"][84:88], b"DXT5")
        up = dds.read(made["saltglass"]["textures/wall_n.dds"]).picture(Space.VECTOR).pixels
        down = dds.read(made["loose"]["wall_n.dds"]).picture(Space.VECTOR).pixels
        self.assertLess(np.corrcoef(up[..., 1].ravel(), down[..., 1].ravel())[0, 1], -0.8)

    def test_what_an_output_does_not_say_the_target_does(self) -> None:
        surface = plain()
        m = surface.map("normal")
        self.assertIs(leaving(surface, m, self.LOOSE).green, Green.DOWN)
        self.assertIs(leaving(surface, m, self.SALT).green, Green.UP)
        said = set_output("normal", green="down", name="bumps").apply(surface)
        leaves = leaving(said, said.map("normal"), self.SALT)
        self.assertEqual((leaves.green, leaves.path), (Green.DOWN, "textures/bumps.dds"))
        back = set_output("normal").apply(said)
        self.assertEqual(back, surface)

    def test_what_the_target_refuses_is_found(self) -> None:
        def codes(surface: Surface, map_id: str) -> list[str]:
            m = surface.map(map_id)
            leaves = leaving(surface, m, self.SALT)
            return [f.words for f in of_output(surface, m, leaves, self.SALT)]

        surface = plain()
        self.assertEqual(codes(surface, "normal"), [])
        large = edits.SetSize(map="colour", size=Size(width=4096, height=64)).apply(surface)
        self.assertEqual(codes(large, "colour"), ["4096 × 64 is larger than the 2048 it takes"])
        tiny = edits.SetSize(map="colour", size=Size(width=8, height=64)).apply(surface)
        self.assertEqual(codes(tiny, "colour"), ["8 × 64 is smaller than the 16 it takes"])
        wrong = set_output("normal", green="down").apply(surface)
        self.assertEqual(codes(wrong, "normal"), ["Green points down; the game reads it up"])
        m = surface.map("colour")
        misnamed = of_output(
            surface, m, leaving(surface, m, self.SALT), self.SALT, frozenset({"wall_x"})
        )
        self.assertEqual([f.words for f in misnamed], ["The game looks up no wall_c"])

    def test_a_name_with_capitals_is_for_games_that_look_such_names_up(self) -> None:
        surface = plain()
        for target, expected in (
            (self.SALT, ["Saltglass cannot look up “Wall-D 2”"]),
            (self.LOOSE, []),
        ):
            named = edits.SetOutput.model_validate(
                {"map": "colour", "target": target.name, "output": {"name": "Wall-D 2"}}
            ).apply(surface)
            m = named.map("colour")
            found = of_output(named, m, leaving(named, m, target), target)
            self.assertEqual([f.words for f in found], expected)

    def test_a_format_that_the_target_does_not_take_is_found(self) -> None:
        surface = plain()
        bc7 = edits.SetOutput.model_validate(
            {"map": "colour", "target": "loose", "output": {"format": "bc7"}}
        ).apply(surface)
        m = bc7.map("colour")
        leaves = leaving(bc7, m, self.LOOSE)
        self.assertIs(leaves.format, BlockFormat.BC7)
        [found] = of_output(bc7, m, leaves, self.LOOSE)
        self.assertEqual(found.level, "fault")

    def test_targets_that_ship_name_only_what_there_is(self) -> None:
        for target in TARGETS.values():
            for role, formats in target.formats.items():
                self.assertLessEqual(set(formats), set(role.info.formats), target.name)
                if target.header == "legacy":
                    self.assertTrue(all(f.info.fourcc or f.info.masks for f in formats))


class OldForms(unittest.TestCase):
    def test_a_newer_form_than_this_program_knows_is_refused(self) -> None:
        with self.assertRaises(ValueError):
            read_values("surface", "{}", 99)

    def test_a_derived_map_without_its_step_gets_it_back(self) -> None:
        old = (
            '{"title":"W","name":"w","maps":[{"role":"height","format":"bc4","file_name":"w_h",'
            '"origin":{"kind":"source","sha256":"' + "ab" * 32 + '","name":"h.png"}},'
            '{"role":"normal","format":"bc5","file_name":"w_n","origin":{"kind":"map",'
            '"role":"height"},"steps":[]}]}'
        )
        surface = Surface.model_validate(read_values("surface", old, 1))
        self.assertEqual(surface.map("normal").steps[0].params.kind, "normal_from_height")
        origin = surface.map("height").origin
        assert isinstance(origin, SourceOrigin)
        self.assertFalse(origin.wraps)
        again = set_step(surface, "normal", 0, surface.map("normal").steps[0].params)
        self.assertEqual(again.apply(surface), surface)


class Registers(unittest.TestCase):
    def test_every_kind_of_mask_is_an_operation(self) -> None:
        self.assertIn("mask:rectangle", ops.OPERATIONS)


if __name__ == "__main__":
    unittest.main()
