"""Run migrations on the connection that :func:`stonestack.store.database.migrate` hands over."""

from alembic import context
from sqlmodel import SQLModel

from stonestack.store import tables

assert tables.ProjectRow.metadata is SQLModel.metadata

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=SQLModel.metadata,
    render_as_batch=True,
)
with context.begin_transaction():
    context.run_migrations()
