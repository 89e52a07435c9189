"""Jobs: the list, one job, its entries, its diagnosis."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Header

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.evidence import noise_sd, weigh
from umweg.core.diagnose.report import (
    DiagnosisView,
    band_view,
    hypothesis_title,
    observation_words,
    report,
)
from umweg.core.errors import ObservationError
from umweg.core.observe.observations import Observation, Reading, measured
from umweg.core.observe.quantities import UNIT_OF_KIND
from umweg.core.shop.verdict import judge, specification_for
from umweg.db import store
from umweg.db.entries import (
    ENTRY,
    OBSERVATIONS,
    Acceptance,
    Decision,
    EntryData,
    Withdrawal,
    decision_of,
    observations_of,
    standing,
)
from umweg.db.models import EntryRow, JobRow, Machine
from umweg.web.context import Context, ContextOf
from umweg.web.schemas import (
    EntryAdded,
    EntryView,
    JobCard,
    JobView,
    NewEntryRequest,
    NewJob,
    StripView,
    VerdictView,
)
from umweg.web.workshop import machine_view

router = APIRouter(prefix="/api/jobs", tags=["jobs"])


@router.get("")
def jobs(context: ContextOf) -> list[JobCard]:
    """All jobs: what machine, what complaint, how far, what is next."""
    return [_card(context, row) for row in store.all_jobs(context.session)]


@router.post("", status_code=201)
def open_job(new: NewJob, context: ContextOf) -> JobView:
    """Open a job on a machine."""
    machine = context.session.get(Machine, new.machine_id)
    if machine is None:
        raise store.NotFoundError(f"there is no machine {new.machine_id}")
    row = store.open_job(context.session, machine, new.complaint)
    context.session.commit()
    return _job_view(context, row)


@router.get("/{job_id}")
def job(job_id: UUID, context: ContextOf) -> JobView:
    """One job with all its entries."""
    return _job_view(context, store.job(context.session, job_id))


@router.get("/{job_id}/diagnosis")
def diagnosis(job_id: UUID, context: ContextOf) -> DiagnosisView:
    """Suspects, reasons and next steps as the job stands."""
    return _diagnosis(context, store.job(context.session, job_id))


@router.post("/{job_id}/entries", status_code=201)
def add_entry(
    job_id: UUID,
    request: NewEntryRequest,
    context: ContextOf,
    idempotency_key: Annotated[str, Header(min_length=8, max_length=100)],
) -> EntryAdded:
    """Append an entry. The same ``Idempotency-Key`` twice keeps one entry."""
    row = store.job(context.session, job_id)
    _check_entry(context.doctor(row.circuit_revision), row, request.data)
    entry = store.add_entry(
        context.session,
        row,
        store.NewEntry(
            request.data,
            idempotency_key,
            request.supersedes,
            request.expected_sequence,
            request.author,
        ),
    )
    context.session.commit()
    view = next(e for e in _entry_views(context, row) if e.id == entry.id)
    return EntryAdded(entry=view, diagnosis=_diagnosis(context, row))


@router.get("/{job_id}/entries/{entry_id}/strip")
def strip(job_id: UUID, entry_id: UUID, context: ContextOf) -> StripView:
    """A reading beside what the healthy machine and each suspect predicted without it."""
    row = store.job(context.session, job_id)
    observations = observations_of(row.entries)
    reading = next((o for o in observations if o.id == str(entry_id)), None)
    if not isinstance(reading, Reading):
        raise store.NotFoundError(f"entry {entry_id} is not a reading that stands in this job")
    doctor = context.doctor(row.circuit_revision)
    quantity, value = measured(doctor.circuit, reading)
    before = [o for o in observations if o.id != reading.id]
    healthy, bands = doctor.strip(before, reading)
    return StripView(
        unit=UNIT_OF_KIND[quantity.kind],
        value=value,
        healthy=band_view(healthy),
        by_suspect=[view for b in bands if (view := band_view(b)) is not None],
    )


def _check_entry(doctor: Diagnostician, row: JobRow, data: EntryData) -> None:
    """Refuse an entry that names what this machine does not have, before anything is written.

    An observation is weighed once: what cannot be weighed would spoil every later diagnosis.
    """
    circuit = doctor.circuit
    if isinstance(data, OBSERVATIONS):
        try:
            observation_words(circuit, data)
        except (StopIteration, KeyError) as error:
            raise ObservationError(f"this machine has nothing like that: {data!r}") from error
        weigh(doctor.predictor, data, doctor.instruments)
    if isinstance(data, Acceptance) and data.reading not in {e.id for e in row.entries}:
        raise ObservationError(f"the job has no reading {data.reading} to accept")
    if isinstance(data, Decision) and data.component not in {c.id for c in circuit.components}:
        raise ObservationError(f"the machine has no component “{data.component}”")


def _diagnosis(context: Context, row: JobRow) -> DiagnosisView:
    doctor = context.doctor(row.circuit_revision)
    observations = observations_of(row.entries)
    return report(
        doctor.circuit, context.doctors.diagnose(row.id, doctor, observations), observations
    )


def _diagnose_later(context: Context, row: JobRow, observations: list[Observation]) -> None:
    """Work out the diagnosis of a job in the background, without the database."""
    doctors, job_id, ask = context.doctors, row.id, context.asking(row.circuit_revision)
    doctors.later(
        job_id, observations, lambda: doctors.diagnose(job_id, doctors.doctor(*ask), observations)
    )


def _card(context: Context, row: JobRow) -> JobCard:
    observations = observations_of(row.entries)
    decision = decision_of(row.entries)
    leader = share = step = None
    wanted = bool(observations) and decision is None
    result = context.doctors.kept(row.id, observations) if wanted else None
    trouble = context.doctors.trouble(row.id, observations)
    if wanted and result is None:
        step = trouble
        if trouble is None:
            _diagnose_later(context, row, observations)
    elif result is not None:
        if result.suspects:
            circuit = context.circuit(row.circuit_revision)
            leader = hypothesis_title(circuit, result.suspects[0].hypothesis)
            share = result.suspects[0].share
        first = next((s for s in result.steps if not s.refused), None)
        if result.enough:
            step = "Decide: no further reading is worth its minutes"
        elif first is not None:
            step = f"{first.point_label} — {first.state_label}"
    elif decision is None:
        step = "Take the complaint"
    return JobCard(
        id=row.id,
        machine=machine_view(row.machine),
        complaint=row.complaint,
        created_at=row.created_at,
        observations=len(observations),
        leader=leader,
        leader_share=share,
        next=step,
        pending=wanted and result is None and trouble is None,
        decision=decision,
    )


def _job_view(context: Context, row: JobRow) -> JobView:
    return JobView(
        id=row.id,
        machine=machine_view(row.machine),
        complaint=row.complaint,
        created_at=row.created_at,
        circuit_revision=row.circuit_revision_id,
        circuit_id=row.circuit_revision.circuit_id,
        revision=row.circuit_revision.revision,
        entries=_entry_views(context, row),
        decision=decision_of(row.entries),
    )


def _entry_views(context: Context, row: JobRow) -> list[EntryView]:
    circuit = context.circuit(row.circuit_revision)
    kit = {i.id: i for i in store.instruments_of(store.the_workshop(context.session))}
    live = {e.id for e, _ in standing(row.entries)}
    views = []
    for entry in row.entries:
        data = ENTRY.validate_python(entry.document)
        value = unit = verdict = None
        if isinstance(data, Reading):
            quantity, value = measured(circuit, data)
            unit = UNIT_OF_KIND[quantity.kind]
            spec = specification_for(circuit, quantity.kind, quantity.place, data.state)
            if spec is not None:
                sd = noise_sd(quantity, value, kit.get(data.instrument or ""))
                word = judge(spec, value, sd).word
                verdict = VerdictView(word=word, low=spec.low, high=spec.high, source=spec.source)
        views.append(
            EntryView(
                id=entry.id,
                sequence=entry.sequence,
                data=data,
                words=_words(circuit, data, entry),
                supersedes=entry.supersedes,
                standing=entry.id in live,
                value_base=value,
                unit_base=unit,
                verdict=verdict,
                author=entry.author,
                created_at=entry.created_at,
            )
        )
    return views


def _words(circuit: Circuit, data: EntryData, entry: EntryRow) -> str:
    if isinstance(data, OBSERVATIONS):
        return observation_words(circuit, data)
    if isinstance(data, Decision):
        return f"Isolated: {circuit.component(data.component).label}. {data.action}"
    if isinstance(data, Acceptance):
        return f"Accepted outside specification: {data.reason}"
    if isinstance(data, Withdrawal):
        return f"Withdrawn. {data.reason}".strip()
    return data.text
