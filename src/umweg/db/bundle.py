"""Jobs with everything that belongs to them in one file, ``umweg-bundle/1``: out, and in without loss."""

import hashlib
import re
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Any, Literal, cast
from uuid import UUID
from zipfile import BadZipFile, ZipFile, is_zipfile

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field, ValidationError
from sqlalchemy import ColumnElement, String, func, select
from sqlalchemy.dialects.postgresql import insert

from umweg.core.circuit.document import Circuit, problems_of, read_json
from umweg.core.diagnose.question import circuit_sha256
from umweg.core.errors import FormatError, Problem
from umweg.core.network.check import check_circuit
from umweg.core.observe.job import MachineCard
from umweg.db.entries import ENTRY, Acceptance, EntryData
from umweg.db.models import CircuitRevision, EntryRow, JobRow, Machine
from umweg.db.store import ConflictError, Store, keep_circuit

MACHINE_LIMITS: dict[str, int] = {
    name: cast("String", Machine.__table__.c[name].type).length or 0
    for name in ("name", "owner", "serial", "recent_work")
}
"""Characters that the database takes."""
OWN = "own_"
"""Begins the ids of a workshop's own circuits: none is ever taken for one of the library."""


Moment = Annotated[
    AwareDatetime,
    Field(ge=datetime(1970, 1, 1, tzinfo=UTC), lt=datetime(2200, 1, 1, tzinfo=UTC)),
]
"""When something was written: a time that the database keeps and gives back."""


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class BundledEntry(_Part):
    """An entry as it was made: what, when, by whom, in place of which."""

    id: UUID
    data: EntryData
    supersedes: UUID | None = None
    author: str = Field(default="", max_length=100)
    created_at: Moment


class BundledJob(_Part):
    """A job with its machine and its whole record, what was corrected or withdrawn too."""

    id: UUID
    reference: str | None = Field(default=None, max_length=100)
    circuit: str = Field(max_length=60, description="id of one of the bundle's circuits")
    machine: MachineCard
    complaint: str = Field(max_length=2000)
    hours: float | None = Field(default=None, ge=0, le=1e6)
    """Of the machine when it was opened; without it, those it has."""
    opened_at: Moment
    entries: list[BundledEntry] = Field(default_factory=list, max_length=5000)


class Bundle(_Part):
    """Jobs, and the circuits as they were when each was opened."""

    format: Literal["umweg-bundle/1"]
    circuits: list[Circuit]
    jobs: list[BundledJob]


class MachineDiffersError(ConflictError):
    """A machine in a file is not as it is kept here: somebody has to say that it stays so."""

    code = "machine_differs"


def bundles_in(path: Path) -> Iterator[bytes]:
    """The text of every bundle in a file: one, or each of an archive, one after another.

    Raises
    ------
    FormatError : it looks like an archive and is none.
    """
    if not is_zipfile(path):
        yield path.read_bytes()
        return
    try:
        with ZipFile(path) as archive:
            for name in archive.namelist():
                if name.endswith(".json"):
                    yield archive.read(name)
    except BadZipFile as error:
        raise FormatError(f"the archive is damaged: {error}") from error


def read_bundle(text: str | bytes) -> Bundle:
    """Read a bundle from JSON, of whatever size.

    Raises
    ------
    FormatError : not JSON, not ``umweg-bundle/1``; lists every place that is wrong.
    """
    data = read_json(text, most_bytes=None)
    try:
        return Bundle.model_validate(data)
    except ValidationError as error:
        raise FormatError("not a bundle of format umweg-bundle/1", problems_of(error)) from error


def check_bundle(bundle: Bundle) -> None:
    """Refuse a bundle of which not everything could be kept.

    Raises
    ------
    FormatError : something in it refers to nothing; lists every place.
    CircuitError : one of its circuits cannot be one.
    """
    if problems := list(_loose_ends(bundle)):
        raise FormatError("the bundle refers to what is not in it", tuple(problems))
    for circuit in bundle.circuits:
        check_circuit(circuit)


