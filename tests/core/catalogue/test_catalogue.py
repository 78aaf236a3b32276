"""What names and pixels say, grouping, and finding by look: on labelled made-up sets."""

from __future__ import annotations

import io
import random
import unittest

import cv2
import numpy as np
from PIL import Image

from stonestack.core.catalogue import local, looks
from stonestack.core.catalogue.describe import describe, picture_bytes, shown
from stonestack.core.catalogue.filenames import parts
from stonestack.core.catalogue.grouping import Item, Relation, grouped
from stonestack.core.catalogue.guess import guess
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.codecs import read_texture
from stonestack.core.picture.image import Bytes, Space
from stonestack.core.picture.resize import resize
from stonestack.core.picture.texels import from_texels, to_texels
from stonestack.core.tables.roles import Role
from stonestack.demo.glasshouse import MORE, drawn, stored
from tests.sizes import times
from tests.support import noise


def scene(seed: int, side: int = 256) -> Bytes:
    """Return one of many pictures that differ: blobs, lines and grain of their own."""
    rng = np.random.default_rng(seed)
    base = noise(side, side, seed, int(rng.integers(8, 70)), wraps=True)
    fine = noise(side, side, seed + 5000, int(rng.integers(3, 12)), wraps=True)
    values = base * 0.7 + fine * 0.3
    image = Image.fromarray((values * 255).astype(np.uint8)).convert("RGBA")
    from PIL import ImageDraw

    draw = ImageDraw.Draw(image)
    for _ in range(int(rng.integers(3, 9))):
        x, y, r = rng.integers(0, side), rng.integers(0, side), rng.integers(8, side // 4)
        tint = tuple(int(v) for v in rng.integers(0, 255, 3))
        draw.ellipse((x - r, y - r, x + r, y + r), outline=tint, width=int(rng.integers(2, 12)))
    return np.asarray(image)


def changed(texels: Bytes, rng: random.Random) -> Bytes:
    """Return a toned, resized and re-compressed copy."""
    image = Image.fromarray(texels).convert("RGB")
    size = rng.choice([64, 96, 128, 200, 320, 512])
    image = image.resize((size, size), Image.Resampling.BICUBIC)
    values = np.asarray(image).astype(float)
    values = 255 * (values / 255) ** rng.uniform(0.6, 1.6)
    values = values * [rng.uniform(0.7, 1.25) for _ in range(3)] + rng.uniform(-25, 25)
    image = Image.fromarray(np.clip(values, 0, 255).astype(np.uint8))
    buffer = io.BytesIO()
    image.save(buffer, "JPEG", quality=rng.randrange(25, 80))
    return picture_bytes(buffer.getvalue(), None)


class Names(unittest.TestCase):
    """Names taken apart."""

    def test_words_are_told_apart(self) -> None:
        for path, stem, role, tier, variant, icon, backup in (
            ("t/rib_cu_02_c.dds", "rib_cu_02", Role.COLOUR, "", "", False, False),
            ("t/rib_cu_02_n_half.dds", "rib_cu_02", Role.NORMAL, "half", "", False, False),
            ("low/quarter/wall_s.dds", "wall", Role.SPECULAR, "quarter", "", False, False),
            ("t/bed_winter_c.dds", "bed", Role.COLOUR, "", "winter", False, False),
            ("icons/ico_bed.dds", "bed", None, "", "", True, False),
            ("t/wall_c.dds.bak", "wall", Role.COLOUR, "", "", False, True),
            ("t/wall_c - Copy (2).png", "wall", Role.COLOUR, "", "", False, True),
            ("t/backup/wall_c.dds", "wall", Role.COLOUR, "", "", False, True),
            ("t/Ärmel_Normal.TGA", "ärmel", Role.NORMAL, "", "", False, False),
            ("t/wall_c_1024.dds", "wall", Role.COLOUR, "1024", "", False, False),
        ):
            with self.subTest(path=path):
                found = parts(path)
                self.assertEqual(
                    (found.stem, found.role, found.tier, found.variant, found.icon, found.backup),
                    (stem, role, tier, variant, icon, backup),
                )


class Labelled(unittest.TestCase):
    """A set with known answers, half of whose names mislead."""

    @classmethod
    def setUpClass(cls) -> None:
        rng = random.Random(3)
        suffixes = ["_c", "_n", "_s", "", "_x"]
        cls.rows: list[tuple[str, bytes, Role, str, str]] = []
        for number, name in enumerate(MORE):
            maps = dict(
                zip(
                    (Role.COLOUR, Role.NORMAL, Role.SPECULAR), drawn(name, 90 + number), strict=True
                )
            )
            right = {Role.COLOUR: "_c", Role.NORMAL: "_n", Role.SPECULAR: "_s"}
            formats = {
                Role.COLOUR: BlockFormat.BC1,
                Role.NORMAL: rng.choice([BlockFormat.BC5, BlockFormat.RGBA8]),
                Role.SPECULAR: BlockFormat.BC4,
            }
            for role, picture in maps.items():
                misled = rng.random() < 0.5
                wrong = [s for s in suffixes if s != right[role]]
                suffix = rng.choice(wrong) if misled else right[role]
                data = stored(picture, formats[role])
                cls.rows.append((f"t/{name}{suffix}.dds", data, role, "surface", name))
            icon = cls.icon(maps[Role.COLOUR].pixels)
            folder = "t" if rng.random() < 0.5 else "icons"
            stem = name if rng.random() < 0.5 else f"ico_{name}"
            cls.rows.append((f"{folder}/{stem}_64.png", icon, Role.COLOUR, "icon", name))

    @staticmethod
    def icon(pixels: np.ndarray) -> bytes:
        small = Image.fromarray((np.clip(pixels, 0, 1) ** 0.45 * 255).astype(np.uint8))
        small = small.resize((64, 64)).convert("RGBA")
        y, x = np.mgrid[:64, :64] - 31.5
        alpha = ((np.hypot(x, y) < 26) * 255).astype(np.uint8)
        small.putalpha(Image.fromarray(alpha))
        buffer = io.BytesIO()
        small.save(buffer, "PNG")
        return buffer.getvalue()

    def guessed(self) -> list[tuple[Role, str]]:
        out = []
        for path, data, _, _, _ in self.rows:
            found = describe(data)
            assert found.look is not None
            told = guess(parts(path), found.look, found.width, found.height)
            out.append((told.role, told.use))
        return out

    def scores(self, told: list[str], truth: list[str]) -> dict[str, tuple[float, float]]:
        out = {}
        for value in set(truth):
            hit = sum(a == b == value for a, b in zip(told, truth, strict=True))
            out[value] = (hit / max(1, told.count(value)), hit / truth.count(value))
        return out

    def test_roles_have_precision_and_recall_of_nine_in_ten(self) -> None:
        told = [str(role) for role, _ in self.guessed()]
        for role, (precision, recall) in self.scores(told, [str(r[2]) for r in self.rows]).items():
            with self.subTest(role=role):
                self.assertGreaterEqual(precision, 0.9)
                self.assertGreaterEqual(recall, 0.9)

    def test_icons_and_surfaces_have_precision_and_recall_of_nine_in_ten(self) -> None:
        told = [use for _, use in self.guessed()]
        for use, (precision, recall) in self.scores(told, [r[3] for r in self.rows]).items():
            with self.subTest(use=use):
                self.assertGreaterEqual(precision, 0.9)
                self.assertGreaterEqual(recall, 0.9)


class Grouping(unittest.TestCase):
    """What is one thing."""

    def items(self, files: list[tuple[str, bytes]]) -> list[Item]:
        import hashlib

        out = []
        for number, (path, data) in enumerate(files):
            found = describe(data)
            assert found.look is not None
            told = guess(parts(path), found.look, found.width, found.height)
            out.append(
                Item(
                    id=number,
                    path=path,
                    name=parts(path),
                    sha256=hashlib.sha256(data).hexdigest(),
                    role=told.role,
                    use=told.use,
                    width=found.width,
                    height=found.height,
                    format=found.format,
                    hash=found.look.hash,
                    tones=found.look.tones,
                    flat=found.look.flat,
                )
            )
        return out

    def test_one_thing_is_found_though_half_the_copies_have_misleading_names(
        self,
    ) -> None:
        rng = random.Random(8)
        files: list[tuple[str, bytes]] = []
        truth: list[str] = []
        for number, name in enumerate(MORE):
            shade, normals, shine = drawn(name, 300 + number)
            half = resize(shade, 64, 64, "box")
            files += [
                (f"t/{name}_c.dds", stored(shade, BlockFormat.BC1)),
                (f"t/{name}_n.dds", stored(normals, BlockFormat.BC5)),
                (f"t/{name}_s.dds", stored(shine, BlockFormat.BC4)),
                (
                    f"t/tex_{number:03}.dds" if rng.random() < 0.5 else f"t/half/{name}_c.dds",
                    stored(half, BlockFormat.BC1),
                ),
                (
                    f"m/page_{number:02}.dds" if rng.random() < 0.5 else f"m/{name}.dds",
                    stored(shade, BlockFormat.BC7),
                ),
            ]
            truth += [name] * 5
        places = grouped(self.items(files))
        told = [places[i].thing for i in range(len(files))]
        pairs = [(a, b) for a in range(len(files)) for b in range(a)]
        same_told = {(a, b) for a, b in pairs if told[a] == told[b]}
        same_true = {(a, b) for a, b in pairs if truth[a] == truth[b]}
        hit = len(same_told & same_true)
        self.assertGreaterEqual(hit / len(same_told), 0.9)
        self.assertGreaterEqual(hit / len(same_true), 0.9)
        for number in range(0, len(files), 5):
            self.assertEqual(places[number].relation, Relation.MAP)
            self.assertEqual(places[number + 3].relation, Relation.SMALLER)
            self.assertEqual(places[number + 4].relation, Relation.TWIN)
            self.assertTrue(all(places[number + k].reason for k in range(5)))

    def test_one_name_twice_in_a_container_does_not_join_two_things(self) -> None:
        a, b = (stored(drawn(n, 7)[0], BlockFormat.BC1) for n in ("path_brick", "basin_tile"))
        files = [("t/path_c.dds", a), ("t/basin_c.dds", b), ("h/twice.dds", a), ("h/twice.dds", b)]
        places = grouped(self.items(files))
        self.assertEqual([places[i].thing for i in range(4)], ["path", "basin", "path", "basin"])

    def test_variants_in_other_colours_are_variants_not_twins(self) -> None:
        plain = stored(drawn("awning_cloth", 7)[0], BlockFormat.BC1)
        red = stored(drawn("awning_cloth", 7, "#9c3a2c")[0], BlockFormat.BC1)
        places = grouped(self.items([("t/awning_c.dds", plain), ("t/awning_red_c.dds", red)]))
        self.assertEqual(places[1].relation, Relation.VARIANT)


class ByLook(unittest.TestCase):
    """Finding by what a picture looks like."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.pictures = [scene(seed) for seed in range(times(120, 40))]
        cls.hashes = np.frombuffer(
            b"".join(looks.look(p).hash for p in cls.pictures), np.uint8
        ).reshape(-1, looks.HASH_BYTES)

    def test_95_of_100_toned_resized_recompressed_copies_are_found_first(self) -> None:
        rng = random.Random(11)
        count, first = times(100, 30), 0
        for number in range(count):
            copy = changed(self.pictures[number], rng)
            apart = looks.distances(looks.look(copy).hash, self.hashes)
            first += int(apart.argmin()) == number
        self.assertGreaterEqual(first / count, 0.95)

    def test_most_crops_are_found_first_by_local_features(self) -> None:
        rng = random.Random(12)
        count, first = times(40, 12), 0
        held = [local.features(p) for p in self.pictures[:count]]
        for number in range(count):
            side = rng.randrange(96, 150)
            x, y = rng.randrange(256 - side), rng.randrange(256 - side)
            crop = changed(self.pictures[number][y : y + side, x : x + side], rng)
            asked = local.Sought(crop)
            scores = [asked.agreement(h) for h in held]
            first += int(np.argmax(scores)) == number and max(scores) > 0
        self.assertGreaterEqual(first / count, 0.9)

    def test_a_place_is_found_among_ten_times_as_many_matches_by_chance(self) -> None:
        rng = np.random.default_rng(15)

        def points(count: int) -> np.ndarray:
            spread = rng.uniform((0, 0, 0, -np.pi), (300, 300, 2, np.pi), (count, 4))
            return spread.astype(np.float32)

        asked, held = points(100), points(100)
        self.assertLess(len(local.on_one_place(asked, held)), 5)
        true = np.sort(rng.choice(100, 9, replace=False))
        scale, turn = 2.0, np.radians(30)
        turned = scale * np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        held[true, :2] = asked[true, :2] @ turned.T + (40, -20) + rng.uniform(-1, 1, (9, 2))
        # What a feature says of its own size and direction is rough.
        held[true, 2] = asked[true, 2] + np.log(scale) + rng.uniform(-0.2, 0.2, 9)
        held[true, 3] = asked[true, 3] + turn + rng.uniform(-0.2, 0.2, 9)
        np.testing.assert_array_equal(local.on_one_place(asked, held), true)

    def test_a_joint_that_is_alike_is_not_a_place(self) -> None:
        rng = np.random.default_rng(16)
        one, other = (np.full((256, 256, 4), 255, np.uint8) for _ in range(2))
        for texels in (one, other):
            noise = rng.normal(128, 60, (256, 256, 1))
            texels[..., :3] = np.clip(
                cv2.GaussianBlur(noise, (0, 0), 2)[..., None] * 3 - 256, 0, 255
            )
        # Both have one and the same line, and nothing else in common.
        other[112:144] = one[112:144]
        held = local.features(other)
        self.assertEqual(local.Sought(one).agreement(held), 0)
        other[60:200] = one[60:200]
        self.assertGreater(local.Sought(one).agreement(local.features(other)), 20)

    def test_pictures_that_are_not_there_agree_with_none(self) -> None:
        held = [local.features(p) for p in self.pictures[: times(40, 12)]]
        absent = [local.Sought(scene(seed)) for seed in range(500, 508)]
        agreed = [asked.agreement(each) for asked in absent for each in held]
        self.assertEqual(max(agreed), 0)

    def test_a_small_crop_is_found_turned_over_and_at_half_size(self) -> None:
        large = cv2.resize(self.pictures[7], None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC)
        held = [local.features(each) for each in (large, self.pictures[8])]
        crop = cv2.resize(large[40:250, 60:270], None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        for turned in (crop, crop[:, ::-1], crop[::-1]):
            asked = local.Sought(np.ascontiguousarray(turned))
            self.assertGreater(asked.agreement(held[0]), 0)
            self.assertEqual(asked.agreement(held[1]), 0)

    def test_flat_pictures_are_marked_so_that_they_do_not_flood_the_result(self) -> None:
        flat = np.full((64, 64, 4), 130, np.uint8)
        flat[..., 3] = 255
        self.assertTrue(looks.look(flat).flat)
        self.assertFalse(looks.look(self.pictures[0]).flat)

    def test_what_is_seen_does_not_depend_on_the_block_format(self) -> None:
        picture = from_texels(self.pictures[3], Space.LINEAR)
        plain = looks.look(to_texels(picture)).hash
        for format_ in (BlockFormat.BC1, BlockFormat.BC3, BlockFormat.BC7):
            texels = shown(read_texture(stored(picture, format_)).texels())
            apart = looks.distances(plain, np.frombuffer(looks.look(texels).hash, np.uint8)[None])
            self.assertLess(int(apart[0]), 20)


if __name__ == "__main__":
    unittest.main()
