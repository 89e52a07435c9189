"""Bring the database to the newest schema."""

import sys
from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Engine
from sqlalchemy.exc import OperationalError

from umweg.db.session import DatabaseError


def alembic_config() -> Config:
    """Alembic's configuration; there is no ini file."""
    config = Config(stdout=sys.stdout)
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    return config


def upgrade(engine: Engine) -> None:
    """Run all migrations that are not in the database yet, in one transaction."""
    config = alembic_config()
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def require_current(engine: Engine) -> None:
    """Refuse a database that is not at this version's schema.

    Raises
    ------
    DatabaseError : it cannot be reached, or must be migrated first.
    """
    try:
        with engine.connect() as connection:
            found = MigrationContext.configure(connection).get_current_heads()
    except OperationalError as error:
        why = str(error.orig).strip().splitlines()[0]
        raise DatabaseError(f"the database cannot be reached: {why}") from error
    wanted = ScriptDirectory.from_config(alembic_config()).get_heads()
    if set(found) != set(wanted):
        raise DatabaseError("the database is not at this version's schema; run: ./umweg migrate")
