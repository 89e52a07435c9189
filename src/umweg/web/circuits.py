"""Circuits: the schematic, and states solved on it."""

from math import isfinite
from typing import Annotated

from fastapi import APIRouter, Path, Query
from pydantic import StringConstraints

from umweg.core.circuit.document import Circuit, Component
from umweg.core.components import component_type
from umweg.core.components.base import ACROSS_UNIT, Port
from umweg.core.diagnose.own import could_be_read
from umweg.core.diagnose.safe_plan import Lack, SafePlan
from umweg.core.errors import StateError
from umweg.core.faults.population import parse_fault
from umweg.core.observe.exhibits import NotPlayedError, Suspects
from umweg.core.observe.kinds.remarks import REMARKS
from umweg.core.observe.kinds.warmth import cycle_of
from umweg.core.observe.lexicon import Offer, offers
from umweg.core.observe.quantities import place_label
from umweg.core.observe.quantity_kinds import UNIT_OF_KIND, WORDS_OF_KIND
from umweg.core.observe.recorded import curves_for, read_recorded, told_by
from umweg.core.shop.refill import Refill, refill
from umweg.core.trace.curves import can_be_watched
from umweg.core.trace.way_views import CircuitTrace
from umweg.web.context import Context, ContextOf
from umweg.web.problems import READS, WRITES
from umweg.web.schemas import (
    LARGEST_ID,
    CurveView,
    FunctionView,
    MoveView,
    NetValue,
    PartView,
    PointView,
    PortView,
    ReadableView,
    RecordedRequest,
    RecordedView,
    RemarkView,
    SafeView,
    SchematicView,
    SolvedStateView,
    StateView,
    TraceView,
)
from umweg.work.asking import CurveFound, curve_name, want_curve, want_played
from umweg.work.exhibits import document_of
from umweg.work.tasks import TRACE, map_name, safe_name

router = APIRouter(prefix="/api/circuits", tags=["circuits"])


RevisionId = Annotated[int, Path(ge=1, le=LARGEST_ID)]
Posture = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]{0,59}=(0(\.\d{1,4})?|1)$")]


@router.get("/{revision_id}/schematic", responses=READS)
def schematic(revision_id: RevisionId, context: ContextOf) -> SchematicView:
    """Everything the schematic is drawn from."""
    revision = context.store.revision(revision_id)
    return schematic_of(context.circuit(revision), revision.revision)


def schematic_of(circuit: Circuit, revision: int) -> SchematicView:
    """Everything a circuit's schematic is drawn from."""
    return SchematicView(
        circuit_id=circuit.id,
        revision=revision,
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
        functions=functions_of(circuit),
        states=[
            StateView(
                id=k,
                label=s.label,
                engine=str(s.engine),
                oil_c=s.oil_c,
                moves=dict(s.moves),
                cautions=list(s.cautions),
                document=s,
            )
            for k, s in circuit.steady.items()
        ],
        notes=circuit.notes,
        remarks=[RemarkView(name=name, words=kind.words) for name, kind in REMARKS.items()],
        warmth_weighed=cycle_of(circuit) is not None,
        curve_of={t.id: list(curves_for(t)) for t in circuit.timings},
    )


def functions_of(circuit: Circuit) -> list[FunctionView]:
    """Functions and their moves, by their names."""
    return [
        FunctionView(
            id=f.id,
            label=f.label,
            moves=[MoveView(id=k, label=m.label) for k, m in f.moves.items()],
            loads=list(f.loads),
        )
        for f in circuit.functions
    ]


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
                named_on_demand=kind.named_on_demand,
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


@router.get("/{revision_id}/states/{state_id}", responses=READS)
def solved_state(
    revision_id: RevisionId, state_id: str, context: ContextOf, suspect: str | None = None
) -> SolvedStateView:
    """Pressures and flows in a named state, of the healthy machine or with a suspect's fault.

    A suspect is shown at the middle of its severity scale.
    """
    revision = context.store.revision(revision_id)
    suspects = context.suspects(revision)
    context.session.close()
    circuit, network = suspects.circuit, suspects.network
    if state_id not in circuit.states:
        raise StateError(f"there is no state “{state_id}”; it has {', '.join(circuit.states)}")
    if circuit.states[state_id].passing:
        label = circuit.states[state_id].label
        raise StateError(f"“{label}” stands only for a moment; no steady numbers are shown")
    index = _hypothesis(suspects, suspect)
    try:
        arrays = context.rankings.kept(revision.sha256, map_name(state_id))
    except NotPlayedError:
        want_played(context.queue, revision.sha256)
        return SolvedStateView(state=state_id, suspect=suspect, pending=True, nets={}, flows_lpm={})
    across, flow_lpm = arrays["across"][index], arrays["flow_lpm"][index]
    if not isfinite(float(across[0])):
        raise StateError(f"“{suspect}” has no steady state here; no numbers are shown")
    return SolvedStateView(
        state=state_id,
        suspect=suspect,
        pending=False,
        nets={
            name: NetValue(value=float(v), unit=ACROSS_UNIT[domain])
            for name, v, domain in zip(network.net_names, across, network.domains, strict=True)
        },
        flows_lpm=dict(zip(arrays["ports"].tolist(), flow_lpm.tolist(), strict=True)),
    )


