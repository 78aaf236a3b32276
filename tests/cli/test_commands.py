import contextlib
import io
import json
import os
import subprocess
import sys
import tempfile
import time
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image

from stonestack.cli.main import main
from stonestack.core.document.deliveries import Delivery
from stonestack.core.files import codecs
from stonestack.core.files.codecs import dds
from stonestack.core.picture.image import Space
from stonestack.services.delivery import deliveries
from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder
from tests.services.test_surfaces import wall
from tests.support import photograph, raw_picture


class CommandCase(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name)

    def run_command(self, *words: object) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main([str(word) for word in words])
        return code, out.getvalue(), err.getvalue()

    def saved(self, name: str, data: bytes) -> Path:
        path = self.root / name
        path.write_bytes(data)
        return path


class Convert(CommandCase):
    def test_a_picture_becomes_a_texture_and_a_picture_again(self) -> None:
        source = self.root / "in.png"
        Image.fromarray(photograph("coffee", 128)[..., :3]).save(source)
        for kind in ("dds", "ktx2"):
            texture, back = self.root / f"t.{kind}", self.root / f"{kind}.png"
            self.assertEqual(self.run_command("convert", source, texture)[0], 0)
            self.assertEqual(self.run_command("convert", texture, back)[0], 0)
            off = np.array(Image.open(back)).astype(int) - np.array(Image.open(source)).astype(int)
            self.assertLess(np.abs(off).mean(), 4)

    def test_format_role_size_and_levels_are_followed(self) -> None:
        source = self.saved("in.png", raw_picture())
        cases = (
            (("--format", "bc3", "--size", "64x32"), "bc3", 7, "linear"),
            (("--format", "bc3", "--size", "64x32", "--header", "dx10"), "bc3", 7, "srgb"),
            (("--format", "bc7", "--size", "64x32"), "bc7", 7, "srgb"),
            (("--format", "bc6h", "--size", "64x32"), "bc6h", 7, "linear"),
            (("--role", "normal", "--size", "64x32"), "bc5", 7, "linear"),
            (("--role", "height", "--size", "64x32", "--no-mips"), "bc4", 1, "linear"),
            (("--format", "rgba8", "--size", "64x32"), "rgba8", 7, "linear"),
        )
        for words, format_, levels, space in cases:
            target = self.root / "out.dds"
            self.assertEqual(self.run_command("convert", source, target, *words)[0], 0)
            facts = json.loads(self.run_command("inspect", target, "--json")[1])
            got = (facts["block_format"], facts["mips"], facts["colour_space"], facts["width"])
            self.assertEqual(got, (format_, levels, space, 64))

    def test_what_has_an_older_header_is_opened_by_pillow_as_it_is(self) -> None:
        source = self.saved("in.png", raw_picture())
        for format_ in ("bc1", "bc2", "bc3", "bc4", "bc5", "rgba8"):
            target = self.root / f"{format_}.dds"
            words = ("--format", format_, "--size", "64x32")
            self.assertEqual(self.run_command("convert", source, target, *words)[0], 0)
            with Image.open(target) as image:
                self.assertEqual(image.size, (64, 32))
                self.assertEqual(np.asarray(image).shape[:2], (32, 64))
        code, _, err = self.run_command(
            *("convert", source, self.root / "no.dds", "--format", "bc7", "--header", "legacy")
        )
        self.assertEqual(code, 1)
        self.assertIn("older DDS header", err)

    def test_each_quality_is_nearer_than_the_one_before_and_compare_says_so(self) -> None:
        source = self.root / "in.png"
        Image.fromarray(photograph("coffee", 256)[..., :3]).save(source)
        found = []
        for quality in ("fast", "standard", "best"):
            target = self.root / f"{quality}.dds"
            words = ("--format", "bc1", "--quality", quality, "--no-mips")
            self.assertEqual(self.run_command("convert", source, target, *words)[0], 0)
            code, out, _ = self.run_command("compare", source, target, "--json")
            self.assertEqual(code, 0)
            found.append(json.loads(out)["psnr"])
        self.assertEqual(found, sorted(found))
        self.assertGreater(found[1], found[0] + 0.2)

    def test_alpha_that_a_format_does_not_keep_is_told_of(self) -> None:
        texels = photograph("coffee", 64).copy()
        texels[..., 3] = np.linspace(0, 255, 64)
        source = self.root / "in.png"
        Image.fromarray(texels).save(source)
        for format_, words in (("bc1", "as holes"), ("bc4", "left out"), ("bc3", "")):
            target = self.root / f"{format_}.dds"
            out = self.run_command("convert", source, target, "--format", format_)[1]
            self.assertIn(words, out)
            self.assertEqual(bool(out.strip()), bool(words))
        facts = json.loads(self.run_command("inspect", self.root / "bc1.dds", "--json")[1])
        self.assertEqual(facts["alpha"], "used")

    def test_a_cube_is_gathered_packed_and_taken_apart_to_the_byte(self) -> None:
        faces = []
        for n in range(6):
            picture = self.root / f"{n}.png"
            Image.fromarray(np.roll(photograph("coffee", 64), 9 * n, 0)).save(picture)
            faces.append(self.root / f"{n}.dds")
            self.run_command("convert", picture, faces[-1], "--format", "bc7")
        cube, packed = self.root / "cube.dds", self.root / "cube.ktx2"
        self.assertEqual(self.run_command("gather", cube, *faces, "--cube")[0], 0)
        facts = json.loads(self.run_command("inspect", cube, "--json")[1])
        self.assertIn("six faces of a cube; the first is read", facts["unusual"])
        self.assertEqual((facts["cube"], facts["layers"]), (True, 1))
        code, words, _ = self.run_command("convert", cube, packed, "--zstd")
        self.assertEqual((code, words.strip()), (0, "Its blocks are copied as they are."))
        for n, face in enumerate(faces):
            one = self.root / "one.dds"
            self.assertEqual(self.run_command("convert", packed, one, "--element", n)[0], 0)
            self.assertEqual(one.read_bytes(), face.read_bytes())
        code, _, err = self.run_command("convert", packed, one, "--element", 6)
        self.assertEqual((code, "no picture 6" in err), (1, True))
        code, _, err = self.run_command("gather", self.root / "no.dds", *faces[:5], "--cube")
        self.assertEqual((code, "six square faces" in err), (1, True))
        self.assertFalse((self.root / "no.dds").exists())

    def test_levels_that_a_texture_lacks_are_made_and_those_that_it_has_are_copied(self) -> None:
        picture, whole = self.root / "in.png", self.root / "whole.dds"
        few, again = self.root / "few.dds", self.root / "again.dds"
        Image.fromarray(photograph("coffee", 64)).save(picture)
        self.run_command("convert", picture, whole, "--format", "bc1")
        texture = dds.read(whole.read_bytes())
        turned = bytes(reversed(texture.levels[1]))
        few.write_bytes(dds.write(replace(texture, levels=(texture.levels[0], turned)), "legacy"))
        code, words, _ = self.run_command("convert", few, again)
        self.assertEqual(code, 0)
        self.assertIn("copied as they are; 5 levels are made.", words)
        levels = dds.read(again.read_bytes()).levels
        self.assertEqual(levels[:2], (texture.levels[0], turned))
        # The rest come of the largest as it is stored.
        made = codecs.compress(texture.picture(Space.LINEAR), texture.format).levels
        self.assertEqual(levels[2:], made[2:])

    def test_what_cannot_be_is_said_and_nothing_is_written(self) -> None:
        source = self.saved("in.png", raw_picture())
        for words in (
            ("convert", source, self.root / "out.gif"),
            ("convert", source, self.root / "out.dds", "--size", "big"),
            ("convert", source, self.root / "out.png", "--format", "bc1"),
            ("convert", self.saved("bad.png", b"x" * 99), self.root / "out.dds"),
            ("convert", self.root / "missing.png", self.root / "out.dds"),
        ):
            code, _, err = self.run_command(*words)
            self.assertEqual(code, 1, words)
            self.assertTrue(err.strip())
        self.assertEqual({p.name for p in self.root.iterdir()}, {"in.png", "bad.png"})

    def test_an_original_is_never_the_output(self) -> None:
        source = self.saved("in.png", raw_picture())
        self.assertEqual(self.run_command("convert", source, source)[0], 2)
        self.assertEqual(source.read_bytes(), raw_picture())


