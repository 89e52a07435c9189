"""Queries: everything that reads or writes the database."""

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, selectinload

from umweg.core.circuit.document import Circuit
from umweg.core.errors import UmwegError
from umweg.core.observe.job import Job, MachineCard
from umweg.core.observe.observations import Instrument
from umweg.db.entries import EntryData
from umweg.db.models import (
    CircuitRevision,
    EntryRow,
    InstrumentRow,
    JobRow,
    Machine,
    Workshop,
)


class NotFoundError(UmwegError):
    """There is no such job, machine or entry."""

    code = "not_found"


class ConflictError(UmwegError):
    """Somebody else wrote meanwhile; nothing of this request was kept."""

    code = "conflict"


@dataclass(frozen=True)
class NewEntry:
    """What a client asks to add."""

    data: EntryData
    idempotency_key: str
    supersedes: UUID | None = None
    expected_sequence: int | None = None
    author: str = ""


def the_workshop(session: Session) -> Workshop:
    """The one workshop of this installation.

    Raises
    ------
    NotFoundError : the demo workshop was not loaded yet.
    """
    workshop = session.scalars(select(Workshop).order_by(Workshop.id)).first()
    if workshop is None:
        raise NotFoundError("there is no workshop yet; load the demo workshop first")
    return workshop


def instruments_of(workshop: Workshop) -> list[Instrument]:
    """The shop's kit."""
    return [Instrument.model_validate(row.document) for row in workshop.instruments]


def machines_of(session: Session) -> Sequence[Machine]:
    """All machines, by name."""
    return session.scalars(select(Machine).order_by(Machine.name)).all()


def all_jobs(session: Session) -> Sequence[JobRow]:
    """All jobs, newest first, with what a list shows."""
    query = select(JobRow).order_by(JobRow.created_at.desc(), JobRow.reference, JobRow.id)
    loads = (
        selectinload(JobRow.entries),
        selectinload(JobRow.machine),
        selectinload(JobRow.circuit_revision),
    )
    return session.scalars(query.options(*loads)).all()


def job(session: Session, job_id: UUID) -> JobRow:
    """One job.

    Raises
    ------
    NotFoundError : there is none of that id.
    """
    found = session.get(JobRow, job_id)
    if found is None:
        raise NotFoundError(f"there is no job {job_id}")
    return found


def newest_revision(session: Session, circuit_id: str) -> CircuitRevision:
    """The newest revision of a circuit.

    Raises
    ------
    NotFoundError : the circuit was never stored.
    """
    query = (
        select(CircuitRevision)
        .where(CircuitRevision.circuit_id == circuit_id)
        .order_by(CircuitRevision.revision.desc())
    )
    found = session.scalars(query).first()
    if found is None:
        raise NotFoundError(f"there is no circuit “{circuit_id}”")
    return found


def keep_circuit(session: Session, circuit: Circuit) -> CircuitRevision:
    """Store a circuit as a new revision, unless the newest one is the same document."""
    document = circuit.model_dump(mode="json")
    digest = hashlib.sha256(json.dumps(document, sort_keys=True).encode()).hexdigest()
    try:
        newest = newest_revision(session, circuit.id)
    except NotFoundError:
        number = 1
    else:
        if newest.sha256 == digest:
            return newest
        number = newest.revision + 1
    revision = CircuitRevision(
        circuit_id=circuit.id, revision=number, sha256=digest, document=document
    )
    session.add(revision)
    session.flush()
    return revision


def open_job(
    session: Session, machine: Machine, complaint: str, reference: str | None = None
) -> JobRow:
    """Open a job on a machine, with the newest revision of its circuit."""
    revision = newest_revision(session, machine.circuit_id)
    row = JobRow(
        reference=reference,
        machine_id=machine.id,
        circuit_revision_id=revision.id,
        complaint=complaint,
    )
    session.add(row)
    session.flush()
    return row


def add_entry(session: Session, job_row: JobRow, new: NewEntry) -> EntryRow:
    """Append an entry; the same idempotency key gives the entry that is already there.

    Raises
    ------
    ConflictError : somebody wrote after ``expected_sequence``, the superseded entry was
        superseded already, or the key was used for something else.
    NotFoundError : the superseded entry is not one of this job's.
    """
    document = new.data.model_dump(mode="json")
    session.get(JobRow, job_row.id, with_for_update=True)
    existing = session.scalars(
        select(EntryRow).where(
            EntryRow.job_id == job_row.id, EntryRow.idempotency_key == new.idempotency_key
        )
    ).first()
    if existing is not None:
        if existing.document != document:
            raise ConflictError("this idempotency key was used for another entry")
        return existing
    last = session.scalar(
        select(func.coalesce(func.max(EntryRow.sequence), 0)).where(EntryRow.job_id == job_row.id)
    )
    assert last is not None
    if new.expected_sequence is not None and new.expected_sequence != last:
        raise ConflictError(
            f"the job has {last} entries, not {new.expected_sequence}: reload and look at the "
            "new ones first"
        )
    if new.supersedes is not None:
        _check_superseded(session, job_row, new.supersedes)
    row = EntryRow(
        job_id=job_row.id,
        sequence=last + 1,
        kind=new.data.kind,
        document=document,
        supersedes=new.supersedes,
        idempotency_key=new.idempotency_key,
        author=new.author,
    )
    session.add(row)
    try:
        session.flush()
    except IntegrityError as error:
        raise ConflictError("another entry was written at the same moment; try again") from error
    session.expire(job_row, ["entries"])
    return row


def _check_superseded(session: Session, job_row: JobRow, entry_id: UUID) -> None:
    old = session.get(EntryRow, entry_id)
    if old is None or old.job_id != job_row.id:
        raise NotFoundError(f"job {job_row.id} has no entry {entry_id}")
    later = session.scalars(select(EntryRow).where(EntryRow.supersedes == entry_id)).first()
    if later is not None:
        raise ConflictError("this entry was corrected already; correct the newer one")


def load_demo(
    session: Session, name: str, circuits: Sequence[Circuit], jobs: Sequence[Job]
) -> bool:
    """Load the demo workshop once; True when it was loaded now."""
    for circuit in circuits:
        keep_circuit(session, circuit)
    if session.scalars(select(Workshop).where(Workshop.name == name)).first() is not None:
        return False
    workshop = Workshop(name=name, currency="EUR", labour_per_min=1.5)
    session.add(workshop)
    session.flush()
    seen: set[str] = set()
    for document in jobs:
        for instrument in document.instruments:
            if instrument.id not in seen:
                seen.add(instrument.id)
                session.add(
                    InstrumentRow(
                        workshop_id=workshop.id,
                        key=instrument.id,
                        document=instrument.model_dump(mode="json"),
                    )
                )
        machine = _machine(workshop, document.circuit, document.machine)
        session.add(machine)
        session.flush()
        row = open_job(session, machine, document.complaint, reference=document.id)
        for observation in document.observations:
            add_entry(session, row, NewEntry(observation, f"demo-{observation.id}", author="demo"))
    return True


def _machine(workshop: Workshop, circuit_id: str, card: MachineCard) -> Machine:
    return Machine(
        workshop_id=workshop.id,
        circuit_id=circuit_id,
        name=card.name,
        owner=card.owner,
        serial=card.serial,
        hours=card.hours,
        recent_work=card.recent_work,
    )
