"""The guide for adding things, followed to the letter in a copy of the project.

In a sweep every line is left out too, one at a time, and has to be missed by a check.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import tempfile
import unittest
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from tests.sizes import times

ROOT = Path(__file__).resolve().parent.parent
GUIDE = ROOT / "docs" / "extending.md"
FENCE = re.compile(r"^```(\w+) (\S+)\n(.*?)^```$", re.DOTALL | re.M)
NEEDED = re.compile(r'"(name|title|hint|delivered)"')
"""Keys of a target that have no usual value, so that leaving one out can be told."""


TRIALS = {
    "A step": "step",
    "A derivation": "derivation",
    "A step that reads another map": "step_that_reads_another_map",
    "A mask": "mask",
    "An operation of the graph": "operation",
    "A role": "role",
    "A block format": "block_format",
    "A check": "check",
    "A check of a map": "check_of_a_map",
    "A container": "container",
    "A target": "target",
    "A view": "view",
}
"""What is added under each heading of the guide, as :mod:`tests.extended` calls it."""
SAME_PLACE = "A step that reads another map"
"""It changes the very line that another step changes, so it is added alone."""


@dataclass(frozen=True)
class Change:
    """One block of the guide: a new file, or a change of one that is there."""

    path: str
    text: str
    new: bool

    def lines(self) -> list[int]:
        """Return the places of lines that can be left out."""
        whole = self.text.splitlines()
        if self.new:
            json = self.path.endswith(".json")
            return [n for n, line in enumerate(whole) if json and NEEDED.search(line)]
        return [n for n, line in enumerate(whole) if line.startswith("+")]

    def without(self, place: int) -> Change:
        """Return the change with one line left out."""
        whole = self.text.splitlines()
        del whole[place]
        text = "\n".join(whole) + "\n"
        if self.path.endswith(".json"):
            text = re.sub(r",(\s*})", r"\1", text)
        return Change(self.path, text, self.new)

    def applied(self, root: Path) -> None:
        """Make the change in a copy."""
        path = root / self.path
        if self.new:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(self.text, encoding="utf-8")
            return
        text = path.read_text(encoding="utf-8")
        for part in re.split(r"^@@\n", self.text, flags=re.M):
            lines = part.splitlines()
            old = "".join(f"{line[1:]}\n" for line in lines if line[:1] in " -")
            new = "".join(f"{line[1:]}\n" for line in lines if line[:1] in " +")
            assert text.count(old) == 1, f"{self.path} has not once:\n{old}"
            text = text.replace(old, new)
        path.write_text(text, encoding="utf-8")


def changes(heading: str) -> list[Change]:
    """Return what the guide asks for under a heading."""
    text = GUIDE.read_text(encoding="utf-8")
    [part] = re.findall(rf"^## {heading}\n(.*?)(?=^## |\Z)", text, re.DOTALL | re.M)
    return [Change(path, code, kind != "diff") for kind, path, code in FENCE.findall(part)]


def copied(to: Path) -> Path:
    """Copy the project, without what set-up has made."""
    listed = ["git", "ls-files", "--cached", "--others", "--exclude-standard"]
    for name in subprocess.check_output(listed, cwd=ROOT, text=True).splitlines():
        if name.startswith(("docs/screenshots/", "tests/fixtures/")) or not (ROOT / name).is_file():
            continue
        (to / name).parent.mkdir(parents=True, exist_ok=True)
        shutil.copy2(ROOT / name, to / name)
    for kernel in (ROOT / "stonestack").rglob("__pycache__/*.nb?"):
        # Compiled kernels go along: they fit as long as their source has its time.
        place = to / kernel.relative_to(ROOT)
        place.parent.mkdir(exist_ok=True)
        shutil.copy2(kernel, place)
    (to / "frontend" / "node_modules").symlink_to(ROOT / "frontend" / "node_modules")
    static = ROOT / "stonestack" / "web" / "static"
    shutil.copytree(static, to / "stonestack" / "web" / "static", dirs_exist_ok=True)
    return to


class Guide(unittest.TestCase):
    """Each kind of thing, added by exactly what the guide says."""

    @classmethod
    def setUpClass(cls) -> None:
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.clean = copied(Path(holder.name) / "clean")
        cls.kept: dict[str, tuple[str, os.stat_result]] = {}
        cls.made: list[Path] = []

    def run_in(self, folder: Path, *words: str) -> subprocess.CompletedProcess[str]:
        environment = {**os.environ, "PYTHONPATH": str(folder)}
        if times(1, 0):
            # Lines are left out faster than the times of files tell apart what was compiled.
            environment["PYTHONDONTWRITEBYTECODE"] = "1"
        return subprocess.run(
            list(words),
            cwd=folder,
            env=environment,
            text=True,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
        )

    def refused(self, folder: Path, pages: bool) -> bool:
        """Tell whether lint, the test of registers or the types say that something is missing."""
        checks = [
            (sys.executable, "-m", "ruff", "check", "--quiet", "stonestack", "tests"),
            (sys.executable, "-m", "unittest", "-q", "tests.core.test_registers"),
        ]
        if pages:
            checks.append(("npm", "run", "--silent", "typecheck"))
        for words in checks:
            at = folder / "frontend" if words[0] == "npm" else folder
            if self.run_in(at, *words).returncode:
                return True
        return False

    def assert_found(self, headings: Sequence[str]) -> list[Change]:
        """Add what the guide says under some headings, and see that all of it works."""
        asked = [change for heading in headings for change in changes(heading)]
        self.assertGreater(len(asked), 0)
        self.apply(asked)
        trials = [TRIALS[heading] for heading in headings]
        said = self.run_in(self.clean, sys.executable, "-m", "tests.extended", *trials)
        self.assertEqual(said.returncode, 0, said.stdout[-3000:])
        return asked

    def apply(self, asked: Sequence[Change]) -> None:
        for change in asked:
            path = self.clean / change.path
            if not change.new and change.path not in self.kept:
                self.kept[change.path] = (path.read_text(encoding="utf-8"), path.stat())
            change.applied(self.clean)
            self.made += [path] if change.new else []

    def give_back(self) -> None:
        """Make the copy as it was."""
        for path in self.made:
            path.unlink(missing_ok=True)
            if path.parent.is_dir() and not any(path.parent.iterdir()):
                path.parent.rmdir()
        for name, (text, was) in self.kept.items():
            (self.clean / name).write_text(text, encoding="utf-8")
            # Kernels that were compiled from it fit again.
            os.utime(self.clean / name, ns=(was.st_atime_ns, was.st_mtime_ns))
        self.made.clear()

    def assert_no_line_to_spare(self, asked: list[Change]) -> None:
        """Leave out each line in turn, and see that a check notices."""
        pages = any(change.path.startswith("frontend/") for change in asked)
        self.assertFalse(self.refused(self.clean, pages), "the whole is refused")
        places = [(n, place) for n, change in enumerate(asked) for place in change.lines()]
        self.assertGreater(len(places), 0)
        for n, place in places:
            self.give_back()
            self.apply([c.without(place) if k == n else c for k, c in enumerate(asked)])
            left = asked[n].text.splitlines()[place]
            noticed = self.refused(self.clean, pages)
            self.assertTrue(noticed, f"nobody notices that this is left out:\n{left}")

    def test_every_kind_of_thing_is_found_when_it_is_added_as_the_guide_says(self) -> None:
        # What has a place beside the others, at once; in a sweep each alone, line by line.
        beside = [heading for heading in TRIALS if heading != SAME_PLACE]
        groups = times([[heading] for heading in TRIALS], [beside])
        for headings in groups:
            with self.subTest(headings):
                try:
                    asked = self.assert_found(headings)
                    if times(1, 0):
                        self.assert_no_line_to_spare(asked)
                finally:
                    self.give_back()

    def test_the_guide_has_no_heading_that_is_not_tried(self) -> None:
        text = GUIDE.read_text(encoding="utf-8")
        found = [
            heading
            for heading in re.findall(r"^## (.*)$", text, re.M)
            if FENCE.search(text.split(f"## {heading}\n")[1].split("\n## ")[0])
        ]
        self.assertEqual(sorted(found), sorted(TRIALS))


if __name__ == "__main__":
    unittest.main()