@router.get("/{revision_id}/readable", responses=READS)
def could_read(revision_id: RevisionId, context: ContextOf) -> list[ReadableView]:
    """Everything that can be read of a machine, and in which of its named states."""
    circuit = context.circuit(context.store.revision(revision_id))
    return [
        ReadableView(
            quantity=offer.quantity.kind,
            quantity_label=WORDS_OF_KIND.get(offer.quantity.kind, offer.quantity.kind),
            unit=UNIT_OF_KIND[offer.quantity.kind],
            place=offer.quantity.place,
            place_label=place_label(circuit, offer.quantity),
            states=list(offer.states),
        )
        for offer in could_be_read(circuit)
    ]


@router.post("/{revision_id}/timings/{timing_id}/recorded", responses=WRITES)
def read_from_curve(
    revision_id: RevisionId, timing_id: str, pasted: RecordedRequest, context: ContextOf
) -> RecordedView:
    """What a timing reads from a recorded curve; nothing is stored."""
    circuit = context.circuit(context.store.revision(revision_id))
    recorded = read_recorded(pasted.text, pasted.unit)
    value = told_by(circuit, timing_id, recorded)
    unit = UNIT_OF_KIND[circuit.timing(timing_id).of]
    return RecordedView(value=value, unit=unit, recorded=recorded)


@router.get("/{revision_id}/timings/{timing_id}/curve", responses=READS)
def curve(
    revision_id: RevisionId,
    timing_id: str,
    context: ContextOf,
    fault: Annotated[str, Query(max_length=200, description="part:mode=severity")] = "",
) -> CurveView:
    """What is watched while something is read in time, on the healthy machine or with a fault.

    Its severity is taken to a twentieth: what somebody believes is no finer than that.
    """
    revision = context.store.revision(revision_id)
    suspects = context.suspects(revision)
    context.session.close()
    timing = next((t for t in suspects.circuit.timings if t.id == timing_id), None)
    if timing is None or not can_be_watched(timing):
        known = ", ".join(t.id for t in suspects.circuit.timings if can_be_watched(t)) or "none"
        raise StateError(f"“{timing_id}” is nothing to be watched in time; it has {known}")
    name = ""
    if fault:
        found, severity = parse_fault(suspects.network, fault)
        name = f"{found.key}={max(round(severity * 20) / 20, 0.05):.2f}"
    try:
        arrays = context.rankings.kept(revision.sha256, curve_name(timing_id, name))
    except NotPlayedError:
        want_curve(context.queue, revision.sha256, timing_id, name)
        return CurveView(pending=True, curve=None, trouble=None)
    drawn = CurveFound.model_validate_json(document_of(arrays))
    return CurveView(pending=False, curve=drawn.curve, trouble=drawn.trouble)


@router.get("/{revision_id}/refill", responses=READS)
def oil(
    revision_id: RevisionId,
    context: ContextOf,
    tank_l: Annotated[float, Query(gt=0, le=1e5, description="in it at its level, rods in")],
    drained_l: Annotated[float | None, Query(ge=0, le=1e5, description="what ran out")] = None,
    target: Annotated[float, Query(gt=0, lt=1, description="share of old oil")] = 0.05,
    posture: Annotated[
        list[Posture], Query(max_length=100, description="function=share of its stroke")
    ] = [],  # noqa: B006 - what the framework reads, never changed
) -> Refill:
    """Drain, flush, fill: what stays where, how many fills, what to prime, how to bleed."""
    circuit = context.circuit(context.store.revision(revision_id))
    shares = dict(text.split("=", 1) for text in posture)
    return refill(
        circuit, tank_l, {name: float(s) for name, s in shares.items()}, drained_l, target
    )


@router.get("/{revision_id}/safe", responses=READS)
def make_safe(
    revision_id: RevisionId,
    context: ContextOf,
    lack: Annotated[
        list[Lack], Query(max_length=10, description="what does not work of the machine")
    ] = [],  # noqa: B006 - what the framework reads, never changed
) -> SafeView:
    """Which lines hold pressure at rest, what holds them, and the way to zero.

    Played on the machine as documented and with every single fault.
    """
    found = _document(context, revision_id, safe_name(lack))
    plan = None if found is None else SafePlan.model_validate_json(found)
    return SafeView(pending=plan is None, plan=plan)


@router.get("/{revision_id}/heard", responses=READS)
def heard(
    revision_id: RevisionId,
    text: Annotated[str, Query(max_length=2000)],
    context: ContextOf,
) -> list[Offer]:
    """What a customer's sentence may mean, in words that are weighed: to be tapped, never taken."""
    return offers(context.circuit(context.store.revision(revision_id)), text)


@router.get("/{revision_id}/trace", responses=READS)
def traced(revision_id: RevisionId, context: ContextOf) -> TraceView:
    """Where the oil of each move goes, what holds each valve there, and what moves share."""
    found = _document(context, revision_id, TRACE)
    ways = None if found is None else CircuitTrace.model_validate_json(found)
    return TraceView(pending=ways is None, trace=ways)


def _document(context: Context, revision_id: int, name: str) -> bytes | None:
    """A document that workers keep for a circuit; when it is not there it is asked for."""
    revision = context.store.revision(revision_id)
    context.session.close()
    try:
        return document_of(context.rankings.kept(revision.sha256, name))
    except NotPlayedError:
        want_played(context.queue, revision.sha256)
        return None


def _hypothesis(suspects: Suspects, key: str | None) -> int:
    names = [h.key for h in suspects.population.hypotheses]
    wanted = key or "healthy"
    if wanted not in names:
        raise StateError(f"there is no suspect “{wanted}”")
    return names.index(wanted)
