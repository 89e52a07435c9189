"""What a request works with: its workshop's store, rankings, the queue."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends, Request
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from umweg.core.circuit.document import Circuit
from umweg.core.observe.exhibits import Suspects
from umweg.db.models import CircuitRevision
from umweg.db.store import Store
from umweg.web.rankings import Rankings
from umweg.work.queue import Queue


def store_of(request: Request) -> Iterator[Store]:
    """The store of the request's workshop; committed by the route, rolled back when it fails."""
    engine: Engine = request.app.state.engine
    with Session(engine, expire_on_commit=False) as session:
        yield Store.only(session)


StoreOf = Annotated[Store, Depends(store_of)]


@dataclass(frozen=True)
class Context:
    """What a request works with."""

    store: Store
    rankings: Rankings
    queue: Queue

    @property
    def session(self) -> Session:
        """The request's database session. Given back before anything is computed."""
        return self.store.session

    def suspects(self, revision: CircuitRevision) -> Suspects:
        """A revision's circuit and what may be wrong with it."""
        return self.rankings.suspects(revision)

    def circuit(self, revision: CircuitRevision) -> Circuit:
        """The document of a revision."""
        return self.suspects(revision).circuit


def context_of(request: Request, store: StoreOf) -> Context:
    """The context of a request."""
    return Context(store, request.app.state.rankings, request.app.state.queue)


ContextOf = Annotated[Context, Depends(context_of)]
