"""Bring the database to the newest schema."""

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine


def alembic_config() -> Config:
    """Alembic's configuration; there is no ini file."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    return config


def upgrade(engine: Engine) -> None:
    """Run all migrations that are not in the database yet, in one transaction."""
    config = alembic_config()
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
