"""Texels that are kept whole: art of few colours has no other colour after anything."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from stonestack.core.catalogue.sources import few_texels
from stonestack.core.document import Mask, Stage, Step, Surface, edits, new_surface, rebuilt
from stonestack.core.files import codecs
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.codecs import pictures
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.files.codecs.texture import Texture
from stonestack.core.graph.ops.evaluating import Evaluator
from stonestack.core.graph.ops.operation import Nothing
from stonestack.core.graph.ops.pictures import lay_returned
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.references import SourceRef
from stonestack.core.picture import texels
from stonestack.core.picture.image import Picture, Space
from stonestack.core.raw.frame import Corner, Frame
from stonestack.core.steps import AnyStep
from stonestack.core.steps.fill import Fill, Pattern
from stonestack.core.steps.laying import LayPicture
from stonestack.core.steps.lettering import Lettering
from stonestack.core.steps.masks.rectangle import Rectangle
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Fit, Size
from stonestack.core.tables.targets import TARGETS
from tests.core.document.test_surface import ORIGIN
from tests.support import set_output

SIDE = 24
CHOSEN = np.array([[20, 12, 28], [190, 60, 40], [240, 210, 90], [60, 130, 110], [250, 250, 250]])
ART = CHOSEN[np.random.default_rng(6).integers(0, len(CHOSEN), (SIDE, SIDE))].astype(np.uint8)
SIGN = CHOSEN[np.random.default_rng(7).integers(0, len(CHOSEN), (9, 7))].astype(np.uint8)
FILES = {
    digest: pictures.write(texels.from_texels(art, Space.LINEAR), FileKind.PNG)
    for digest, art in (("ab" * 32, ART), ("cd" * 32, SIGN))
}
SIGN_REF = SourceRef(sha256="cd" * 32, name="sign.png")
LAID: tuple[AnyStep, ...] = (
    LayPicture(picture=SIGN_REF, x=0.93, y=0.4, width=0.31, turn=33, light=0),
    Lettering(text="Ab", x=0.5, y=0.02, width=0.6, turn=-8, colour="#be3c28", light=0),
    Pattern(picture=SIGN_REF, repeats=2.3, turn=20),
)


def small(whole: bool = True, frame: Frame | None = None) -> Surface:
    values = {"width": SIDE, "height": SIDE, "wraps": frame is None, "frame": frame or Frame()}
    origin = ORIGIN.model_copy(update=values)
    surface = edits.SetOrigin(map="colour", origin=origin).apply(new_surface("Sign", "sign"))
    surface = surface.with_map(rebuilt(surface.map("colour"), steps=()))
    return edits.KeepWhole(on=True).apply(surface) if whole else surface


def picture(
    surface: Surface, role: Role, stage: Stage = Stage.STEPS, longest: int | None = None
) -> Picture:
    wiring = Wiring(surface, longest)
    key = wiring.at(role, stage)
    assert key is not None
    return Evaluator(FILES.__getitem__).picture(wiring.graph, key)


def colours(seen: Picture) -> set[bytes]:
    return {texel.tobytes() for texel in texels.to_texels(seen)[..., :3].reshape(-1, 3)}


GIVEN = {bytes(texel) for texel in CHOSEN.astype(np.uint8).reshape(-1, 3)}


class Whole(unittest.TestCase):
    def sized(self, surface: Surface, size: Size) -> Surface:
        return edits.SetSize(map="colour", size=size).apply(surface)

    def test_no_size_up_or_down_makes_a_colour(self) -> None:
        for size in (
            Size(width=64, height=128),
            Size(width=16, height=8, filter="mitchell"),
            Size(width=64, height=64, fit=Fit.REPEAT, across=2, down=3),
        ):
            with self.subTest(size=size):
                seen = picture(self.sized(small(), size), Role.COLOUR, Stage.SIZE)
                self.assertEqual((seen.width, seen.height), (size.width, size.height))
                self.assertLessEqual(colours(seen), GIVEN)
                mixed = picture(self.sized(small(whole=False), size), Role.COLOUR, Stage.SIZE)
                self.assertFalse(colours(mixed) <= GIVEN)

    def test_a_size_that_is_a_multiple_repeats_each_texel(self) -> None:
        doubled = picture(self.sized(small(), Size(width=32, height=32)), Role.COLOUR, Stage.SIZE)
        self.assertEqual(doubled.width, 32)
        at = ((np.arange(32) + 0.5) * SIDE / 32).astype(int)
        np.testing.assert_array_equal(texels.to_texels(doubled)[..., :3], ART[np.ix_(at, at)])

    def test_every_level_that_leaves_has_its_colours_and_no_other(self) -> None:
        surface = self.sized(small(), Size(width=64, height=64))
        surface = set_output("colour", format=BlockFormat.RGBA8).apply(surface)
        wiring = Wiring(surface, target=TARGETS["saltglass"])
        key = wiring.at("colour", Stage.COMPRESS)
        assert key is not None
        texture = Evaluator(FILES.__getitem__).result(wiring.graph, key)
        assert isinstance(texture, Texture)
        self.assertEqual(len(texture.levels), 7)
        for level in texture.levels:
            seen = np.frombuffer(level, np.uint8).reshape(-1, 4)[:, :3]
            self.assertLessEqual({bytes(texel) for texel in seen}, GIVEN)
        self.assertEqual(codecs.ktx2.read(codecs.ktx2.write(texture)).levels, texture.levels)

    def test_what_is_laid_over_scaled_turned_and_over_edges_mixes_nothing(self) -> None:
        for params in LAID:
            with self.subTest(params.kind):
                step = edits.AddStep(map="colour", step=Step(params=params))
                self.assertLessEqual(colours(picture(step.apply(small()), Role.COLOUR)), GIVEN)
                changed = picture(step.apply(small()), Role.COLOUR).pixels
                self.assertTrue((changed != picture(small(), Role.COLOUR).pixels).any())
                mixed = picture(step.apply(small(whole=False)), Role.COLOUR)
                self.assertFalse(colours(mixed) <= GIVEN)

    def test_a_part_is_filled_to_the_texel(self) -> None:
        shape = Rectangle(x=0.21, y=0.3, width=0.37, height=0.5, soft=0.02)
        surface = edits.AddStep(
            map="colour", step=Step(id="f", params=Fill(colour="#3c826e"))
        ).apply(small())
        mask = Mask(id="m", title="Part", shape=shape)
        surface = edits.AddMask(mask=mask, map="colour", step="f").apply(surface)
        seen = picture(surface, Role.COLOUR)
        self.assertLessEqual(colours(seen), GIVEN)
        changed = (texels.to_texels(seen)[..., :3] != ART).any(axis=2)
        rows, columns = np.flatnonzero(changed.any(axis=1)), np.flatnonzero(changed.any(axis=0))
        # Edges at 5.04 and 13.92, and at 7.2 and 19.2: a texel is in by its middle.
        self.assertEqual((columns[0], columns[-1], rows[0], rows[-1]), (5, 13, 7, 18))

    def test_a_slanted_frame_takes_texels_as_they_are(self) -> None:
        corners = ((0.1, 0.05), (0.95, 0.12), (0.88, 0.9), (0.03, 0.97))
        names = ("top_left", "top_right", "bottom_right", "bottom_left")
        places = {n: Corner(x=x, y=y) for n, (x, y) in zip(names, corners, strict=True)}
        frame = Frame(**places)
        self.assertLessEqual(colours(picture(small(frame=frame), Role.COLOUR, Stage.SOURCE)), GIVEN)

    def test_a_working_file_that_comes_back_in_another_size_mixes_nothing(self) -> None:
        sent = texels.from_texels(ART, Space.LINEAR)
        painted = np.kron(ART, np.ones((2, 2, 1), np.uint8))
        painted[4:9, 10:31] = CHOSEN[1]
        back = texels.from_texels(np.asarray(painted[:47], np.uint8), Space.LINEAR)
        for whole in (True, False):
            made = lay_returned(Nothing(), [replace(sent, whole=whole), back, sent], [])
            self.assertTrue((made.pixels != sent.pixels).any())
            self.assertIs(colours(made) <= GIVEN, whole)

    def test_looks_that_pass_are_as_whole(self) -> None:
        surface = self.sized(small(), Size(width=256, height=256))
        for longest in (16, 64, 128):
            seen = picture(surface, Role.COLOUR, Stage.SIZE, longest)
            self.assertLessEqual(colours(seen), GIVEN)

    def test_art_of_few_texels_is_told_from_other_small_pictures(self) -> None:
        def few(art: np.ndarray) -> bool:
            return few_texels(texels.from_texels(np.asarray(art, np.uint8), Space.LINEAR))

        self.assertTrue(few(ART))
        self.assertTrue(few(np.kron(ART, np.ones((4, 4, 1)))))
        ramp = np.broadcast_to(np.arange(64)[:, np.newaxis, np.newaxis] * 4, (64, 64, 3))
        noise = np.random.default_rng(2).integers(0, 256, (64, 64, 3))
        for name, other in (
            ("one colour", np.full((32, 32, 3), 90)),
            ("two", np.kron(np.eye(8)[..., np.newaxis], np.full((4, 4, 3), 200))),
            ("noise", noise),
            ("large", np.kron(ART, np.ones((12, 12, 1)))),
            ("a ramp of more tones", np.concatenate([ramp, ramp + 1, ramp + 2], axis=1)),
        ):
            with self.subTest(name):
                self.assertFalse(few(other))

    def test_a_surface_that_begins_with_it_keeps_it_whole_and_cuts_nothing(self) -> None:
        origin = ORIGIN.model_copy(update={"width": SIDE, "height": SIDE, "few": True})
        surface = edits.SetOrigin(map="colour", origin=origin).apply(new_surface("Sign", "sign"))
        self.assertTrue(surface.whole_texels)
        self.assertEqual(surface.map("colour").steps, ())
        self.assertLessEqual(colours(picture(surface, Role.COLOUR, Stage.SIZE)), GIVEN)
        other = edits.SetOrigin(map="colour", origin=ORIGIN).apply(new_surface("Floor", "floor"))
        self.assertFalse(other.whole_texels)

    def test_turned_off_all_is_as_it_was_before_it_was_there(self) -> None:
        before = small(whole=False)
        after = edits.KeepWhole(on=False).apply(small())
        self.assertEqual(Wiring(before).stages(), Wiring(after).stages())
        on, off = Wiring(small()).at("colour", Stage.SIZE), Wiring(before).at("colour", Stage.SIZE)
        self.assertNotEqual(on, off)
