"""Queries: everything that reads or writes what a workshop keeps.

A store knows whose it is: nothing of another workshop can be reached through it.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache, cached_property
from typing import Any
from uuid import UUID

from pydantic import TypeAdapter
from sqlalchemy import ColumnElement, ScalarSelect, Select, and_, func, or_, select, text
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, aliased, joinedload

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.question import circuit_sha256
from umweg.core.errors import UmwegError
from umweg.core.observe.history import Experience
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.job import Job, MachineCard
from umweg.db.entries import (
    CONCLUSIONS,
    ENTRY,
    OBSERVATION_KINDS,
    Conclusion,
    Decision,
    EntryData,
    InOrder,
)
from umweg.db.models import (
    CircuitRevision,
    EntryRow,
    InstrumentRow,
    JobRow,
    Machine,
    Workshop,
)

MOST_INSTRUMENTS = 100
TAKEN_OVER: TypeAdapter[tuple[Experience, ...]] = TypeAdapter(tuple[Experience, ...])
DEMO_LOCK = 0x756D7765
"""Number of the advisory lock under which the demo is loaded."""


class NotFoundError(UmwegError):
    """There is no such job, machine or entry."""

    code = "not_found"


class ConflictError(UmwegError):
    """Somebody else wrote meanwhile; nothing of this request was kept."""

    code = "conflict"


@dataclass(frozen=True)
class NewEntry:
    """What is to be added to a job."""

    data: EntryData
    idempotency_key: str
    supersedes: UUID | None = None
    expected_sequence: int | None = None
    author: str = ""


@dataclass(frozen=True)
class JobsWanted:
    """Which part of the list of jobs: those that match, some at a time."""

    search: str = ""
    decided: bool | None = None
    limit: int = 25
    offset: int = 0


@dataclass(frozen=True)
class JobLine:
    """What a list shows of a job, found without reading its record."""

    job: JobRow
    machine: Machine
    observations: int
    """How many count."""
    conclusion: Conclusion | None


class Store:
    """What one workshop keeps."""

    def __init__(self, session: Session, workshop: Workshop) -> None:
        self.session = session
        self.workshop = workshop
        self.workshop_id = workshop.id

    @classmethod
    def only(cls, session: Session) -> "Store":
        """The store of the installation's only workshop, its kit read along.

        Raises
        ------
        NotFoundError : no workshop was loaded yet.
        """
        first = select(func.min(Workshop.id)).scalar_subquery()
        query = select(Workshop).where(Workshop.id == first)
        # One query in the place of three: each request begins here.
        found = session.scalars(query.options(joinedload(Workshop.instruments))).unique().first()
        if found is None:
            raise NotFoundError("there is no workshop yet; load the demo workshop first")
        return cls(session, found)

    @cached_property
    def instruments(self) -> list[Instrument]:
        """The shop's kit."""
        return [Instrument.model_validate(row.document) for row in self.workshop.instruments]

    @property
    def experience(self) -> tuple[Experience, ...]:
        """What the shop found how often, as far as it was taken over."""
        taken = self.workshop.experience
        return TAKEN_OVER.validate_python(taken["counted"]) if taken else ()

    def keep_instrument(self, instrument: Instrument) -> None:
        """Add an instrument to the kit, or take over what changed about one that is there.

        Raises
        ------
        ConflictError : the kit is full.
        """
        document = instrument.model_dump(mode="json")
        rows = {row.key: row for row in self.workshop.instruments}
        if instrument.id not in rows and len(rows) >= MOST_INSTRUMENTS:
            raise ConflictError(f"the kit has {MOST_INSTRUMENTS} instruments; retire some")
        values = {"workshop_id": self.workshop_id, "key": instrument.id, "document": document}
        added = insert(InstrumentRow).values(**values)
        self.session.execute(
            added.on_conflict_do_update(
                index_elements=["workshop_id", "key"], set_={"document": document}
            )
        )
        self.session.expire(self.workshop, ["instruments"])
        self.__dict__.pop("instruments", None)

    @property
    def machines(self) -> Sequence[Machine]:
        """All machines, by name."""
        mine = select(Machine).where(Machine.workshop_id == self.workshop_id)
        return self.session.scalars(mine.order_by(Machine.name, Machine.id)).all()

    def machine(self, machine_id: int) -> Machine:
        """One machine.

        Raises
        ------
        NotFoundError : there is none of that number.
        """
        found = self.session.get(Machine, machine_id)
        if found is None or found.workshop_id != self.workshop_id:
            raise NotFoundError(f"there is no machine {machine_id}")
        return found

    def jobs(self, wanted: JobsWanted) -> tuple[list[JobLine], int]:
        """Some of the jobs, newest first, and how many match in all."""
        chosen = self._matching(wanted)
        query = (
            chosen.add_columns(Machine, _observations(), _conclusion(), func.count().over())
            .order_by(JobRow.created_at.desc(), JobRow.reference, JobRow.id)
            .limit(wanted.limit)
            .offset(wanted.offset)
        )
        rows = self.session.execute(query).all()
        lines = [
            JobLine(job, machine, seen, None if made is None else _concluded(made))
            for job, machine, seen, made, _ in rows
        ]
        if rows or not wanted.offset:
            return lines, rows[0][-1] if rows else 0
        # Beyond the last page nothing says how many there are.
        counted = select(func.count()).select_from(chosen.subquery())
        return lines, self.session.scalar(counted) or 0

    def _matching(self, wanted: JobsWanted) -> Select[JobRow]:
        query = select(JobRow).join(Machine).where(Machine.workshop_id == self.workshop_id)
        for word in wanted.search.split():
            part = f"%{_literal(word)}%"
            fields = (Machine.name, Machine.owner, Machine.serial, JobRow.complaint)
            query = query.where(or_(*(f.ilike(part, escape="\\") for f in fields)))
        if wanted.decided is not None:
            made = _conclusion()
            query = query.where(made.is_not(None) if wanted.decided else made.is_(None))
        return query

    def job(self, job_id: UUID) -> JobRow:
        """One job.

        Raises
        ------
        NotFoundError : there is none of that id.
        """
        loads = (
            joinedload(JobRow.machine),
            joinedload(JobRow.circuit_revision),
            joinedload(JobRow.entries),
        )
        found = self.session.get(JobRow, job_id, options=loads)
        if found is None or found.machine.workshop_id != self.workshop_id:
            raise NotFoundError(f"there is no job {job_id}")
        return found

    def named_job(self, name: str) -> JobRow:
        """A job by its id or its reference.

        Raises
        ------
        NotFoundError : there is none.
        """
        try:
            return self.job(UUID(name))
        except ValueError:
            found = self.session.scalars(
                select(JobRow)
                .join(Machine)
                .where(JobRow.reference == name, Machine.workshop_id == self.workshop_id)
            ).first()
        if found is None:
            raise NotFoundError(f"there is no job “{name}”")
        return found

    def revision(self, revision_id: int) -> CircuitRevision:
        """A revision of a circuit of this workshop or of the library.

        Raises
        ------
        NotFoundError : there is none of that number.
        """
        found = self.session.get(CircuitRevision, revision_id)
        if found is None or found.workshop_id not in (None, self.workshop_id):
            raise NotFoundError(f"there is no circuit revision {revision_id}")
        return found

    def newest_revision(self, circuit_id: str) -> CircuitRevision:
        """The newest revision of a circuit.

        Raises
        ------
        NotFoundError : the circuit was never stored.
        """
        mine = self.sees(CircuitRevision)
        found = self.session.scalars(_revisions(circuit_id).where(mine)).first()
        if found is None:
            raise NotFoundError(f"there is no circuit “{circuit_id}”")
        return found

    def machine_of_serial(self, serial: str) -> Machine | None:
        """The machine with that serial number, if there is one."""
        found = select(Machine).where(
            Machine.workshop_id == self.workshop_id, Machine.serial == serial
        )
        return self.session.scalars(found).first()

    def add_machine(self, circuit_id: str, card: MachineCard) -> Machine:
        """A machine more; the same one again is the one that is there.

        Raises
        ------
        ConflictError : another machine has that serial number.
        NotFoundError : the circuit was never stored.
        """
        self.newest_revision(circuit_id)
        wanted = _machine(self.workshop, circuit_id, card)
        values = {
            name: getattr(wanted, name)
            for name in ("workshop_id", "circuit_id", "name", "owner", "serial", "hours")
        }
        values["recent_work"] = wanted.recent_work
        added = insert(Machine).values(**values)
        self.session.execute(added.on_conflict_do_nothing(index_elements=["workshop_id", "serial"]))
        there = self.session.scalars(
            select(Machine).where(
                Machine.workshop_id == self.workshop_id, Machine.serial == card.serial
            )
        ).one()
        if (there.name, there.owner, there.circuit_id) != (card.name, card.owner, circuit_id):
            raise ConflictError(f"there is another machine with the serial number {card.serial}")
        return there

    def sees(self, revision: type[CircuitRevision]) -> ColumnElement[bool]:
        """Revisions of this workshop and of the library."""
        return or_(revision.workshop_id.is_(None), revision.workshop_id == self.workshop_id)

    @property
    def circuits(self) -> Sequence[CircuitRevision]:
        """The newest revision of every circuit of this workshop and of the library, by name."""
        mine = self.sees(CircuitRevision)
        newest = (
            select(func.max(CircuitRevision.id)).where(mine).group_by(CircuitRevision.circuit_id)
        )
        found = select(CircuitRevision).where(CircuitRevision.id.in_(newest))
        return self.session.scalars(found.order_by(CircuitRevision.circuit_id)).all()

    def open_job(
        self,
        machine: Machine,
        complaint: str,
        key: str | None = None,
        reference: str | None = None,
    ) -> JobRow:
        """Open a job on a machine, with the newest revision of its circuit.

        The same key opens one job.

        Raises
        ------
        ConflictError : the key was used for another machine or complaint.
        """
        revision = self.newest_revision(machine.circuit_id)
        values = {
            "reference": reference,
            "machine_id": machine.id,
            "circuit_revision_id": revision.id,
            "complaint": complaint,
            "hours": machine.hours,
            "open_key": key,
        }
        row = JobRow(**values)
        if key is None:
            self.session.add(row)
            self.session.flush()
            return row
        added = insert(JobRow).values(**values).on_conflict_do_nothing(index_elements=["open_key"])
        self.session.execute(added)
        kept = self.session.scalars(select(JobRow).where(JobRow.open_key == key)).one()
        if (kept.machine_id, kept.complaint) != (machine.id, complaint):
            raise ConflictError("this idempotency key was used to open another job")
        return kept

    def add_entry(self, job_row: JobRow, new: NewEntry) -> EntryRow:
        """Append an entry; the same idempotency key gives the entry that is already there.

        Raises
        ------
        ConflictError : somebody wrote after ``expected_sequence``, the superseded entry was
            superseded already, or the key was used for something else.
        NotFoundError : the superseded entry is not one of this job's.
        """
        session = self.session
        document = new.data.model_dump(mode="json")
        session.get(JobRow, job_row.id, with_for_update=True)
        # Read before the lock, the record may lack what another request wrote until then.
        session.expire(job_row, ["entries"])
        existing = session.scalars(
            select(EntryRow).where(
                EntryRow.job_id == job_row.id, EntryRow.idempotency_key == new.idempotency_key
            )
        ).first()
        if existing is not None:
            if (existing.document, existing.supersedes) != (document, new.supersedes):
                raise ConflictError("this idempotency key was used for another entry")
            return existing
        last = session.scalar(
            select(func.coalesce(func.max(EntryRow.sequence), 0)).where(
                EntryRow.job_id == job_row.id
            )
        )
        assert last is not None
        if new.expected_sequence is not None and new.expected_sequence != last:
            raise ConflictError(
                f"the job has {last} entries, not {new.expected_sequence}: look at the new ones first"
            )
        if new.supersedes is not None:
            self._check_superseded(job_row, new.supersedes)
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
            raise ConflictError(
                "another entry was written at the same moment; try again"
            ) from error
        session.expire(job_row, ["entries"])
        return row

    def _check_superseded(self, job_row: JobRow, entry_id: UUID) -> None:
        old = self.session.get(EntryRow, entry_id)
        if old is None or old.job_id != job_row.id:
            raise NotFoundError(f"job {job_row.id} has no entry {entry_id}")
        later = self.session.scalars(
            select(EntryRow).where(EntryRow.supersedes == entry_id)
        ).first()
        if later is not None:
            raise ConflictError("this entry was corrected already; correct the newer one")


