"""A machine at rest: what its lines hold with the drive off, and what presses on them.

A load, a gas store or a spring presses oil against a closed valve. Which of them holds a line is
found by taking it away: the line follows. A closed volume keeps what it had, though nothing presses
on it: that is played (:mod:`umweg.core.observe.trapped`). What faults hold is in the same tables. Whoever
asks what a line holds asks here: make safe, the cautions of every step, mending, may.
"""

from collections.abc import Mapping
from functools import cached_property

import numpy as np

from umweg.core.circuit.document import Circuit, Component, Function, MachineState
from umweg.core.components import component_type
from umweg.core.components.base import Array, GivenBy
from umweg.core.errors import SolveError
from umweg.core.network.network import Indices
from umweg.core.observe.predict import Predictor
from umweg.core.observe.prediction import StatePrediction
from umweg.core.observe.trapped import DRIVEN_RPM, LIVE_BAR, Trapped, pump_shafts, trapped_pressure

HOLDS_ABOVE_BAR = LIVE_BAR
LETS_GO_BELOW = 0.8
"""A load is what holds a line if the line keeps less than this share once it is set down."""
AT_REST_C = 50.0
HOLDS_SHARE = 0.5
"""A part holds a line if this share of the line's pressure stands across it."""
LEVERS: Mapping[GivenBy, str] = {
    "lever": "every lever both ways, twice",
    "wheel": "the wheel both ways, twice",
    "pedal": "the pedal down and let go, twice",
    "button": "every switch made and let go, twice",
}
"""What is moved once the drive is off, so that closed lines let go, and how that is said."""


