"""What a workshop found: the faults of its jobs that were decided, repaired and proved."""

from collections.abc import Sequence
from dataclasses import dataclass

from umweg.core.circuit.document import Circuit
from umweg.core.components import component_type
from umweg.core.observe.instruments import Instrument
from umweg.db.entries import Decision, Record, record_of
from umweg.db.machine_record import newest_repaired, passed, was_left_in_order
from umweg.db.models import CircuitRevision
from umweg.db.store import Store

MOST_JOBS = 2000
"""The newest so many are counted: what a shop found ten years ago, it found on other machines."""


@dataclass(frozen=True)
class Find:
    """The fault that a job found."""

    component: str
    type: str
    mode: str


@dataclass(frozen=True)
class Finds:
    """What was found on the machines of one circuit revision: types of parts and modes."""

    revision: CircuitRevision
    kinds: tuple[tuple[str, str], ...]


def finds_of(store: Store) -> list[Finds]:
    """What the newest jobs found, by circuit revision.

    A find counts when its part was repaired and something observed since, none of which told that
    it was not that.
    """
    found: dict[int, list[tuple[str, str]]] = {}
    revisions: dict[int, CircuitRevision] = {}
    circuits: dict[int, Circuit] = {}
    for job in newest_repaired(store, MOST_JOBS):
        revision = job.circuit_revision
        if revision.id not in circuits:
            circuits[revision.id] = Circuit.model_validate(revision.document)
        find = proved_find(circuits[revision.id], record_of(job.entries), store.instruments)
        if find is not None:
            revisions[revision.id] = revision
            found.setdefault(revision.id, []).append((find.type, find.mode))
    return [Finds(revisions[number], tuple(kinds)) for number, kinds in found.items()]


def proved_find(circuit: Circuit, record: Record, instruments: Sequence[Instrument]) -> Find | None:
    """What a job found, where its repair was proved; else nothing."""
    repairs = record.repairs
    if not (repairs and record.observations and was_left_in_order(record)):
        return None
    if passed(circuit, record, instruments) is None:
        return None
    last = repairs[-1]
    decided = [
        data.mode
        for row, data in record.entries
        if row.id in record.standing
        and isinstance(data, Decision)
        and data.component == last.component
    ]
    wanted = last.mode or (decided[-1] if decided else "")
    types = {c.id: c.type for c in circuit.components}
    kind = types.get(last.component)
    known = kind is not None and any(m.name == wanted for m in component_type(kind).fault_modes)
    return Find(last.component, kind, wanted) if kind is not None and known else None
