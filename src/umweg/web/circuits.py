"""Circuits: the schematic, and states solved on it."""

from fastapi import APIRouter

from umweg.core.circuit.document import Circuit, Component
from umweg.core.components import component_type
from umweg.core.components.base import ACROSS_UNIT, Array, Port
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.errors import StateError
from umweg.core.trace.ways import port_flows_lpm
from umweg.db import store
from umweg.db.models import CircuitRevision
from umweg.web.context import Context, ContextOf
from umweg.web.schemas import (
    FunctionView,
    MoveView,
    NetValue,
    PartView,
    PointView,
    PortView,
    SchematicView,
    SolvedStateView,
    StateView,
)

router = APIRouter(prefix="/api/circuits", tags=["circuits"])


def _revision(context: Context, revision_id: int) -> CircuitRevision:
    found = context.session.get(CircuitRevision, revision_id)
    if found is None:
        raise store.NotFoundError(f"there is no circuit revision {revision_id}")
    return found


@router.get("/{revision_id}/schematic")
def schematic(revision_id: int, context: ContextOf) -> SchematicView:
    """Everything the schematic is drawn from."""
    revision = _revision(context, revision_id)
    circuit = context.circuit(revision)
    return SchematicView(
        circuit_id=circuit.id,
        revision=revision.revision,
        name=circuit.name,
        fluid=circuit.fluid.grade,
        shafts=[m.id for m in circuit.prime_movers],
        parts=_parts(circuit),
        test_points=[
            PointView(
                id=p.id,
                label=p.label,
                net=p.net,
                port=p.port,
                fitting=p.fitting,
                access_min=p.access_min,
                methods=list(p.methods),
            )
            for p in circuit.test_points
        ],
        functions=[
            FunctionView(
                id=f.id,
                label=f.label,
                moves=[MoveView(id=k, label=m.label) for k, m in f.moves.items()],
            )
            for f in circuit.functions
        ],
        states=[
            StateView(
                id=k,
                label=s.label,
                engine=str(s.engine),
                oil_c=s.oil_c,
                moves=dict(s.moves),
                cautions=list(s.cautions),
            )
            for k, s in circuit.states.items()
        ],
        notes=circuit.notes,
    )


def _parts(circuit: Circuit) -> list[PartView]:
    parts = []
    for component in circuit.components:
        kind = component_type(component.type)
        symbol = kind.symbol
        parts.append(
            PartView(
                id=component.id,
                type=component.type,
                type_label=kind.label,
                label=component.label,
                location=component.location,
                width=symbol.width,
                height=symbol.height,
                strokes=list(symbol.strokes),
                dashed=list(symbol.dashed),
                filled=list(symbol.filled),
                ports=[
                    PortView(
                        name=port.name,
                        net=component.connections[port.name],
                        side=symbol.ports[port.name][0],
                        offset=symbol.ports[port.name][1],
                        domain=port.domain,
                        line=port.line,
                        boundary=port.boundary,
                    )
                    for port in (*kind.ports, *_links(component))
                ],
            )
        )
    return parts


def _links(component: Component) -> list[Port]:
    """The connections that carry travel, where they are made."""
    names = component_type(component.type).link_names()
    return [Port(n, "travel") for n in names if n in component.connections]


@router.get("/{revision_id}/states/{state_id}")
def solved_state(
    revision_id: int, state_id: str, context: ContextOf, suspect: str | None = None
) -> SolvedStateView:
    """Pressures and flows in a named state, of the healthy machine or with a suspect's fault.

    A suspect is shown at the middle of its severity scale.
    """
    doctor = context.doctor(_revision(context, revision_id))
    circuit = doctor.circuit
    if state_id not in circuit.states:
        raise StateError(f"there is no state “{state_id}”; it has {', '.join(circuit.states)}")
    table = doctor.predictor[circuit.states[state_id]]
    across = table.healthy
    if suspect is not None and suspect != "healthy":
        across = _with_fault(doctor, state_id, suspect)
    network = doctor.predictor.network
    state = network.state(circuit.states[state_id])
    return SolvedStateView(
        state=state_id,
        suspect=suspect,
        nets={
            name: NetValue(value=float(v), unit=ACROSS_UNIT[domain])
            for name, v, domain in zip(network.net_names, across, network.domains, strict=True)
        },
        flows_lpm=port_flows_lpm(network, state, across),
    )


def _with_fault(doctor: Diagnostician, state_id: str, suspect: str) -> Array:
    population = doctor.predictor.population
    index = next((i for i, h in enumerate(population.hypotheses) if h.key == suspect), None)
    if index is None:
        raise StateError(f"there is no suspect “{suspect}”")
    table = doctor.predictor[doctor.circuit.states[state_id]]
    members = [m for m in population.members[index] if table.known[m]]
    if not members:
        raise StateError(f"“{suspect}” has no steady state here; no numbers are shown")
    faulted: Array = table.solution.across[:, members[len(members) // 2]]
    return faulted