def _loose_ends(bundle: Bundle) -> Iterable[Problem]:
    known = [c.id for c in bundle.circuits]
    for name in sorted({c for c in known if known.count(c) > 1}):
        yield Problem("duplicate", f"circuit {name}", "is there twice")
    for job in bundle.jobs:
        if job.circuit not in known:
            yield Problem("no_circuit", f"job {job.id}", f"there is no circuit “{job.circuit}”")
        if not job.machine.serial:
            yield Problem("no_serial", f"job {job.id}", "its machine has no serial number")
        for name, most in MACHINE_LIMITS.items():
            if len(getattr(job.machine, name)) > most:
                yield Problem("too_long", f"job {job.id}", f"{name} has {most} characters at most")
        before: set[UUID] = set()
        for entry in job.entries:
            where = f"job {job.id}, entry {entry.id}"
            if entry.id in before:
                yield Problem("duplicate", where, "is there twice")
            if entry.supersedes is not None and entry.supersedes not in before:
                yield Problem("no_entry", where, "corrects an entry that does not come before it")
            accepted = entry.data.reading if isinstance(entry.data, Acceptance) else None
            if accepted is not None and accepted not in before:
                yield Problem("no_entry", where, "accepts a reading that does not come before it")
            before.add(entry.id)


def as_it_stands(store: Store) -> str:
    """A name for all that a workshop has kept so far: another with every job and every entry."""
    jobs = select(func.count(JobRow.id)).join(Machine).where(_own(store))
    entries = select(func.count(EntryRow.id), func.max(EntryRow.created_at))
    entries = entries.join(JobRow, EntryRow.job_id == JobRow.id).join(Machine).where(_own(store))
    told = store.workshop_id, store.session.scalar(jobs), *store.session.execute(entries).one()
    return hashlib.sha256(repr(told).encode()).hexdigest()


def by_circuit(store: Store) -> dict[str, list[UUID]]:
    """The workshop's jobs by the file that each goes to: those of one revision of a circuit."""
    query = (
        select(CircuitRevision.circuit_id, CircuitRevision.revision, JobRow.id)
        .join(JobRow, JobRow.circuit_revision_id == CircuitRevision.id)
        .join(Machine)
        .where(_own(store))
        .order_by(CircuitRevision.circuit_id, CircuitRevision.revision, JobRow.created_at)
    )
    files: dict[str, list[UUID]] = {}
    for circuit, revision, job in store.session.execute(query):
        files.setdefault(f"{circuit}-r{revision}", []).append(job)
    return files


def _own(store: Store) -> ColumnElement[bool]:
    return Machine.workshop_id == store.workshop_id


def bundle_of(rows: Sequence[JobRow]) -> Bundle:
    """Jobs with their machines, records and circuits.

    Raises
    ------
    ConflictError : they were opened on different revisions of one circuit: one file holds one.
    """
    circuits: dict[str, CircuitRevision] = {}
    for row in rows:
        kept = circuits.setdefault(row.circuit_revision.circuit_id, row.circuit_revision)
        if kept.sha256 != row.circuit_revision.sha256:
            raise ConflictError(
                f"these jobs use different revisions of “{kept.circuit_id}”: write them one by one"
            )
    return Bundle(
        format="umweg-bundle/1",
        circuits=[Circuit.model_validate(r.document) for r in circuits.values()],
        jobs=[
            BundledJob(
                id=row.id,
                reference=row.reference,
                circuit=row.circuit_revision.circuit_id,
                machine=MachineCard(
                    name=row.machine.name,
                    owner=row.machine.owner,
                    serial=row.machine.serial,
                    hours=row.machine.hours,
                    recent_work=row.machine.recent_work,
                ),
                complaint=row.complaint,
                hours=row.hours,
                opened_at=row.created_at,
                entries=[
                    BundledEntry(
                        id=e.id,
                        data=ENTRY.validate_python(e.document),
                        supersedes=e.supersedes,
                        author=e.author,
                        created_at=e.created_at,
                    )
                    for e in row.entries
                ],
            )
            for row in rows
        ],
    )


def keep_bundle(store: Store, bundle: Bundle, keep_mine: bool = False) -> list[JobRow]:
    """Keep every job of a bundle, or nothing of it. Kept already, it is left as it is.

    Parameters
    ----------
    keep_mine : machines that are here under another name, owner or circuit stay as they are here

    Raises
    ------
    CircuitError, FormatError : as :func:`check_bundle`.
    MachineDiffersError : a machine with one of its serial numbers is not the same here; names what
        differs.
    """
    check_bundle(bundle)
    if not keep_mine and (differing := tuple(_differing(store, bundle))):
        raise MachineDiffersError("machines in the file are not as they are kept here", differing)
    circuits = {c.id: c for c in bundle.circuits}
    revisions = {
        (job.circuit, job.machine.serial): _revision(store, circuits[job.circuit], job.machine)
        for job in bundle.jobs
    }
    return [
        _keep_job(store, job, revisions[job.circuit, job.machine.serial]) for job in bundle.jobs
    ]


