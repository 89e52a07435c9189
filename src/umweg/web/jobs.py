"""Jobs: the list, one job, its entries, what is known about it."""

from collections.abc import Sequence
from typing import Annotated
from uuid import UUID

import structlog
from fastapi import APIRouter, Header, Query

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.doubts import doubts_of
from umweg.core.diagnose.ranking import rank
from umweg.core.diagnose.report import DiagnosisView, band_view
from umweg.core.diagnose.tree import MOST_DEPTH
from umweg.core.draft.changes import Change, changes_of
from umweg.core.errors import ObservationError, UmwegError
from umweg.core.observe.exhibits import NotPlayedError, Suspects
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.base import Observed
from umweg.core.observe.kinds.readings import Reading, measured
from umweg.core.observe.quantity_kinds import UNIT_OF_KIND
from umweg.core.record.proof import Word
from umweg.core.shop.verdict import Verdict, verdict_of
from umweg.db import kept
from umweg.db.entries import (
    ENTRY,
    Acceptance,
    Decision,
    EntryData,
    InOrder,
    Repair,
    Withdrawal,
    record_of,
)
from umweg.db.models import AnswerRow, EntryRow, JobRow
from umweg.db.store import ConflictError, JobLine, JobsWanted, NewEntry, NotFoundError
from umweg.web.context import Context, ContextOf
from umweg.web.problems import READS, WRITES
from umweg.web.proofs import proof_view
from umweg.web.schemas import (
    AnswerView,
    Doubts,
    EntryAdded,
    EntryView,
    JobCard,
    JobList,
    JobView,
    JudgedView,
    NewEntryRequest,
    NewJob,
    Pending,
    ProofView,
    StripView,
    TreeView,
    VerdictView,
)
from umweg.web.workshop import machine_view
from umweg.work.asking import (
    Known,
    OwnFound,
    TreeFound,
    ask,
    ask_again,
    basis_now,
    own_name,
    question_of,
    tree_name,
    want,
    want_own,
    want_played,
    want_tree,
)
from umweg.work.exhibits import document_of

log = structlog.get_logger("umweg.web")

router = APIRouter(prefix="/api/jobs", tags=["jobs"])

Key = Annotated[str, Header(min_length=8, max_length=100, pattern=r"^[\x21-\x7e]+$")]
NO_RANKING = "the ranking failed: a fault of the program, which is in its log"
PAGE = 25


@router.get("", responses=READS)
def jobs(
    context: ContextOf,
    search: Annotated[str, Query(max_length=200, pattern=r"^[^\x00]*$")] = "",
    decided: bool | None = None,
    offset: Annotated[int, Query(ge=0, le=10**9)] = 0,
) -> JobList:
    """Some of the jobs, newest first: what machine, what complaint, how far, what is next."""
    store, session = context.store, context.session
    lines, total = store.jobs(JobsWanted(search, decided, PAGE, offset))
    wanted = {line.job.id for line in lines if line.observations and line.conclusion is None}
    basis = basis_now(store)
    answers = {
        job_id: row
        for job_id, row in kept.newest_answers(session, list(wanted)).items()
        if row.basis == basis
    }
    missing = [(job_id, ask_again(store, job_id)) for job_id in wanted - answers.keys()]
    cards = [
        _card(line, answers.get(line.job.id), line.job.id in wanted, _proof_word(context, line))
        for line in lines
    ]
    session.commit()
    session.close()
    for job_id, known in missing:
        want(context.queue, job_id, known)
    return JobList(jobs=cards, total=total, offset=offset)


@router.post("", status_code=201, responses=WRITES)
def open_job(new: NewJob, context: ContextOf, idempotency_key: Key) -> JobView:
    """Open a job on a machine. The same ``Idempotency-Key`` twice opens one job."""
    machine = context.store.machine(new.machine_id)
    row = context.store.open_job(machine, new.complaint, idempotency_key)
    context.session.commit()
    return _job_view(context, row)


@router.get("/{job_id}", responses=READS)
def job(job_id: UUID, context: ContextOf) -> JobView:
    """One job with all its entries."""
    return _job_view(context, context.store.job(job_id))


@router.get("/{job_id}/changes", responses=READS)
def changes(job_id: UUID, context: ContextOf) -> list[Change]:
    """What differs between the circuit of a job and the one that its machine has by now."""
    row = context.store.job(job_id)
    newest = context.store.newest_revision(row.machine.circuit_id)
    return changes_of(context.circuit(row.circuit_revision), context.circuit(newest))


