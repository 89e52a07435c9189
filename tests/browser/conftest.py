"""The served application in Debian's Chromium."""

import os
import subprocess
import sys
import threading
from collections.abc import Iterator

import pytest
import uvicorn
from playwright.sync_api import Browser, Page, sync_playwright
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from tests.web.conftest import cluster, demo, engine, url_of
from umweg.db import store
from umweg.db.session import ENVIRONMENT_KEY
from umweg.service.frontend import build
from umweg.service.postgres import Cluster, free_port
from umweg.web.app import create_app
from umweg.work.asking import want_played
from umweg.work.queue import Queue

__all__ = ["cluster", "engine"]

ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE 127.0.0.1, EXCLUDE localhost",
]


WORKED_OUT_MS = 90_000
"""How long a page may wait for what a worker works out while other tests take both cores; how long
it takes on a machine of its own is measured elsewhere."""


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        made = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
        yield made
        made.close()


@pytest.fixture(scope="session")
def worker(cluster: Cluster, engine: Engine) -> Iterator[None]:
    """A worker as users have it, a process of its own, that plays the workshop's circuits."""
    with Session(engine) as session:
        revisions = [store.keep_circuit(session, c).sha256 for c in demo()[0]]
        session.commit()
    process = subprocess.Popen(
        [sys.executable, "-m", "umweg.cli", "worker"],
        env={**os.environ, ENVIRONMENT_KEY: cluster.url, "UMWEG_LOG": "error"},
        stdout=subprocess.DEVNULL,
    )
    queue = Queue(url_of(engine))
    for sha256 in revisions:
        want_played(queue, sha256)
    queue.close()
    yield
    process.terminate()
    process.wait(20)


@pytest.fixture
def workshop(engine: Engine, worker: None) -> Engine:
    """The demo workshop freshly loaded; the queue is the worker's and left alone."""
    with engine.begin() as connection:
        tables = "entry, job, machine, instrument, workshop, answer"
        connection.execute(text(f"TRUNCATE {tables} CASCADE"))
    with Session(engine) as session:
        store.load_demo(session, "Test workshop", *demo())
        session.commit()
    return engine


@pytest.fixture
def address(workshop: Engine) -> Iterator[str]:
    port = free_port()
    config = uvicorn.Config(
        create_app(workshop, build()),
        host="127.0.0.1",
        port=port,
        log_level="warning",
        # Pages that listen for events never end by themselves.
        timeout_graceful_shutdown=1,
    )
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run)
    thread.start()
    while not server.started:
        thread.join(0.05)
    yield f"http://127.0.0.1:{port}"
    server.should_exit = True
    thread.join(20)


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, has_touch=True)
    opened = context.new_page()
    opened.set_default_timeout(30_000)
    troubles: list[str] = []
    opened.on("pageerror", lambda error: troubles.append(str(error)))
    # Chromium reports every answer that is not 2xx and every lost connection; those are the subject
    # of some tests.
    opened.on(
        "console",
        lambda m: (
            troubles.append(m.text)
            if m.type == "error" and "Failed to load resource" not in m.text
            else None
        ),
    )
    yield opened
    context.close()
    assert troubles == []
