import os
import threading
import unittest
from pathlib import Path
from unittest import mock

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text
from sqlalchemy.exc import IntegrityError
from sqlmodel import Session, SQLModel

from stonestack.store import files
from stonestack.store.files import Cache, write_atomically, write_folder_atomically
from stonestack.store.place import VARIABLE, default_data_folder
from stonestack.store.tables import DocumentRow
from tests.support import WorkspaceCase


class Database(WorkspaceCase):
    def test_migrations_lead_to_the_tables_as_they_are_declared(self) -> None:
        with self.ws.engine.connect() as connection:
            context = MigrationContext.configure(connection)
            self.assertEqual(compare_metadata(context, SQLModel.metadata), [])

    def test_it_writes_ahead_and_checks_foreign_keys(self) -> None:
        with self.ws.engine.connect() as connection:
            self.assertEqual(connection.execute(text("PRAGMA journal_mode")).scalar(), "wal")
            self.assertEqual(connection.execute(text("PRAGMA foreign_keys")).scalar(), 1)
        with Session(self.ws.engine) as session, self.assertRaises(IntegrityError):
            session.add(DocumentRow(project_id="nowhere", kind="surface"))
            session.commit()

    def test_an_error_rolls_the_session_back(self) -> None:
        from stonestack.services.documents import projects

        project = projects.create(self.ws, "P", None)
        with self.assertRaises(RuntimeError), self.ws.session() as session:
            session.add(DocumentRow(project_id=project.id, kind="surface"))
            session.flush()
            raise RuntimeError
        with self.ws.session() as session:
            count = session.execute(
                text("SELECT count(*) FROM document WHERE kind = 'surface'")
            ).scalar()
        self.assertEqual(count, 0)


class Files(WorkspaceCase):
    def test_a_failed_write_leaves_the_old_file_and_no_litter(self) -> None:
        path = self.root / "a" / "file"
        write_atomically(path, b"old")
        with (
            mock.patch.object(os, "fsync", side_effect=OSError(28, "full")),
            self.assertRaises(OSError),
        ):
            write_atomically(path, b"new")
        self.assertEqual(path.read_bytes(), b"old")
        self.assertEqual([p.name for p in path.parent.iterdir()], ["file"])

    def test_a_file_is_flushed_before_it_gets_its_name(self) -> None:
        done: list[str] = []
        fsync, replace = os.fsync, Path.replace

        def flushing(handle: int) -> None:
            done.append("flush")
            fsync(handle)

        def naming(path: Path, target: Path) -> Path:
            done.append("name")
            return replace(path, target)

        with (
            mock.patch.object(files.os, "fsync", flushing),
            mock.patch.object(Path, "replace", naming),
        ):
            write_atomically(self.root / "b", b"x")
        self.assertEqual(done[:2], ["flush", "name"])

    def test_a_folder_appears_whole_or_not_at_all(self) -> None:
        target = self.root / "build"
        with self.assertRaises(TypeError):
            write_folder_atomically(target, [("good", b"1"), ("bad", None)])  # type: ignore[list-item]
        self.assertFalse(target.exists())
        self.assertEqual([p for p in self.root.iterdir() if p.name.startswith(".stonestack-")], [])
        write_folder_atomically(target, [("x/y", b"2")])
        self.assertEqual((target / "x" / "y").read_bytes(), b"2")

    def test_many_writers_of_one_file_leave_one_whole_file(self) -> None:
        path = self.root / "c"
        writers = [
            threading.Thread(target=write_atomically, args=(path, bytes([n]) * 50_000))
            for n in range(8)
        ]
        for writer in writers:
            writer.start()
        for writer in writers:
            writer.join()
        self.assertEqual(len(set(path.read_bytes())), 1)

    def test_the_cache_keeps_its_limit_and_forgets_the_oldest(self) -> None:
        cache = Cache(self.root / "cache", most_bytes=2500)
        for n in range(4):
            cache.write(f"{n:040x}", "png", bytes(984))
            os.utime(cache.path(f"{n:040x}", "png"), (n, n))
        self.assertEqual(cache.trim(), 2000)
        left = [cache.read(f"{n:040x}", "png") is not None for n in range(4)]
        self.assertEqual(left, [False, False, True, True])

    def test_the_cache_forgets_first_what_was_not_used_for_longest(self) -> None:
        cache = Cache(self.root / "cache", most_bytes=1500)
        for n in range(2):
            cache.write(f"{n:040x}", "png", bytes(984))
            os.utime(cache.path(f"{n:040x}", "png"), (n, n))
        cache.read(f"{0:040x}", "png")
        cache.trim()
        self.assertIsNotNone(cache.read(f"{0:040x}", "png"))
        self.assertIsNone(cache.read(f"{1:040x}", "png"))

    def test_a_render_that_a_power_cut_left_torn_is_made_again(self) -> None:
        cache = Cache(self.root / "cache")
        data = bytes(range(256)) * 8
        path = cache.path("ab" * 20, "png")
        for torn in (b"", b"x", bytes(len(data)), data, (data + bytes(16))[: len(data) // 2]):
            with self.subTest(len(torn)):
                cache.write("ab" * 20, "png", data)
                self.assertEqual(cache.read("ab" * 20, "png"), data)
                path.write_bytes(torn)
                self.assertIsNone(cache.read("ab" * 20, "png"))
                self.assertFalse(path.exists())


class Place(unittest.TestCase):
    def test_the_variable_names_the_data_folder(self) -> None:
        with mock.patch.dict(os.environ, {VARIABLE: "/somewhere/else"}):
            self.assertEqual(default_data_folder().root, Path("/somewhere/else").resolve())
