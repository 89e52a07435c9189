"""What happens, told to every open page as it happens: server-sent events.

One thread listens to the database for all of them; processes beside this one, and workers, tell
the same channel.
"""

import asyncio
import threading
from collections.abc import AsyncIterator
from uuid import UUID

import psycopg
import structlog
from fastapi import APIRouter, Request
from sse_starlette import EventSourceResponse, ServerSentEvent

from umweg.db.kept import CHANNEL
from umweg.web.problems import READS

log = structlog.get_logger("umweg.web")

RECONNECT_S = 1.0
WAKE_S = 1.0
PING_S = 15
BEHIND = 200
"""A page that is so many events behind is told to look at everything again."""

Event = tuple[str, str]
"""Kind, and the job or piece of work it is about."""
EVERYTHING: Event = ("again", "")

router = APIRouter(prefix="/api", tags=["events"])


class Hub:
    """Hands what the database tells to every subscriber.

    Parameters
    ----------
    address : libpq's address of the database
    """

    def __init__(self, address: str) -> None:
        self._address = address
        self._subscribers: set[asyncio.Queue[Event]] = set()
        self._loop: asyncio.AbstractEventLoop | None = None
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._listen, name="events", daemon=True)

    def start(self) -> None:
        """Begin to listen; called in the event loop."""
        self._loop = asyncio.get_running_loop()
        self._thread.start()

    def close(self) -> None:
        """Stop listening, and end every stream."""
        self._stop.set()
        for queue in self._subscribers:
            queue.put_nowait(("end", ""))

    def _listen(self) -> None:
        while not self._stop.is_set():
            try:
                with psycopg.connect(self._address, autocommit=True) as connection:
                    connection.execute(f"LISTEN {CHANNEL}")
                    # What happened while nobody listened is not known.
                    self._hand(EVERYTHING)
                    while not self._stop.is_set():
                        for told in connection.notifies(timeout=WAKE_S):
                            kind, _, what = told.payload.partition(":")
                            self._hand((kind, what))
            except psycopg.Error as error:
                log.warning("events", why=str(error).strip())
                self._stop.wait(RECONNECT_S)

    def _hand(self, event: Event) -> None:
        if self._loop is not None and not self._loop.is_closed():
            self._loop.call_soon_threadsafe(self._spread, event)

    def _spread(self, event: Event) -> None:
        for queue in self._subscribers:
            if queue.qsize() > BEHIND:
                while not queue.empty():
                    queue.get_nowait()
                queue.put_nowait(EVERYTHING)
            queue.put_nowait(event)

    async def stream(self, job: UUID | None) -> AsyncIterator[ServerSentEvent]:
        """Events about one job, or about all; work and news of everything always."""
        queue: asyncio.Queue[Event] = asyncio.Queue()
        self._subscribers.add(queue)
        try:
            yield ServerSentEvent(event="open", data="")
            while True:
                kind, what = await queue.get()
                if kind == "end":
                    return
                if job is None or kind in ("again", "work") or what == str(job):
                    yield ServerSentEvent(event=kind, data=what)
        finally:
            self._subscribers.discard(queue)


@router.get(
    "/events",
    response_class=EventSourceResponse,
    responses={**READS, 200: {"content": {"text/event-stream": {"schema": {"type": "string"}}}}},
)
async def events(request: Request, job: UUID | None = None) -> EventSourceResponse:
    """Server-sent events: ``entry`` and ``answer`` with a job's id, ``work`` with its number."""
    hub: Hub = request.app.state.hub
    return EventSourceResponse(hub.stream(job), ping=PING_S)
