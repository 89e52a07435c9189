"""What the shop found how often, beside what was to be expected; taken over only when it says so."""

from datetime import UTC, datetime

from fastapi import APIRouter, Response

from umweg.core.components import component_type
from umweg.core.diagnose.prior import expected_shares, experience_of
from umweg.core.observe.exhibits import NotPlayedError
from umweg.core.observe.history import Experience
from umweg.db.finds import finds_of
from umweg.db.store import ConflictError
from umweg.web.context import Context, ContextOf
from umweg.web.problems import READS, WRITES
from umweg.web.schemas import ExperienceLine, ExperienceView
from umweg.work.asking import want_played

router = APIRouter(prefix="/api/workshop/experience", tags=["workshop"])
LEAST_EXPECTED = 0.05
"""What was neither found nor to be expected in this many jobs is no line of the table."""


@router.get("", responses=READS)
def experience(context: ContextOf) -> ExperienceView:
    """Every fault that was found in a proved job or could have been, as counted now."""
    return _view(context, *_counted(context))


@router.post("", responses=WRITES)
def take_over(context: ContextOf) -> ExperienceView:
    """Believe by these counts from now on, in every open job; they stay until taken over again."""
    counted, pending = _counted(context)
    if pending:
        raise ConflictError("some of the machines are still being played; try again when they are")
    context.store.workshop.experience = {
        "counted": [e.model_dump() for e in counted],
        "taken_at": datetime.now(UTC).isoformat(),
    }
    context.session.commit()
    return _view(context, counted, pending)


@router.delete("", status_code=204, response_class=Response, responses=WRITES)
def leave(context: ContextOf) -> None:
    """Believe by the library's own rates again; what was found stays in the jobs."""
    context.store.workshop.experience = None
    context.session.commit()


def _counted(context: Context) -> tuple[tuple[Experience, ...], int]:
    """The counts, and on how many circuits they wait."""
    shares, pending = [], 0
    for finds in finds_of(context.store):
        exhibits = context.rankings.exhibits(
            context.suspects(finds.revision), finds.revision.sha256
        )
        try:
            shares.append((expected_shares(exhibits), finds.kinds))
        except NotPlayedError:
            want_played(context.queue, finds.revision.sha256)
            pending += 1
    counted = experience_of(shares)
    return tuple(e for e in counted if e.found or e.expected >= LEAST_EXPECTED), pending


def _view(context: Context, counted: tuple[Experience, ...], pending: int) -> ExperienceView:
    taken = context.store.workshop.experience
    in_use = {(e.type, e.mode): e.factor for e in context.store.experience}
    lines = [_line(e, in_use.get((e.type, e.mode))) for e in counted]
    return ExperienceView(
        jobs=sum(e.found for e in counted),
        pending=pending,
        taken_at=None if taken is None else taken["taken_at"],
        taken_jobs=sum(e.found for e in context.store.experience),
        lines=sorted(lines, key=lambda line: (-line.found, -line.expected)),
    )


def _line(one: Experience, in_use: float | None) -> ExperienceLine:
    kind = component_type(one.type)
    (mode,) = [m for m in kind.fault_modes if m.name == one.mode]
    return ExperienceLine(
        type=one.type,
        mode=one.mode,
        part=kind.label,
        fault=mode.label,
        found=one.found,
        expected=one.expected,
        factor=one.factor,
        in_use=1.0 if in_use is None else in_use,
    )
