"""The ways of a move: from the pump to the actuator and back, with what holds each valve there."""

from collections.abc import Iterable, Mapping
from functools import cached_property

import numpy as np

from umweg.core.circuit.document import Circuit, Component, MachineState
from umweg.core.components import component_type
from umweg.core.components.base import ELECTRIC, Array
from umweg.core.errors import SolveError
from umweg.core.network.network import Network
from umweg.core.solve.power import port_throughs
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.core.trace.way_views import (
    CircuitTrace,
    Drain,
    MoveTrace,
    Shared,
    SignalLine,
    Station,
)

JOINS_SHARE = 0.15
"""A source that gives so much of a move's oil is one of its sources."""
LEAST_SHARE = 0.05
"""A way carries at least this share of what moves the actuator; less is a leak."""
LEAST_FLOW_LPM = 0.02
STREAM_SHARE = 0.005
"""Less than this of the largest flow is none, or less than that many litres a minute."""
CALLED_BAR = 3.0
"""Change against neutral from which a pilot or demand line is part of a move."""
LEAST_AMP = 0.05
SAME_BAR = 0.05
MOST_STATIONS = 60
OIL_C = 50.0


def trace(circuit: Circuit, solver: SteadySolver | None = None) -> CircuitTrace:
    """Trace every move of a circuit on the machine as documented."""
    return _Tracer(circuit, solver or SteadySolver(Network(circuit))).whole()


class _Solved:
    """The machine in one state: across each net, and through each port."""

    def __init__(self, circuit: Circuit, network: Network, across: Array, through: Array) -> None:
        self.across = across
        self.through = through
        self.circuit = circuit
        self.network = network

    def at(self, net: str) -> float:
        return float(self.across[self.network.net_index[net]])


