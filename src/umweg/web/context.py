"""What a request needs: a database session, the workshop, and the doctor of a job."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends, Request
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.observe.observations import Instrument
from umweg.db import store
from umweg.db.models import CircuitRevision
from umweg.web.doctors import Doctors


def session_of(request: Request) -> Iterator[Session]:
    """A session for one request; committed by the route, rolled back when it fails."""
    engine: Engine = request.app.state.engine
    with Session(engine) as session:
        yield session


SessionOf = Annotated[Session, Depends(session_of)]


@dataclass(frozen=True)
class Context:
    """Session and diagnosticians of one request."""

    session: Session
    doctors: Doctors

    def circuit(self, revision: CircuitRevision) -> Circuit:
        """The document of a revision."""
        return Circuit.model_validate(revision.document)

    def asking(self, revision: CircuitRevision) -> tuple[str, Circuit, list[Instrument], float]:
        """What a doctor of a revision is made from: hash, document, the shop's kit and rate."""
        workshop = store.the_workshop(self.session)
        kit = list(store.instruments_of(workshop))
        return revision.sha256, self.circuit(revision), kit, workshop.labour_per_min

    def doctor(self, revision: CircuitRevision) -> Diagnostician:
        """The diagnostician of a revision."""
        return self.doctors.doctor(*self.asking(revision))


def context_of(request: Request, session: SessionOf) -> Context:
    """The context of a request."""
    return Context(session, request.app.state.doctors)


ContextOf = Annotated[Context, Depends(context_of)]
