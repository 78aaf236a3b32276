"""What a file is for, from its name and its texels as they are."""

import io
import unittest

import numpy as np
from PIL import Image

from stonestack.core.catalogue.describe import describe
from stonestack.core.catalogue.filenames import parts
from stonestack.core.catalogue.sources import SourceFacts, examine
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.codecs import dds
from stonestack.core.files.codecs.texture import Texture
from stonestack.core.picture.image import Bytes, Floats
from stonestack.core.picture.normals import Green, are_unit, green_of
from stonestack.core.tables.roles import Role
from stonestack.demo.paint import Canvas
from stonestack.trials import labelled
from stonestack.trials.matters import drawn
from tests.sizes import times

SIDE = 512


def normals(matter: str, relief: float, green: Green = Green.UP, seed: int = 31) -> Bytes:
    """Draw a matter's normals from its lightness, by plain differences."""
    height = drawn(matter, Canvas(SIDE, SIDE, seed, True)).mean(axis=2)
    height = (height - height.min()) / np.ptp(height) * relief
    across = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) / 2
    down = (np.roll(height, -1, 0) - np.roll(height, 1, 0)) / 2
    up = down if green is Green.UP else -down
    vectors = np.stack([-across, up, np.ones_like(height)], axis=-1)
    vectors /= np.linalg.norm(vectors, axis=2, keepdims=True)
    return np.rint((vectors + 1) * 127.5).astype(np.uint8)


def stored(texels: Bytes, kind: str = "PNG") -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(texels).save(buffer, kind, **({"quality": 90} if kind == "JPEG" else {}))
    return buffer.getvalue()


def facts(name: str, texels: Bytes, kind: str = "PNG") -> SourceFacts:
    return examine(name, stored(texels, kind)).facts


def bytes_of(values: Floats) -> Bytes:
    return np.rint(np.clip(values, 0, 1) * 255).astype(np.uint8)


class Normals(unittest.TestCase):
    def test_they_are_known_at_any_relief_with_and_without_a_name(self) -> None:
        for matter in ("gravel", "wall"):
            for relief in (0.5, 4, 60):
                texels = normals(matter, relief)
                for name in (f"{matter}_normal.png", "img_0231.png"):
                    found = facts(name, texels)
                    with self.subTest(matter=matter, relief=relief, name=name):
                        self.assertIs(found.role, Role.NORMAL)
                        self.assertGreaterEqual(found.role_confidence, 0.9)

    def test_a_texture_without_levels_is_tried_at_its_full_size(self) -> None:
        texels = normals("gravel", 40)
        four = np.concatenate([texels, np.full((SIDE, SIDE, 1), 255, np.uint8)], axis=2)
        texture = Texture(BlockFormat.RGBA8, False, SIDE, SIDE, (four.tobytes(),))
        look = describe(dds.write(texture)).look
        assert look is not None
        self.assertEqual(look.appearance, "normal")

    def test_a_bluish_picture_is_no_map_of_normals(self) -> None:
        sky = np.array([0.58, 0.6, 0.88], np.float32)
        values = drawn("plaster", Canvas(SIDE, SIDE, 3, True)).mean(axis=2, keepdims=True)
        tinted = bytes_of(sky * (values / values.mean()))
        self.assertLess(are_unit(tinted, 255).mean(), 0.3)
        self.assertIs(facts("img_7.png", tinted).role, Role.COLOUR)

    def test_green_is_told_by_the_slopes(self) -> None:
        for matter in ("rust", "gravel", "wood", "wall", "weave", "sand"):
            for green in Green:
                told = facts("x_n.png", normals(matter, 3, green, 47))
                with self.subTest(matter=matter, green=green):
                    self.assertIs(told.green, green)
                    self.assertGreater(told.green_confidence, 0.5)

    def test_flat_normals_tell_nothing_of_green(self) -> None:
        flat = np.zeros((32, 32, 3), np.float32)
        flat[..., 2] = 1
        self.assertEqual(green_of(flat), (Green.UP, 0.5))


class Channels(unittest.TestCase):
    """Three greys in one file, and what else is coloured without being colour."""

    def test_three_unrelated_greys_are_packed(self) -> None:
        greys = [drawn(m, Canvas(128, 128, 9, True)).mean(axis=2) for m in ("wall", "rust", "sand")]
        found = facts("img_3.png", bytes_of(np.stack(greys, axis=-1)))
        self.assertIs(found.role, Role.PACKED)
        self.assertGreater(found.role_confidence, 0.8)
        self.assertIn("do not go together", found.role_reason)

    def test_a_channel_that_stays_the_same_says_so_too(self) -> None:
        grey = drawn("gravel", Canvas(128, 128, 9, True)).mean(axis=2)
        packed = np.stack([grey, 0.8 * grey, np.zeros_like(grey)], axis=-1)
        self.assertIs(facts("img_3.png", bytes_of(packed)).role, Role.PACKED)

    def test_black_with_parts_that_shine_is_emissive(self) -> None:
        lamps = np.zeros((128, 128, 3), np.uint8)
        lamps[20:50, 30:60] = (255, 160, 40)
        self.assertIs(facts("img_3.png", lamps).role, Role.EMISSIVE)

    def test_sixteen_bits_speak_for_a_height_and_white_for_occlusion(self) -> None:
        grey = drawn("cobbles", Canvas(128, 128, 9, True)).mean(axis=2)
        deep = (grey * 65535).astype(np.uint16)
        self.assertIs(facts("img_3.png", deep).role, Role.HEIGHT)
        hollow = bytes_of(1 - 2 * np.clip(grey.mean() - grey, 0, 1))
        self.assertIs(facts("img_3.png", hollow).role, Role.OCCLUSION)

    def test_files_that_were_not_looked_at_are_told_as_often_as_asked(self) -> None:
        told = [labelled.judged(made) for made in labelled.files(404, times(48, 24))]
        self.assertGreaterEqual(np.mean([t.named is t.role for t in told]), 0.95)
        self.assertGreaterEqual(np.mean([labelled.right(t) for t in told]), 0.85)
        sure = [t for t in told if t.named_sure >= 0.9]
        self.assertGreaterEqual(np.mean([t.named is t.role for t in sure]), 0.9)


