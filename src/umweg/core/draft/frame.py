"""What follows from a circuit's parts by itself: its functions, their loads, its usual states, points.

Nothing is guessed from names: every command is given to the solved machine, and what moves is its
function. What is drafted is meant to be looked at and corrected, not believed.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from umweg.core.circuit.document import Circuit, Document, Function, LoadState, Method, TestPoint
from umweg.core.draft.actuators import actuators_of, highest_bar, kind_of, moved_parts
from umweg.core.draft.functions import functions_of, with_loads
from umweg.core.draft.listing import Listing, document_of, placed, read_listing
from umweg.core.errors import FormatError, Problem
from umweg.core.network.check import check_circuit, circuit_problems
from umweg.core.network.network import Network
from umweg.core.solve.steady import Cases, SteadySolver

METERED_SHARE = 0.7
"""Of the highest pressure that a relief lets through: what a meter is loaded to."""


@dataclass(frozen=True)
class Drafted:
    """A circuit with what could be added to it, and what was added or left out, in words."""

    circuit: Circuit
    notes: tuple[str, ...]


def drafted_of(text: str, beside: Circuit | None = None) -> Drafted:
    """What a list says, with what the circuit beside it still says of it, the rest drafted.

    Raises
    ------
    FormatError, CircuitError : the list does not make a circuit.
    """
    listing = read_listing(text)
    if beside is not None:
        circuit = document_of(listing, beside)
        if not circuit_problems(circuit):
            return _with_typed(draft(circuit), listing)
    circuit = document_of(listing)
    check_circuit(circuit)
    drafted = draft(circuit, with_others=True, told=listing.carries)
    drafted = Drafted(drafted.circuit, (*listing.notes, *drafted.notes))
    if beside is not None:
        lost = f"what “{beside.name}” does fits this list no more: drafted anew"
        drafted = Drafted(drafted.circuit, (lost, *drafted.notes))
    return _with_typed(drafted, listing)


def _with_typed(drafted: Drafted, listing: Listing) -> Drafted:
    """With the specifications and timings that were typed, now that there are states for them.

    Raises
    ------
    FormatError : one is read where or when nothing can be; all of them are named.
    """
    typed = {"specifications": listing.specifications, "timings": listing.timings}
    typed = {what: lines for what, lines in typed.items() if lines}
    if not typed:
        return drafted
    kept = {
        what: [
            one.model_dump(mode="json")
            for one in getattr(drafted.circuit, what)
            if one.id not in {line["id"] for line in lines}
        ]
        for what, lines in typed.items()
    }
    changes = {what: [*kept[what], *lines] for what, lines in typed.items()}
    try:
        circuit = _with(drafted.circuit, **changes)
    except ValidationError as error:
        before = {what: len(rows) for what, rows in kept.items()}
        raise FormatError(
            f"what is typed of the {' and '.join(typed)} is wrong",
            tuple(placed(error, listing, before)),
        ) from error
    problems = [
        Problem("line", f"line {listing.lines.get(p.where, 0)}", p.message, _known(circuit, p))
        for p in circuit_problems(circuit)
    ]
    if problems:
        raise FormatError(f"{len(problems)} things to mend in the list", tuple(problems))
    counts = [_so_many(len(lines), what.removesuffix("s")) for what, lines in typed.items()]
    return Drafted(circuit, (*drafted.notes, f"{' and '.join(counts)} as typed"))


def _known(circuit: Circuit, problem: Problem) -> str:
    """What there is, where what was named is not."""
    if problem.code == "no_state":
        return f"states: {', '.join(circuit.states)}"
    if problem.code == "no_point":
        names = [p.id for p in circuit.test_points] + [f.id for f in circuit.functions]
        return f"read at: {', '.join(names)}"
    return problem.hint


def draft(
    circuit: Circuit, with_others: bool = False, told: Mapping[str, bool] | None = None
) -> Drafted:
    """Add functions, states and test points where the circuit has none.

    A voltmeter reaches every plug, whatever gauge ports a new circuit names: where it names no
    place for one, all its wires are.

    Parameters
    ----------
    with_others : draft functions of what no function moves yet, too
    told : of a load, whether somebody said that it carries (weighs on its actuator by itself)

    Raises
    ------
    CircuitError : its parts and joins do not make a circuit.
    """
    notes: list[str] = []
    if not circuit.test_points:
        points = _points(circuit)
        circuit = _with(circuit, test_points=points)
        notes.append(f"{_so_many(len(points), 'test point')} drafted at pumps and actuators")
    if not circuit.states and not any(p.electrical for p in circuit.test_points):
        probes = _probes(circuit)
        if probes:
            circuit = _with(circuit, test_points=[*_plain(circuit.test_points), *probes])
            notes.append(f"{_so_many(len(probes), 'place')} for a voltmeter drafted at plugs")
    if not circuit.functions or with_others:
        solver = SteadySolver(Network(circuit))
        everyone = actuators_of(circuit, solver, told or {})
        given = [with_loads(f, everyone) for f in circuit.functions]
        moved = {str(f["actuator"]) for f in given}
        found = functions_of(circuit, solver, everyone, moved)
        circuit = _with(circuit, functions=[*given, *found.functions])
        moves = sum(len(f["moves"]) for f in found.functions)
        counted = f"{_so_many(len(found.functions), 'function')} with {_so_many(moves, 'move')}"
        notes += [f"{counted} found by trying every command", *found.notes]
        loads = {load for f in circuit.functions for load in f.all_loads}
        still = {part.id for part, _, load in moved_parts(circuit) if load.id not in loads}
        notes += [
            f"neither one command nor two move “{part}”: give its function by hand"
            for part in sorted(still - moved)
        ]
    if not circuit.states:
        states, refused = _states(circuit)
        circuit = _with(circuit, states=states)
        notes.append(f"{_so_many(len(states), 'state')} drafted")
        notes += [f"“{label}” has no steady state and was left out" for label in refused]
    return Drafted(circuit, tuple(notes))


def _so_many(count: int, what: str) -> str:
    return f"{count} {what}{'' if count == 1 else 's'}"


def _with(circuit: Circuit, **parts: Any) -> Circuit:
    return Circuit.model_validate(circuit.model_dump(mode="json", exclude_unset=True) | parts)


def _states(circuit: Circuit) -> tuple[dict[str, Any], list[str]]:
    """The usual ones, as far as the healthy machine has a steady state in them."""
    wanted: dict[str, dict[str, Any]] = {}
    if circuit.prime_movers:
        wanted["idle"] = {"label": "Idle, nothing moved", "engine": "idle", "setup_min": 1}
        wanted["rated"] = {"label": "Rated speed, nothing moved", "setup_min": 1}
    else:
        wanted["rest"] = {"label": "Nothing moved", "engine": "off", "setup_min": 1}
    for function in circuit.functions:
        wanted |= _of_function(circuit, function)
    for point in circuit.test_points:
        if "inline_flow" in point.methods:
            loaded = _may_be_loaded(circuit, point)
            bar = round(METERED_SHARE * highest_bar(circuit)) if loaded else 0
            wanted[f"{point.id}_loaded" if loaded else f"{point.id}_metered"] = {
                "label": f"{point.label} through the meter, {'loaded' if loaded else 'open'}",
                "interventions": [{"point": point.id, "kind": "inline_flow", "load_bar": bar}],
                "setup_min": 5,
                "cautions": ["Load valve fully open before the engine starts."],
            }
    if circuit.prime_movers:
        wanted["parked"] = {"label": "Engine off", "engine": "off", "setup_min": 1}
    tried = _with(circuit, states=wanted)
    solver = SteadySolver(Network(tried))
    states = [solver.network.state(s) for s in tried.states.values()]
    settled = solver.solve(states, Cases.as_documented(len(states))).converged
    kept = {name: wanted[name] for name, fine in zip(wanted, settled, strict=True) if fine}
    return kept, [wanted[n]["label"] for n, ok in zip(wanted, settled, strict=True) if not ok]


def _of_function(circuit: Circuit, function: Function) -> dict[str, dict[str, Any]]:
    """Its moves light, loaded and at the stop, and its load held; without a lever, at its work."""
    words: dict[LoadState, str] = {
        "free": "light",
        "working": "loaded",
        "stalled": "held against its stop",
    }
    driven = "rated" if circuit.prime_movers else "off"
    shared = {"setup_min": 3, "cautions": ["Nobody within reach of what moves."]}
    found: dict[str, dict[str, Any]] = {}
    for name, move in function.moves.items():
        loads = [load for load in words if load in function.loads]
        if not move.commands:
            loads = [load for load in loads if load != "stalled"]  # nobody holds a fan
        for load in loads or ["free"]:
            found[f"{function.id}_{name}_{load}"[:60]] = {
                "label": f"{function.label} {move.label}, {words[load]}",
                "engine": driven,
                "moves": {function.id: name},
                "loads": {function.id: load} if loads else {},
                **shared,
            }
    if "held" in function.loads:
        found[f"{function.id}_held"[:60]] = {
            "label": f"{function.label} with its load, nobody moves it",
            "engine": "idle" if circuit.prime_movers else "off",
            "loads": {function.id: "held"},
            **shared,
        }
    return found


def _may_be_loaded(circuit: Circuit, point: TestPoint) -> bool:
    """Whether a load valve may stand there: a drain and a pump's inlet bear no pressure."""
    met = {point.net}
    for part in circuit.components:
        met |= {net for name, net in part.connections.items() if f"{part.id}.{name}" == point.port}
    for part in circuit.components:
        kind = kind_of(part)
        for i, port in enumerate(kind.ports):
            drawn = kind.makes_flow and i == 0
            if part.connections.get(port.name) in met and (drawn or port.line == "drain"):
                return False
    return True


