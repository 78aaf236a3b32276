"""Everything that works on one data folder, put together in one place."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import cached_property
from typing import TYPE_CHECKING, TypeVar

from sqlmodel import Session, SQLModel

from stonestack.core.runtime.errors import NotFound
from stonestack.services.changes import Changes
from stonestack.services.game.indexing import Indexes
from stonestack.services.game.sample import GameRunner
from stonestack.services.jobs import Jobs
from stonestack.store import disk
from stonestack.store.database import open_database
from stonestack.store.files import Cache, FileStore, sha256
from stonestack.store.place import DataFolder
from stonestack.store.secret import secret_of

if TYPE_CHECKING:
    from stonestack.services.making.renders import Renderer

Row = TypeVar("Row", bound=SQLModel)


class Workspace:
    """The services' common ground: database, files, renders, jobs.

    Parameters
    ----------
    data : DataFolder
        Made where it is missing.

    Attributes
    ----------
    preparing : str or None
        The job that compiles what computes, where there was need of it.
    """

    def __init__(self, data: DataFolder) -> None:
        disk.keep_private()
        self.data = data.made()
        self.engine = open_database(data)
        self.files = FileStore(data.files)
        self.safe = FileStore(data.safe)
        self.cache = Cache(data.cache)
        self.indexes = Indexes(self.engine)
        self.changes = Changes(self.engine)
        self.jobs = Jobs()
        self.preparing: str | None = None
        self.game = GameRunner(sha256(f"game {secret_of(data)}".encode()))

    @cached_property
    def renderer(self) -> Renderer:
        """What makes pictures; many commands need none."""
        from stonestack.services.making.renders import Renderer

        return Renderer(self.engine, self.files, self.cache)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """Open a session that is committed at the end, or rolled back on an error."""
        with Session(self.engine, expire_on_commit=False) as session:
            yield session
            session.commit()

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """Open a session that lets no other write between its reading and its end.

        It has to be short, and nothing inside may open another session to write.
        """
        with Session(self.engine, expire_on_commit=False) as session:
            session.connection().exec_driver_sql("BEGIN IMMEDIATE")
            yield session
            session.commit()

    def close(self) -> None:
        """Stop what runs and let go of the files."""
        self.changes.close()
        self.jobs.close()
        if "renderer" in self.__dict__:
            self.renderer.close()
        self.game.close()
        self.engine.dispose()


def must(session: Session, table: type[Row], row_id: str, what: str) -> Row:
    """Return a row.

    Raises
    ------
    NotFound
        If it is not there; ``what`` names it to the person.
    """
    row = session.get(table, row_id)
    if row is None:
        raise NotFound("not-there", f"This {what} is not there any more.", "Go back to the list.")
    return row
