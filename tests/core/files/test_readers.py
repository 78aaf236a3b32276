"""Whatever reads bytes from outside returns, or says in words why not, in bounds."""

from __future__ import annotations

import ast
import io
import json
import subprocess
import sys
import threading
import time
import unittest
import unittest.mock
import zipfile
from pathlib import Path

import numpy as np
from PIL import Image

from stonestack.core.files import codecs
from stonestack.core.files.codecs import apart, headers, pictures
from stonestack.core.files.codecs import imagefiles as decoding
from stonestack.core.files.codecs.headers import Input
from stonestack.core.files.codecs.imagefiles import Wanted
from stonestack.core.files.codecs.pictures import deep_png
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.files.workfiles import openraster
from stonestack.core.picture.image import Space
from stonestack.core.runtime import readers, stopping
from stonestack.core.runtime.errors import BadFile, Cancelled
from tests.readers import fuzz
from tests.readers.samples import samples, stored, zipped
from tests.sizes import times
from tests.support import noise

ROOT = Path(readers.__file__).parents[1]
MOST = 1536 << 20
"""Bytes that reading one file may take."""
ONLY_WITH = {
    "by_tables": "its profile was read before",
    "changed_inside": "the file was read before",
    "checked_kind": "looks at the first bytes",
    "copied": "the file was read before",
    "decoded": "all pictures and files go through it",
    "header": "all pictures and files go through it",
    "facts": "all pictures go through it",
    "form_of": "looks at the first bytes",
    "incoming": "layers and pictures are tried by themselves",
    "inside": "what walks through a container is tried",
    "kind_by_content": "looks at the first bytes",
    "opened": "what walks through a container is tried",
    "places": "the file was read before",
    "read": "all pictures go through it",
    "small_level": "the file was read before",
    "survey": "all files go through it",
    "told": "looks at the first bytes",
    "with_levels": "the file was read before",
}
"""Functions that take bytes and are tried through others, or only get what was read before."""


class Register(unittest.TestCase):
    def test_every_reader_is_tried_on_whole_files_of_its_own(self) -> None:
        names = set(fuzz.everything())
        self.assertEqual(names, set(samples()))
        self.assertGreater(len(names), 12)

    def test_what_takes_bytes_is_registered_or_says_why_not(self) -> None:
        loose = []
        for folder in (
            "core/files/codecs",
            "core/files/containers",
            "core/files/workfiles",
            "core/catalogue",
        ):
            for path in sorted((ROOT / folder).glob("*.py")):
                tree = ast.parse(path.read_text())
                loose += [
                    f"{path.name}: {function.name}"
                    for function in tree.body
                    if isinstance(function, ast.FunctionDef)
                    and not function.name.startswith("_")
                    and _takes_bytes(function)
                    and not _is_registered(function)
                    and function.name not in ONLY_WITH
                ]
        self.assertEqual(loose, [], "decorate these with @reader")

    def test_a_new_reader_is_tried_by_itself(self) -> None:
        @readers.reader("a new one")
        def careless(data: bytes) -> int:
            return {b"PNG": 1}[data[1:4]]

        try:
            found = fuzz.tried("a new one", 1, 0, 60)
        finally:
            del readers.READERS["a new one"]
        self.assertIn("KeyError", found.faults[0])

    def test_a_name_is_given_once(self) -> None:
        fuzz.everything()
        with self.assertRaises(ValueError):
            readers.reader("dds")(lambda data: data)


class Spoilt(unittest.TestCase):
    def test_spoilt_files_are_read_or_refused_in_words(self) -> None:
        names = sorted(fuzz.everything())
        each = times(200_000, 2_000) // len(names)
        for name in names:
            with self.subTest(reader=name):
                found = fuzz.tried(name, times(1, 3), 0, each)
                self.assertEqual(found.faults, [])


