"""What follows from a circuit's parts by itself: its functions, their loads, its usual states, points.

Nothing is guessed from names: every command is given to the solved machine, and what moves is its
function. What is drafted is meant to be looked at and corrected, not believed.
"""

import itertools
from collections.abc import Iterator, Mapping, Sequence, Set
from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import ValidationError

from umweg.core.circuit.document import (
    Circuit,
    Component,
    Document,
    Function,
    MachineState,
    Method,
)
from umweg.core.components import component_type
from umweg.core.components.base import ComponentType, Port
from umweg.core.draft.listing import Listing, document_of, placed, read_listing
from umweg.core.errors import FormatError, Problem
from umweg.core.network.check import check_circuit, circuit_problems
from umweg.core.network.network import Network
from umweg.core.solve.steady import Cases, SteadySolver

MOVES_MM_S, MOVES_RPM = 2.0, 5.0
"""Slower is no move."""
LIGHT, HEAVY = 0.05, 0.5
"""Loads that are drafted, as shares of what the relief's pressure could push."""
USUAL_BAR = 150.0
"""Where nothing limits the pressure."""
MOST = 40.0
"""Of a command without a natural end: strokes a minute by hand, bar that are demanded."""
MOST_PAIRS = 3000
"""Of commands that are tried together."""
SHAFTS = ("rotation", "translation")


@dataclass(frozen=True)
class Drafted:
    """A circuit with what could be added to it, and what was added or left out, in words."""

    circuit: Circuit
    notes: tuple[str, ...]


@dataclass(frozen=True)
class _Actuator:
    part: Component
    port: Port
    load: Component | None
    strength: float
    """Force [N] or torque [Nm] at the highest pressure."""


@dataclass(frozen=True)
class _Call:
    """One command at one end of its range."""

    name: str
    value: float


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
    drafted = draft(circuit, with_others=True)
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


