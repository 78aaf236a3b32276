"""Masks that read maps and masks, wired; recipes taken, put on, written and read."""

from __future__ import annotations

import hashlib
import json
import unittest

import numpy as np
from pydantic import ValidationError

from stonestack.core.document import Map, Mask, Stage, Step, Surface, edits, rebuilt, recipes
from stonestack.core.document.mask import MaskPart
from stonestack.core.document.recipe import Recipe
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.references import MapRef, MaskRef, SourceRef
from stonestack.core.picture import colour
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps.another import AnotherMap
from stonestack.core.steps.fill import Fill
from stonestack.core.steps.laying import LayPicture
from stonestack.core.steps.levels import Levels
from stonestack.core.steps.masks.combining import Combine
from stonestack.core.steps.masks.others import Another, Border
from stonestack.core.steps.masks.patterns import Stripes
from stonestack.core.steps.masks.ranges import ValueRange
from stonestack.core.steps.masks.rectangle import Rectangle
from stonestack.core.steps.palette import Palette
from stonestack.core.steps.tone import Tone
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Size
from stonestack.core.tile.mirrored import MirrorTile
from tests.core.graph.test_identity import FILES, picture, plain

LEFT = Mask(id="left", title="Left", shape=Rectangle(x=0, y=0, width=0.5, height=1, soft=0))
TOP = Mask(id="top", title="Top", shape=Rectangle(x=0, y=0, width=1, height=0.5, soft=0))
DARK = Mask(
    id="dark", title="Dark", shape=ValueRange(map=MapRef(map="colour"), low=0, high=0.5, soft=0)
)


def with_step(surface: Surface, step: Step, *masks: Mask) -> Surface:
    for mask in masks:
        surface = edits.AddMask(mask=mask).apply(surface)
    return edits.AddStep(map="colour", step=step).apply(surface)


def filled(surface: Surface) -> np.ndarray:
    """Return where the surface's colour is the red of :data:`RED`."""
    red = colour.bytes_to_linear(np.array([255, 0, 0], np.uint8))
    return np.abs(picture(surface, "colour").pixels - red).max(axis=2) < 1e-4


def red(mask: str, step_id: str = "r") -> Step:
    return Step(id=step_id, mask=mask, params=Fill(colour="#ff0000"))


