"""What a request must be before anything looks into it, and what every answer carries.

The application listens on loopback, but a page of any other site can be open in the same browser:
a foreign host, a foreign origin, an endless body and a text that no database takes end here.
"""

import json
import time
from collections.abc import Iterable
from typing import Any

import structlog
from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from umweg.web.problems import problem

log = structlog.get_logger("umweg.web")

MOST_BYTES = 256 * 1024
"""A whole job's complaint is some kilobytes."""
LARGER = {"/api/jobs/bundle": 64 * 2**20}
"""A file of jobs has their whole records."""
MOST_DEEP = 40
LOOPBACK = ("127.0.0.1", "localhost", "[::1]", "testserver")
SAFE = ("GET", "HEAD", "OPTIONS")
HEADERS = {
    "Content-Security-Policy": (
        "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; "
        "worker-src 'self' blob:; object-src 'none'; base-uri 'none'; form-action 'self'; "
        "frame-ancestors 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": "camera=(), geolocation=(), microphone=()",
}


class Refused(Exception):  # noqa: N818
    """A request that goes no further."""

    def __init__(self, status: int, code: str, detail: str) -> None:
        super().__init__(detail)
        self.status, self.code, self.detail = status, code, detail


class Guards:
    """The outermost layer of the application.

    Parameters
    ----------
    hosts : names that the application is reached by, without port
    """

    def __init__(self, app: ASGIApp, hosts: Iterable[str] = LOOPBACK) -> None:
        self._app = app
        self._hosts = frozenset(hosts)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Let a good request through; answer HEAD as GET without its body."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        begin = time.perf_counter()
        head = scope["method"] == "HEAD"
        status = 500

        async def answer(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
            elif head and message["type"] == "http.response.body":
                message = {**message, "body": b""}
            await send(message)

        try:
            headers = Headers(scope=scope)
            self._check_host(scope["method"], headers)
            if scope["method"] not in SAFE:
                receive = await _checked_body(
                    headers, receive, LARGER.get(scope["path"], MOST_BYTES)
                )
            inner = {**scope, "method": "GET"} if head else scope
            await self._app(inner, receive, answer)
        except Refused as refused:
            await problem(refused.status, refused.code, refused.detail)(scope, receive, answer)
        finally:
            log.info(
                "request",
                method=scope["method"],
                path=scope["path"],
                status=status,
                ms=round((time.perf_counter() - begin) * 1e3, 1),
            )

    def _check_host(self, method: str, headers: Headers) -> None:
        host = headers.get("host", "")
        if _name_of(host) not in self._hosts:
            raise Refused(400, "wrong_host", "this application is not reached by that name")
        origin = headers.get("origin")
        foreign = origin is not None and origin.partition("://")[2] != host
        crossed = headers.get("sec-fetch-site") in ("cross-site", "same-site")
        if method not in SAFE and (foreign or crossed):
            raise Refused(403, "foreign_origin", "a page of another site cannot write here")


def _name_of(host: str) -> str:
    """A host without its port."""
    name, colon, port = host.rpartition(":")
    return name if colon and port.isdigit() else host


async def _checked_body(headers: Headers, receive: Receive, most_bytes: int) -> Receive:
    """The body, read whole and checked, to be received again by who handles the request."""
    body = await _read(headers, receive, most_bytes)
    if body:
        _check_json(headers, body)
    given = False

    async def again() -> Message:
        nonlocal given
        if given:
            return await receive()
        given = True
        return {"type": "http.request", "body": body, "more_body": False}

    return again


async def _read(headers: Headers, receive: Receive, most_bytes: int) -> bytes:
    told = headers.get("content-length", "")
    too_large = Refused(413, "too_large", f"a request may have {most_bytes} bytes at most")
    if told.isdigit() and int(told[:12]) > most_bytes:
        raise too_large
    pieces, size, more = [], 0, True
    while more:
        message = await receive()
        if message["type"] == "http.disconnect":
            break
        pieces.append(message.get("body", b""))
        size += len(pieces[-1])
        if size > most_bytes:
            raise too_large
        more = message.get("more_body", False)
    return b"".join(pieces)


def _check_json(headers: Headers, body: bytes) -> None:
    if headers.get("content-type", "").partition(";")[0].strip() != "application/json":
        raise Refused(415, "not_json", "a request's body is JSON, of type application/json")
    if _depth(body) > MOST_DEEP:
        raise Refused(422, "invalid_request", f"the body is nested more than {MOST_DEEP} deep")
    try:
        data = json.loads(body)
    except (ValueError, RecursionError) as error:
        raise Refused(422, "invalid_request", f"the body is not JSON: {error}") from error
    if not _storable(data):
        raise Refused(
            422,
            "invalid_request",
            "a text holds a character that cannot be kept (NUL, half a pair)",
        )


def _depth(body: bytes) -> int:
    """How deep brackets are nested, quotes not looked at: at least as deep as the JSON is."""
    depth = deepest = 0
    for byte in body:
        if byte in b"[{":
            depth += 1
            deepest = max(deepest, depth)
        elif byte in b"]}":
            depth -= 1
    return deepest


def _storable(data: Any) -> bool:
    """Every text in it can be written to the database."""
    if isinstance(data, str):
        return "\0" not in data and not any("\ud800" <= c <= "\udfff" for c in data)
    if isinstance(data, dict):
        return all(_storable(k) and _storable(v) for k, v in data.items())
    return not isinstance(data, list) or all(_storable(v) for v in data)