class Compare(CommandCase):
    def pictures(self) -> tuple[Path, Path]:
        """Return a picture, and the same with one block that differs by eight levels."""
        texels = photograph("coffee", 64)[..., :3].clip(20, 200)
        changed = texels.copy()
        changed[8:12, 20:24] += 8
        paths = (self.root / "a.png", self.root / "b.png")
        for path, pixels in zip(paths, (texels, changed), strict=True):
            Image.fromarray(pixels).save(path)
        return paths

    def test_what_differs_is_measured_and_its_place_told(self) -> None:
        first, second = self.pictures()
        code, out, _ = self.run_command("compare", first, second, "--json")
        found = json.loads(out)
        self.assertEqual(code, 0)
        # 16 of 4096 texels are off by 8: a mean square of 0.25.
        self.assertAlmostEqual(found["psnr"], 10 * np.log10(255**2 / 0.25), 3)
        self.assertEqual((found["most"], found["equal"]), (8, False))
        self.assertEqual(found["worst"], [{"x": 20, "y": 8, "rms": 8.0}])
        self.assertLess(found["ssim"], 1)
        self.assertIn("worst block at 20, 8", self.run_command("compare", first, second)[1])

    def test_equal_files_are_equal(self) -> None:
        first, _ = self.pictures()
        code, out, _ = self.run_command("compare", first, first)
        self.assertEqual(code, 0)
        self.assertIn("Equal", out)

    def test_normals_are_measured_in_degrees(self) -> None:
        flat = np.full((16, 16, 3), (128, 128, 255), np.uint8)
        leaning = np.full((16, 16, 3), (128 + 22, 128, 253), np.uint8)
        for name, pixels in (("a.png", flat), ("b.png", leaning)):
            Image.fromarray(pixels).save(self.root / name)
        words = (self.root / "a.png", self.root / "b.png", "--role", "normal", "--json")
        found = json.loads(self.run_command("compare", *words)[1])
        self.assertAlmostEqual(found["mean_angle"], np.degrees(np.arctan2(22, 125.5)), 0)

    def test_other_sizes_are_refused_in_words(self) -> None:
        first, _ = self.pictures()
        small = self.root / "small.png"
        Image.new("RGB", (8, 8)).save(small)
        code, _, err = self.run_command("compare", first, small)
        self.assertEqual(code, 1)
        self.assertIn("64 × 64", err)


