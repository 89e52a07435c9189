"""A real PostgreSQL for the tests, and the application on it."""

import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from umweg.core.circuit.document import Circuit
from umweg.core.observe.job import Job
from umweg.db import migrate, store
from umweg.db.session import make_engine
from umweg.library import load_circuit, load_jobs
from umweg.service.postgres import Cluster
from umweg.web.app import create_app
from umweg.web.doctors import Doctors

SHOWN = {"packer_truck", "tail_lift"}
"""Machines in the test workshop: an engine's and a battery's."""
TABLES = "entry, job, machine, circuit_revision, instrument, workshop"


def demo() -> tuple[list[Circuit], list[Job]]:
    """Circuits and jobs of the test workshop."""
    jobs = [job for job in load_jobs() if job.circuit in SHOWN]
    return [load_circuit(name) for name in sorted(SHOWN)], jobs


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    folder = Path(tempfile.mkdtemp(prefix="umweg-test-"))
    server = Cluster(folder, durable=False)
    server.start()
    yield server
    server.stop()
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="session")
def engine(cluster: Cluster) -> Iterator[Engine]:
    made = make_engine(cluster.url)
    migrate.upgrade(made)
    yield made
    made.dispose()


@pytest.fixture
def workshop(engine: Engine) -> Engine:
    """The database with the demo workshop freshly loaded."""
    with engine.begin() as connection:
        connection.execute(text(f"TRUNCATE {TABLES} CASCADE"))
    with Session(engine) as session:
        store.load_demo(session, "Test workshop", *demo())
        session.commit()
    return engine


@pytest.fixture(scope="session")
def doctors() -> Doctors:
    """Predictions are the same in every test: made once."""
    return Doctors()


@pytest.fixture
def client(workshop: Engine, doctors: Doctors) -> Iterator[TestClient]:
    with TestClient(create_app(workshop, doctors=doctors)) as made:
        yield made
