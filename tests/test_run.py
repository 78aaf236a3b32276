"""The set-up script: what it skips, what it does again, what it says is missing."""

import importlib.util
import re
import sys
import tempfile
import unittest
from pathlib import Path
from types import ModuleType
from unittest import mock

from tests.sweep import SEEDED

RUN = Path(__file__).resolve().parent.parent / "run.py"


def loaded() -> ModuleType:
    spec = importlib.util.spec_from_file_location("run", RUN)
    assert spec and spec.loader
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


class Parts(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.run = loaded()
        self.run.ROOT = Path(holder.name)
        self.run.MARKS = self.run.ROOT / "marks"
        self.run.MARKS.mkdir()
        self.input = self.run.ROOT / "input"
        self.input.write_text("one")
        self.made = self.run.ROOT / "made"
        self.times = 0

    def work(self) -> None:
        self.times += 1
        self.made.write_text("made")

    def do(self, work=None) -> None:
        with mock.patch("builtins.print"):
            self.run.part("thing", [self.input], work or self.work, self.made)

    def test_a_finished_part_is_skipped_until_its_inputs_change(self) -> None:
        self.do()
        self.do()
        self.assertEqual(self.times, 1)
        self.input.write_text("two")
        self.do()
        self.assertEqual(self.times, 2)

    def test_an_interrupted_part_is_done_again(self) -> None:
        def interrupted() -> None:
            self.made.write_text("half")
            raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            self.do(interrupted)
        self.do()
        self.assertEqual(self.times, 1)

    def test_what_was_deleted_is_made_again(self) -> None:
        self.do()
        self.made.unlink()
        self.do()
        self.assertEqual(self.times, 2)


class Missing(unittest.TestCase):
    def said(self) -> str:
        run = loaded()
        with (
            mock.patch.object(run.shutil, "which", self.which),
            mock.patch.object(run.subprocess, "check_output", return_value=self.version),
            self.assertRaises(run.Missing) as caught,
        ):
            run.npm()
        return str(caught.exception)

    version = "v18.2.0\n"

    def which(self, name: str) -> str | None:
        return f"/bin/{name}" if self.version else None

    def test_an_old_node_is_named_with_the_one_that_is_needed(self) -> None:
        self.assertEqual(self.said(), "Stone Stack needs Node 20 or newer; this is v18.2.0.")

    def test_no_node_is_said_in_one_line(self) -> None:
        self.version = ""
        self.assertIn("none is found", self.said())

    def test_an_old_python_is_named(self) -> None:
        run = loaded()
        with mock.patch.object(sys, "version_info", (3, 9, 1)), self.assertRaises(run.Missing) as c:
            run.setup()
        self.assertIn("Python 3.11 or newer", str(c.exception))


class Sweep(unittest.TestCase):
    def test_what_is_tried_less_in_every_run_is_tried_in_full_in_a_sweep(self) -> None:
        told = 0
        for path in sorted((RUN.parent / "tests").rglob("test_*.py")):
            text = path.read_text(encoding="utf-8")
            parts = re.split(r"^class (\w+)", text, flags=re.M)
            for name, body in zip(parts[1::2], parts[2::2], strict=True):
                if re.search(r"(?<!\.)\btimes\(", body):
                    told += 1
                    whole = f"{path.stem}.{name}."
                    with self.subTest(whole):
                        self.assertTrue(any(pattern in whole for pattern in SEEDED))
        self.assertGreater(told, 10)
