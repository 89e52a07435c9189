"""A machine at rest: what its lines hold with the drive off, and what presses on them.

A load, a gas store or a spring presses oil against a closed valve. Which of them holds a line is
found by taking it away: the line follows. What faults hold is in the same tables.
"""

from collections.abc import Mapping
from functools import cached_property

from umweg.core.circuit.document import Circuit, Component, Function, MachineState
from umweg.core.components import component_type
from umweg.core.components.base import Array
from umweg.core.errors import SolveError
from umweg.core.observe.predict import Predictor
from umweg.core.observe.prediction import StatePrediction

HOLDS_ABOVE_BAR = 5.0
"""Pressure in a line at rest that injures who opens it."""
LETS_GO_BELOW = 0.8
"""A load is what holds a line if the line keeps less than this share once it is set down."""
AT_REST_C = 50.0
HOLDS_SHARE = 0.5
"""A part holds a line if this share of the line's pressure stands across it."""


class AtRest:
    """What the machine as documented, and every candidate, holds with the drive off.

    Parameters
    ----------
    posture : load state of functions that are not simply held
    """

    def __init__(self, predictor: Predictor, posture: Mapping[str, str] | None = None) -> None:
        self.predictor = predictor
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

    def row(self, net: str) -> int:
        """Where a line stands in the tables."""
        return self.network.net_index[net]

    def bar(self, net: str) -> float:
        """What a line of the machine as documented holds."""
        return float(self.table.healthy[self.row(net)])

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
            return self.predictor.healthy(state)
        except SolveError:
            return None

    def set_down(self, function: Function) -> dict[str, float]:
        """Settings that take a function's weight off its actuator: it lies on the ground."""
        if function.load is None:
            return {}
        carried = component_type(self.circuit.component(function.load).type).carried_by
        return {f"{function.load}.{name}": 0.0 for name in carried}

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
    def armed(self) -> bool:
        """Valves that move by pilot oil or current trap oil when these are off."""
        return any(
            port.domain == "electrical" or port.line == "pilot"
            for part in self.circuit.components
            for port in component_type(part.type).ports
            if port.name in part.connections
        )
