"""What oil moves on a machine that was typed: its load, how strong it is, and whether it carries.

How strong is asked of the solved machine: everything is held against its stop and every command is
given once. A branch's own relief, a reducing valve or a margin is in it by that.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from umweg.core.circuit.document import Circuit, Component, MachineState
from umweg.core.components import component_type
from umweg.core.components.base import Array, ComponentType, Port
from umweg.core.solve.steady import Cases, SteadySolver

LIGHT, HEAVY = 0.05, 0.5
"""Loads that are drafted, as shares of what the actuator can push."""
USUAL_BAR = 150.0
"""Where nothing limits the pressure."""
LEAST_STALL_BAR = 2.0
"""Pressure over that at rest from which a command is one that pushes it."""
MOST = 40.0
"""Of a command without a natural end: strokes a minute by hand, bar that are demanded."""
SHAFTS = ("rotation", "translation")


@dataclass(frozen=True)
class Call:
    """One command at one end of its range."""

    name: str
    value: float
    given: bool = True
    """It is something that is given: what stands as far as it goes by itself is not."""

    @property
    def part(self) -> str:
        """The part that is commanded."""
        return self.name.split(".")[0]


@dataclass(frozen=True)
class Actuator:
    """A part that oil moves, with the load on its rod or shaft."""

    part: Component
    port: Port
    load: Component
    strength: float
    """Force [N] or torque [Nm] at the pressure that it can get."""
    carries: int
    """Which way its load pushes it by itself: −1 in or back, +1 out or forward, 0 not at all."""

    @property
    def net(self) -> str:
        """Its rod or shaft."""
        return self.part.connections[self.port.name]

    def loads(self) -> dict[str, dict[str, float]]:
        """Its usual loads by load state: what its load weighs, or resists with."""
        kind = component_type(self.load.type)
        carried = kind.carried_by if self.carries else ()
        pressing = (*carried, *kind.resisted_by)[:1]
        if not pressing:
            return {}
        way = -float(self.carries) if carried else 1.0
        light, heavy = (round(way * share * self.strength, 1) for share in (LIGHT, HEAVY))
        found = {"free": {pressing[0]: light}, "working": {pressing[0]: heavy}}
        if any(c.name == "stop" for c in kind.commands):
            found["stalled"] = {pressing[0]: heavy, "stop": 1}
        if carried:
            found["held"] = {pressing[0]: heavy}
        return found


def kind_of(part: Component) -> type[ComponentType]:
    """A part's type."""
    return component_type(part.type)


def calls_of(circuit: Circuit) -> list[Call]:
    """Every command that somebody at the machine gives, at each end of its range."""
    found = []
    for part in circuit.components:
        kind = kind_of(part)
        if len(kind.ports) == 1 and kind.ports[0].domain in SHAFTS:
            continue
        for command in kind.commands:
            if command.by == "trial":
                continue
            if command.name in kind.in_time or command.name in (kind.emptied_by, kind.drawn_by):
                continue
            if any(lever == command.name and lever in part.connections for lever in kind.levers):
                continue  # what a linkage moves is commanded at the linkage
            ends = {command.low, min(command.high, MOST)} - {command.default}
            name, given = f"{part.id}.{command.name}", command.default < command.high
            found += [Call(name, value, given) for value in sorted(ends)]
    return found


def speeds(
    solver: SteadySolver, settings: Sequence[Mapping[str, float]], actuators: Sequence[Actuator]
) -> Array:
    """(S, A) speed of each actuator with each set of commands; not a number where nothing settles."""
    across = _across(solver, settings)
    found: Array = across[:, [solver.network.net_index[a.net] for a in actuators]]
    return found


def actuators_of(
    circuit: Circuit, solver: SteadySolver, told: Mapping[str, bool]
) -> list[Actuator]:
    """Parts that oil moves: one end of oil, one of motion that no pump turns, with a load on it.

    Parameters
    ----------
    told : of a load, whether somebody said that it carries (weighs on its actuator by itself)
    """
    highest = highest_bar(circuit)
    found = [
        Actuator(
            part, port, load, _strength(part, highest), _carries(circuit, part, port, load, told)
        )
        for part, port, load in moved_parts(circuit)
    ]
    stalled = _stalled_bar(circuit, solver, found)
    return [
        Actuator(
            a.part, a.port, a.load, _strength(a.part, bar) if bar > 0.0 else a.strength, a.carries
        )
        for a, bar in zip(found, stalled, strict=True)
    ]


