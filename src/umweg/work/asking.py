"""Asking about a job: its question, what is known of the answer, and what is still to be done."""

import hashlib
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from sqlalchemy.orm import Session

from umweg.core.diagnose.question import Question, basis_of
from umweg.core.diagnose.report import DiagnosisView, FlowCurveView, StepView
from umweg.core.diagnose.tree import Place
from umweg.core.draft.runs import Runs
from umweg.core.observe.kinds.readings import Reading
from umweg.core.trace.curves import Watched
from umweg.core.version import model_version
from umweg.core.view import View
from umweg.db import kept
from umweg.db.entries import Record, record_of
from umweg.db.machine_record import history_of
from umweg.db.models import JobRow
from umweg.db.store import JobsWanted, Store
from umweg.work.queue import ANSWERS, PLAYS, Queue


@dataclass(frozen=True)
class Known:
    """What is kept about a question."""

    question: Question
    diagnosis: DiagnosisView | None
    trouble: str | None

    @property
    def settled(self) -> bool:
        """Nothing more is to come."""
        return self.diagnosis is not None or self.trouble is not None


def question_of(store: Store, row: JobRow, record: Record) -> Question:
    """The question about a job's circuit, with the shop's kit, as the job stands."""
    return Question(
        circuit_sha256=row.circuit_revision.sha256,
        model=model_version(),
        instruments=tuple(store.instruments),
        labour_per_min=store.workshop.labour_per_min,
        history=history_of(store, row, record),
        observations=tuple(record.observations),
    )


def basis_now(store: Store) -> str:
    """What all questions of the workshop have in common as it stands now."""
    shop = store.workshop.labour_per_min, store.experience
    return basis_of(model_version(), store.instruments, *shop)


def ask(session: Session, job_id: UUID, question: Question) -> Known:
    """Keep a question, and say what is known of its answer."""
    document = question.model_dump(mode="json")
    row = kept.ask(session, question.key, job_id, question.basis, document)
    found = None if row.diagnosis is None else DiagnosisView.model_validate(row.diagnosis)
    return Known(question, found, row.trouble)


def ask_about_open(store: Store, most: int = 200) -> list[tuple[UUID, Known]]:
    """Keep the questions about the open jobs, the newest first, and say what is known of them."""
    lines, _ = store.jobs(JobsWanted(decided=False, limit=most))
    return [(line.job.id, ask_again(store, line.job.id)) for line in lines if line.observations]


def ask_again(store: Store, job_id: UUID) -> Known:
    """Ask about a job as it stands, whatever was asked before."""
    row = store.job(job_id)
    question = question_of(store, row, record_of(row.entries))
    return ask(store.session, job_id, question)


def want(queue: Queue, job_id: UUID, known: Known) -> None:
    """Have what is still missing worked out."""
    if not known.settled:
        queue.put("work_out", ANSWERS, f"answer/{known.question.key}", key=known.question.key)


class TreeFound(View):
    """The way on as a tree, or why there is none."""

    place: Place | None
    trouble: str | None


def tree_name(key: str, depth: int) -> str:
    """Name under which the tree of a question is kept."""
    return f"tree/{key}/{depth}"


def want_tree(queue: Queue, key: str, depth: int) -> None:
    """Have the way on from a question worked out, so many steps deep."""
    queue.put("grow_tree", PLAYS, tree_name(key, depth), key=key, depth=depth)


class CurveFound(View):
    """What is watched in a timing on one machine, or why it cannot be drawn."""

    curve: Watched | None
    trouble: str | None


def curve_name(timing: str, fault: str) -> str:
    """Name under which a curve is kept; no fault is the machine as documented."""
    return f"curve/{timing}/{fault}"


def want_curve(queue: Queue, sha256: str, timing: str, fault: str) -> None:
    """Have what is watched in a timing drawn, healthy or with a fault (``part:mode=severity``)."""
    name = f"{sha256}/{model_version()}/{curve_name(timing, fault)}"
    queue.put("draw_curve", ANSWERS, name, sha256=sha256, timing=timing, fault=fault)


class OwnFound(View):
    """A reading of somebody's own as a step, or why it cannot be judged; of a flow at a meter also
    what it tells at several pressures."""

    step: StepView | None
    trouble: str | None
    curve: FlowCurveView | None = None


def own_name(key: str, reading: Reading) -> str:
    """Name under which a reading of one's own is kept, as it was judged for a question."""
    return f"own/{key}/{hashlib.sha256(repr(reading.topic()).encode()).hexdigest()[:20]}"


def want_own(queue: Queue, key: str, reading: Reading) -> None:
    """Have a reading of somebody's own judged."""
    document = reading.model_dump(mode="json")
    queue.put("judge_own", ANSWERS, own_name(key, reading), key=key, reading=document)


EXPORT = "export.zip"
"""Name under which everything that a workshop has kept is kept as a file, by how it stood."""


def want_export(queue: Queue, standing: str) -> None:
    """Have all jobs of the workshop written to files."""
    # Beside the answers: a shop that is played for the first time would keep it waiting for minutes.
    queue.put("export_all", ANSWERS, f"export/{standing}", standing=standing)


class DraftFound(View):
    """A circuit drafted from a list, how it runs, or why there is none; ``circuit`` is its document
    as JSON."""

    circuit: str | None
    notes: tuple[str, ...]
    trouble: str | None
    runs: Runs | None = None


DRAFT = "draft"


def listing_sha256(text: str, beside: str | None) -> str:
    """Under what the draft of a list is kept."""
    return hashlib.sha256(f"{beside}\n{text}".encode()).hexdigest()


def want_draft(queue: Queue, text: str, beside: str | None) -> None:
    """Have a circuit drafted from a list: its functions and states are found by trying.

    Parameters
    ----------
    beside : hash of the circuit it began with, whose functions and states are kept where they fit
    """
    name = f"draft/{listing_sha256(text, beside)}"
    queue.put("draft_listing", ANSWERS, name, text=text, beside=beside)


def want_played(queue: Queue, sha256: str) -> None:
    """Have a circuit played, so that whatever is observed on it finds its exhibits."""
    name = f"{sha256}/{model_version()}"
    queue.put("play", PLAYS, f"play/{name}", sha256=sha256)
    # What takes longest and is asked for last waits until every circuit has been played at rest.
    queue.put("play_in_time", PLAYS, f"play_in_time/{name}", priority=-1, sha256=sha256)


def summary_of(diagnosis: DiagnosisView) -> dict[str, Any]:
    """What the list of jobs shows of an answer."""
    leader = diagnosis.suspects[0] if diagnosis.suspects else None
    plan = diagnosis.plan
    step = None if plan is None else next((s for s in plan.next_steps if not s.refused), None)
    if plan is not None and plan.enough:
        following = "Decide: no further reading is worth its minutes"
    elif step is not None:
        following = f"{step.point_label} — {step.state_label}"
    else:
        following = None
    return {
        "leader": None if leader is None else leader.title,
        "share": None if leader is None else leader.share,
        "next": following,
    }