class MasksOfTheSurface(unittest.TestCase):
    def test_parts_add_take_away_and_meet(self) -> None:
        areas = {Combine.ADD: 0.75, Combine.TAKE: 0.25, Combine.MEET: 0.25}
        for how, area in areas.items():
            part = MaskPart(how=how, shape=TOP.shape)
            mask = rebuilt(LEFT, parts=(part,))
            got = filled(with_step(plain(), red("left"), mask))
            self.assertAlmostEqual(float(got.mean()), area, delta=0.02, msg=how)

    def test_a_mask_made_of_another_follows_it(self) -> None:
        edge = Mask(id="edge", title="Edge", shape=Border(mask=MaskRef(mask="left"), width=10))
        surface = with_step(plain(), red("edge"), LEFT, edge)
        columns = np.flatnonzero(filled(surface)[32])
        self.assertTrue(any(abs(c - 48) < 6 for c in columns))
        moved = rebuilt(LEFT, shape=rebuilt_shape(LEFT, width=0.25))
        columns = np.flatnonzero(filled(edits.SetMask(mask=moved).apply(surface))[32])
        self.assertFalse(any(abs(c - 48) < 3 for c in columns))
        self.assertTrue(any(abs(c - 24) < 6 for c in columns))

    def test_a_step_can_be_limited_by_what_its_own_map_shows(self) -> None:
        surface = with_step(plain(), red("dark"), DARK)
        light = colour.lightness(picture(plain(), "colour").pixels)[..., 0]
        sure = np.abs(light - 0.5) > 0.01
        np.testing.assert_array_equal(filled(surface)[sure], (light < 0.5)[sure])

    def test_it_stays_where_it_was_while_the_look_is_worked_on(self) -> None:
        surface = with_step(plain(), red("dark"), DARK)
        before = filled(surface)
        darker = Step(id="d", params=Tone(brightness=0.2))
        surface = edits.AddStep(map="colour", step=darker, before="r").apply(surface)
        np.testing.assert_array_equal(filled(surface), before)

    def test_a_step_can_be_limited_by_a_map_that_is_made_of_its_own(self) -> None:
        high = rebuilt(DARK, shape=ValueRange(map=MapRef(map="height"), low=0.5, high=1, soft=0))
        surface = with_step(plain(), red("dark"), high)
        height = picture(plain(), "height").body[..., 0]
        np.testing.assert_array_equal(filled(surface), height > 0.5)
        # What is done to the colour's look goes on into the height, but not into the mask.
        self.assertFalse(np.allclose(picture(surface, "height").body[..., 0], height))
        darker = edits.AddStep(map="colour", step=Step(params=Tone(brightness=0.5)), before="r")
        np.testing.assert_array_equal(filled(darker.apply(surface)), height > 0.5)

    def test_a_step_before_the_tiling_cannot_be_limited_by_the_tile(self) -> None:
        surface = edits.AddStep(map="colour", step=Step(id="m", params=MirrorTile())).apply(plain())
        surface = edits.AddMask(mask=DARK).apply(surface)
        edits.AddStep(map="colour", step=red("dark")).apply(surface)
        with self.assertRaises(ValidationError):
            edits.AddStep(map="colour", step=red("dark"), before="m").apply(surface)

    def test_a_mask_of_itself_or_of_nothing_is_refused(self) -> None:
        itself = Mask(id="a", title="A", shape=Another(mask=MaskRef(mask="a")))
        nobody = Mask(id="a", title="A", shape=Another(mask=MaskRef(mask="b")))
        for mask in (itself, nobody):
            with self.assertRaises(ValidationError):
                edits.AddMask(mask=mask).apply(plain())

    def test_what_a_mask_is_made_of_cannot_be_taken_out(self) -> None:
        other = Mask(id="b", title="B", shape=Another(mask=MaskRef(mask="left")))
        surface = edits.AddMask(mask=other).apply(edits.AddMask(mask=LEFT).apply(plain()))
        with self.assertRaises(BadRequest) as caught:
            edits.RemoveMask(mask="left").apply(surface)
        self.assertEqual(caught.exception.code, "mask-in-use")

    def test_a_mask_of_a_map_without_a_source_limits_nothing_yet(self) -> None:
        height = Map(id="height", role=Role.HEIGHT)
        kept = tuple(m for m in plain().maps if m.id == "colour")
        surface = rebuilt(plain(), maps=(*kept, height))
        steep = Mask(id="s", title="S", shape=ValueRange(map=MapRef(map="height")))
        surface = with_step(surface, red("s"), steep)
        self.assertFalse(filled(surface).any())
        self.assertEqual(Wiring(surface).masks(), {})

    def test_growing_feather_and_values_come_after_the_parts(self) -> None:
        wide = rebuilt(LEFT, grow=10.0)
        got = filled(with_step(plain(), red("left"), wide))
        self.assertGreater(int(got[32].sum()), 48 + 8)
        half = rebuilt(LEFT, inside=0.5)
        got = picture(with_step(plain(), red("left"), half), "colour").pixels
        before = picture(plain(), "colour").pixels
        wanted = (before + colour.bytes_to_linear(np.array([255, 0, 0], np.uint8))) / 2
        np.testing.assert_allclose(got[5:60, 5:40], wanted[5:60, 5:40], atol=1e-5)

    def test_a_mask_of_nothing_changes_nothing_bit_for_bit(self) -> None:
        none = rebuilt(LEFT, inside=0.0)
        got = picture(with_step(plain(), red("left"), none), "colour").pixels
        np.testing.assert_array_equal(got, picture(plain(), "colour").pixels)


def rebuilt_shape(mask: Mask, **changes: float) -> Rectangle:
    return Rectangle.model_validate({**mask.shape.model_dump(), **changes})


