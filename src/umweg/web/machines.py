"""A machine's page: its jobs, what was done, what was read again and again, its own baseline."""

from typing import Annotated

from fastapi import APIRouter, Path

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.calibrate import Settled, calibrate
from umweg.core.errors import UmwegError
from umweg.core.observe.exhibits import NotPlayedError
from umweg.core.observe.history import Earlier, History
from umweg.db.bundle import OWN, own_id
from umweg.db.entries import record_of
from umweg.db.machine_record import jobs_of, next_baseline, trends_of
from umweg.db.models import CircuitRevision, JobRow
from umweg.web.building import keep_listing
from umweg.web.context import Context, ContextOf
from umweg.web.problems import READS, WRITES
from umweg.web.schemas import (
    LARGEST_ID,
    DoneView,
    EarlierView,
    Listing,
    MachineChange,
    MachineRecordView,
    MachineView,
    PastJob,
)
from umweg.web.workshop import machine_view
from umweg.work.asking import want_played

router = APIRouter(prefix="/api/machines", tags=["machines"])

MachineId = Annotated[int, Path(ge=1, le=LARGEST_ID)]


@router.get("/{machine_id}", responses=READS)
def machine(machine_id: MachineId, context: ContextOf) -> MachineRecordView:
    """One machine with its jobs, its trends and its baseline."""
    store = context.store
    row = store.machine(machine_id)
    jobs = jobs_of(store, row)
    revision = store.newest_revision(row.circuit_id)
    circuit = context.circuit(revision)
    baseline = next_baseline(store, row)
    return MachineRecordView(
        machine=machine_view(row),
        circuit_name=circuit.name,
        jobs=[_past_job(context, job) for job in reversed(jobs)],
        trends=trends_of(jobs, store.instruments),
        baseline=[v for e in baseline if (v := _earlier(circuit, e))],
        settled=_settled(context, revision, History(hours=row.hours, baseline=baseline)),
    )


@router.patch("/{machine_id}", responses=WRITES)
def change_machine(machine_id: MachineId, change: MachineChange, context: ContextOf) -> MachineView:
    """Hours, work done lately, name or owner; the jobs that are there keep their own hours."""
    row = context.store.machine(machine_id)
    for name, value in change.model_dump(exclude_none=True).items():
        setattr(row, name, value)
    context.session.commit()
    return machine_view(row)


@router.put("/{machine_id}/circuit", responses=WRITES)
def change_circuit(machine_id: MachineId, listing: Listing, context: ContextOf) -> MachineView:
    """The machine's circuit as a list has it now: a new revision; jobs that are open keep theirs."""
    store = context.store
    row = store.machine(machine_id)
    # What another machine has too, or the library, is not changed along.
    alone = all(m.circuit_id != row.circuit_id for m in store.machines if m.id != row.id)
    mine = alone and row.circuit_id.startswith(OWN)
    revision = keep_listing(
        context,
        listing.text,
        listing.beside,
        lambda c: row.circuit_id if mine else own_id(c.id, row.serial),
    )
    digest = revision.sha256
    row.circuit_id = revision.circuit_id
    view = machine_view(row)
    context.session.commit()
    context.session.close()
    want_played(context.queue, digest)
    return view


def _label(circuit: Circuit, component_id: str) -> str:
    try:
        return circuit.component(component_id).label
    except UmwegError:
        return component_id


def _past_job(context: Context, job: JobRow) -> PastJob:
    record = record_of(job.entries)
    circuit = context.circuit(job.circuit_revision)
    made = record.decision
    when = {row.id: row.created_at for row, _ in record.entries}
    return PastJob(
        id=job.id,
        complaint=job.complaint,
        created_at=job.created_at,
        hours=job.hours,
        found=None if made is None else _label(circuit, made.component),
        in_order=None if record.in_order is None else record.in_order.text,
        done=[
            DoneView(part=_label(circuit, data.component), text=data.text, done_at=when[entry])
            for entry, data in record.standing_repairs
        ],
    )


def _settled(context: Context, revision: CircuitRevision, history: History) -> list[Settled] | None:
    exhibits = context.rankings.exhibits(context.suspects(revision), revision.sha256)
    try:
        return calibrate(exhibits, history, context.store.instruments)
    except NotPlayedError:
        want_played(context.queue, revision.sha256)
        return None


def _earlier(circuit: Circuit, earlier: Earlier) -> EarlierView | None:
    try:
        words = earlier.reading.words(circuit)
    except UmwegError:
        # It was read on another circuit than the machine has now.
        return None
    return EarlierView(
        words=words,
        hours=earlier.hours,
        renewed_since=[_label(circuit, c) for c in earlier.renewed_since],
    )
