"""A real PostgreSQL for the tests, the application on it, and workers for its queue."""

import asyncio
import shutil
import tempfile
from collections.abc import Callable, Coroutine, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

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
from umweg.work.asking import want_played
from umweg.work.queue import Queue
from umweg.work.tasks import Workbench
from umweg.work.worker import run

SHOWN = {"packer_truck", "tail_lift"}
"""Machines in the test workshop: an engine's and a battery's."""
TABLES = "entry, job, machine, instrument, workshop, answer, progress, queue.procrastinate_jobs"

WorkOff = Callable[[], None]


def demo() -> tuple[list[Circuit], list[Job]]:
    """Circuits and jobs of the test workshop."""
    jobs = [job for job in load_jobs() if job.circuit in SHOWN]
    return [load_circuit(name) for name in sorted(SHOWN)], jobs


def url_of(engine: Engine) -> str:
    return engine.url.render_as_string(hide_password=False)


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


def to_its_end(work: Coroutine[Any, Any, None]) -> None:
    """Run in a thread, since a browser that ran before keeps this one's loop."""
    with ThreadPoolExecutor(1) as pool:
        pool.submit(asyncio.run, work).result()


def _run(engine: Engine, concurrency: int, bench: Workbench) -> None:
    """Work until nothing waits."""
    to_its_end(run(engine, concurrency, until_idle=True, bench=bench))


@pytest.fixture(scope="session")
def workbench(engine: Engine) -> Workbench:
    """What the tests' workers share: predictions are the same in every test, and made once."""
    return Workbench(engine)


@pytest.fixture(scope="session")
def played(engine: Engine, workbench: Workbench) -> None:
    """The test workshop's circuits, played once for all tests; nothing forgets them."""
    with Session(engine) as session:
        revisions = [store.keep_circuit(session, c).sha256 for c in demo()[0]]
        session.commit()
    queue = Queue(url_of(engine))
    for sha256 in revisions:
        want_played(queue, sha256)
    queue.close()
    _run(engine, 1, workbench)


@pytest.fixture
def workshop(engine: Engine) -> Engine:
    """The database with the demo workshop freshly loaded."""
    with engine.begin() as connection:
        connection.execute(text(f"TRUNCATE {TABLES} CASCADE"))
    with Session(engine) as session:
        store.load_demo(session, "Test workshop", *demo())
        session.commit()
    return engine


@pytest.fixture
def work_off(engine: Engine, workbench: Workbench) -> WorkOff:
    """Do everything that waits in the queue, as a worker does."""
    return lambda: _run(engine, 2, workbench)


@pytest.fixture
def client(workshop: Engine, played: None) -> Iterator[TestClient]:
    with TestClient(create_app(workshop)) as made:
        yield made
