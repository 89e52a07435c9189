"""Machines of one circuit side by side: who has it, what was found on them, what was read of them."""

from collections import defaultdict
from typing import Annotated

from fastapi import APIRouter, Path

from umweg.core.circuit.document import Circuit
from umweg.core.components import component_type
from umweg.core.draft.machine_list import read_machines
from umweg.core.errors import UmwegError
from umweg.db.entries import record_of
from umweg.db.finds import proved_find
from umweg.db.machine_record import jobs_of_circuit, trends_of
from umweg.db.models import JobRow
from umweg.web.context import Context, ContextOf
from umweg.web.problems import READS, WRITES
from umweg.web.schemas import FleetFind, FleetMachine, FleetView, MachineList, MachinesKept
from umweg.web.workshop import machine_view

router = APIRouter(prefix="/api", tags=["fleets"])

CircuitId = Annotated[str, Path(max_length=60, pattern=r"^[a-z][a-z0-9_]*$")]


@router.get("/fleets/{circuit_id}", responses=READS)
def fleet(circuit_id: CircuitId, context: ContextOf) -> FleetView:
    """The workshop's machines of a circuit, whatever revision of it their jobs were opened with."""
    store = context.store
    circuit = context.circuit(store.newest_revision(circuit_id))
    jobs = jobs_of_circuit(store, circuit_id)
    by_machine: dict[int, list[JobRow]] = defaultdict(list)
    for job in jobs:
        by_machine[job.machine_id].append(job)
    return FleetView(
        circuit_id=circuit_id,
        circuit_name=circuit.name,
        machines=[
            FleetMachine(machine=machine_view(m), jobs=len(by_machine[m.id]))
            for m in store.machines
            if m.circuit_id == circuit_id
        ],
        finds=_finds(context, circuit, jobs),
        trends=trends_of(jobs, store.instruments),
    )


def _finds(context: Context, newest: Circuit, jobs: list[JobRow]) -> list[FleetFind]:
    """Faults of proved jobs, the most frequent first."""
    found: dict[tuple[str, str], list[JobRow]] = defaultdict(list)
    for job in jobs:
        circuit = context.circuit(job.circuit_revision)
        find = proved_find(circuit, record_of(job.entries), context.store.instruments)
        if find is not None:
            found[find.component, find.mode].append(job)
    lines = []
    for (component, mode), there in found.items():
        label, fault = _words(newest, component, mode)
        lines.append(
            FleetFind(
                component=component,
                part=label,
                fault=fault,
                found=len(there),
                machines=len({job.machine_id for job in there}),
                hours=sorted(job.hours for job in there),
            )
        )
    return sorted(lines, key=lambda line: (-line.found, line.part, line.fault))


def _words(circuit: Circuit, component: str, mode: str) -> tuple[str, str]:
    try:
        part = circuit.component(component)
    except UmwegError:
        # It was found on a machine of an older revision, which had it.
        return component, mode
    labels = {m.name: m.label for m in component_type(part.type).fault_modes}
    return part.label, labels.get(mode, mode)


@router.post("/machines/list", status_code=201, responses=WRITES)
def keep_machines(new: MachineList, context: ContextOf) -> MachinesKept:
    """Every machine of a table, or none: a list with a mistake changes nothing."""
    store = context.store
    known = {r.circuit_id: str(r.document["name"]) for r in store.circuits}
    machines = [store.add_machine(m.circuit_id, m.card) for m in read_machines(new.text, known)]
    kept = MachinesKept(machines=[machine_view(m) for m in machines])
    context.session.commit()
    return kept
