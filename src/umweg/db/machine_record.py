"""A machine over all its jobs: what was read at the same place again, and its own baseline."""

from collections.abc import Hashable, Sequence
from datetime import datetime
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import contains_eager, joinedload

from umweg.core.circuit.document import Circuit
from umweg.core.errors import UmwegError
from umweg.core.observe.history import Earlier, History
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.quantities import Quantity, place_label
from umweg.core.observe.quantity_kinds import UNIT_OF_KIND
from umweg.core.shop.verdict import Word, verdict_of
from umweg.core.view import View
from umweg.db.entries import Decision, Record, record_of
from umweg.db.models import EntryRow, JobRow, Machine
from umweg.db.store import Store

_LEFT_IN_ORDER = (
    select(EntryRow.job_id).where(EntryRow.kind.in_(("repair", "in_order"))).scalar_subquery()
)
MOST_EARLIER = 12
"""Readings that make a baseline, the newest: more bind hardly anything further."""


class PastReading(View):
    """One reading of a trend, in the base unit of its quantity."""

    job: UUID
    entry: UUID
    read_at: datetime
    hours: float
    value: float
    verdict: Word | None
    after_repair: bool
    machine_id: int
    machine: str


class Trend(View):
    """What was read at one place in one state, in the order of time, and its specification."""

    quantity: str
    unit: str
    place: str
    place_label: str
    state: str
    state_label: str
    low: float | None
    high: float | None
    source: str
    readings: list[PastReading]


def jobs_of(store: Store, machine: Machine) -> Sequence[JobRow]:
    """All jobs of a machine with their records, the oldest first."""
    return _with_records(store, JobRow.machine_id == machine.id)


def jobs_of_circuit(store: Store, circuit_id: str) -> list[JobRow]:
    """All jobs of the machines that have a circuit, with their records, the oldest first."""
    return list(_with_records(store, Machine.circuit_id == circuit_id))


def baseline_of(store: Store, row: JobRow, record: Record) -> tuple[Earlier, ...]:
    """What a job's machine showed when an earlier job left it in order."""
    before = _with_records(
        store,
        JobRow.machine_id == row.machine_id,
        JobRow.id != row.id,
        JobRow.created_at <= row.created_at,
        JobRow.id.in_(_LEFT_IN_ORDER),
    )
    return left_by(before, {r.component for r in record.repairs}, store.instruments)


def history_of(store: Store, row: JobRow, record: Record) -> History:
    """What is known of a job's machine before what counts now was observed."""
    machine = row.machine
    own = record.history(machine.hours, machine.recent_work, baseline_of(store, row, record))
    return own.model_copy(update={"experience": store.experience})


def next_baseline(store: Store, machine: Machine) -> tuple[Earlier, ...]:
    """What a job that is opened now would begin with."""
    jobs = _with_records(store, JobRow.machine_id == machine.id, JobRow.id.in_(_LEFT_IN_ORDER))
    return left_by(jobs, set(), store.instruments)


def left_by(
    jobs: Sequence[JobRow], renewed: set[str], instruments: Sequence[Instrument]
) -> tuple[Earlier, ...]:
    """Readings of jobs that left the machine in order, the newest of each place and state.

    A job left it in order that came to nothing wrong; or that repaired something, after which no
    other part was found and no move was told to be as it should not. Either way nothing may have
    been read outside its specification since.
    """
    since = set(renewed)
    found: dict[Hashable, Earlier] = {}
    for job in reversed(jobs):
        past = record_of(job.entries)
        readings = _in_order(job, past, instruments) if was_left_in_order(past) else []
        for reading in readings:
            there = Earlier(reading=reading, hours=job.hours, renewed_since=tuple(sorted(since)))
            found.setdefault(reading.topic(), there)
        since |= {r.component for r in past.repairs}
    return tuple(list(found.values())[:MOST_EARLIER])


def was_left_in_order(record: Record) -> bool:
    """Nothing was wrong; or something was repaired, and nothing told since that it was not that."""
    if record.in_order is not None:
        return True
    since = [
        data
        for row, data in record.entries
        if row.id in record.standing and row.sequence > record.epoch
    ]
    contradicted = any(
        isinstance(data, Decision) or (isinstance(data, Behaviour) and data.how != "as_usual")
        for data in since
    )
    return bool(record.repairs) and not contradicted