class Inspect(CommandCase):
    def test_json_holds_what_is_promised(self) -> None:
        path = self.saved("lies.tga", raw_picture())
        facts = json.loads(self.run_command("inspect", path, "--json")[1])
        self.assertEqual((facts["kind"], facts["kind_by_extension"]), ("png", "tga"))
        self.assertEqual((facts["width"], facts["height"], facts["mips"]), (337, 251, 1))
        self.assertEqual(facts["bytes"], len(raw_picture()))
        self.assertEqual(facts["alpha"], "none")
        self.assertIn("colour_space", facts)

    def test_words_say_that_an_extension_lies(self) -> None:
        path = self.saved("lies.tga", raw_picture())
        self.assertIn("its extension lies", self.run_command("inspect", path)[1])


class Build(CommandCase):
    def test_it_builds_what_the_server_would(self) -> None:
        data = self.root / "data"
        ws = Workspace(DataFolder(data))
        project, _, surface = wall(ws, self.root)
        document = Delivery(title="First", name="first", target="saltglass", surfaces=(surface.id,))
        deliveries.create(ws, project.id, document)
        ws.close()
        environment = {**os.environ, "STONE_STACK_DATA": str(data)}
        command = [sys.executable, "-m", "stonestack.cli.main", "build", "Glasshouse"]
        ran = subprocess.run(command, env=environment, capture_output=True, text=True, check=True)
        folder = Path(ran.stdout.strip())
        self.assertTrue((folder / "textures" / "wall_n.dds").is_file())


class Start(unittest.TestCase):
    def test_starting_costs_well_under_a_second(self) -> None:
        command = [sys.executable, "-m", "stonestack.cli.main", "--version"]
        times = []
        for _ in range(3):
            started = time.perf_counter()
            subprocess.run(command, check=True, capture_output=True)
            times.append(time.perf_counter() - started)
        self.assertLess(min(times), 0.6)

    def test_inspecting_loads_no_server_and_no_database(self) -> None:
        code = (
            "import sys; from stonestack.cli.main import main; main(['inspect', sys.argv[1]]);"
            "print(sorted({'flask', 'sqlmodel', 'sqlalchemy', 'cv2'} & set(sys.modules)))"
        )
        with tempfile.TemporaryDirectory() as folder:
            picture, texture = Path(folder) / "a.png", Path(folder) / "a.dds"
            picture.write_bytes(raw_picture())
            self.assertEqual(main(["convert", str(picture), str(texture)]), 0)
            for path in (picture, texture):
                ran = subprocess.run(
                    [sys.executable, "-c", code, path], check=True, capture_output=True, text=True
                )
                self.assertEqual(ran.stdout.splitlines()[-1], "[]")