def moved_parts(circuit: Circuit) -> Iterator[tuple[Component, Port, Component]]:
    """Parts that oil moves, with their rod's or shaft's port and the load on it."""
    movers = {m.id for m in circuit.prime_movers}
    for part in circuit.components:
        kind = kind_of(part)
        if kind.makes_flow or not any(p.domain == "hydraulic" for p in kind.ports):
            continue
        for port in kind.ports:
            net = part.connections.get(port.name, "")
            if port.domain not in SHAFTS or net in movers:
                continue
            load = _load_at(circuit, net)
            if load is not None and _strength(part, 1.0) > 0.0:
                yield part, port, load


def _load_at(circuit: Circuit, net: str) -> Component | None:
    for part in circuit.components:
        kind = kind_of(part)
        if len(kind.ports) == 1 and kind.commands and net in part.connections.values():
            return part
    return None


def _carries(
    circuit: Circuit, part: Component, port: Port, load: Component, told: Mapping[str, bool]
) -> int:
    """Which way its load pushes an actuator, by what is there to hold it or to take it back."""
    if not kind_of(load).carried_by or told.get(load.id) is False:
        return 0
    if kind_of(part).pushed_one_way:
        return -1
    work = [p.name for p in kind_of(part).ports if p.domain == "hydraulic" and p.line == "working"]
    held = [p for p in work if _is_held(circuit, part.connections[p])]
    shaft = _is_held(circuit, part.connections[port.name])
    if not held and not shaft and not told.get(load.id):
        return 0
    # What is held at its second port alone hangs on it: its load pulls it out.
    return 1 if held == work[1:2] else -1


def _is_held(circuit: Circuit, net: str) -> bool:
    return any(
        kind_of(part).holds_load and part.connections.get(kind_of(part).holds_load) == net
        for part in circuit.components
    )


def highest_bar(circuit: Circuit) -> float:
    """The highest pressure that a relief valve or a pump's own control lets through."""
    limits = [
        float(_parameters(part).get("set_bar", 0.0))
        for part in circuit.components
        if kind_of(part).relieves or kind_of(part).limits_itself
    ]
    # The lower ones are a charge pump's, a return's, a pilot's.
    return max((bar for bar in limits if bar > 0.0), default=USUAL_BAR)


def _parameters(part: Component) -> dict[str, float]:
    return dict(kind_of(part).Parameters.model_validate(part.parameters).model_dump())


def _strength(part: Component, bar: float) -> float:
    values = _parameters(part)
    if "bore_mm" in values:
        return 0.1 * bar * 0.25 * float(np.pi) * values["bore_mm"] ** 2
    if "displacement_cm3" in values:
        return bar * values["displacement_cm3"] / (20.0 * float(np.pi))
    return 0.0


def _stalled_bar(
    circuit: Circuit, solver: SteadySolver, actuators: Sequence[Actuator]
) -> list[float]:
    """The highest pressure that a command brings to each actuator held against its stop, over that of
    its other port where it is a motor: to the port that lifts where its load weighs, else to the
    weaker one of those that any command presses; 0 where no single command does."""
    if not actuators:
        return []
    stopped = {
        f"{a.load.id}.stop": 1.0
        for a in actuators
        if any(c.name == "stop" for c in kind_of(a.load).commands)
    }
    across = _across(solver, [stopped, *(stopped | {c.name: c.value} for c in calls_of(circuit))])
    found = []
    for actuator in actuators:
        kind = kind_of(actuator.part)
        ports = [p.name for p in kind.ports if p.domain == "hydraulic" and p.line == "working"]
        rows = [solver.network.net_index[actuator.part.connections[name]] for name in ports]
        bars = across[:, rows]
        if actuator.port.domain == "rotation" and len(rows) > 1:
            bars = bars[:, :1] - bars[:, 1:2]
            bars = np.hstack([bars, -bars])
            at_rest = np.zeros(2)
        else:
            at_rest = bars[0]
        most = np.nan_to_num(np.where(bars > at_rest + LEAST_STALL_BAR, bars, 0.0)).max(axis=0)
        if actuator.carries:
            found.append(float(most[:2][-1 if actuator.carries > 0 else 0]))
        else:
            found.append(float(min((bar for bar in most if bar > 0.0), default=0.0)))
    return found


def _across(solver: SteadySolver, settings: Sequence[Mapping[str, float]]) -> Array:
    """(S, N) across variables with each set of commands; not a number where nothing settles."""
    network = solver.network
    states = [network.state(MachineState(label="tried", settings=dict(s))) for s in settings]
    solved = solver.solve(states, Cases.as_documented(len(states)))
    found: Array = np.where(solved.converged[:, None], solved.across.T, np.nan)
    return found