class Finishing(unittest.TestCase):
    """Steps that work on the texels of the finished size."""

    def sized(self, *steps: Step) -> Surface:
        size = edits.SetSize(map="colour", size=Size(width=64, height=32))
        surface = size.apply(plain())
        for step in steps:
            surface = edits.AddStep(map="colour", step=step).apply(surface)
        return surface

    def test_stripes_have_exactly_their_texels_at_the_finished_size(self) -> None:
        lines = Mask(id="lines", title="Lines", shape=Stripes(width=3, every=16, first=2))
        surface = edits.AddMask(mask=lines).apply(self.sized())
        step = rebuilt(red("lines"), finish=True)
        surface = edits.AddStep(map="colour", step=step).apply(surface)
        wanted = colour.bytes_to_linear(np.array([255, 0, 0], np.uint8))
        got = picture(surface, "colour", Stage.FINISH)
        self.assertEqual((got.width, got.height), (64, 32))
        marked = np.abs(got.pixels - wanted).max(axis=2) < 1e-5
        columns = np.flatnonzero(marked.all(axis=0))
        np.testing.assert_array_equal(columns, [n for n in range(64) if (n - 2) % 16 < 3])

    def test_it_comes_after_the_size_and_before_compression(self) -> None:
        few = Step(params=Palette(count=4), finish=True)
        surface = self.sized(few)
        got = picture(surface, "colour", Stage.FINISH).pixels.reshape(-1, 3)
        self.assertLessEqual(len(np.unique(got, axis=0)), 4)
        before = picture(surface, "colour", Stage.SIZE).pixels.reshape(-1, 3)
        self.assertGreater(len(np.unique(before, axis=0)), 4)
        plain_ = Wiring(self.sized())
        self.assertEqual(plain_.at("colour", Stage.SIZE), plain_.at("colour", Stage.FINISH))
        self.assertNotEqual(
            Wiring(surface).at("colour", Stage.COMPRESS), plain_.at("colour", Stage.COMPRESS)
        )

    def test_what_moves_texels_is_refused_there(self) -> None:
        with self.assertRaises(ValidationError):
            Step(params=MirrorTile(), finish=True)

    def test_other_maps_do_not_see_it(self) -> None:
        dark = Step(params=Tone(brightness=0.1), finish=True)
        one, other = self.sized(), self.sized(dark)
        np.testing.assert_array_equal(
            picture(one, "height").pixels, picture(other, "height").pixels
        )