class Uses(unittest.TestCase):
    def test_icons_sheets_atlases_and_cards_are_told_from_surfaces(self) -> None:
        told = labelled.uses(405, times(4, 2))
        wrong = [t for t in told if t.use != t.told]
        self.assertLessEqual(len(wrong), 1, wrong)

    def test_a_wall_with_plain_joints_is_no_sheet(self) -> None:
        wall = np.full((128, 128, 3), 190, np.uint8)
        for top in range(4, 128, 32):
            for left in range(4, 128, 32):
                wall[top : top + 24, left : left + 24] = (150, 80, 60)
        self.assertNotEqual(facts("img_3.png", wall).use, "sheet")


class Words(unittest.TestCase):
    """Names by usual habits."""

    def test_a_role_is_found_behind_capitals_fillers_sizes_and_versions(self) -> None:
        for name, role, stem in (
            ("T_Brick_N.png", Role.NORMAL, "t_brick"),
            ("brick_base_color_2k.png", Role.COLOUR, "brick"),
            ("brick_ambient_occlusion.png", Role.OCCLUSION, "brick"),
            ("brickAmbientOcclusion_1k.jpg", Role.OCCLUSION, "brick"),
            ("brick_mask_map.png", Role.PACKED, "brick"),
            ("brick_n_01.png", Role.NORMAL, "brick_01"),
            ("brick_01_n.png", Role.NORMAL, "brick_01"),
            ("wall_Roughness_1024x1024.png", Role.ROUGHNESS, "wall"),
            ("brick_texture.png", None, "brick_texture"),
            ("MetalPlate.png", None, "metalplate"),
        ):
            with self.subTest(name=name):
                found = parts(name)
                self.assertEqual((found.role, found.stem), (role, stem))

    def test_a_name_says_which_way_green_points_where_slopes_do_not(self) -> None:
        flat = np.full((64, 64, 3), (128, 128, 255), np.uint8)
        self.assertIs(facts("brick_nor_dx.png", flat).green, Green.DOWN)
        self.assertIs(facts("brick_NormalGL_2k.png", flat).green, Green.UP)
        self.assertIs(facts("x_dx_n.png", normals("gravel", 5)).green, Green.UP)
        self.assertIs(parts("wood_gl.png").role, Role.GLOSS)


class Sets(unittest.TestCase):
    def test_a_set_in_long_words_is_taken_apart_rightly(self) -> None:
        colour = bytes_of(drawn("wall", Canvas(SIDE, SIDE, 5, True)))
        grey = colour.mean(axis=2).astype(np.uint8)
        files = {
            "brick_albedo.png": (colour, Role.COLOUR),
            "brick_normal.png": (normals("wall", 6, seed=5), Role.NORMAL),
            "brick_height.png": (grey, Role.HEIGHT),
            "brick_roughness.png": (255 - grey, Role.ROUGHNESS),
            "brick_ambientOcclusion.png": (grey, Role.OCCLUSION),
            "brick_displacement.png": (grey, Role.HEIGHT),
        }
        for name, (texels, role) in files.items():
            with self.subTest(name=name):
                self.assertIs(facts(name, texels).role, role)

    def test_colour_that_is_grey_all_over_keeps_its_name(self) -> None:
        grey = bytes_of(drawn("granite", Canvas(SIDE, SIDE, 5, True))).mean(axis=2)
        found = facts("slab_diffuse.png", grey.astype(np.uint8))
        coloured = facts("slab_diffuse.png", bytes_of(drawn("grass", Canvas(64, 64, 5, True))))
        self.assertIs(found.role, Role.COLOUR)
        self.assertLess(found.role_confidence, coloured.role_confidence - 0.05)

    def test_grey_without_a_name_says_that_it_is_one_of_several(self) -> None:
        grey = bytes_of(drawn("gravel", Canvas(SIDE, SIDE, 5, True))).mean(axis=2)
        found = facts("img_12.png", grey.astype(np.uint8))
        self.assertLess(found.role_confidence, 0.5)
        self.assertIn("one of", found.role_reason)

    def test_colours_prove_that_a_file_is_no_map_of_normals(self) -> None:
        found = facts("wall_n.png", bytes_of(drawn("grass", Canvas(SIDE, SIDE, 5, True))))
        self.assertIs(found.role, Role.COLOUR)
        self.assertIn("though", found.role_reason)