def _literal(word: str) -> str:
    """A word for a pattern, its own wildcards taken as letters."""
    return word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")


def _standing(entry: type[EntryRow]) -> ColumnElement[bool]:
    """An entry of the job in question that nothing supersedes."""
    later = aliased(EntryRow)
    superseded = select(later.id).where(later.supersedes == entry.id).exists()
    return and_(entry.job_id == JobRow.id, ~superseded)


# Made once: laying out an aliased entity takes longer than running the query.


@cache
def _observations() -> ScalarSelect[int]:
    """How many observations count in a job."""
    entry = aliased(EntryRow)
    kinds = entry.kind.in_(OBSERVATION_KINDS)
    return select(func.count(entry.id)).where(_standing(entry), kinds).scalar_subquery()


@cache
def _conclusion() -> ScalarSelect[dict[str, Any]]:
    """The document of what a job came to, as it stands last."""
    entry = aliased(EntryRow)
    made = select(entry.document).where(_standing(entry), entry.kind.in_(CONCLUSIONS))
    return made.order_by(entry.sequence.desc()).limit(1).scalar_subquery()


def _concluded(document: dict[str, Any]) -> Conclusion:
    made = ENTRY.validate_python(document)
    assert isinstance(made, Decision | InOrder)
    return made


def _revisions(circuit_id: str) -> Select[CircuitRevision]:
    return (
        select(CircuitRevision)
        .where(CircuitRevision.circuit_id == circuit_id)
        .order_by(CircuitRevision.revision.desc())
    )


