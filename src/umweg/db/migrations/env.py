"""Alembic's entry point; the connection is handed in by ``umweg.db.migrate``."""

from alembic import context

from umweg.db.models import Base

context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata)
with context.begin_transaction():
    context.run_migrations()
