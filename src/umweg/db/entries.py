"""Entries of a job as documents, and the state of a job computed from them."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from umweg.core.observe.history import MOST_REPAIRS, Earlier, History
from umweg.core.observe.kinds.base import Observed
from umweg.core.observe.observations import OBSERVATIONS, AnyObservation, Observation
from umweg.core.record.proof import Kept
from umweg.db.models import EntryRow


class EntryDocument(BaseModel):
    """Base of the entries that are not observations."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class MakeSafe(EntryDocument):
    """A make-safe step that was done, or a line that was read.

    ``zero`` is what the gauge said where the step reads one: False, the line is not at zero.
    """

    kind: Literal["make_safe"] = "make_safe"
    text: str = Field(min_length=1, max_length=2000)
    step: str = Field(default="", max_length=200)
    zero: bool | None = None


class Acceptance(EntryDocument):
    """A reading outside its specification that is accepted, and why."""

    kind: Literal["acceptance"] = "acceptance"
    reading: UUID
    reason: str = Field(min_length=1, max_length=2000)


class Decision(EntryDocument):
    """The part isolated, and what is to be done."""

    kind: Literal["decision"] = "decision"
    component: str = Field(max_length=60)
    mode: str = Field(max_length=60)
    share: float = Field(ge=0, le=1)
    action: str = Field(min_length=1, max_length=2000)


class Repair(EntryDocument):
    """What was done to the machine: with it a new epoch begins.

    Readings after it speak of the machine as it is now, those before of the one that was.
    """

    kind: Literal["repair"] = "repair"
    component: str = Field(max_length=60)
    mode: str = Field(default="", max_length=60)
    text: str = Field(min_length=1, max_length=2000)


class InOrder(EntryDocument):
    """The machine is as it should be: nothing was found, or reference readings were taken.

    What was read of it, none outside its specification, becomes its own baseline.
    """

    kind: Literal["in_order"] = "in_order"
    text: str = Field(min_length=1, max_length=2000)


class Note(EntryDocument):
    """Anything worth keeping."""

    kind: Literal["note"] = "note"
    text: str = Field(min_length=1, max_length=4000)


class Withdrawal(EntryDocument):
    """The entry this one supersedes no longer counts."""

    kind: Literal["withdrawal"] = "withdrawal"
    reason: str = Field(default="", max_length=2000)


EntryData = Annotated[
    AnyObservation | MakeSafe | Acceptance | Decision | Repair | InOrder | Note | Withdrawal,
    Field(discriminator="kind"),
]
ENTRY: TypeAdapter[EntryData] = TypeAdapter(EntryData)
Conclusion = Decision | InOrder
CONCLUSIONS = ("decision", "in_order")
OBSERVATION_KINDS = tuple(str(kind.model_fields["kind"].default) for kind in OBSERVATIONS)


UNDECIDED_CURE = 0.5
"""How sure a repair is that no decision was written down for."""


@dataclass(frozen=True)
class Record:
    """The state of a job, computed from its entries."""

    entries: tuple[tuple[EntryRow, EntryData], ...]
    """Every entry, in order, with its document."""
    standing: frozenset[UUID]
    """The entries that still count: neither superseded nor withdrawn."""

    @property
    def standing_repairs(self) -> list[tuple[UUID, Repair]]:
        """What was repaired, in order, with the entry that says so."""
        return [
            (row.id, data)
            for row, data in self.entries
            if row.id in self.standing and isinstance(data, Repair)
        ]

    @property
    def repairs(self) -> list[Repair]:
        """What was repaired, in order."""
        return [data for _, data in self.standing_repairs]

    @property
    def epoch(self) -> int:
        """Sequence of the last repair; what came before speaks of the machine that was."""
        return self.epochs[1]

    @property
    def observations(self) -> list[Observation]:
        """The observations of the machine as it is now, each with its entry's id."""
        return [
            data.model_copy(update={"id": str(row.id)})
            for row, data in self.entries
            if row.id in self.standing and isinstance(data, Observed) and row.sequence > self.epoch
        ]

    @property
    def kept(self) -> list[Kept]:
        """All observations that stand, of whichever epoch, each with its entry's id."""
        return [
            Kept(row.sequence, data.model_copy(update={"id": str(row.id)}))
            for row, data in self.entries
            if row.id in self.standing and isinstance(data, Observed)
        ]

    @property
    def accepted(self) -> set[str]:
        """Readings outside their specification that are accepted with a reason."""
        return {
            str(data.reading)
            for row, data in self.entries
            if row.id in self.standing and isinstance(data, Acceptance)
        }

    @property
    def epochs(self) -> tuple[int, int]:
        """Sequence of the repair before the last one, and of the last one; 0 where there is none."""
        found = [
            row.sequence
            for row, data in self.entries
            if row.id in self.standing and isinstance(data, Repair)
        ]
        return (found[-2] if len(found) > 1 else 0), (found[-1] if found else 0)

    def history(
        self, hours: float, recent_work: str, baseline: tuple[Earlier, ...] = ()
    ) -> History:
        """What is known of the machine before what counts now was observed.

        Parameters
        ----------
        baseline : what it showed when an earlier job left it in order
        """
        repairs = self.repairs
        named = [f"{r.component}:{r.mode}" if r.mode else r.component for r in repairs]
        before = [
            data.share
            for row, data in self.entries
            if row.id in self.standing and isinstance(data, Decision) and row.sequence < self.epoch
        ]
        return History(
            hours=hours,
            recent_work=recent_work,
            renewed=tuple(named[-MOST_REPAIRS:]),
            cured=(before[-1] if before else UNDECIDED_CURE) if repairs else 0.0,
            baseline=baseline,
        )

    @property
    def conclusion(self) -> "Conclusion | None":
        """What the job came to, as it stands last: a part isolated, or nothing wrong."""
        found = [
            data
            for row, data in self.entries
            if row.id in self.standing and isinstance(data, Decision | InOrder)
        ]
        return found[-1] if found else None

    @property
    def decision(self) -> Decision | None:
        """The decision, where it is what the job came to."""
        return made if isinstance(made := self.conclusion, Decision) else None

    @property
    def in_order(self) -> InOrder | None:
        """That nothing is wrong, where it is what the job came to."""
        return made if isinstance(made := self.conclusion, InOrder) else None


def record_of(entries: Sequence[EntryRow]) -> Record:
    """Read a job's entries."""
    read = tuple((row, ENTRY.validate_python(row.document)) for row in entries)
    gone = {row.supersedes for row in entries if row.supersedes is not None}
    standing = frozenset(
        row.id for row, data in read if row.id not in gone and not isinstance(data, Withdrawal)
    )
    return Record(read, standing)