def draft(circuit: Circuit, with_others: bool = False) -> Drafted:
    """Add functions, states and test points where the circuit has none.

    A voltmeter reaches every plug, whatever gauge ports a new circuit names: where it names no
    place for one, all its wires are.

    Parameters
    ----------
    with_others : draft functions of what no function moves yet, too

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
        given = [_with_loads(circuit, f) for f in circuit.functions]
        moved = {str(f["actuator"]) for f in given}
        functions = _functions(circuit, moved)
        circuit = _with(circuit, functions=[*given, *functions])
        moves = sum(len(f["moves"]) for f in functions)
        counted = f"{_so_many(len(functions), 'function')} with {_so_many(moves, 'move')}"
        notes.append(f"{counted} found by trying every command")
        moved |= {str(f["actuator"]) for f in functions}
        still = sorted({a.part.id for a in _actuators(circuit)} - moved)
        notes += [
            f"neither one command nor two move “{part}”: give its function by hand"
            for part in still
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


def _kind(part: Component) -> type[ComponentType]:
    return component_type(part.type)


def _actuators(circuit: Circuit) -> Iterator[_Actuator]:
    """Parts that oil moves: one end of oil, one of motion that no pump turns."""
    highest = _highest_bar(circuit)
    movers = {m.id for m in circuit.prime_movers}
    for part in circuit.components:
        kind = _kind(part)
        if kind.makes_flow or not any(p.domain == "hydraulic" for p in kind.ports):
            continue
        for port in kind.ports:
            net = part.connections.get(port.name, "")
            if port.domain not in SHAFTS or net in movers:
                continue
            load = _load_at(circuit, net)
            strength = _strength(part, highest)
            if load is not None and strength > 0.0:
                yield _Actuator(part, port, load, strength)


def _load_at(circuit: Circuit, net: str) -> Component | None:
    for part in circuit.components:
        kind = _kind(part)
        if len(kind.ports) == 1 and kind.commands and net in part.connections.values():
            return part
    return None


def _highest_bar(circuit: Circuit) -> float:
    limits = [
        float(_parameters(part).get("set_bar", 0.0))
        for part in circuit.components
        if _kind(part).relieves or _kind(part).limits_itself
    ]
    # The lower ones are a charge pump's, a return's, a pilot's.
    return max((bar for bar in limits if bar > 0.0), default=USUAL_BAR)


def _parameters(part: Component) -> dict[str, float]:
    return dict(_kind(part).Parameters.model_validate(part.parameters).model_dump())


def _strength(part: Component, bar: float) -> float:
    values = _parameters(part)
    if "bore_mm" in values:
        return 0.1 * bar * 0.25 * np.pi * values["bore_mm"] ** 2
    if "displacement_cm3" in values:
        return bar * values["displacement_cm3"] / (20.0 * np.pi)
    return 0.0


def _calls(circuit: Circuit) -> list[_Call]:
    """Every command that somebody at the machine gives, at each end of its range."""
    found = []
    for part in circuit.components:
        kind = _kind(part)
        if len(kind.ports) == 1 and kind.ports[0].domain in SHAFTS:
            continue
        for command in kind.commands:
            if command.name in kind.in_time or command.name in (kind.emptied_by, kind.drawn_by):
                continue
            if any(lever == command.name and lever in part.connections for lever in kind.levers):
                continue  # what a linkage moves is commanded at the linkage
            ends = {command.low, min(command.high, MOST)} - {command.default}
            found += [_Call(f"{part.id}.{command.name}", value) for value in sorted(ends)]
    return found


def _with_loads(circuit: Circuit, function: Function) -> dict[str, Any]:
    """A function that was given, with the usual loads where it has none."""
    given = function.model_dump(mode="json", exclude_unset=True)
    if "loads" in given:
        return given
    for actuator in _actuators(circuit):
        if actuator.part.id == function.actuator and actuator.port.name == function.actuator_port:
            usual = _function(actuator, {})
            return {**given, "load": function.load or usual["load"], "loads": usual["loads"]}
    return given


def _functions(circuit: Circuit, moved: Set[str] = frozenset()) -> list[dict[str, Any]]:
    """Functions by trying: which command moves which actuator, and which way.

    What no single command moves is tried with two at once: a valve and what lets its oil through.
    """
    calls = _calls(circuit)
    actuators = [a for a in _actuators(circuit) if a.part.id not in moved]
    if not actuators:
        return []
    solver = SteadySolver(Network(circuit))
    light = {
        f"{a.load.id}.{name}": LIGHT * a.strength
        for a in actuators
        if a.load is not None
        for name in _load_names(a)[:1]
        if name
    }

    def moves_of(tried: Sequence[tuple[_Call, ...]]) -> list[dict[str, Any]]:
        """Moves of each actuator by the commands that were given together."""
        given = [light, *(light | {c.name: c.value for c in together} for together in tried)]
        speeds = _speeds(solver, given, actuators)
        found: list[dict[str, Any]] = []
        for column, actuator in enumerate(actuators):
            least = MOVES_MM_S if actuator.port.domain == "translation" else MOVES_RPM
            rest, moves = speeds[0, column], {}
            for together, speed in zip(tried, speeds[1:, column], strict=True):
                if not np.isfinite(speed) or abs(speed) < least or abs(speed - rest) < least:
                    continue
                way = 1 if speed > 0.0 else -1
                name = _move_name(actuator, way)
                if name in moves:
                    if len(together) > 1:
                        continue  # the first two that do it are enough
                    name = f"{name}_{together[0].name.split('.')[0]}"[:60]
                moves[name] = {
                    "label": name.replace("_", " "),
                    "commands": {c.name: c.value for c in together},
                    "direction": way,
                }
            found.append(moves)
        return found

    alone = moves_of([(c,) for c in calls])
    moves = alone
    if not all(alone):
        pairs = [
            (a, b)
            for a, b in itertools.combinations(calls, 2)
            if a.name.split(".")[0] != b.name.split(".")[0]
        ]
        together = moves_of(pairs[:MOST_PAIRS])
        moves = [one or two for one, two in zip(alone, together, strict=True)]
    return [_function(a, m) for a, m in zip(actuators, moves, strict=True) if m]


def _move_name(actuator: _Actuator, way: int) -> str:
    if actuator.port.domain == "translation":
        return "out" if way > 0 else "in"
    return "forward" if way > 0 else "back"


def _speeds(
    solver: SteadySolver, settings: Sequence[dict[str, float]], actuators: Sequence[_Actuator]
) -> np.ndarray[Any, Any]:
    """(S, A) speed of each actuator with each set of commands; not a number where nothing settles."""
    network = solver.network
    states = [network.state(MachineState(label="tried", settings=s)) for s in settings]
    solved = solver.solve(states, Cases.as_documented(len(states)))
    rows = [network.net_index[a.part.connections[a.port.name]] for a in actuators]
    return np.where(solved.converged[:, None], solved.across[rows].T, np.nan)


def _load_names(actuator: _Actuator) -> tuple[str, str]:
    """Names of a load's commands: what resists it, and what stops it."""
    assert actuator.load is not None
    names = [c.name for c in _kind(actuator.load).commands]
    weighing = (n for prefix in ("resistance", "weight", "force") for n in names if prefix in n)
    return next(weighing, ""), "stop" if "stop" in names else ""


