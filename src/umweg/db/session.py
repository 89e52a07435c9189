"""The connection to PostgreSQL."""

import os

from sqlalchemy import Engine, create_engine

ENVIRONMENT_KEY = "UMWEG_DATABASE_URL"


def database_url() -> str:
    """Where the database is; read from the environment in this one place.

    Raises
    ------
    RuntimeError : the variable is not set.
    """
    url = os.environ.get(ENVIRONMENT_KEY)
    if not url:
        raise RuntimeError(
            f"{ENVIRONMENT_KEY} is not set; “./umweg demo” starts a database and sets it"
        )
    return url


def make_engine(url: str | None = None) -> Engine:
    """An engine whose lost connections are noticed before they are used."""
    return create_engine(url or database_url(), pool_pre_ping=True, pool_size=5)
