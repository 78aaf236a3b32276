"""What computes is compiled in the background, once for each state of the program."""

from __future__ import annotations

import subprocess
import sys
import time
import unittest
from pathlib import Path
from unittest import mock

from stonestack.core.runtime import compiled
from stonestack.services.jobs import JobState
from stonestack.services.making import preparing
from tests.sizes import swept
from tests.support import WorkspaceCase


class Preparing(WorkspaceCase):
    def test_where_all_is_compiled_nothing_is_started(self) -> None:
        mark = self.root / "kernels.mark"
        with mock.patch.object(compiled, "MARK", mark):
            compiled.mark(compiled.state())
            preparing.begin(self.ws)
            self.assertIsNone(preparing.view(self.ws).job)
            mark.write_text("of another processor")
            self.assertFalse(compiled.is_compiled())

    @swept
    def test_else_a_job_compiles_and_says_how_far_it_is(self) -> None:
        with mock.patch.object(compiled, "MARK", self.root / "none"):
            preparing.begin(self.ws)
        shares = set()
        for _ in range(1200):
            job = preparing.view(self.ws).job
            assert job is not None
            if job.state not in (JobState.WAITING, JobState.RUNNING):
                break
            shares.add(job.progress)
            time.sleep(0.1)
        self.assertEqual(job.state, JobState.DONE)
        self.assertGreater(len(shares), 1)
        self.assertTrue(compiled.is_compiled(), "the process has left no mark")

    @swept
    def test_it_ends_without_a_word_when_nobody_listens_any_more(self) -> None:
        words = [sys.executable, "-m", "stonestack.core.tools.compiling"]
        with subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as process:
            assert process.stdout is not None and process.stderr is not None
            process.stdout.close()
            self.assertEqual(process.stderr.read(), b"")
        self.assertEqual(process.returncode, 0)

    def test_any_change_of_the_code_is_another_state(self) -> None:
        before, read = compiled.state(), Path.read_bytes

        def changed(path: Path) -> bytes:
            return read(path) + (b"#" if path.name == "lanes.py" else b"")

        with mock.patch.object(Path, "read_bytes", changed):
            self.assertNotEqual(compiled.state(), before)


if __name__ == "__main__":
    unittest.main()