def _in_order(job: JobRow, record: Record, instruments: Sequence[Instrument]) -> list[Reading]:
    """Readings after a job's last repair, newest first; none where one failed, in time as well."""
    circuit = Circuit.model_validate(job.circuit_revision.document)
    judged = passed(circuit, record, instruments) or []
    # What is read in time is not played for every circuit at once, a state of one's own never: the
    # next job would wait for it.
    return [
        o
        for o, quantity in reversed(judged)
        if not quantity.timed and isinstance(o.state, str) and o.state in circuit.steady
    ]


def passed(
    circuit: Circuit, record: Record, instruments: Sequence[Instrument]
) -> list[tuple[Reading, Quantity]] | None:
    """Readings since the last repair with what they are of, where none failed its specification."""
    readings = [o for o in record.observations if isinstance(o, Reading)]
    try:
        judged = [(o, *verdict_of(circuit, o, instruments)) for o in readings]
    except UmwegError:
        return None
    if any(v is not None and v.word in ("low", "high") for *_, v in judged):
        return None
    return [(o, quantity) for o, quantity, *_ in judged]


def trends_of(jobs: Sequence[JobRow], instruments: Sequence[Instrument]) -> list[Trend]:
    """Every place and state that was read more than once, those with a specification first."""
    trends: dict[tuple[str, str, str], Trend] = {}
    for job in jobs:
        record = record_of(job.entries)
        circuit = Circuit.model_validate(job.circuit_revision.document)
        for row, data in record.entries:
            if row.id not in record.standing or not isinstance(data, Reading):
                continue
            if not isinstance(data.state, str) or data.state not in circuit.states:
                continue
            try:
                quantity, value, verdict = verdict_of(circuit, data, instruments)
            except UmwegError:
                continue
            spec = None if verdict is None else verdict.specification
            key = (quantity.kind, quantity.place, data.state)
            trend = trends.setdefault(
                key,
                Trend(
                    quantity=quantity.kind,
                    unit=UNIT_OF_KIND[quantity.kind],
                    place=quantity.place,
                    place_label=place_label(circuit, quantity),
                    state=data.state,
                    state_label=circuit.states[data.state].label,
                    low=None if spec is None else spec.low,
                    high=None if spec is None else spec.high,
                    source="" if spec is None else spec.source,
                    readings=[],
                ),
            )
            trend.readings.append(
                PastReading(
                    job=job.id,
                    entry=row.id,
                    read_at=row.created_at,
                    hours=job.hours,
                    value=value,
                    verdict=None if verdict is None else verdict.word,
                    after_repair=bool(record.repairs) and row.sequence > record.epoch,
                    machine_id=job.machine_id,
                    machine=f"{job.machine.name}, {job.machine.serial}",
                )
            )
    found = [t for t in trends.values() if len(t.readings) > 1]
    return sorted(found, key=lambda t: (not t.source, -len(t.readings), t.place, t.state))


def newest_repaired(store: Store, most: int) -> Sequence[JobRow]:
    """The newest jobs that repaired something, with their records, the newest first."""
    repaired = select(EntryRow.job_id).where(EntryRow.kind == "repair").scalar_subquery()
    return _with_records(store, JobRow.id.in_(repaired), newest=most)


def _with_records(store: Store, *where: object, newest: int | None = None) -> Sequence[JobRow]:
    """Jobs with their records, the oldest first; or only so many of the newest, these first."""
    query = (
        select(JobRow)
        .join(Machine)
        .where(Machine.workshop_id == store.workshop_id, *where)  # type: ignore[arg-type]
        .options(
            joinedload(JobRow.circuit_revision),
            joinedload(JobRow.entries),
            contains_eager(JobRow.machine),
        )
        .order_by(JobRow.created_at if newest is None else JobRow.created_at.desc(), JobRow.id)
        .limit(newest)
    )
    return store.session.scalars(query).unique().all()
