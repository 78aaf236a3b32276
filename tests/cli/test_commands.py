import contextlib
import io
import json
import os
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

import numpy as np
from PIL import Image

from stonestack.cli.main import main
from stonestack.core import edits
from stonestack.core.deliveries import Delivery
from stonestack.core.roles import Role
from stonestack.core.sizing import Size
from stonestack.services import deliveries, projects, sources, surfaces
from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder
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
            (("--format", "bc3", "--size", "64x32"), "bc3", 7, "srgb"),
            (("--role", "normal", "--size", "64x32"), "bc5", 7, "linear"),
            (("--role", "height", "--size", "64x32", "--no-mips"), "bc4", 1, "linear"),
            (("--format", "rgba8", "--size", "64x32"), "rgba8", 7, "srgb"),
        )
        for words, format_, levels, space in cases:
            target = self.root / "out.dds"
            self.assertEqual(self.run_command("convert", source, target, *words)[0], 0)
            facts = json.loads(self.run_command("inspect", target, "--json")[1])
            got = (facts["block_format"], facts["mips"], facts["colour_space"], facts["width"])
            self.assertEqual(got, (format_, levels, space, 64))

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
        project = projects.create(ws, "Glasshouse", None)
        source = sources.bring(ws, project.id, "a.png", raw_picture())
        surface = surfaces.create(ws, project.id, "Wall", "wall")
        for change in (
            edits.SetOrigin(map=Role.COLOUR, origin=source.origin),
            edits.SetSize(map=Role.COLOUR, size=Size(width=64, height=64), all_maps=True),
        ):
            surface = surfaces.edit(ws, surface.id, surface.revision, change)
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