class AtRest:
    """What the machine as documented, and every candidate, holds with the drive off.

    Parameters
    ----------
    posture : load state of functions that are not simply held
    waits : whether what closed lines keep is played where it was not yet; else as the predictor does
    """

    def __init__(
        self,
        predictor: Predictor,
        posture: Mapping[str, str] | None = None,
        waits: bool | None = None,
    ) -> None:
        self.predictor = predictor
        self._waits = predictor.grid.patient if waits is None else waits
        self.circuit: Circuit = predictor.circuit
        self.network = predictor.network
        self._posture = dict(posture or {})

    @property
    def drive(self) -> str:
        """What is switched off."""
        return "engine" if self.circuit.prime_movers else "motor"

    def state(
        self,
        label: str,
        engine: str = "off",
        moves: Mapping[str, str] | None = None,
        settings: Mapping[str, float] | None = None,
    ) -> MachineState:
        """The posture, with something else about it."""
        loads = {f.id: "held" for f in self.circuit.functions if "held" in f.loads}
        loads.update(self._posture)
        return MachineState.model_validate(
            {
                "label": label,
                "engine": engine,
                "oil_c": AT_REST_C,
                "loads": loads,
                "moves": moves or {},
                "settings": settings or {},
            }
        )

    @cached_property
    def table(self) -> StatePrediction:
        """All candidates at rest."""
        return self.predictor[self.state(f"{self.drive} off, loads held")]

    @cached_property
    def trapped(self) -> Trapped | None:
        """What closed lines keep, of every single fault; None where it is not played yet and nobody
        waits for it."""
        return trapped_pressure(
            self.predictor.grid,
            self.state("").loads,
            self._release,
            self._waits,
            [f.id for f in self.weighing],
        )

    @cached_property
    def held(self) -> Array:
        """(N, C) what the nets of every candidate hold once it was stopped, whatever it did before.

        No number where that is not known. Until what is closed in is played, a line is taken to keep
        the highest that any state had put there.
        """
        table, count = self.table, self.network.unknown_count
        pressed = np.where(table.known, table.solution.across[:count], np.nan)
        trapped = self.trapped
        if trapped is not None:
            kept = trapped.spread(trapped.most, self.predictor.population)
            pressed[trapped.nets] = np.maximum(pressed[trapped.nets], kept)
            return pressed
        for state in self.circuit.steady.values():
            try:
                found = self.predictor[state]
            except SolveError:
                continue
            had = np.where(found.known, found.solution.across[:count], np.nan)
            pressed = np.fmax(pressed, had)
        return pressed

    @cached_property
    def sound(self) -> Array:
        """(N,) the same of the machine as documented."""
        found: Array = np.fmax(self.held[:, 0], self.table.healthy[: self.network.unknown_count])
        return found

    @cached_property
    def leave_by(self) -> MachineState | None:
        """The named state to be in last, before the drive is stopped, so that least stays closed in;
        None where nothing does, or no state helps."""
        trapped = self.trapped
        named = self.circuit.steady.values()
        return next((s for s in named if trapped is not None and s.label == trapped.leave_by), None)

    @cached_property
    def freed(self) -> tuple[Indices, Array]:
        """Nets, and (R, C) what is left of what was closed in there, once the drive was stopped as it
        should be, every store emptied and every lever moved, or ten minutes gone by; as much as was
        held, where that is not played."""
        trapped = self.trapped
        if trapped is None:
            return np.arange(self.network.unknown_count), self.held
        return trapped.nets, trapped.spread(trapped.freed, self.predictor.population)

    @cached_property
    def _release(self) -> list[MachineState]:
        """The states in which closed lines are let go: loads lie, stores are empty, then everything
        that can be moved with the drive off, one after the other."""
        lying: dict[str, float] = {}
        for function in self.weighing:
            lying |= self.set_down(function)
        for store, emptied in self.stores.items():
            lying |= emptied
            net = next(iter(self.circuit.component(store).connections.values()))
            lying |= {f"{dump.id}.{command}": 1.0 for dump, command in self.let_go(net)}
        moved = [
            self.state("let go", moves=moves, settings={**lying, **settings})
            for _, moves, settings, _ in self.levers
        ]
        return [*moved, self.state("let go", settings=lying)]

    @cached_property
    def levers(self) -> list[tuple[str, dict[str, str], dict[str, float], GivenBy]]:
        """What somebody can move with the drive off: its name, the move or the command that it gives,
        and with what."""
        found: list[tuple[str, dict[str, str], dict[str, float], GivenBy]] = []
        named = set()
        for function in self.circuit.functions:
            for name, move in function.moves.items():
                named |= set(move.commands)
                given = [self.given_by(key) for key in move.commands]
                by = next((g for g in given if g in LEVERS), None)
                if by and not self._drives({function.id: name}, {}):
                    found.append((function.label, {function.id: name}, {}, by))
        moved = {key for key in named if "." in key} | self._linked
        for part in self.circuit.components:
            for command in component_type(part.type).commands:
                key = f"{part.id}.{command.name}"
                # A switch that no move makes is one that the machine makes: a level, an end.
                if command.by not in LEVERS or command.by == "button" or key in moved:
                    continue
                for value in sorted({command.low, command.high} - {command.default}):
                    if not self._drives({}, {key: value}):
                        found.append((part.label, {}, {key: value}, command.by))
        return found

    @property
    def _linked(self) -> set[str]:
        """Commands that a linkage gives."""
        return {
            f"{part.id}.{name}"
            for part in self.circuit.components
            for name in component_type(part.type).levers
            if name in part.connections
        }

    def given_by(self, command: str) -> GivenBy:
        """With what somebody gives a command; nothing where nobody does."""
        part, _, name = command.partition(".")
        commands = component_type(self.circuit.component(part).type).commands
        return next((c.by for c in commands if c.name == name), "")

    def _drives(self, moves: Mapping[str, str], settings: Mapping[str, float]) -> bool:
        """Whether that runs a pump: an electric pack that is switched on is not off."""
        across = self.healthy(self.state("", moves=moves, settings=settings))
        return across is None or any(
            abs(across[row]) > DRIVEN_RPM for row in pump_shafts(self.network)
        )

    def row(self, net: str) -> int:
        """Where a line stands in the tables."""
        return self.network.net_index[net]

    def bar(self, net: str) -> float:
        """What a line of the machine as documented holds."""
        row = self.row(net)
        known = row < self.network.unknown_count
        return float(self.sound[row] if known else self.table.healthy[row])

    def closed_in(self, row: int) -> str:
        """Which state left in a line what the machine as documented keeps there, though nothing
        presses on it; nothing where something does."""
        trapped = self.trapped
        here = None if trapped is None else trapped.place.get(row)
        if trapped is None or here is None:
            return ""
        most = float(trapped.most[here, 0])
        if not most > max(HOLDS_ABOVE_BAR, 1.2 * float(self.table.healthy[row])):
            return ""
        return trapped.starts[int(trapped.before[here, 0])]

    @cached_property
    def oil_nets(self) -> list[tuple[str, int]]:
        """Lines of the machine itself that carry oil, with their rows."""
        own = {net for part in self.circuit.components for net in part.connections.values()}
        network = self.network
        return [
            (name, i)
            for i, name in enumerate(network.net_names[: network.unknown_count])
            if network.domains[i] == "hydraulic" and name in own
        ]

    def healthy(self, state: MachineState) -> Array | None:
        """(N,) across variables of the machine as documented; nothing where it finds no rest."""
        try:
            # The grid's lives longest: whoever plans asks for the same few again and again.
            return self.predictor.grid.healthy(state)
        except SolveError:
            return None

    def set_down(self, function: Function) -> dict[str, float]:
        """Settings that take a function's weight off its actuator: it lies on the ground."""
        return {
            f"{load}.{name}": 0.0
            for load in function.all_loads
            for name in component_type(self.circuit.component(load).type).carried_by
        }

    @cached_property
    def stores(self) -> dict[str, dict[str, float]]:
        """Settings that empty each store."""
        found = {}
        for part in self.circuit.components:
            emptied = component_type(part.type).emptied_by
            if emptied:
                found[part.id] = {f"{part.id}.{emptied}": 1.0}
        return found

    def let_go(self, net: str) -> list[tuple[Component, str]]:
        """Valves worked by hand that let the pressure of a line go, with their commands."""
        return [
            (part, command)
            for part in self.circuit.components
            if (command := component_type(part.type).lets_go_by)
            and part.connections[component_type(part.type).ports[0].name] == net
        ]

    @cached_property
    def pressing(self) -> dict[str, tuple[str, Array]]:
        """Label, and across variables with one load set down or one store emptied, by its id."""
        found = {}
        lone = [
            (f.id, f"{f.label}: its load", settings)
            for f in self.circuit.functions
            if (settings := self.set_down(f))
        ]
        lone += [(k, self.circuit.component(k).label, v) for k, v in self.stores.items()]
        for name, label, settings in lone:
            across = self.healthy(self.state(label, settings=settings))
            if across is not None:
                found[name] = label, across
        return found

    def because(self, row: int) -> list[str]:
        """Ids of the loads and stores that press on a line."""
        if self.table.healthy[row] <= HOLDS_ABOVE_BAR:
            return []
        return [n for n, (_, x) in self.pressing.items() if self.lets_go(x, row)]

    def lets_go(self, across: Array, row: int) -> bool:
        """Whether a line keeps clearly less there than at rest."""
        return bool(across[row] < LETS_GO_BELOW * self.table.healthy[row])

    @cached_property
    def weighing(self) -> list[Function]:
        """Functions whose load keeps a line under pressure."""
        live = [i for _, i in self.oil_nets if self.table.healthy[i] > HOLDS_ABOVE_BAR]
        found = [
            f
            for f in self.circuit.functions
            if f.id in self.pressing
            and any(self.lets_go(self.pressing[f.id][1], row) for row in live)
        ]
        # One load that two functions move, by engine and by hand, is set down once.
        return list({f.load or f.id: f for f in reversed(found)}.values())[::-1]

    def held_by(self, net: str) -> list[Component]:
        """Parts between this line and one that holds far less."""
        here = self.bar(net)
        found = []
        for part in self.circuit.components:
            kind = component_type(part.type)
            oil = {
                part.connections[p.name]
                for p in kind.ports
                if p.domain == "hydraulic" and p.name in part.connections
            }
            if net not in oil or kind.stores_oil:
                continue
            if any(self.bar(other) < (1.0 - HOLDS_SHARE) * here for other in oil - {net}):
                found.append(part)
        return found

    @cached_property
    def armed(self) -> str:
        """What has to be on for valves that move by current or by pilot oil, in words; such valves trap
        oil when it is off."""
        kinds = [component_type(part.type) for part in self.circuit.components]
        wired = any(p.domain == "electrical" for kind in kinds for p in kind.ports)
        piloted = any(kind.piloted for kind in kinds)
        said = [words for words, is_so in (("key on", wired), ("pilot armed", piloted)) if is_so]
        return ", ".join(said)

    def levers_words(self, by_current: bool = True) -> str:
        """How what closes lines is moved with the drive off; nothing where nobody can move anything.

        Without current switches do nothing, and no key is turned on.
        """
        ways = []
        for by, words in LEVERS.items():
            if by == "button" and not by_current:
                continue
            of = dict.fromkeys(label.lower() for label, *_, given in self.levers if given == by)
            if of:
                ways.append(f"{words}: {', '.join(of)}")
        if not ways:
            return ""
        armed = self.armed if by_current else ""
        return f"{armed}; {'; '.join(ways)}" if armed else "; ".join(ways)
