"""A mask put out as a map: an alpha or a blend that follows it."""

from __future__ import annotations

import unittest

import numpy as np
from pydantic import ValidationError

from stonestack.core.document import (
    MapOrigin,
    Mask,
    Stage,
    Step,
    Surface,
    edits,
    new_surface,
    rebuilt,
)
from stonestack.core.document.recipes import taken
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.references import MapRef
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps.levels import Levels
from stonestack.core.steps.masks.ranges import ValueRange
from stonestack.core.steps.masks.rectangle import Rectangle
from stonestack.core.steps.masks.rectangle import draw as draw_rectangle
from stonestack.core.steps.tone import Tone
from stonestack.core.tables.roles import Role
from stonestack.core.tile.mirrored import MirrorTile
from tests.core.graph.test_identity import SMALL, picture, plain

SHAPE = Rectangle(x=0.25, y=0.25, width=0.5, height=0.5, soft=0)
MASK = Mask(id="m", title="Opening", shape=SHAPE)
MASKED = edits.AddMask(mask=MASK).apply(plain())


def put_out(role: Role, surface: Surface = MASKED) -> Surface:
    return edits.MapOfMask(mask="m", role=role).apply(surface)


class MapOfMask(unittest.TestCase):
    def test_it_is_the_mask_texel_by_texel(self) -> None:
        for role in (Role.ALPHA, Role.BLEND, Role.METALNESS):
            surface = put_out(role)
            got = picture(surface, surface.of_role(role).id)
            np.testing.assert_allclose(
                got.body[..., 0], draw_rectangle(SHAPE, 96, 64, False), atol=1e-6
            )

    def test_it_follows_the_mask_and_leaves_in_its_size(self) -> None:
        surface = put_out(Role.ALPHA)
        inverted = edits.SetMask(mask=rebuilt(MASK, inverted=True)).apply(surface)
        alpha = surface.of_role(Role.ALPHA)
        one, other = (picture(s, alpha.id).body for s in (surface, inverted))
        np.testing.assert_allclose(one, 1 - other, atol=1e-6)
        leaves = picture(surface, alpha.id, Stage.SIZE)
        self.assertEqual((leaves.width, leaves.height), (alpha.size.width, alpha.size.height))

    def test_it_lies_on_the_tile_as_the_colour_does(self) -> None:
        tiled = edits.AddStep(map="colour", step=Step(params=MirrorTile())).apply(MASKED)
        surface = put_out(Role.BLEND, tiled)
        blend, colour = (picture(surface, m.id) for m in surface.maps if m.role in BOTH)
        self.assertEqual((blend.width, blend.height), (colour.width, colour.height))
        self.assertTrue(blend.wraps)

    def test_on_a_map_that_is_there_its_own_steps_stay(self) -> None:
        surface = edits.AddMap(role=Role.ALPHA).apply(MASKED)
        alpha = surface.of_role(Role.ALPHA)
        own = Step(id="own", params=Levels(white=0.5))
        surface = put_out(Role.ALPHA, edits.AddStep(map=alpha.id, step=own).apply(surface))
        kinds = [step.params.kind for step in surface.of_role(Role.ALPHA).steps]
        self.assertEqual(kinds, ["values_of_mask", "levels"])
        self.assertEqual(surface.of_role(Role.ALPHA).id, alpha.id)

    def test_the_mask_cannot_go_while_a_map_is_made_of_it(self) -> None:
        with self.assertRaises(BadRequest) as caught:
            edits.RemoveMask(mask="m").apply(put_out(Role.ALPHA))
        self.assertEqual(caught.exception.code, "mask-in-use")
        self.assertIn("Alpha is made of Opening", str(caught.exception))

    def test_what_is_no_plain_number_or_would_go_in_a_circle_is_refused(self) -> None:
        with self.assertRaises(BadRequest):
            put_out(Role.NORMAL)
        shape = ValueRange(map=MapRef(map="height"), low=0.5, high=1)
        circle = edits.SetMask(mask=rebuilt(MASK, shape=shape)).apply(MASKED)
        with self.assertRaises((ValidationError, BadRequest)):
            put_out(Role.HEIGHT, circle)

    def test_without_a_picture_there_is_nothing_to_lie_on(self) -> None:
        empty = edits.AddMask(mask=MASK).apply(new_surface("Wall", "wall"))
        empty = rebuilt(empty, maps=tuple(m for m in empty.maps if m.role is Role.COLOUR))
        with self.assertRaises(BadRequest) as caught:
            put_out(Role.ALPHA, empty)
        self.assertEqual(caught.exception.code, "nothing-below")

    def test_what_it_says_and_what_a_recipe_takes_along(self) -> None:
        self.assertEqual(
            edits.MapOfMask(mask="m", role=Role.BLEND).words(MASKED),
            "Blend made of the mask Opening",
        )
        surface = put_out(Role.BLEND)
        blend = surface.of_role(Role.BLEND)
        dark = edits.AddStep(map=blend.id, step=Step(params=Levels(white=0.5))).apply(surface)
        recipe = taken(dark, blend.id, "Softer")
        self.assertEqual([s.params.kind for s in recipe.steps], ["levels"])
        self.assertEqual(recipe.masks, ())

    def test_a_file_of_its_own_takes_its_place(self) -> None:
        surface = put_out(Role.ALPHA)
        alpha = surface.of_role(Role.ALPHA)
        again = edits.SetOrigin(map=alpha.id, origin=SMALL).apply(surface)
        self.assertEqual(again.of_role(Role.ALPHA).steps, ())

    def test_from_another_map_again_it_has_its_usual_derivation(self) -> None:
        surface = put_out(Role.ALPHA)
        alpha = surface.of_role(Role.ALPHA)
        again = edits.SetOrigin(map=alpha.id, origin=MapOrigin(map="colour")).apply(surface)
        self.assertEqual(
            [s.params.kind for s in again.of_role(Role.ALPHA).steps], ["alpha_from_picture"]
        )


BOTH = (Role.BLEND, Role.COLOUR)


class Reading(unittest.TestCase):
    def test_a_step_behind_changes_its_key_with_the_mask_and_only_then(self) -> None:
        surface = put_out(Role.BLEND)
        blend = surface.of_role(Role.BLEND)
        other = edits.SetMask(mask=rebuilt(MASK, feather=3.0)).apply(surface)
        brighter = edits.AddStep(map="colour", step=Step(params=Tone(brightness=1.2)))
        keys = [Wiring(s).at(blend.id, Stage.STEPS) for s in (surface, other)]
        self.assertNotEqual(keys[0], keys[1])
        self.assertIsNotNone(Wiring(brighter.apply(surface)).at(blend.id, Stage.STEPS))