def _differing(store: Store, bundle: Bundle) -> Iterator[Problem]:
    """What is not the same here of the machines of a bundle."""
    told: set[str] = set()
    for job in bundle.jobs:
        card, there = job.machine, store.machine_of_serial(job.machine.serial)
        if there is None or card.serial in told:
            continue
        told.add(card.serial)
        base = there.circuit_id.removeprefix(OWN)
        same_circuit = base.startswith(job.circuit.removeprefix(OWN)[:34])
        for what, here, in_file, same in (
            ("name", there.name, card.name, there.name == card.name),
            ("owner", there.owner, card.owner, there.owner == card.owner),
            ("circuit", there.circuit_id, job.circuit, same_circuit),
        ):
            if not same:
                where = f"machine {card.serial}"
                words = f"its {what} is “{here}” here and “{in_file}” in the file"
                yield Problem("differs", where, words, "read it in once more and keep yours")


def own_id(circuit_id: str, serial: str) -> str:
    """Id of a machine's own circuit: another one of the same name is another machine's."""
    plain = re.sub(r"[^a-z0-9]+", "_", serial.lower()).strip("_")
    return f"{OWN}{circuit_id.removeprefix(OWN)[:34]}_{plain[:20]}".rstrip("_")


def _revision(store: Store, circuit: Circuit, machine: MachineCard) -> CircuitRevision:
    """The revision that is that document; a new one never comes before the library's own."""
    digest = circuit_sha256(circuit)
    found = store.session.scalars(
        select(CircuitRevision)
        .where(CircuitRevision.sha256 == digest, store.sees(CircuitRevision))
        .order_by(CircuitRevision.id.desc())
    ).first()
    if found is not None:
        return found
    own = circuit.model_copy(update={"id": own_id(circuit.id, machine.serial)})
    return keep_circuit(store.session, own, store.workshop_id)


def _keep_job(store: Store, job: BundledJob, revision: CircuitRevision) -> JobRow:
    session = store.session
    there_already = store.machine_of_serial(job.machine.serial)
    machine = there_already or store.add_machine(revision.circuit_id, job.machine)
    key = f"bundle-{job.id}"
    values: dict[str, Any] = {
        "machine_id": machine.id,
        "circuit_revision_id": revision.id,
        "complaint": job.complaint,
        "hours": job.machine.hours if job.hours is None else job.hours,
        "open_key": key,
        "created_at": job.opened_at,
    }
    there = session.scalars(
        select(JobRow).where(JobRow.id == job.id, JobRow.machine_id == machine.id)
    ).first()
    if there is None:
        taken = select(JobRow.id).where(JobRow.reference == job.reference)
        if job.reference is not None and session.scalars(taken).first() is None:
            values["reference"] = job.reference
        added = insert(JobRow).values(**values).on_conflict_do_nothing(index_elements=["open_key"])
        session.execute(added)
        there = session.scalars(select(JobRow).where(JobRow.open_key == key)).one()
    session.get(JobRow, there.id, with_for_update=True)
    session.expire(there, ["entries"])
    if there.machine_id != machine.id:
        raise ConflictError(f"the key of job {job.id} was used to open another one")
    # A key is whatever a client sent: it is compared, never taken apart.
    by_key = {e.idempotency_key: e.id for e in there.entries}
    kept = {e.id: e.id for e in there.entries}
    kept |= {e.id: by_key[k] for e in job.entries if (k := f"bundle-{e.id}") in by_key}
    last = max((e.sequence for e in there.entries), default=0)
    for entry in job.entries:
        if entry.id in kept:
            continue
        last += 1
        data = entry.data
        if isinstance(data, Acceptance):
            data = data.model_copy(update={"reading": kept[data.reading]})
        row = EntryRow(
            job_id=there.id,
            sequence=last,
            kind=data.kind,
            document=data.model_dump(mode="json"),
            supersedes=None if entry.supersedes is None else kept[entry.supersedes],
            idempotency_key=f"bundle-{entry.id}",
            author=entry.author,
            created_at=entry.created_at,
        )
        session.add(row)
        session.flush()
        kept[entry.id] = row.id
    session.expire(there, ["entries"])
    return there
