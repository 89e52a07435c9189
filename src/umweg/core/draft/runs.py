"""Does a machine run: every state solved, and what no machine of the trade does, named in words.

What is named is a question, not a fault: a number was typed in another unit, a bore for a rod, a
displacement per minute. Limits are wide; of what a good machine may do nothing is said.
"""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from umweg.core.circuit.document import Circuit, Component, MachineState
from umweg.core.components import component_type
from umweg.core.components.base import ACROSS_UNIT
from umweg.core.draft.functions import MOVES_MM_S, MOVES_RPM
from umweg.core.network.network import Network
from umweg.core.solve.power import KW_PER_BAR_LPM
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.core.trace.ways import port_flows_lpm

FASTEST_RPM, FASTEST_MM_S = 6000.0, 1500.0
"""A motor or a pump; a cylinder."""
SLOWEST_RPM, SLOWEST_MM_S = 2.0, 1.0
"""What is moved and not stalled, and yet stands."""
LEAST_SUCTION_BAR = -0.4
FASTEST_OIL_M_S = 18.0
"""In a line: a pressure line is laid out for 5 to 7."""
MOST_KW = 500.0
IN_NEUTRAL_SHARE, IN_NEUTRAL_BAR = 0.5, 60.0
"""Of a pump's oil that goes over a relief valve although nobody moves anything; a charge pump's does
so at less pressure, and is meant to."""
MOST_OF_A_RULE = 3
"""Parts that one wrong number makes odd are many."""
WIDELY = 1.02
"""Over a rating: within two in a hundred it is a matter of how it is read."""


@dataclass(frozen=True)
class Odd:
    """Something that no machine of the trade does: in which state, at which part, in words."""

    state: str
    component: str
    words: str


@dataclass(frozen=True)
class Ran:
    """One state as it settles: across variables by net with their unit; none where it does not."""

    state: str
    label: str
    nets: Mapping[str, tuple[float, str]] | None


@dataclass(frozen=True)
class Runs:
    """Every state of a circuit that stands, and what is odd about them."""

    states: tuple[Ran, ...]
    odd: tuple[Odd, ...]


def runs(circuit: Circuit) -> Runs:
    """Solve every named state that stands.

    Raises
    ------
    CircuitError, StateError : its parts and joins do not make a circuit; a state names what it lacks.
    """
    network = Network(circuit)
    names = list(circuit.steady)
    if not names:
        return Runs((), ())
    solvable = [network.state(circuit.states[name]) for name in names]
    solved = SteadySolver(network).solve(solvable, Cases.as_documented(len(names)))
    states, odd = [], []
    for i, name in enumerate(names):
        state, found = circuit.states[name], None
        if solved.converged[i]:
            across = solved.across[:, i]
            shown = zip(network.net_names, across.tolist(), network.domains, strict=True)
            found = {net: (value, ACROSS_UNIT[domain]) for net, value, domain in shown}
            ports, flows = port_flows_lpm(network, solvable[i], across[:, None])
            bars = {net: value for net, (value, _) in found.items()}
            seen = _Seen(circuit, state, bars, dict(zip(ports, flows[:, 0].tolist(), strict=True)))
            odd += [(rule, Odd(name, component, words)) for rule, component, words in seen.odd()]
        else:
            odd.append(("", Odd(name, "", f"“{state.label}” has no steady state")))
        states.append(Ran(name, state.label, found))
    return Runs(tuple(states), tuple(_once(odd)))


def _once(odd: list[tuple[str, Odd]]) -> Iterator[Odd]:
    """Of each part the first finding of a rule, it comes back in every state; of a rule not many."""
    said: dict[str, set[str]] = {}
    for rule, one in odd:
        parts = said.setdefault(rule, set())
        place = one.component or one.state
        if place not in parts and len(parts) < MOST_OF_A_RULE:
            parts.add(place)
            yield one


@dataclass(frozen=True)
class _Seen:
    """One solved state: across variables by net, flows into ports."""

    circuit: Circuit
    state: MachineState
    across: Mapping[str, float]
    flows: Mapping[str, float]

    def odd(self) -> Iterator[tuple[str, str, str]]:
        """Rule, component and words of each thing that is odd; a test may be meant to be."""
        if self.state.interventions:
            return
        for part in self.circuit.components:
            for rule in RULES:
                for words in rule(self, part):
                    yield rule.__name__, part.id, words

    def at(self, part: Component, port: str) -> float:
        """What a port stands at; 0 where it is not joined."""
        return self.across.get(part.connections.get(port, ""), 0.0)

    def through(self, part: Component) -> list[float]:
        """Flow into each of a part's oil ports [L/min]."""
        return [self.flows.get(f"{part.id}.{name}", 0.0) for name in oil_ports(part)]

    def highest_bar(self, part: Component) -> float:
        """The highest pressure at a part."""
        return max((self.at(part, name) for name in oil_ports(part)), default=0.0)

    @property
    def pumped_lpm(self) -> float:
        """The largest pump's delivery."""
        pumps = (p for p in self.circuit.components if component_type(p.type).makes_flow)
        return max((-min(self.through(p), default=0.0) for p in pumps), default=0.0)


