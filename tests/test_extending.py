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
from dataclasses import dataclass
from pathlib import Path

from tests.sizes import times

ROOT = Path(__file__).resolve().parent.parent
GUIDE = ROOT / "docs" / "extending.md"
FENCE = re.compile(r"^```(\w+) (\S+)\n(.*?)^```$", re.DOTALL | re.M)
NEEDED = re.compile(r'"(name|title|hint|delivered)"')
"""Keys of a target that have no usual value, so that leaving one out can be told."""


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

    def added(self, heading: str, trial: str) -> None:
        asked = changes(heading)
        self.assertGreater(len(asked), 0)
        folder = self.clean
        before = {c.path: (folder / c.path) for c in asked if not c.new}
        kept = {path: (at.read_text(encoding="utf-8"), at.stat()) for path, at in before.items()}

        def given_back() -> None:
            for change in asked:
                if change.new:
                    (folder / change.path).unlink(missing_ok=True)
                    if not any((folder / change.path).parent.iterdir()):
                        (folder / change.path).parent.rmdir()
                else:
                    text, was = kept[change.path]
                    (folder / change.path).write_text(text, encoding="utf-8")
                    # Kernels that were compiled from it fit again.
                    os.utime(folder / change.path, ns=(was.st_atime_ns, was.st_mtime_ns))

        self.addCleanup(given_back)
        for change in asked:
            change.applied(folder)
        said = self.run_in(folder, sys.executable, "-m", "tests.extended", trial)
        self.assertEqual(said.returncode, 0, said.stdout[-3000:])
        if not times(1, 0):
            return
        pages = any(change.path.startswith("frontend/") for change in asked)
        self.assertFalse(self.refused(folder, pages), "the whole is refused")
        places = [(n, place) for n, change in enumerate(asked) for place in change.lines()]
        self.assertGreater(len(places), 0)
        for n, place in places:
            given_back()
            for number, change in enumerate(asked):
                (change.without(place) if number == n else change).applied(folder)
            left = asked[n].text.splitlines()[place]
            noticed = self.refused(folder, pages)
            self.assertTrue(noticed, f"nobody notices that this is left out:\n{left}")

    def test_a_step(self) -> None:
        self.added("A step", "step")

    def test_a_step_that_reads_another_map(self) -> None:
        self.added("A step that reads another map", "step_that_reads_another_map")

    def test_a_mask(self) -> None:
        self.added("A mask", "mask")

    def test_an_operation(self) -> None:
        self.added("An operation of the graph", "operation")

    def test_a_role(self) -> None:
        self.added("A role", "role")

    def test_a_block_format(self) -> None:
        self.added("A block format", "block_format")

    def test_a_check(self) -> None:
        self.added("A check", "check")

    def test_a_container(self) -> None:
        self.added("A container", "container")

    def test_a_target(self) -> None:
        self.added("A target", "target")

    def test_a_view(self) -> None:
        self.added("A view", "view")


if __name__ == "__main__":
    unittest.main()