@router.get("/{job_id}/diagnosis", responses=READS)
def diagnosis(job_id: UUID, context: ContextOf) -> AnswerView:
    """Suspects, reasons and next steps as the job stands, as far as they are known."""
    row = context.store.job(job_id)
    suspects = context.suspects(row.circuit_revision)
    record = record_of(row.entries)
    question = question_of(context.store, row, record)
    known = ask(context.session, row.id, question)
    proof = proof_view(context, row, record)
    context.session.commit()
    context.session.close()
    return _answer(context, suspects, job_id, known, proof)


@router.get("/{job_id}/tree", responses=READS)
def tree(
    job_id: UUID, context: ContextOf, depth: Annotated[int, Query(ge=1, le=MOST_DEPTH)] = 2
) -> TreeView:
    """The remaining plan as a tree: if a step shows this, then what, so many steps deep."""
    row = context.store.job(job_id)
    question = question_of(context.store, row, record_of(row.entries))
    ask(context.session, row.id, question)
    context.session.commit()
    context.session.close()
    try:
        arrays = context.rankings.kept(question.circuit_sha256, tree_name(question.key, depth))
    except NotPlayedError:
        want_tree(context.queue, question.key, depth)
        return TreeView(pending=True, place=None, trouble=None)
    found = TreeFound.model_validate_json(document_of(arrays))
    return TreeView(pending=False, place=found.place, trouble=found.trouble)


@router.post("/{job_id}/entries", status_code=201, responses=WRITES)
def add_entry(
    job_id: UUID, request: NewEntryRequest, context: ContextOf, idempotency_key: Key
) -> EntryAdded:
    """Append an entry. The same ``Idempotency-Key`` twice keeps one entry.

    It is kept and answered with the ranking; the plan follows, and its coming is told among the
    events.
    """
    store = context.store
    row = store.job(job_id)
    suspects = context.suspects(row.circuit_revision)
    _check_entry(suspects, row, request.data)
    if isinstance(request.data, InOrder):
        _check_in_order(context, suspects, row)
    entry = store.add_entry(
        row,
        NewEntry(
            request.data,
            idempotency_key,
            request.supersedes,
            request.expected_sequence,
            store.workshop.name,
        ),
    )
    record = record_of(row.entries)
    known = ask(context.session, row.id, question_of(store, row, record))
    kept.tell(context.session, "entry", row.id)
    data = ENTRY.validate_python(entry.document)
    view = _entry_view(
        suspects.circuit, store.instruments, entry, data, entry.id in record.standing
    )
    proof = proof_view(context, row, record)
    context.session.commit()
    context.session.close()
    return EntryAdded(entry=view, answer=_answer(context, suspects, job_id, known, proof))


@router.post("/{job_id}/judged", responses=WRITES)
def judged(job_id: UUID, reading: Reading, context: ContextOf) -> JudgedView:
    """What a reading of one's own would show, tell and risk, before it is taken.

    Nothing is stored; its value is not looked at.
    """
    row = context.store.job(job_id)
    question = question_of(context.store, row, record_of(row.entries))
    ask(context.session, row.id, question)
    suspects = context.suspects(row.circuit_revision)
    context.session.commit()
    context.session.close()
    asked = reading.model_copy(update={"id": "new", "value": 0.0, "repeats": []})
    asked.check(suspects)
    try:
        arrays = context.rankings.kept(question.circuit_sha256, own_name(question.key, asked))
    except NotPlayedError:
        want_own(context.queue, question.key, asked)
        return JudgedView(pending=True, step=None, trouble=None, curve=None)
    found = OwnFound.model_validate_json(document_of(arrays))
    return JudgedView(pending=False, step=found.step, trouble=found.trouble, curve=found.curve)


@router.post("/{job_id}/doubts", responses=WRITES)
def doubts(job_id: UUID, reading: Reading, context: ContextOf) -> Doubts:
    """What speaks against a reading before it is kept; it can be kept all the same.

    Nothing is stored. Where the exhibits are not there yet, nothing speaks against it.
    """
    row = context.store.job(job_id)
    suspects = context.suspects(row.circuit_revision)
    record = record_of(row.entries)
    observations = record.observations
    question = question_of(context.store, row, record)
    kit, history = question.instruments, question.history
    exhibits = context.rankings.exhibits(suspects, question.circuit_sha256)
    context.session.close()
    reading.check(suspects)
    try:
        ranking = rank(exhibits, observations, kit, history=history)
        found = doubts_of(exhibits, ranking, reading, kit)
    except NotPlayedError:
        return Doubts(doubts=[])
    return Doubts(doubts=[d.words for d in found])


