"""Queries about what was worked out: answers, kept results, progress. All of it can be made again."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any
from uuid import UUID

from sqlalchemy import delete, func, select, text, update
from sqlalchemy.dialects.postgresql import distinct_on, insert
from sqlalchemy.orm import Session, undefer

from umweg.db.models import AnswerRow, CircuitRevision, KeptRow, ProgressRow

CHANNEL = "umweg_events"
ANSWERS_OF_A_JOB = 4
"""Answers kept for each job: as it stands, and a few that a withdrawal leads back to."""
ASKED_FOR = 400
"""Results kept for each circuit because a client's own states asked for them."""


def tell(session: Session, kind: str, what: UUID | int) -> None:
    """Tell every listening process, once this transaction is committed."""
    payload = f"{kind}:{what}"
    session.execute(text("SELECT pg_notify(:c, :p)"), {"c": CHANNEL, "p": payload})


def circuit_document(session: Session, sha256: str) -> dict[str, Any] | None:
    """The document of that hash."""
    query = select(CircuitRevision.document).where(CircuitRevision.sha256 == sha256)
    return session.scalars(query.limit(1)).first()


def ask(
    session: Session, key: str, job_id: UUID, basis: str, question: Mapping[str, Any]
) -> AnswerRow:
    """The row of a question; made when it is asked for the first time.

    A question that a withdrawal leads back to is the newest again.
    """
    if newest_question(session, job_id) != key:
        made = insert(AnswerRow).values(
            key=key,
            job_id=job_id,
            basis=basis,
            question=question,
            created_at=func.clock_timestamp(),
        )
        again = {"created_at": func.clock_timestamp()}
        session.execute(made.on_conflict_do_update(index_elements=["key"], set_=again))
        _drop_old_answers(session, job_id)
    return session.get_one(AnswerRow, key, options=[undefer(AnswerRow.diagnosis)])


def _drop_old_answers(session: Session, job_id: UUID) -> None:
    newest = (
        select(AnswerRow.key)
        .where(AnswerRow.job_id == job_id)
        .order_by(AnswerRow.created_at.desc())
        .limit(ANSWERS_OF_A_JOB)
    )
    old = delete(AnswerRow).where(AnswerRow.job_id == job_id, AnswerRow.key.not_in(newest))
    session.execute(old.execution_options(synchronize_session=False))


def answer_of(session: Session, key: str) -> AnswerRow | None:
    """A question with its answer, if it was ever asked."""
    options = [undefer(AnswerRow.diagnosis), undefer(AnswerRow.question)]
    return session.get(AnswerRow, key, options=options)


def newest_answers(session: Session, job_ids: Sequence[UUID]) -> dict[UUID, AnswerRow]:
    """The question that was asked last about each job, with the summary of its answer only."""
    query = (
        select(AnswerRow)
        .ext(distinct_on(AnswerRow.job_id))
        .where(AnswerRow.job_id.in_(job_ids))
        .order_by(AnswerRow.job_id, AnswerRow.created_at.desc())
    )
    return {row.job_id: row for row in session.scalars(query)}


def newest_question(session: Session, job_id: UUID) -> str | None:
    """Key of the question that was asked last about a job."""
    query = select(AnswerRow.key).where(AnswerRow.job_id == job_id)
    return session.scalars(query.order_by(AnswerRow.created_at.desc()).limit(1)).first()


def keep_answer(
    session: Session,
    key: str,
    *,
    diagnosis: Mapping[str, Any] | None,
    summary: Mapping[str, Any] | None,
    trouble: str | None,
) -> None:
    """Keep an answer, or why there is none, and tell who waits for it."""
    values = {"diagnosis": diagnosis, "summary": summary, "trouble": trouble}
    query = update(AnswerRow).where(AnswerRow.key == key).values(**values)
    job_id = session.scalar(query.returning(AnswerRow.job_id))
    if job_id is not None:
        tell(session, "answer", job_id)


def kept(session: Session, sha256: str, model: str, names: Iterable[str]) -> dict[str, bytes]:
    """The kept results of those names that are there."""
    query = select(KeptRow.name, KeptRow.content).where(
        KeptRow.circuit_sha256 == sha256, KeptRow.model == model, KeptRow.name.in_(list(names))
    )
    return {row.name: row.content for row in session.execute(query)}


def keep(
    session: Session, sha256: str, model: str, contents: Mapping[str, bytes], asked_for: bool
) -> None:
    """Keep results; what is there already stays. The oldest that clients asked for give way."""
    if not contents:
        return
    rows = [
        {
            "circuit_sha256": sha256,
            "model": model,
            "name": name,
            "content": content,
            "asked_for": asked_for,
        }
        for name, content in sorted(contents.items())
    ]
    made = insert(KeptRow)
    if not asked_for:
        # What is played for its own sake stays, though somebody asked for it before.
        own = made.on_conflict_do_update(
            index_elements=["circuit_sha256", "model", "name"], set_={"asked_for": False}
        )
        session.execute(own, rows)
    else:
        session.execute(made.on_conflict_do_nothing(), rows)
        mine = (KeptRow.circuit_sha256 == sha256, KeptRow.model == model, KeptRow.asked_for)
        newest = select(KeptRow.name).where(*mine).order_by(KeptRow.created_at.desc())
        old = delete(KeptRow).where(*mine, KeptRow.name.not_in(newest.limit(ASKED_FOR)))
        session.execute(old.execution_options(synchronize_session=False))


def drop_others(session: Session, sha256: str, name: str) -> None:
    """Throw away the results of a name but those of one hash: of what is made anew each time."""
    others = delete(KeptRow).where(KeptRow.name == name, KeptRow.circuit_sha256 != sha256)
    session.execute(others.execution_options(synchronize_session=False))


def drop_other_models(session: Session, model: str) -> None:
    """Throw away what another version of the computation found."""
    session.execute(delete(KeptRow).where(KeptRow.model != model))


def show_progress(session: Session, work_id: int, title: str, done: int, total: int) -> None:
    """How far a piece of work is."""
    values = {"title": title, "done": done, "total": total}
    made = insert(ProgressRow).values(id=work_id, **values)
    session.execute(
        made.on_conflict_do_update(index_elements=["id"], set_={**values, "updated_at": func.now()})
    )
    tell(session, "work", work_id)


def progress_of(session: Session, work_ids: Sequence[int]) -> dict[int, ProgressRow]:
    """How far some pieces of work are, by their number."""
    rows = session.scalars(select(ProgressRow).where(ProgressRow.id.in_(work_ids)))
    return {row.id: row for row in rows}


def drop_old_progress(session: Session) -> None:
    """Forget how far work was that ended a day ago."""
    old = ProgressRow.updated_at < func.now() - text("interval '1 day'")
    session.execute(delete(ProgressRow).where(old))
