"""Alembic environment: runs on the engine handed over by the database module."""

from alembic import context

from zesty_cell.store.tables import Base

with context.config.attributes["engine"].begin() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, render_as_batch=True)
    context.run_migrations()
