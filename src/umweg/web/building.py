"""New machines: a list as it is typed, what is drafted from it, and the machine that comes of it."""

import re
from collections.abc import Callable
from functools import cache
from typing import Annotated

from fastapi import APIRouter, Path, Query

from umweg.core.circuit.document import Circuit, read_circuit
from umweg.core.components import component_types
from umweg.core.components.words import find_types
from umweg.core.draft.bill import read_bill
from umweg.core.draft.joins import likely_joins
from umweg.core.draft.listing import document_of as circuit_of_listing
from umweg.core.draft.listing import read_listing, write_listing
from umweg.core.draft.skeleton import FAMILIES, skeleton_listing
from umweg.core.errors import FormatError, Problem
from umweg.core.network.check import circuit_problems
from umweg.core.observe.exhibits import NotPlayedError
from umweg.core.observe.job import MachineCard
from umweg.db import store as stored
from umweg.db.bundle import own_id
from umweg.db.models import CircuitRevision
from umweg.library import known_pairings
from umweg.web.circuits import functions_of, schematic_of
from umweg.web.context import Context, ContextOf, StoreOf
from umweg.web.problems import READS, WRITES
from umweg.web.schemas import (
    Bill,
    BillView,
    DraftStateView,
    DraftView,
    Finding,
    FoundTypesView,
    KnownCircuit,
    Listing,
    ListingView,
    MachineView,
    NetValue,
    NewMachine,
    OddView,
    OpenPortView,
    ParameterView,
    SchematicView,
    TypeView,
)
from umweg.web.workshop import machine_view
from umweg.work.asking import DRAFT, DraftFound, listing_sha256, want_draft, want_played
from umweg.work.exhibits import document_of

router = APIRouter(prefix="/api", tags=["machines"])

CircuitId = Annotated[str, Path(max_length=60, pattern=r"^[a-z][a-z0-9_]*$")]
_LINE = re.compile(r"^line (\d+)$")


@router.get("/types", responses=READS)
def types() -> list[TypeView]:
    """Every type of part: what it is, its ports and its numbers."""
    return _types()


@cache
def _types() -> list[TypeView]:
    return [
        TypeView(
            name=name,
            label=kind.label,
            summary=kind.summary().replace("``", ""),
            ports=[*kind.port_names(), *kind.link_names()],
            optional=list(kind.levers),
            parameters=[
                ParameterView(
                    name=p,
                    unit=kind.unit(p),
                    description=field.description or "",
                    default=float(field.default),
                )
                for p, field in kind.Parameters.model_fields.items()
                # What is nothing until it is broken is nobody's to type.
                if field.default or all(mode.parameter != p for mode in kind.fault_modes)
            ],
        )
        for name, kind in component_types().items()
        if kind.of_machines
    ]


@router.get("/types/found", responses=READS)
def found_types(text: Annotated[str, Query(max_length=80)]) -> FoundTypesView:
    """Types by the words of the trade; where none has them, the nearest."""
    found = find_types(text)
    return FoundTypesView(names=list(found.names), nearest=found.nearest)


@router.get("/circuits", responses=READS)
def known_circuits(store: StoreOf) -> list[KnownCircuit]:
    """Circuits that a list can begin with: the library's and the workshop's own."""
    return [
        KnownCircuit(
            id=r.circuit_id,
            name=r.document["name"],
            machine_kind=r.document["machine_kind"],
            family=r.document["family"],
            families=[FAMILIES[f] for f in r.document["family"] if f in FAMILIES],
        )
        for r in store.circuits
    ]


@router.get("/listings/{circuit_id}", responses=READS)
def listing_of(circuit_id: CircuitId, context: ContextOf, skeleton: bool = False) -> Listing:
    """The list of a circuit that is known; or its skeleton alone, every number a guess."""
    circuit = context.circuit(context.store.newest_revision(circuit_id))
    if skeleton:
        return Listing(text=skeleton_listing(circuit), beside=None)
    return Listing(text=write_listing(circuit), beside=circuit_id)


@router.post("/listings/check", responses=WRITES)
def check_listing(listing: Listing, _: ContextOf) -> ListingView:
    """What is wrong in a list, line by line, and the map as far as it can be drawn. Nothing is kept."""
    read = read_listing(listing.text)
    problems = list(read.problems)
    # The lines that can be read are drawn while the others are being mended.
    read.problems.clear()
    circuit: Circuit | None = None
    try:
        circuit = circuit_of_listing(read) if read.parts else None
    except FormatError as error:
        problems += error.problems
    if circuit is not None and not problems:
        problems += circuit_problems(circuit)
    lines = read.lines
    return ListingView(
        findings=[_finding(p, lines) for p in problems],
        parts=len(read.parts),
        open_ports=[
            OpenPortView(line=o.line, component=o.component, port=o.port, nets=list(o.nets))
            for o in likely_joins(read, known_pairings())
        ],
        schematic=None if circuit is None else _drawn(circuit),
    )