@router.get("/{job_id}/entries/{entry_id}/strip", responses=READS)
def strip(job_id: UUID, entry_id: UUID, context: ContextOf) -> StripView:
    """A reading beside what the healthy machine and each suspect predicted without it."""
    row = context.store.job(job_id)
    suspects = context.suspects(row.circuit_revision)
    record = record_of(row.entries)
    observations = record.observations
    question = question_of(context.store, row, record)
    sha256, kit, history = question.circuit_sha256, question.instruments, question.history
    context.session.close()
    reading = next((o for o in observations if o.id == str(entry_id)), None)
    if not isinstance(reading, Reading):
        raise NotFoundError(f"entry {entry_id} is not a reading that stands in this job")
    quantity, value = measured(suspects.circuit, reading)
    exhibits = context.rankings.exhibits(suspects, sha256)
    try:
        evidence = reading.weigh(exhibits, kit)
        others = [o for o in observations if o.id != reading.id]
        healthy, bands = rank(exhibits, others, kit, history=history).bands(evidence)
    except NotPlayedError:
        want_played(context.queue, sha256)
        raise NotFoundError("what each suspect would show is still being worked out") from None
    return StripView(
        unit=UNIT_OF_KIND[quantity.kind],
        value=value,
        healthy=band_view(healthy),
        by_suspect=[view for b in bands if (view := band_view(b)) is not None],
    )


def _check_entry(suspects: Suspects, row: JobRow, data: EntryData) -> None:
    """Refuse an entry that names what this machine does not have, before anything is written."""
    if isinstance(data, Observed):
        data.check(suspects)
    if isinstance(data, Acceptance) and data.reading not in {e.id for e in row.entries}:
        raise ObservationError(f"the job has no reading {data.reading} to accept")
    if isinstance(data, Decision | Repair):
        known = {c.id for c in suspects.circuit.components}
        if data.component not in known:
            raise ObservationError(f"the machine has no component “{data.component}”")


def _check_in_order(context: Context, suspects: Suspects, row: JobRow) -> None:
    """Refuse “in order” while a reading stands outside its specification without an acceptance, or
    nothing modelled explains what was seen.

    Raises
    ------
    ConflictError : names what stands against it.
    """
    record, kit = record_of(row.entries), context.store.instruments
    newest = {o.shown_again_by: o for o in record.observations}
    for observed in newest.values():
        if not isinstance(observed, Reading) or observed.id in record.accepted:
            continue
        try:
            verdict = verdict_of(suspects.circuit, observed, kit)[2]
        except UmwegError:
            continue
        if verdict is not None and verdict.word not in ("pass", "marginal"):
            raise ConflictError(
                f"not in order: “{observed.words(suspects.circuit)}” is outside its specification; "
                "read it again, or accept it with a reason"
            )
    found, _ = _ranking(
        context, suspects, Known(question_of(context.store, row, record), None, None)
    )
    if found is not None and not found.explained:
        raise ConflictError(
            "not in order: nothing modelled explains what was seen; read again what does not fit"
        )


def _answer(
    context: Context, suspects: Suspects, job_id: UUID, known: Known, proof: ProofView | None
) -> AnswerView:
    """What is kept about a question, or the ranking alone, and what is still to come."""
    pending: list[Pending] = []
    found, trouble = known.diagnosis, known.trouble
    if found is None:
        found, fault = _ranking(context, suspects, known)
        trouble = trouble or fault
        if found is None and trouble is None:
            pending.append("ranking")
            want_played(context.queue, known.question.circuit_sha256)
    if not known.settled:
        pending.append("plan")
        want(context.queue, job_id, known)
    return AnswerView(
        question=known.question.key,
        diagnosis=found,
        pending=pending,
        trouble=trouble,
        proof=proof,
    )