def oil_ports(part: Component) -> list[str]:
    """Names of a part's ports for oil."""
    return [p.name for p in component_type(part.type).ports if p.domain == "hydraulic"]


def _too_fast(seen: _Seen, part: Component) -> Iterator[str]:
    for port in component_type(part.type).ports:
        speed = abs(seen.at(part, port.name))
        if port.domain == "rotation" and oil_ports(part) and speed > FASTEST_RPM:
            yield (
                f"“{part.label}” would turn at {speed:,.0f} rpm: are displacements, ratio and drive "
                "speed right?"
            )
        if port.domain == "translation" and oil_ports(part) and speed > FASTEST_MM_S:
            yield (
                f"“{part.label}” would move at {speed:,.0f} mm/s: are its bore and the pump's "
                "displacement right?"
            )


def _over_its_rating(seen: _Seen, part: Component) -> Iterator[str]:
    for port, rated in part.ratings.items():
        bar = seen.at(part, port)
        if bar > WIDELY * rated:
            yield (
                f"“{part.label}” is rated {rated:.0f} bar at {port}: it would see {bar:.0f}; is the "
                "rating, or the setting that should limit it, right?"
            )


def _draws_hard(seen: _Seen, part: Component) -> Iterator[str]:
    if component_type(part.type).makes_flow and "inlet" in oil_ports(part):
        bar = seen.at(part, "inlet")
        if bar < LEAST_SUCTION_BAR:
            yield (
                f"“{part.label}” would starve: {bar:.2f} bar at its inlet; are the suction line's "
                "bore and the oil's viscosity right?"
            )


def _narrow(seen: _Seen, part: Component) -> Iterator[str]:
    bore_mm = part.parameters.get("bore_mm")
    moved = {p.domain for p in component_type(part.type).ports} & {"translation", "rotation"}
    if not bore_mm or moved:
        return
    most = max(map(abs, seen.through(part)), default=0.0)
    speed = most / 6.0e4 / (0.25e-6 * np.pi * bore_mm**2)
    if speed > FASTEST_OIL_M_S:
        yield (
            f"“{part.label}” is narrow: {most:.0f} L/min in {bore_mm:g} mm is {speed:.0f} m/s; is its "
            "bore right?"
        )


def _powerful(seen: _Seen, part: Component) -> Iterator[str]:
    if component_type(part.type).makes_flow:
        given = -min(seen.through(part), default=0.0)
        kw = KW_PER_BAR_LPM * given * seen.highest_bar(part)
        if kw > MOST_KW:
            yield (
                f"“{part.label}” would ask too much of its drive: {kw:,.0f} kW; are its displacement "
                "and the relief's setting right?"
            )


def _no_way_in_neutral(seen: _Seen, part: Component) -> Iterator[str]:
    state = seen.state
    if state.moves or state.settings or state.engine == "off":
        return
    if not component_type(part.type).relieves or seen.highest_bar(part) < IN_NEUTRAL_BAR:
        return
    most = max(map(abs, seen.through(part)), default=0.0)
    if most > IN_NEUTRAL_SHARE * max(seen.pumped_lpm, 1.0):
        yield (
            f"“{part.label}” would open although nobody moves anything: {most:.0f} L/min at "
            f"{seen.highest_bar(part):.0f} bar; is there a way for the oil in neutral, and its "
            "setting right?"
        )


def _stands(seen: _Seen, part: Component) -> Iterator[str]:
    """Moved, not stalled, and yet it stands."""
    state = seen.state
    if state.engine not in ("rated", "max") or state.settings:
        return
    for name in state.moves:
        function = seen.circuit.function(name)
        if function.actuator != part.id or state.loads.get(name) in ("stalled", "held"):
            continue
        ports = component_type(part.type).ports
        domain = next(p.domain for p in ports if p.name == function.actuator_port)
        least = SLOWEST_MM_S if domain == "translation" else SLOWEST_RPM
        if abs(seen.at(part, function.actuator_port)) < least:
            yield (
                f"“{function.label}” would stand still: “{state.label}”; is its load, or what opens "
                "its way, right?"
            )


def _runs_away(seen: _Seen, part: Component) -> Iterator[str]:
    """Its load is on, nobody moves it, and yet it moves."""
    state = seen.state
    for function in seen.circuit.functions:
        held = function.id not in state.moves and state.loads.get(function.id) == "held"
        if function.actuator != part.id or not held or state.settings:
            continue
        ports = component_type(part.type).ports
        domain = next(p.domain for p in ports if p.name == function.actuator_port)
        most, unit = (MOVES_MM_S, "mm/s") if domain == "translation" else (MOVES_RPM, "rpm")
        speed = abs(seen.at(part, function.actuator_port))
        if speed > most:
            yield (
                f"“{function.label}” would run away under its load at {speed:,.0f} {unit}, nobody "
                "moving it; is what holds it there, and set high enough?"
            )


RULES: tuple[Callable[[_Seen, Component], Iterator[str]], ...] = (
    _too_fast,
    _over_its_rating,
    _draws_hard,
    _narrow,
    _powerful,
    _no_way_in_neutral,
    _stands,
    _runs_away,
)
"""What is asked of every part in every state that is no test."""
