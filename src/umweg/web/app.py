"""The application: routers, guards, and the built front end."""

from collections.abc import AsyncIterator, Iterable
from contextlib import asynccontextmanager
from pathlib import Path

from anyio import to_thread
from fastapi import FastAPI
from fastapi.responses import FileResponse
from fastapi.staticfiles import StaticFiles
from sqlalchemy import Engine

from umweg.db import store
from umweg.db.session import THREADS, libpq_address, make_engine
from umweg.web import (
    building,
    circuits,
    events,
    experience,
    exports,
    fleets,
    jobs,
    machines,
    work,
    workshop,
)
from umweg.web.guards import LOOPBACK, Guards
from umweg.web.problems import handle_errors
from umweg.web.rankings import Rankings
from umweg.work.queue import Queue


def create_app(
    engine: Engine | None = None,
    front_end: Path | None = None,
    hosts: Iterable[str] = LOOPBACK,
) -> FastAPI:
    """Build the application.

    Parameters
    ----------
    engine : database, default from the environment when the application starts
    front_end : folder of the built front end; None serves the API alone
    hosts : names that it is reached by
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        made = engine or make_engine()
        # More threads than connections would only wait for one; more of both only take turns.
        to_thread.current_default_thread_limiter().total_tokens = THREADS
        url = made.url.render_as_string(hide_password=False)
        app.state.engine = made
        app.state.rankings = Rankings(made)
        app.state.queue = Queue(url)
        app.state.hub = events.Hub(libpq_address(url))
        app.state.hub.start()
        yield
        app.state.hub.close()
        app.state.queue.close()

    app = FastAPI(title="Umweg", version="1", lifespan=lifespan, docs_url=None, redoc_url=None)
    for router in (
        workshop.router,
        jobs.router,
        exports.router,
        exports.everything,
        circuits.router,
        building.router,
        machines.router,
        experience.router,
        fleets.router,
        events.router,
        work.router,
    ):
        app.include_router(router)
    handle_errors(app)
    app.add_middleware(Guards, hosts=tuple(hosts))
    if front_end is not None:
        _serve_front_end(app, front_end)
    return app


def _serve_front_end(app: FastAPI, folder: Path) -> None:
    app.mount("/assets", StaticFiles(directory=folder / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> FileResponse:
        """The application's own page for every address that is not the API's."""
        if path.startswith("api/"):
            raise store.NotFoundError(f"there is no address /{path}")
        return FileResponse(folder / "index.html", headers={"Cache-Control": "no-cache"})
