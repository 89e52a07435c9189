"""Work in the background: what is under way, how far, and stopping it."""

from typing import Annotated

from fastapi import APIRouter, Path

from umweg.db import kept
from umweg.db.models import ProgressRow
from umweg.db.store import NotFoundError
from umweg.web.context import ContextOf
from umweg.web.problems import READS, WRITES
from umweg.web.schemas import LARGEST_ID, WorkView
from umweg.work.asking import want_played
from umweg.work.queue import Work

router = APIRouter(prefix="/api/queue", tags=["work"])

WorkId = Annotated[int, Path(ge=1, le=2**63 - 1)]
RevisionId = Annotated[int, Path(ge=1, le=LARGEST_ID)]
TITLES = {
    "work_out": "Working out the next step",
    "play": "Playing a circuit",
    "play_in_time": "Playing a circuit in time",
    "draft_listing": "Drafting a machine from its list",
    "grow_tree": "Working out the way on",
}


@router.get("", responses=READS)
def work(context: ContextOf) -> list[WorkView]:
    """What waits, is being done, or went wrong."""
    found = [w for w in context.queue.list() if w.status not in ("succeeded", "cancelled")]
    progress = kept.progress_of(context.session, [w.id for w in found])
    return [_view(w, progress.get(w.id)) for w in found]


def _view(work: Work, progress: ProgressRow | None) -> WorkView:
    return WorkView(
        id=work.id,
        task=work.task,
        title=TITLES.get(work.task, work.task) if progress is None else progress.title,
        status=work.status,
        done=0 if progress is None else progress.done,
        total=0 if progress is None else progress.total,
    )


@router.post("/{work_id}/cancel", status_code=204, responses=WRITES)
def cancel(work_id: WorkId, context: ContextOf) -> None:
    """Stop a piece of work; what it has done so far is kept."""
    context.session.close()
    if not context.queue.cancel(work_id):
        raise NotFoundError(f"no work {work_id} is waiting or under way")


@router.post("/circuits/{revision_id}/play", status_code=204, responses=WRITES)
def play(revision_id: RevisionId, context: ContextOf) -> None:
    """Have a circuit played (again, where it was stopped or failed)."""
    revision = context.store.revision(revision_id)
    context.session.close()
    want_played(context.queue, revision.sha256)