class Bombs(unittest.TestCase):
    def test_files_that_ask_for_much_are_refused_within_bounds(self) -> None:
        command = [sys.executable, "-m", "tests.readers.measured", *times(["--all"], [])]
        done = subprocess.run(command, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])
        lines = [json.loads(line) for line in done.stdout.splitlines()]
        self.assertGreater(len(lines), 15)
        for line in lines:
            with self.subTest(line["name"]):
                self.assertLess(line["more"], MOST)
                self.assertLess(line["seconds"], 120)


class Layers(unittest.TestCase):
    def test_a_list_of_layers_with_comments_and_a_mark_of_its_bytes_is_read(self) -> None:
        (whole,) = samples()["openraster"]
        with zipfile.ZipFile(io.BytesIO(whole)) as box:
            parts = {name: box.read(name) for name in box.namelist()}
        said = parts["stack.xml"].replace(b"<stack>", b"<!-- of an editor --><stack>")
        self.assertNotEqual(said, parts["stack.xml"])
        parts["stack.xml"] = b"\xef\xbb\xbf" + said
        again = openraster.read(zipped(parts))
        self.assertEqual([layer.name for layer in again], ["Over", "Picture"])
        parts["stack.xml"] = said.replace(b"<image", b"<!DOCTYPE image><image")
        with self.assertRaises(BadFile):
            openraster.read(zipped(parts))


