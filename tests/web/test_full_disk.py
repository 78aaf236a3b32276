"""A full disk is said in words wherever it is met, and nothing is changed by what failed."""

from __future__ import annotations

import errno
import os
import tempfile
import time
import unittest
from collections.abc import Iterable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any
from unittest.mock import patch

from sqlalchemy import event

from stonestack.store import disk
from tests.games import hashes, small_game
from tests.support import raw_picture
from tests.web.test_api import ApiCase


class Full(disk.Disk):
    """A disk on which nothing more can be written."""

    def write(self, path: Path, pieces: Iterable[bytes]) -> None:
        raise _full(path)

    def append(self, path: Path, line: bytes) -> None:
        raise _full(path)

    def make_folders(self, folder: Path) -> None:
        raise _full(folder)


def _full(path: Path | str) -> OSError:
    return OSError(errno.ENOSPC, os.strerror(errno.ENOSPC), str(path))


class FullDisk(ApiCase):
    @contextmanager
    def full(self) -> Iterator[None]:
        """Let files, the database and temporary files find no room."""

        def no_room(connection: Any, *_: object) -> None:
            pages = connection.execute("PRAGMA page_count").fetchone()[0]
            connection.execute(f"PRAGMA max_page_count = {pages}")

        def room_again(connection: Any, *_: object) -> None:
            connection.execute("PRAGMA max_page_count = 1073741823")

        def refused(*_: object, dir: object = "", **__: object) -> None:
            raise _full(str(dir))

        event.listen(self.ws.engine, "checkout", no_room)
        event.listen(self.ws.engine, "checkin", room_again)
        with ExitStack() as held:
            held.enter_context(disk.using(Full()))
            held.enter_context(patch.object(tempfile, "mkstemp", refused))
            try:
                yield
            finally:
                event.remove(self.ws.engine, "checkout", no_room)
                event.remove(self.ws.engine, "checkin", room_again)

    def says_full(self, answer: Any) -> None:
        """See that an answer, or the job that it began, says that the disk is full."""
        said = answer.json
        if answer.status_code == 200 and "state" in said:
            for _ in range(600):
                said = self.get(f"/api/jobs/{said['id']}").json
                if said["state"] in ("done", "failed"):
                    break
                time.sleep(0.05)
            said = said["problem"] or said
        else:
            self.assertGreaterEqual(answer.status_code, 400)
        self.assertIn("isk is full", said.get("message", str(said)))
        self.assertIn("nothing was changed", said["fix"])

    def test_bringing_in(self) -> None:
        data = raw_picture(70, 50)
        with self.full():
            self.says_full(self.upload("wall.png", data))
        self.assertEqual(self.get(f"/api/projects/{self.project.id}/sources").json, [])
        self.assertEqual(self.upload("wall.png", data).status_code, 200)

    def test_an_edit(self) -> None:
        surface = self.surface()
        path = f"/api/surfaces/{surface['id']}"
        with self.full():
            # The log of the database takes what still fits; it grows with each edit.
            for n in range(400):
                change = {"kind": "rename", "title": f"{n} A wall of {'very ' * 10} old bricks"}
                now = self.get(path).json
                answer = self.post(f"{path}/edits", {"base": now["revision"], "edit": change})
                if answer.status_code != 200:
                    break
            self.says_full(answer)
            self.assertEqual(self.get(path).json["revision"], now["revision"])
        again = self.post(f"{path}/edits", {"base": now["revision"], "edit": change})
        self.assertEqual(again.status_code, 200)

    def test_putting_out(self) -> None:
        surface = self.surface()
        path = f"/api/surfaces/{surface['id']}/workfiles"
        body = {"map": "colour", "stage": "size", "kind": "png"}
        with self.full():
            self.says_full(self.post(path, body))
        self.assertEqual(self.get(path).json, [])
        self.assertEqual(self.post(path, body).status_code, 200)

    def test_a_picture_that_is_shown(self) -> None:
        surface = self.surface()
        key = next(k for k in surface["keys"]["colour"].values() if k)
        with self.full():
            answer = self.get(f"/api/renders/{key}/picture.png?longest=64")
            self.assertEqual((answer.status_code, answer.data[:4]), (200, b"\x89PNG"))
        self.assertEqual(self.get(f"/api/renders/{key}/picture.png?longest=64").status_code, 200)

    def test_reading_a_folder(self) -> None:
        game = small_game(self.root / "game")
        for n in range(600):
            (game / f"note_{n:04}_{'long ' * 20}.txt").write_text("stone")
        before = hashes(game)
        made = self.post("/api/games", {"root": str(game)}).json
        with self.full():
            self.says_full(self.post(f"/api/games/{made['id']}/catalogue", {"thorough": False}))
        self.assertEqual(hashes(game), before)


if __name__ == "__main__":
    unittest.main()
