"""The application: routers, one place for errors, and the built front end."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from threading import Thread

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse
from fastapi.staticfiles import StaticFiles
from sqlalchemy import Engine
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from umweg.core.errors import UmwegError
from umweg.db import store
from umweg.db.session import make_engine
from umweg.web import circuits, jobs, workshop
from umweg.web.context import Context
from umweg.web.doctors import Doctors

STATUS_OF_CODE = {"not_found": 404, "conflict": 409}


def create_app(
    engine: Engine | None = None,
    front_end: Path | None = None,
    doctors: Doctors | None = None,
) -> FastAPI:
    """Build the application.

    Parameters
    ----------
    engine : database, default from the environment when the application starts
    front_end : folder of the built front end; None serves the API alone
    doctors : diagnosticians to go on with, default none yet
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        app.state.engine = engine or make_engine()
        app.state.doctors = doctors or Doctors()
        Thread(target=_warm, args=(app,), daemon=True).start()
        yield
        if doctors is None:
            app.state.doctors.close()

    app = FastAPI(title="Umweg", version="1", lifespan=lifespan)
    for router in (workshop.router, jobs.router, circuits.router):
        app.include_router(router)
    app.add_exception_handler(UmwegError, _umweg_error)
    app.add_exception_handler(RequestValidationError, _invalid_request)
    app.add_exception_handler(OperationalError, _database_gone)
    if front_end is not None:
        _serve_front_end(app, front_end)
    return app


def _warm(app: FastAPI) -> None:
    """Start on the stored jobs' diagnoses in the background, before anyone asks."""
    try:
        with Session(app.state.engine) as session:
            context = Context(session, app.state.doctors)
            jobs.jobs(context)
    except (OperationalError, UmwegError):
        # The first request meets the same trouble and tells the user.
        return


def _problem(status: int, code: str, detail: str, problems: list[str]) -> JSONResponse:
    body = {
        "type": f"urn:umweg:{code}",
        "title": code.replace("_", " "),
        "status": status,
        "detail": detail,
        "problems": problems,
    }
    return JSONResponse(body, status, media_type="application/problem+json")


async def _umweg_error(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, UmwegError)
    status = STATUS_OF_CODE.get(error.code, 422)
    return _problem(status, error.code, error.message, [str(p) for p in error.problems])


async def _invalid_request(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, RequestValidationError)
    found = [f"{'.'.join(str(p) for p in e['loc'])}: {e['msg']}" for e in error.errors()]
    return _problem(422, "invalid_request", "the request is not valid", found)


async def _database_gone(_: Request, error: Exception) -> JSONResponse:
    return _problem(
        503,
        "database_unavailable",
        "the database does not answer; nothing of this request was kept, try again",
        [],
    )


def _serve_front_end(app: FastAPI, folder: Path) -> None:
    app.mount("/assets", StaticFiles(directory=folder / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> FileResponse:
        """The application's own page for every address that is not the API's."""
        if path.startswith("api/"):
            raise store.NotFoundError(f"there is no address /{path}")
        return FileResponse(folder / "index.html")