def keep_circuit(
    session: Session, circuit: Circuit, workshop_id: int | None = None
) -> CircuitRevision:
    """Store a circuit as a new revision, unless the newest one is the same document.

    Without a workshop it is the library's, for all to see.
    """
    digest = circuit_sha256(circuit)
    newest = session.scalars(_revisions(circuit.id)).first()
    if newest is not None and newest.sha256 == digest:
        return newest
    revision = CircuitRevision(
        workshop_id=workshop_id,
        circuit_id=circuit.id,
        revision=1 if newest is None else newest.revision + 1,
        sha256=digest,
        document=circuit.model_dump(mode="json"),
    )
    session.add(revision)
    session.flush()
    return revision


def load_demo(
    session: Session, name: str, circuits: Sequence[Circuit], jobs: Sequence[Job]
) -> bool:
    """Load the demo workshop once, whoever else does at the same moment; True when it was now."""
    session.execute(text("SELECT pg_advisory_xact_lock(:lock)"), {"lock": DEMO_LOCK})
    for circuit in circuits:
        keep_circuit(session, circuit)
    if session.scalars(select(Workshop).where(Workshop.name == name)).first() is not None:
        return False
    workshop = Workshop(name=name, currency="EUR", labour_per_min=1.5)
    session.add(workshop)
    session.flush()
    store = Store(session, workshop)
    kit = {i.id: i for document in reversed(jobs) for i in reversed(document.instruments)}
    for instrument in reversed(kit.values()):
        document = instrument.model_dump(mode="json")
        session.add(InstrumentRow(workshop_id=workshop.id, key=instrument.id, document=document))
    for job in jobs:
        machine = _machine(workshop, job.circuit, job.machine)
        session.add(machine)
        session.flush()
        row = store.open_job(machine, job.complaint, reference=job.id)
        for observation in job.observations:
            store.add_entry(row, NewEntry(observation, f"demo-{observation.id}", author="demo"))
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
