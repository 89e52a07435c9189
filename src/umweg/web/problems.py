"""The one place where errors become answers: RFC 9457 problem details."""

from typing import Any

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from procrastinate.exceptions import ConnectorException
from sqlalchemy.exc import DBAPIError, InterfaceError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeoutError
from starlette.exceptions import HTTPException

from umweg.core.errors import UmwegError
from umweg.web.schemas import ProblemView

log = structlog.get_logger("umweg.web")

STATUS_OF_CODE = {"not_found": 404, "conflict": 409, "machine_differs": 409}
MEDIA = "application/problem+json"
BUSY = "the server is busy; nothing of this request was begun, try again"
UNSURE = (
    "the database does not answer, and it is not known whether this was kept; send it again: with "
    "the same key it is kept once"
)


def problem(status: int, code: str, detail: str, problems: list[str] | None = None) -> JSONResponse:
    """An answer that says what is wrong."""
    body = ProblemView(
        type=f"urn:umweg:{code}",
        title=code.replace("_", " "),
        status=status,
        detail=detail,
        problems=problems or [],
    )
    headers = {"Retry-After": "1"} if status == 503 else None
    return JSONResponse(body.model_dump(), status, headers, media_type=MEDIA)


def documented(*statuses: int) -> dict[int | str, dict[str, object]]:
    """The problems that a route may answer with, for its description."""
    words = {
        400: "The host is not this application's",
        403: "The request comes from a page of another site",
        404: "There is no such thing",
        409: "Somebody else wrote meanwhile, or the key was used for something else",
        413: "The body is too large",
        415: "The body is not JSON",
        422: "The request is not valid; every finding is named",
        503: "The database does not answer or the server is busy; try again",
    }
    schema = {"schema": {"$ref": "#/components/schemas/ProblemView"}}
    return {s: {"description": words[s], "content": {MEDIA: schema}} for s in statuses}


READS = documented(400, 404, 422, 503)
WRITES = documented(400, 403, 404, 409, 413, 415, 422, 503)


def handle_errors(app: FastAPI) -> None:
    """Have every error answered as a problem, and say so in the description of the API."""
    plain = app.openapi

    def described() -> dict[str, Any]:
        document = plain()
        schemas = document["components"]["schemas"]
        schemas["ProblemView"] = ProblemView.model_json_schema()
        for unused in ("HTTPValidationError", "ValidationError"):
            schemas.pop(unused, None)
        return document

    app.openapi = described  # type: ignore[method-assign]
    app.add_exception_handler(UmwegError, _umweg_error)
    app.add_exception_handler(RequestValidationError, _invalid_request)
    app.add_exception_handler(HTTPException, _http_error)
    app.add_exception_handler(PoolTimeoutError, _busy)
    app.add_exception_handler(DBAPIError, _database_error)
    app.add_exception_handler(ConnectorException, _queue_gone)
    app.add_exception_handler(Exception, _fault)


async def _umweg_error(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, UmwegError)
    status = STATUS_OF_CODE.get(error.code, 422)
    return problem(status, error.code, error.message, [str(p) for p in error.problems])


async def _invalid_request(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, RequestValidationError)
    found = [f"{'.'.join(str(p) for p in e['loc'])}: {e['msg']}" for e in error.errors()]
    return problem(422, "invalid_request", "the request is not valid", found[:100])


async def _http_error(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, HTTPException)
    answer = problem(error.status_code, f"http_{error.status_code}", str(error.detail))
    answer.headers.update(error.headers or {})
    return answer


async def _busy(_: Request, error: Exception) -> JSONResponse:
    return problem(503, "busy", BUSY)


async def _database_error(request: Request, error: Exception) -> JSONResponse:
    if isinstance(error, OperationalError | InterfaceError):
        return problem(503, "database_unavailable", UNSURE)
    return await _fault(request, error)


async def _queue_gone(_: Request, error: Exception) -> JSONResponse:
    # An entry may be kept by now; the same key finds it.
    return problem(503, "database_unavailable", UNSURE)


async def _fault(request: Request, error: Exception) -> JSONResponse:
    log.error("fault", path=request.url.path, exc_info=error)
    return problem(500, "fault", "a fault of the program; it stands in the server's log")
