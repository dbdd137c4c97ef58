"""Alembic environment: runs on the engine handed over by the database module."""

from alembic import context
from sqlalchemy import text

from zesty_cell.store.tables import Base

with context.config.attributes["engine"].connect() as connection:
    # SQLite changes some tables by copying and dropping them, which references would forbid; the pragma is
    # heard only outside a transaction, and every new connection has it on again.
    connection.connection.driver_connection.execute("PRAGMA foreign_keys=OFF").close()
    with connection.begin():
        context.configure(connection=connection, target_metadata=Base.metadata, render_as_batch=True)
        context.run_migrations()
        if broken := connection.execute(text("PRAGMA foreign_key_check")).all():
            raise RuntimeError(f"the migration would leave {len(broken)} references without their row")
    connection.invalidate()
