"""Databases and folders in a bad state: each gets a sentence and what to do."""

from __future__ import annotations

import os
import random
import shutil
import sqlite3
import unittest
from contextlib import closing, redirect_stderr, redirect_stdout
from io import StringIO
from pathlib import Path

from stonestack.cli.main import main
from stonestack.core.runtime.errors import BadRequest, StoneError
from stonestack.services.documents import projects, surfaces
from stonestack.services.workspace import Workspace
from stonestack.store import copies, disk
from stonestack.store.place import DataFolder
from stonestack.web.app import create_app
from tests.sizes import times
from tests.support import WorkspaceCase


def run(*words: object) -> tuple[int, str]:
    out = StringIO()
    with redirect_stdout(out), redirect_stderr(out):
        code = main([str(word) for word in words])
    return code, out.getvalue()


class BadStates(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.project = projects.create(self.ws, "Glasshouse", None)
        for number in range(40):
            surfaces.create(self.ws, self.project.id, f"Wall {number}", f"wall_{number}")
        self.ws.safe.keep(b"an original")
        with self.ws.engine.connect() as connection:
            connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")
        self.other = DataFolder(self.root / "other")
        shutil.copytree(self.ws.data.root, self.other.root)

    def refused(self, code: str) -> BadRequest:
        with self.assertRaises(BadRequest) as caught:
            Workspace(self.other)
        self.assertEqual(caught.exception.code, code)
        self.assertTrue(caught.exception.fix)
        return caught.exception

    def test_no_empty_database_is_begun_beside_a_safe_that_is_not_empty(self) -> None:
        for spoil in (self.other.database.unlink, lambda: self.other.database.write_bytes(b"")):
            spoil()
            self.assertIn("safe", self.refused("database-lost").message)
            self.assertFalse(self.other.database.exists() and self.other.database.stat().st_size)

    def test_a_zeroed_database_is_said_to_be_damaged(self) -> None:
        self.other.database.write_bytes(bytes(self.other.database.stat().st_size))
        self.refused("database-damaged")
        self.other.database.write_bytes(os.urandom(30_000))
        self.refused("database-damaged")

    def test_a_newer_versions_data_is_left_alone(self) -> None:
        with closing(sqlite3.connect(self.other.database)) as database:
            database.execute("UPDATE alembic_version SET version_num = '9999'")
            database.commit()
        before = self.other.database.read_bytes()
        self.assertIn("9999", self.refused("newer-data").message)
        self.assertEqual(self.other.database.read_bytes(), before)

    def test_whatever_pages_are_spoilt_every_list_answers_in_words(self) -> None:
        whole = self.other.database.read_bytes()
        page = 4096
        for seed in range(times(100, 12)):
            rng = random.Random(seed)
            spoilt = bytearray(whole)
            if seed % 4 == 3:
                del spoilt[rng.randrange(page, len(spoilt)) :]
            else:
                for _ in range(rng.randrange(1, 6)):
                    at = rng.randrange(0 if seed % 4 else page, len(spoilt) - 200)
                    spoilt[at : at + 200] = rng.randbytes(200)
            for log in ("-wal", "-shm"):
                self.other.database.with_name(self.other.database.name + log).unlink(
                    missing_ok=True
                )
            self.other.database.write_bytes(spoilt)
            with self.subTest(seed=seed):
                self.answers_in_words()

    def answers_in_words(self) -> None:
        try:
            ws = Workspace(self.other)
        except StoneError as error:
            self.assertTrue(error.fix)
            return
        try:
            app = create_app(ws)
            client, base = app.test_client(), "http://127.0.0.1:1"
            client.get(f"/?key={app.extensions['guard'].secret}", base_url=base)
            for path in (
                "/api/projects",
                f"/api/projects/{self.project.id}/surfaces",
                f"/api/projects/{self.project.id}/actions",
                "/api/games",
                f"/api/projects/{self.project.id}/materials",
            ):
                answer = client.get(path, base_url=base)
                self.assertNotEqual(answer.status_code, 500, f"{path}: {answer.text[:300]}")
                if answer.status_code != 200:
                    self.assertTrue(answer.json["fix"], path)
        finally:
            ws.close()


class Copies(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.project = projects.create(self.ws, "Glasshouse", None)
        self.data = self.ws.data

    def test_the_last_five_are_kept_and_one_a_day(self) -> None:
        made = copies.keep(self.data, copies.DAY)
        self.assertIsNotNone(made)
        self.assertIsNone(copies.keep(self.data, copies.DAY))
        for number in range(7):
            earlier = self.data.copies / f"2020010{number}-000000.sqlite3"
            shutil.copy(str(made), earlier)
        last = copies.keep(self.data)
        self.assertEqual(len(copies.copies(self.data)), copies.KEPT)
        self.assertIn(last, copies.copies(self.data))
        self.assertEqual((last or Path()).stat().st_mode & 0o077, 0)

    def test_a_damaged_database_pushes_no_whole_copy_out(self) -> None:
        made = copies.keep(self.data)
        self.ws.close()
        self.data.database.write_bytes(os.urandom(50_000))
        self.assertIsNone(copies.keep(self.data))
        self.assertEqual(copies.copies(self.data), [made])

    def test_a_full_disk_leaves_no_half_copy(self) -> None:
        class Full(disk.Disk):
            def rename(self, source: Path, target: Path) -> None:
                raise OSError(28, "No space left on device", str(target))

        with disk.using(Full()), self.assertRaises(OSError):
            copies.keep(self.data)
        self.assertEqual(list(self.data.copies.iterdir()), [])

    def test_check_tells_what_is_wrong_and_puts_the_newest_copy_back(self) -> None:
        code, said = run("check", self.data.root)
        self.assertEqual(code, 0, said)
        self.assertIn("All is whole", said)
        copies.keep(self.data)
        self.ws.close()
        whole = self.data.database.read_bytes()
        self.data.database.write_bytes(whole[:4096] + os.urandom(len(whole) - 4096))
        code, said = run("check", self.data.root)
        self.assertEqual(code, 1)
        self.assertIn("WRONG: the database", said)
        self.assertIn("whole", said)
        code, said = run("check", self.data.root, "--put-back", "newest")
        self.assertEqual(code, 0, said)
        again = Workspace(self.data)
        self.addCleanup(again.close)
        self.assertEqual([p.title for p in projects.listed(again)], ["Glasshouse"])
        self.assertEqual(len(list(self.data.root.glob("*.damaged"))), 1)

    def test_what_the_database_points_at_is_looked_for(self) -> None:
        digest = self.ws.safe.keep(b"an original")
        with self.ws.engine.connect() as connection:
            connection.exec_driver_sql(
                "INSERT INTO source (id, project_id, sha256, name, facts, created) "
                "VALUES ('s', ?, 'gone', 'wall.png', '{}', '2026-01-01')",
                (self.project.id,),
            )
            connection.commit()
        code, said = run("check", self.data.root, "--json")
        self.assertEqual(code, 1)
        self.assertIn("wall.png is lost", said)
        self.assertTrue(digest)


if __name__ == "__main__":
    unittest.main()