def _points(circuit: Circuit) -> list[dict[str, Any]]:
    """A gauge at every pump's outlet and at every work port of what moves something."""
    places: dict[str, str] = {}
    for part in circuit.components:
        kind = kind_of(part)
        hydraulic = [p.name for p in kind.ports if p.domain == "hydraulic" and p.line == "working"]
        if kind.makes_flow and len(hydraulic) > 1:
            places.setdefault(part.connections[hydraulic[1]], f"{part.label}, outlet")
            places.setdefault(part.connections[hydraulic[0]], f"{part.label}, inlet")
    for part, _, _ in moved_parts(circuit):
        for port in kind_of(part).ports:
            if port.domain == "hydraulic" and port.line == "working":
                places.setdefault(part.connections[port.name], f"{part.label}, {port.name}")
    return _made(circuit, places, "test coupling", "tee_gauge")


def _probes(circuit: Circuit) -> list[dict[str, Any]]:
    """A voltmeter's tip at every wire, named by what it feeds rather than by what switches it."""
    parts = sorted(
        circuit.components, key=lambda c: any(p.domain != "electrical" for p in kind_of(c).ports)
    )
    places = {
        part.connections[port.name]: f"{part.label}, {port.name}"
        for part in parts
        for port in kind_of(part).ports
        if port.domain == "electrical"
    }
    return _made(circuit, places, "probe at the plug", "voltmeter")


def _made(
    circuit: Circuit, places: Mapping[str, str], fitting: str, method: Method
) -> list[dict[str, Any]]:
    """A test point at each net (by its label) that is not held at zero."""
    boundary = {
        part.connections[p.name]
        for part in circuit.components
        for p in kind_of(part).ports
        if p.boundary
    }
    return [
        {
            "id": f"at_{net}"[:60],
            "label": label,
            "net": net,
            "fitting": fitting,
            "access_min": 5,
            "methods": [method],
        }
        for net, label in places.items()
        if net not in boundary
    ]


def _plain(parts: Sequence[Document]) -> list[dict[str, Any]]:
    return [p.model_dump(mode="json", exclude_unset=True) for p in parts]