class Apart(unittest.TestCase):
    """Decoding in a process of its own."""

    def test_it_gives_what_decoding_here_gives(self) -> None:
        for data in samples()["picture"]:
            kind = codecs.kind_by_content(data)
            if kind not in headers.PILLOW:
                continue
            for wanted in (Wanted(), Wanted("inks", 7), Wanted("all")):
                with self.subTest(kind=kind, wanted=wanted):
                    facts, theirs = apart._asked(data, kind, wanted)
                    ours = apart._here(data, kind, wanted, facts)
                    self.assertEqual(facts, headers.header(Input(data), kind))
                    assert theirs is not None
                    np.testing.assert_array_equal(theirs.numbers, ours.numbers)
                    self.assertEqual(
                        (theirs.alpha, theirs.opaque, theirs.grey),
                        (ours.alpha, ours.opaque, ours.grey),
                    )

    def test_a_reader_that_breaks_down_refuses_one_file_and_the_next_is_read(self) -> None:
        data = stored("JPEG")
        apart._asked(data, FileKind.JPEG, None)
        reader = apart._idle[-1]
        killed = threading.Timer(0.0, reader._process.kill)
        killed.start()
        killed.join()
        reader._process.wait()
        self.assertIsNotNone(apart._asked(data, FileKind.JPEG, Wanted())[1])

    def test_a_file_that_breaks_each_reader_is_refused_and_one_that_was_ended_meanwhile_is_not(
        self,
    ) -> None:
        data = stored("JPEG")
        apart._asked(data, FileKind.JPEG, None)
        with unittest.mock.patch.object(apart._Reader, "waits", return_value=True):
            apart._idle[-1]._process.kill()
            self.assertIsNotNone(apart._asked(data, FileKind.JPEG, Wanted())[1])
        broken = unittest.mock.patch.object(apart._Answer, "fill", side_effect=ValueError)
        with broken, self.assertRaises(BadFile) as caught:
            apart._asked(data, FileKind.JPEG, Wanted())
        self.assertEqual(caught.exception.code, "reader-broke-down")
        self.assertIsNotNone(apart._asked(data, FileKind.JPEG, Wanted())[1])

    def test_work_that_is_not_wanted_any_more_ends_the_reader(self) -> None:
        buffer = io.BytesIO()
        Image.effect_noise((3000, 3000), 90).save(buffer, "JPEG")
        began = time.monotonic()
        with (
            stopping.stoppable(lambda: time.monotonic() - began > 0.1),
            self.assertRaises(Cancelled),
        ):
            for _ in range(50):
                codecs.read_picture(buffer.getvalue(), Space.LINEAR)
        self.assertLess(time.monotonic() - began, 5)

    def test_what_takes_too_long_is_refused(self) -> None:
        data = stored("JPEG")
        reader = apart._Reader()
        reader.started -= apart._STARTING
        reader._process.send_signal(19)  # SIGSTOP: it is there and says nothing.
        answer = reader.ask(Input(data), FileKind.JPEG, None)
        answer.seconds = 0.2
        reader.ask = lambda *_: answer  # type: ignore[method-assign]
        with self.assertRaises(BadFile) as caught:
            apart._waited(reader, Input(data), FileKind.JPEG, None)
        reader.end()
        self.assertEqual(caught.exception.code, "too-slow")

    def test_large_files_are_handed_over_on_disk_and_leave_nothing(self) -> None:
        texels = np.random.default_rng(2).integers(0, 255, (3400, 3400, 3), dtype=np.uint8)
        buffer = io.BytesIO()
        Image.fromarray(texels).save(buffer, "BMP")
        self.assertGreater(len(buffer.getvalue()), apart._LARGE_BYTES)
        before = set(Path(apart.tempfile.gettempdir()).glob("stone-stack-*"))
        read = pictures.stored(buffer.getvalue(), FileKind.BMP)
        np.testing.assert_array_equal(read[..., :3], texels)
        self.assertLessEqual(set(Path(apart.tempfile.gettempdir()).glob("stone-stack-*")), before)

    def test_deep_colour_is_the_same_by_halves(self) -> None:
        for channels in (3, 4):
            texels = np.random.default_rng(3).integers(
                0, 65536, (40, 30, channels), dtype=np.uint16
            )
            file = Input(deep_png(texels))
            header = headers.header(file, FileKind.PNG)
            with unittest.mock.patch.object(decoding, "_LARGE", 10):
                self.assertIsNotNone(decoding._deep_halves(file, header))
                bands = decoding.decode(file, FileKind.PNG, Wanted(), header)
                np.testing.assert_array_equal(np.concatenate(list(bands.each)), texels)

    def test_shrinking_averages_by_alpha_and_keeps_the_depth(self) -> None:
        texels = np.zeros((4, 6, 4), np.uint16)
        texels[::2, ::2] = (60000, 30000, 0, 65535)
        file = Input(deep_png(texels))
        header = headers.header(file, FileKind.PNG)
        bands = decoding.decode(file, FileKind.PNG, Wanted(longest=3), header)
        small = np.concatenate(list(bands.each))
        self.assertEqual((small.shape, small.dtype), ((2, 3, 4), np.uint16))
        np.testing.assert_allclose(small[..., :3], np.full((2, 3, 3), (60000, 30000, 0)), atol=2)
        np.testing.assert_allclose(small[..., 3], 65535 / 4, atol=1)
        self.assertFalse(bands.seen.opaque)

    def test_a_survey_says_of_all_texels_what_a_small_picture_cannot(self) -> None:
        texels = np.repeat(noise(64, 64, 8, 5, channels=1), 4, axis=2)
        texels[..., 3] = 1
        eight = (texels * 255).astype(np.uint8)
        eight[10, 10] = (200, 10, 10, 254)
        buffer = io.BytesIO()
        Image.fromarray(eight).save(buffer, "PNG")
        seen = pictures.survey(buffer.getvalue(), FileKind.PNG, 8)
        self.assertEqual(seen.texels.shape, (8, 8, 4))
        self.assertEqual((seen.opaque, seen.grey), (False, False))
        eight[10, 10] = (7, 7, 7, 255)
        buffer = io.BytesIO()
        Image.fromarray(eight).save(buffer, "PNG")
        seen = pictures.survey(buffer.getvalue(), FileKind.PNG, 8)
        self.assertEqual((seen.opaque, seen.grey), (True, True))


def _takes_bytes(function: ast.FunctionDef) -> bool:
    return any(
        isinstance(a.annotation, ast.Name) and a.annotation.id in ("bytes", "Source")
        for a in function.args.args
        if a.arg in ("data", "source")
    )


def _is_registered(function: ast.FunctionDef) -> bool:
    return any(
        isinstance(d, ast.Call) and isinstance(d.func, ast.Name) and d.func.id == "reader"
        for d in function.decorator_list
    )
