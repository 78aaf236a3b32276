"""Run migrations on the connection that :func:`stonestack.store.database.migrate` hands over."""

from alembic import context
from sqlmodel import SQLModel

from stonestack.store import tables

assert tables.ProjectRow.metadata is SQLModel.metadata

# The caller has begun the transaction, and ends it; so all steps are one.
context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=SQLModel.metadata,
    transactional_ddl=False,
)
context.run_migrations()