class Recipes(unittest.TestCase):
    def made(self) -> Surface:
        """Return a surface whose colour has a masked fill behind its tiling."""
        surface = edits.AddStep(map="colour", step=Step(id="m", params=MirrorTile())).apply(plain())
        edge = Mask(id="edge", title="Edge", shape=Border(mask=MaskRef(mask="left"), width=10))
        surface = with_step(surface, red("edge"), LEFT, edge, DARK)
        return edits.AddStep(map="colour", step=red("dark", "q")).apply(surface)

    def test_what_is_taken_and_put_on_another_makes_the_same_look(self) -> None:
        recipe = recipes.taken(self.made(), "colour", "Red edges")
        self.assertEqual([s.params.kind for s in recipe.steps], ["fill", "fill"])
        self.assertEqual({m.id for m in recipe.masks}, {"left", "edge", "dark"})
        other = edits.AddStep(map="colour", step=Step(id="m", params=MirrorTile())).apply(plain())
        got = recipes.put_on(other, "colour", recipe)
        np.testing.assert_array_equal(
            picture(got, "colour").pixels, picture(self.made(), "colour").pixels
        )

    def test_maps_are_named_by_their_roles_so_that_ids_do_not_matter(self) -> None:
        recipe = recipes.taken(self.made(), "colour", "Red")
        surface = plain()
        renamed = tuple(rebuilt(m, id=f"own-{m.id}") for m in surface.maps if m.id == "colour")
        other = rebuilt(surface, maps=renamed)
        got = recipes.put_on(other, "own-colour", recipe)
        dark = next(m for m in got.masks if m.title == "Dark")
        self.assertEqual(dark.reads_maps, ("own-colour",))

    def test_put_on_twice_its_masks_are_there_once(self) -> None:
        recipe = recipes.taken(self.made(), "colour", "Red")
        once = recipes.put_on(plain(), "colour", recipe)
        twice = recipes.put_on(once, "colour", recipe)
        self.assertEqual(len(twice.masks), len(once.masks))
        self.assertEqual(len(twice.map("colour").steps), 4)
        self.assertEqual(len({s.id for s in twice.map("colour").steps}), 4)
        instead = recipes.put_on(twice, "colour", recipe, instead=True)
        self.assertEqual(len(instead.map("colour").steps), 2)

    def test_an_own_mask_of_the_same_id_is_left_as_it_is(self) -> None:
        recipe = recipes.taken(self.made(), "colour", "Red")
        own = Mask(id="left", title="Mine", shape=TOP.shape)
        got = recipes.put_on(edits.AddMask(mask=own).apply(plain()), "colour", recipe)
        self.assertEqual(got.mask("left"), own)
        self.assertEqual(sorted(m.title for m in got.masks), ["Dark", "Edge", "Left", "Mine"])

    def test_put_back_on_its_own_map_it_changes_nothing(self) -> None:
        surface = plain()
        for step in (red("left", "first"), Step(params=MirrorTile()), red("top", "last")):
            masks = [m for m in (LEFT, TOP) if m.id == step.mask]
            surface = with_step(surface, step, *masks)
        recipe = recipes.taken(surface, "colour", "Red")
        again = recipes.put_on(surface, "colour", recipe, instead=True)
        kinds = [[s.params.kind for s in one.map("colour").steps] for one in (surface, again)]
        self.assertEqual(kinds[0], kinds[1])
        ends = [Wiring(one).at("colour", Stage.FINISH) for one in (surface, again)]
        self.assertEqual(ends[0], ends[1])

    def test_what_came_before_a_tiling_comes_after_a_derivation(self) -> None:
        lighter = Step(id="lighter", params=Levels(black=0.1))
        surface = with_step(with_step(plain(), lighter), Step(params=MirrorTile()))
        recipe = recipes.taken(surface, "colour", "Lighter")
        self.assertEqual(recipe.places, (0,))
        derived = surface.of_role(Role.SPECULAR)
        assert derived is not None
        kinds = [s.params.kind for s in derived.steps]
        after = recipes.put_on(surface, derived.id, recipe).map(derived.id)
        self.assertEqual([s.params.kind for s in after.steps], [*kinds, "levels"])

    def test_what_does_not_suit_is_said(self) -> None:
        reads = Step(params=AnotherMap(map=MapRef(map="height")))
        recipe = Recipe(title="Occluded", steps=(reads,))
        bare = rebuilt(plain(), maps=tuple(m for m in plain().maps if m.id == "colour"))
        with self.assertRaises(BadRequest) as caught:
            recipes.put_on(bare, "colour", recipe)
        self.assertEqual(caught.exception.code, "recipe-needs-map")
        tone = Recipe(title="Tone", steps=(Step(params=Tone()),))
        with self.assertRaises(BadRequest) as caught:
            recipes.put_on(plain(), "normal", tone)
        self.assertEqual(caught.exception.code, "recipe-does-not-suit")
        with self.assertRaises(BadRequest):
            recipes.taken(plain(), "colour", "Nothing")

    def test_a_file_holds_all_it_needs_and_comes_back_the_same(self) -> None:
        data = FILES["cd" * 32]
        sha = hashlib.sha256(data).hexdigest()
        step = Step(params=LayPicture(picture=SourceRef(sha256=sha, name="sign.png")))
        recipe = Recipe(title="Sign", steps=(step,))
        written = recipes.written(recipe, {sha: data}.__getitem__)
        got, files = recipes.read_recipe(written)
        self.assertEqual(got, recipe)
        self.assertEqual(files, {sha: data})
        self.assertEqual(json.loads(written)["version"], 1)

    def test_a_spoilt_file_is_refused_in_words(self) -> None:
        data = FILES["cd" * 32]
        sha = hashlib.sha256(data).hexdigest()
        step = Step(params=LayPicture(picture=SourceRef(sha256=sha, name="sign.png")))
        whole = json.loads(
            recipes.written(Recipe(title="Sign", steps=(step,)), {sha: data}.__getitem__)
        )
        for spoilt in (
            {**whole, "version": 2},
            {**whole, "format": "other"},
            {**whole, "steps": []},
            {**whole, "files": {sha: "????"}},
            {**whole, "files": {sha: "YWJj"}},
        ):
            with self.assertRaises(BadRequest):
                recipes.read_recipe(json.dumps(spoilt).encode())
        recipe, files = recipes.read_recipe(json.dumps({**whole, "files": {}}).encode())
        with self.assertRaises(BadRequest):
            recipes.check_whole(recipe, files)


if __name__ == "__main__":
    unittest.main()
