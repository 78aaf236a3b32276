"""Open the database: write-ahead log, foreign keys, schema brought up to date."""

from __future__ import annotations

import sqlite3
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, event, inspect
from sqlalchemy.exc import DBAPIError
from sqlmodel import create_engine

from stonestack.core.runtime.errors import BadRequest
from stonestack.store import copies, failures
from stonestack.store.place import DataFolder

MIGRATIONS = Path(__file__).with_name("migrations")


def open_database(data: DataFolder) -> Engine:
    """Return an engine on a data folder's database, migrated to the newest schema.

    Raises
    ------
    BadRequest
        If it is lost beside kept files, is damaged, or comes from a newer version.
    """
    copies.see_not_lost(data)
    engine = create_engine(f"sqlite:///{data.database}", connect_args={"timeout": 30})

    @event.listens_for(engine, "connect")
    def _prepare(connection: Any, _record: Any) -> None:
        cursor = connection.cursor()
        cursor.execute("PRAGMA journal_mode=WAL")
        cursor.execute("PRAGMA foreign_keys=ON")
        cursor.execute("PRAGMA synchronous=FULL")
        cursor.close()

    try:
        _migrate(data, engine)
    except (DBAPIError, sqlite3.Error, UnicodeDecodeError) as error:
        engine.dispose()
        if isinstance(error, UnicodeDecodeError):
            # A damaged schema is told by SQLite in bytes that are no text.
            raise failures.damaged() from error
        raise failures.told(error) or error from error
    except BaseException:
        engine.dispose()
        raise
    return engine


def _migrate(data: DataFolder, engine: Engine) -> None:
    """Bring the schema up to date, wholly or not at all; a copy of the earlier one is kept.

    Where it is, the migration tool is not even loaded.
    """
    with engine.connect() as connection:
        version = _version(connection)
    if version == newest():
        return
    if version is not None and version > newest():
        raise BadRequest(
            "newer-data",
            f"The data folder was last used by a newer Stone Stack ({version}; this one knows "
            f"{newest()}).",
            "Start the newer one; nothing was changed.",
        )
    if version is not None:
        copies.keep(data)
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS).replace("%", "%%"))
    with engine.connect() as connection:
        # Tables are rebuilt under others that point at them; what points where is checked after.
        connection.exec_driver_sql("PRAGMA foreign_keys=OFF")
        connection.exec_driver_sql("BEGIN IMMEDIATE")
        try:
            # Another start may have been faster while this one waited.
            if _version(connection) != newest():
                config.attributes["connection"] = connection
                command.upgrade(config, "head")
                broken = connection.exec_driver_sql("PRAGMA foreign_key_check").all()
                if broken:
                    raise RuntimeError(f"The new schema points at nothing: {broken[:3]}")
            connection.commit()
        finally:
            connection.rollback()
            connection.exec_driver_sql("PRAGMA foreign_keys=ON")


def _version(connection: Connection) -> str | None:
    if not inspect(connection).has_table("alembic_version"):
        return None
    found = connection.exec_driver_sql("SELECT version_num FROM alembic_version").scalar()
    return None if found is None else str(found)


def newest() -> str:
    """Return the newest migration's number, which its file's name begins with."""
    return max(p.name[:4] for p in (MIGRATIONS / "versions").glob("[0-9]*.py"))