def _finding(problem: Problem, lines: dict[str, int]) -> Finding:
    named = _LINE.match(problem.where)
    line = int(named.group(1)) if named else lines.get(problem.where.split(",")[0])
    return Finding(line=line, where=problem.where, message=problem.message, hint=problem.hint)


def _drawn(circuit: Circuit) -> SchematicView | None:
    """The map, where every port is joined: a port that is not is no place to draw a line to."""
    whole = [
        c
        for c in circuit.components
        if all(p in c.connections for p in component_types()[c.type].port_names())
    ]
    return schematic_of(circuit.model_copy(update={"components": whole}), 0) if whole else None


@router.post("/listings/bill", responses=WRITES)
def lines_of_bill(bill: Bill, _: ContextOf) -> BillView:
    """A bill of parts as lines of a list, their ports open. Nothing is kept."""
    found = read_bill(bill.text)
    return BillView(
        text=found.text, parts=found.parts, findings=[_finding(p, {}) for p in found.findings]
    )


@router.post("/listings/draft", responses=WRITES)
def draft_listing(listing: Listing, context: ContextOf) -> DraftView:
    """Functions, states and test points drafted from a list; asked again until it is there."""
    beside = _sha256_of(context, listing.beside)
    found = _draft_of(context, listing.text, beside)
    if found is None:
        want_draft(context.queue, listing.text, beside)
        return DraftView(
            pending=True, trouble=None, notes=[], functions=[], states=[], points=[], odd=[]
        )
    circuit = None if found.circuit is None else read_circuit(found.circuit)
    ran = {} if found.runs is None else {s.state: s.nets or {} for s in found.runs.states}
    states = {} if circuit is None else circuit.states
    return DraftView(
        pending=False,
        trouble=found.trouble,
        notes=list(found.notes),
        functions=[] if circuit is None else functions_of(circuit),
        states=[
            DraftStateView(
                id=name,
                label=state.label,
                nets={n: NetValue(value=v, unit=u) for n, (v, u) in ran.get(name, {}).items()},
            )
            for name, state in states.items()
        ],
        points=[] if circuit is None else [p.label for p in circuit.test_points],
        odd=[
            OddView(component=o.component, words=o.words)
            for o in (found.runs.odd if found.runs else ())
        ],
    )


def _sha256_of(context: Context, circuit_id: str | None) -> str | None:
    return None if circuit_id is None else context.store.newest_revision(circuit_id).sha256


def _draft_of(context: Context, text: str, beside: str | None) -> DraftFound | None:
    try:
        arrays = context.rankings.kept(listing_sha256(text, beside), DRAFT)
    except NotPlayedError:
        return None
    return DraftFound.model_validate_json(document_of(arrays))


def keep_listing(
    context: Context, text: str, beside_id: str | None, name: Callable[[Circuit], str]
) -> CircuitRevision:
    """The circuit that a list makes, kept as a machine's own under a name.

    Raises
    ------
    FormatError : it was not drafted yet, or makes no machine that works.
    """
    beside = _sha256_of(context, beside_id)
    found = _draft_of(context, text, beside)
    if found is None:
        want_draft(context.queue, text, beside)
        raise FormatError("the list has not been worked out yet; send it again in a moment")
    if found.circuit is None:
        raise FormatError(f"the list makes no working machine: {found.trouble}")
    circuit = read_circuit(found.circuit)
    own = circuit.model_copy(update={"id": name(circuit)})
    return stored.keep_circuit(context.session, own, context.store.workshop_id)


@router.post("/machines", status_code=201, responses=WRITES)
def add_machine(new: NewMachine, context: ContextOf) -> MachineView:
    """A machine more. The same one sent twice is kept once."""
    store = context.store
    card = MachineCard(
        name=new.name,
        owner=new.owner,
        serial=new.serial,
        hours=new.hours,
        recent_work=new.recent_work,
    )
    if (new.circuit_id is None) == (new.listing is None):
        raise FormatError("a machine has either a circuit that is known or a list of its own")
    circuit_id, sha256 = new.circuit_id, None
    if new.listing is not None:
        revision = keep_listing(
            context, new.listing, new.beside, lambda c: own_id(c.id, new.serial)
        )
        circuit_id, sha256 = revision.circuit_id, revision.sha256
    assert circuit_id is not None
    machine = store.add_machine(circuit_id, card)
    view = machine_view(machine)
    context.session.commit()
    context.session.close()
    if sha256 is not None:
        want_played(context.queue, sha256)
    return view