def _ranking(
    context: Context, suspects: Suspects, known: Known
) -> tuple[DiagnosisView | None, str | None]:
    try:
        return context.rankings.rank(suspects, known.question), None
    except NotPlayedError:
        return None, None
    except UmwegError as error:
        return None, str(error)
    except Exception:
        # No entry may ever make a job unusable: it is kept, and can be withdrawn.
        log.exception("ranking", question=known.question.key)
        return None, NO_RANKING


def _proof_word(context: Context, line: JobLine) -> Word | None:
    """Whether a job that came to a part is proved."""
    if not isinstance(line.conclusion, Decision):
        return None
    proof = proof_view(context, line.job, record_of(line.job.entries))
    return None if proof is None else proof.word


def _card(line: JobLine, answer: AnswerRow | None, wanted: bool, proof: Word | None) -> JobCard:
    summary = (answer.summary if answer is not None else None) or {}
    trouble = None if answer is None else answer.trouble
    following = summary.get("next") or trouble
    if not wanted and line.conclusion is None:
        following = "Take the complaint"
    return JobCard(
        id=line.job.id,
        machine=machine_view(line.machine),
        complaint=line.job.complaint,
        created_at=line.job.created_at,
        observations=line.observations,
        leader=summary.get("leader"),
        leader_share=summary.get("share"),
        next=following,
        pending=wanted and not summary and trouble is None,
        decision=made if isinstance(made := line.conclusion, Decision) else None,
        in_order=made if isinstance(made := line.conclusion, InOrder) else None,
        proof=proof,
    )


def _job_view(context: Context, row: JobRow) -> JobView:
    record = record_of(row.entries)
    circuit, kit = context.circuit(row.circuit_revision), context.store.instruments
    newest = context.store.newest_revision(row.machine.circuit_id)
    return JobView(
        id=row.id,
        machine=machine_view(row.machine),
        complaint=row.complaint,
        created_at=row.created_at,
        circuit_revision=row.circuit_revision_id,
        circuit_id=row.circuit_revision.circuit_id,
        revision=row.circuit_revision.revision,
        entries=[
            _entry_view(circuit, kit, entry, data, entry.id in record.standing)
            for entry, data in record.entries
        ],
        decision=record.decision,
        in_order=record.in_order,
        circuit_changed=newest.sha256 != row.circuit_revision.sha256,
    )


def _entry_view(
    circuit: Circuit, kit: Sequence[Instrument], entry: EntryRow, data: EntryData, standing: bool
) -> EntryView:
    value = unit = verdict = None
    if isinstance(data, Reading):
        try:
            value, unit, verdict = _judged(circuit, kit, data)
        except UmwegError:
            # It fits the machine no longer; it is shown as taken.
            log.warning("reading", entry=str(entry.id))
    return EntryView(
        id=entry.id,
        sequence=entry.sequence,
        data=data,
        words=_words(circuit, data),
        looked=isinstance(data, Observed) and data.looked,
        supersedes=entry.supersedes,
        standing=standing,
        value_base=value,
        unit_base=unit,
        verdict=verdict,
        author=entry.author,
        created_at=entry.created_at,
    )


def _judged(
    circuit: Circuit, kit: Sequence[Instrument], reading: Reading
) -> tuple[float, str, VerdictView | None]:
    """A reading in base units, and its verdict where there is a specification."""
    quantity, value, verdict = verdict_of(circuit, reading, kit)
    return value, UNIT_OF_KIND[quantity.kind], verdict_view(verdict)


def verdict_view(verdict: Verdict | None) -> VerdictView | None:
    """A verdict as the API gives it."""
    if verdict is None:
        return None
    spec = verdict.specification
    return VerdictView(word=verdict.word, low=spec.low, high=spec.high, source=spec.source)


def _words(circuit: Circuit, data: EntryData) -> str:
    if isinstance(data, Observed):
        try:
            return data.words(circuit)
        except UmwegError as error:
            return f"Does not fit the machine: {error.message}"
    if isinstance(data, Decision):
        return f"Isolated: {circuit.component(data.component).label}. {data.action}"
    if isinstance(data, Repair):
        return f"Repaired: {circuit.component(data.component).label}. {data.text}"
    if isinstance(data, InOrder):
        return f"In order: {data.text}"
    if isinstance(data, Acceptance):
        return f"Accepted outside specification: {data.reason}"
    if isinstance(data, Withdrawal):
        return f"Withdrawn. {data.reason}".strip()
    return data.text
