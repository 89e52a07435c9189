"""The served application in Debian's Chromium."""

import threading
from collections.abc import Iterator

import pytest
import uvicorn
from playwright.sync_api import Browser, Page, sync_playwright
from sqlalchemy import Engine

from tests.web.conftest import cluster, engine, workshop
from umweg.service.frontend import build
from umweg.service.postgres import free_port
from umweg.web.app import create_app

__all__ = ["cluster", "engine", "workshop"]

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


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        made = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
        yield made
        made.close()


@pytest.fixture
def address(workshop: Engine) -> Iterator[str]:
    port = free_port()
    config = uvicorn.Config(
        create_app(workshop, build()), host="127.0.0.1", port=port, log_level="warning"
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
    # Chromium reports every answer that is not 2xx; those are the subject of some tests.
    opened.on(
        "console",
        lambda m: (
            troubles.append(m.text) if m.type == "error" and "status of 404" not in m.text else None
        ),
    )
    yield opened
    context.close()
    assert troubles == []