def _function(actuator: _Actuator, moves: dict[str, Any]) -> dict[str, Any]:
    resisting, stop = _load_names(actuator)
    loads: dict[str, dict[str, float]] = {}
    if resisting:
        loads["free"] = {resisting: round(LIGHT * actuator.strength, 1)}
        loads["working"] = {resisting: round(HEAVY * actuator.strength, 1)}
        if stop:
            loads["stalled"] = {**loads["working"], stop: 1}
    assert actuator.load is not None
    return {
        "id": actuator.part.id,
        "label": actuator.part.label,
        "actuator": actuator.part.id,
        "actuator_port": actuator.port.name,
        "stroke_mm": 500 if actuator.port.domain == "translation" else 0,
        "moves": moves,
        "load": actuator.load.id,
        "loads": loads,
    }


def _states(circuit: Circuit) -> tuple[dict[str, Any], list[str]]:
    """The usual ones, as far as the healthy machine has a steady state in them."""
    wanted: dict[str, dict[str, Any]] = {}
    if circuit.prime_movers:
        wanted["idle"] = {"label": "Idle, nothing moved", "engine": "idle", "setup_min": 1}
        wanted["rated"] = {"label": "Rated speed, nothing moved", "setup_min": 1}
    else:
        wanted["rest"] = {"label": "Nothing moved", "engine": "off", "setup_min": 1}
    words = {"free": "light", "working": "loaded", "stalled": "held against its stop"}
    for function in circuit.functions:
        for name, move in function.moves.items():
            for load in function.loads or {"free": {}}:
                wanted[f"{function.id}_{name}_{load}"[:60]] = {
                    "label": f"{function.label} {move.label}, {words.get(load, load)}",
                    "engine": "rated" if circuit.prime_movers else "off",
                    "moves": {function.id: name},
                    "loads": {function.id: load} if function.loads else {},
                    "setup_min": 3,
                    "cautions": ["Nobody within reach of what moves."],
                }
    for point in circuit.test_points:
        if "inline_flow" in point.methods:
            wanted[f"{point.id}_loaded"[:60]] = {
                "label": f"{point.label} through the meter, loaded",
                "interventions": [
                    {
                        "point": point.id,
                        "kind": "inline_flow",
                        "load_bar": round(0.7 * _highest_bar(circuit)),
                    }
                ],
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


def _points(circuit: Circuit) -> list[dict[str, Any]]:
    """A gauge at every pump's outlet and at every work port of what moves something."""
    places: dict[str, str] = {}
    for part in circuit.components:
        kind = _kind(part)
        hydraulic = [p.name for p in kind.ports if p.domain == "hydraulic" and p.line == "working"]
        if kind.makes_flow and len(hydraulic) > 1:
            places.setdefault(part.connections[hydraulic[1]], f"{part.label}, outlet")
            places.setdefault(part.connections[hydraulic[0]], f"{part.label}, inlet")
    for actuator in _actuators(circuit):
        for port in _kind(actuator.part).ports:
            if port.domain == "hydraulic" and port.line == "working":
                label = f"{actuator.part.label}, {port.name}"
                places.setdefault(actuator.part.connections[port.name], label)
    return _made(circuit, places, "test coupling", "tee_gauge")


def _probes(circuit: Circuit) -> list[dict[str, Any]]:
    """A voltmeter's tip at every wire, named by what it feeds rather than by what switches it."""
    parts = sorted(
        circuit.components, key=lambda c: any(p.domain != "electrical" for p in _kind(c).ports)
    )
    places = {
        part.connections[port.name]: f"{part.label}, {port.name}"
        for part in parts
        for port in _kind(part).ports
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
        for p in _kind(part).ports
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