class _Tracer:
    def __init__(self, circuit: Circuit, solver: SteadySolver) -> None:
        self._circuit = circuit
        self._solver = solver
        self._network = solver.network
        self._ports: tuple[str, ...] = ()
        self._by_id = {c.id: c for c in circuit.components}

    def whole(self) -> CircuitTrace:
        moves = [self._move(f.id, m) for f in self._circuit.functions for m in f.moves]
        parts = []
        for part in self._circuit.components:
            users = [f"{t.function}.{t.move}" for t in moves if part.id in t.parts]
            if users:
                parts.append(Shared(component=part.id, label=part.label, moves=users))
        return CircuitTrace(
            circuit=self._circuit.id,
            neutral=self._idle_way(),
            moves=moves,
            parts=parts,
        )

    # Solving

    def _solve(self, label: str, moves: Mapping[str, str]) -> _Solved | None:
        loads = {f.id: "held" for f in self._circuit.functions if "held" in f.loads}
        loads |= {f: "free" for f in moves if "free" in self._circuit.function(f).loads}
        state = MachineState.model_validate(
            {"label": label, "engine": "rated", "oil_c": OIL_C, "moves": moves, "loads": loads}
        )
        solvable = self._network.state(state)
        solution = self._solver.solve([solvable], Cases.one({}))
        if not solution.converged[0]:
            return None
        self._ports, through = port_throughs(self._network, solvable, solution.across)
        return _Solved(self._circuit, self._network, solution.across[:, 0], through[:, 0])

    @cached_property
    def _neutral(self) -> _Solved:
        found = self._solve("neutral, rated", {})
        if found is None:
            raise SolveError("the machine finds no steady state in neutral")
        return found

    # Following the oil

    def _oil_ports(self, part: Component) -> Iterable[tuple[str, str, str]]:
        """Name, net and kind of line of each hydraulic port of a part."""
        for port in component_type(part.type).ports:
            if port.domain == "hydraulic" and port.name in part.connections:
                yield port.name, part.connections[port.name], port.line

    def _flow(self, solved: _Solved, component: str, port: str) -> float:
        """Flow into a part by a port [L/min]."""
        return float(solved.through[self._ports.index(f"{component}.{port}")])

    def _least(self, solved: _Solved) -> float:
        """What counts as a stream: of grease a thousandth of what does of oil."""
        flows = [
            abs(self._flow(solved, part.id, port))
            for part in self._circuit.components
            for port, _, _ in self._oil_ports(part)
        ]
        return min(LEAST_FLOW_LPM, STREAM_SHARE * max(flows, default=0.0))

    def _at_net(self, net: str) -> list[tuple[str, str]]:
        return [
            (c.id, name)
            for c in self._circuit.components
            for name, joined, _ in self._oil_ports(c)
            if joined == net
        ]

    def _follow(self, solved: _Solved, component: str, port: str, sign: float) -> list[Station]:
        """Parts from one port on, always along the strongest stream.

        ``sign`` 1 follows the oil that comes out at the port, −1 goes against what comes in there.
        """
        least = max(LEAST_SHARE * abs(self._flow(solved, component, port)), self._least(solved))
        net = self._by_id[component].connections[port]
        return self._follow_from(solved, net, sign, least, {component})

    def _follow_from(
        self, solved: _Solved, net: str, sign: float, least: float, seen: set[str]
    ) -> list[Station]:
        """The same from a net on, past the parts that were seen."""
        found: list[Station] = []
        for _ in range(MOST_STATIONS):
            step = self._strongest(solved, net, sign, least, seen)
            if step is None:
                break
            part, entered, left = step
            seen.add(part)
            first, second = (entered, left) if sign > 0 else (left, entered)
            found.append(self._station(solved, part, first, second))
            if left is None or self._ends(part):
                break
            net = self._by_id[part].connections[left]
        return found if sign > 0 else found[::-1]

    def _joining(
        self, solved: _Solved, component: str, port: str, way: list[Station]
    ) -> list[Station]:
        """What other sources give on a way to a port, each behind its own check."""
        seen = {component, *(s.component for s in way)}
        given = abs(self._flow(solved, component, port))
        found: list[Station] = []
        nets = [self._by_id[component].connections[port]]
        nets += [self._by_id[s.component].connections[s.entered_by] for s in way if s.entered_by]
        for net in nets:
            branch = self._follow_from(solved, net, -1.0, JOINS_SHARE * given, set(seen))
            if branch and component_type(self._by_id[branch[0].component].type).makes_flow:
                found += branch
                seen |= {s.component for s in branch}
        return found

    def _strongest(
        self, solved: _Solved, net: str, sign: float, least: float, seen: set[str]
    ) -> tuple[str, str, str | None] | None:
        """The part with the strongest stream from a net, the port it takes and the one it gives by."""
        streams = [
            (sign * self._flow(solved, c, p), c, p) for c, p in self._at_net(net) if c not in seen
        ]
        flow, part, entered = max(streams, default=(0.0, "", ""))
        if flow < least:
            return None
        # A spool passes two streams at once: oil only goes on to where the pressure is lower.
        pushes = component_type(self._by_id[part].type).makes_flow
        others = [
            (sign * self._flow(solved, part, name), name)
            for name, joined, _ in self._oil_ports(self._by_id[part])
            if name != entered
            and (pushes or sign * (solved.at(net) - solved.at(joined)) > -SAME_BAR)
        ]
        out, left = min(others, default=(0.0, ""))
        return part, entered, left if out < -least else None

    def _ends(self, part: str) -> bool:
        kind = component_type(self._by_id[part].type)
        return kind.makes_flow or any(p.boundary for p in kind.ports)

    def _station(
        self, solved: _Solved, component: str, entered: str | None, left: str | None
    ) -> Station:
        part = self._by_id[component]

        def bar(port: str | None) -> float:
            return 0.0 if port is None else solved.at(part.connections[port])

        flows = [abs(self._flow(solved, component, p)) for p in (entered, left) if p is not None]
        return Station(
            component=component,
            label=part.label,
            entered_by=entered or "",
            left_by=left or "",
            flow_lpm=max(flows, default=0.0),
            before_bar=bar(entered),
            after_bar=bar(left),
            held_by=[],
        )

    def _idle_way(self) -> list[Station]:
        """From the pump to the tank with everything in neutral."""
        found: list[Station] = []
        for part in self._circuit.components:
            kind = component_type(part.type)
            if not kind.makes_flow:
                continue
            flows = [
                (self._flow(self._neutral, part.id, p), p) for p, _, _ in self._oil_ports(part)
            ]
            out, port = min(flows, default=(0.0, ""))
            if out < -self._least(self._neutral):
                found += [
                    self._station(self._neutral, part.id, None, port),
                    *self._follow(self._neutral, part.id, port, 1.0),
                ]
        return found

    # A move

    def _move(self, function_id: str, move: str) -> MoveTrace:
        function = self._circuit.function(function_id)
        label = f"{function.label} {function.moves[move].label}"
        commands = function.moves[move].commands
        neutral = self._neutral
        solved = self._solve(label, {function_id: move})
        contacts = [self._command_words(k, v) for k, v in commands.items()]
        if solved is None:
            return MoveTrace(
                function=function_id,
                move=move,
                label=label,
                pressure=[],
                returning=[],
                signals=[],
                drains=[],
                coils=[],
                contacts=contacts,
                parts=[],
                known=False,
            )
        actuators = self._actuators(function_id)
        pressure: list[Station] = []
        returning: list[Station] = []
        for actuator in actuators:
            flows = [
                (self._flow(solved, actuator, p), p)
                for p, _, _ in self._oil_ports(self._by_id[actuator])
            ]
            into, at = max(flows, default=(0.0, ""))
            out, by = min(flows, default=(0.0, ""))
            if into > self._least(solved):
                way = self._follow(solved, actuator, at, -1.0)
                pressure += [*self._joining(solved, actuator, at, way), *way]
            pressure.append(self._station(solved, actuator, at or None, by or None))
            if out < -self._least(solved):
                returning += self._follow(solved, actuator, by, 1.0)
        ways = [n for s in (*pressure, *returning) for n in self._nets_of(s)]
        signals = list(self._signals(solved, neutral, commands, ways))
        coils = list(self._coils(solved))
        held = self._held_by(commands, signals, coils)
        pressure = [
            s.model_copy(update={"held_by": held.get(s.component, [])}) for s in _once(pressure)
        ]
        returning = [
            s.model_copy(update={"held_by": held.get(s.component, [])}) for s in _once(returning)
        ]
        used = [s.component for s in (*pressure, *returning)]
        used += [s.component for s in signals]
        used += [k.partition(".")[0] for k in commands]
        used += self._live_wires(solved, neutral)
        return MoveTrace(
            function=function_id,
            move=move,
            label=label,
            pressure=pressure,
            returning=returning,
            signals=signals,
            drains=list(self._drains(solved)),
            coils=[self._by_id[c].label + (f", {p}" if p else "") for c, p in coils],
            contacts=contacts,
            parts=[c.id for c in self._circuit.components if c.id in used],
            known=True,
        )

    def _actuators(self, function_id: str) -> list[str]:
        """The actuator and those that move with it."""
        function = self._circuit.function(function_id)
        own = self._by_id[function.actuator]
        net = own.connections[function.actuator_port]
        return [
            c.id
            for c in self._circuit.components
            if c.type == own.type and net in c.connections.values()
        ]

    def _command_words(self, key: str, value: float) -> str:
        owner, _, name = key.partition(".")
        part = self._by_id.get(owner)
        return f"{part.label if part else owner}: {name} {value:g}"

    def _nets_of(self, station: Station) -> list[str]:
        joined = self._by_id[station.component].connections
        return [joined[p] for p in (station.entered_by, station.left_by) if p]

    def _signals(
        self,
        solved: _Solved,
        neutral: _Solved,
        commands: Mapping[str, float],
        ways: Iterable[str],
    ) -> Iterable[SignalLine]:
        """Pilot and demand ports that answer to this move.

        Those that are reached from what is commanded, or from the oil's own way: a line elsewhere
        whose pressure floats along is no part of it.
        """
        pilots = [
            (part, name, net)
            for part in self._circuit.components
            for name, net, line in self._oil_ports(part)
            if line == "pilot" and abs(solved.at(net) - neutral.at(net)) > CALLED_BAR
        ]
        commanded = {key.partition(".")[0] for key in commands}
        reached = set(ways) | {net for part, _, net in pilots if part.id in commanded}
        while True:
            parts = {part.id for part, _, net in pilots if net in reached}
            wider = reached | {net for part, _, net in pilots if part.id in parts}
            if wider == reached:
                break
            reached = wider
        for part, name, net in pilots:
            if net in reached:
                yield SignalLine(
                    component=part.id,
                    label=part.label,
                    port=name,
                    bar=solved.at(net),
                    neutral_bar=neutral.at(net),
                )

    def _drains(self, solved: _Solved) -> Iterable[Drain]:
        for part in self._circuit.components:
            for name, _, line in self._oil_ports(part):
                flow = -self._flow(solved, part.id, name)
                if line == "drain" and flow > self._least(solved):
                    yield Drain(component=part.id, label=part.label, port=name, flow_lpm=flow)

    def _amp(self, solved: _Solved, component: str, port: str) -> float:
        return self._flow(solved, component, port) / ELECTRIC

    def _electric_ports(self, part: Component) -> list[str]:
        return [
            p.name
            for p in component_type(part.type).ports
            if p.domain == "electrical" and p.name in part.connections
        ]

    def _coils(self, solved: _Solved) -> Iterable[tuple[str, str]]:
        """Hydraulic parts with a coil under current, and its terminal."""
        for part in self._circuit.components:
            if not any(True for _ in self._oil_ports(part)):
                continue
            for port in self._electric_ports(part):
                if self._amp(solved, part.id, port) > LEAST_AMP:
                    yield part.id, port

    def _live_wires(self, solved: _Solved, neutral: _Solved) -> list[str]:
        """Electrical parts that carry a current which they do not carry in neutral."""
        return [
            part.id
            for part in self._circuit.components
            if any(
                abs(self._amp(solved, part.id, p)) > LEAST_AMP
                and abs(self._amp(solved, part.id, p) - self._amp(neutral, part.id, p)) > LEAST_AMP
                for p in self._electric_ports(part)
            )
        ]

    def _held_by(
        self,
        commands: Mapping[str, float],
        signals: Iterable[SignalLine],
        coils: Iterable[tuple[str, str]],
    ) -> dict[str, list[str]]:
        found: dict[str, list[str]] = {}
        for key, value in commands.items():
            owner, _, name = key.partition(".")
            found.setdefault(owner, []).append(f"{name} {value:g}")
        for signal in signals:
            found.setdefault(signal.component, []).append(f"{signal.port} {signal.bar:.0f} bar")
        for component, port in coils:
            found.setdefault(component, []).append(f"coil {port} on")
        return found


def _once(stations: Iterable[Station]) -> list[Station]:
    """Each part once, where the ways of several actuators run together."""
    return list({s.component: s for s in stations}.values())


def shared_by(
    traced: CircuitTrace, bad: Iterable[str], good: Iterable[str]
) -> list[tuple[Shared, float]]:
    """Parts sorted so that what the bad moves share and the good ones do not stands first.

    Parameters
    ----------
    bad, good : moves as ``function.move``

    Returns
    -------
    each part with the share of the bad moves that need it less that of the good ones
    """
    failing, working = set(bad), set(good)

    def share(part: Shared, moves: set[str]) -> float:
        return len(moves & set(part.moves)) / len(moves) if moves else 0.0

    scored = [(p, share(p, failing) - share(p, working)) for p in traced.parts]
    return sorted(scored, key=lambda s: (-s[1], np.negative(len(s[0].moves)), s[0].component))
