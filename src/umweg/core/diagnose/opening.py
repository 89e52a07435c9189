"""What a line holds where something is connected or opened, and how it is brought to nothing.

Connected is with the engine off and every load held where it was: the posture in which people
reach for the spanner. What the lines hold then is asked of the healthy machine and of every
suspect, because a fault may lock in what a healthy machine lets go.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from weakref import WeakKeyDictionary

import numpy as np

from umweg.core.circuit.document import MachineState
from umweg.core.components import component_type
from umweg.core.components.base import Array
from umweg.core.components.conditioning import Accumulator
from umweg.core.diagnose.hazards import LIVE, REFUSE_TEST_ABOVE, cause_words
from umweg.core.errors import SolveError
from umweg.core.observe.machine import Machine
from umweg.core.observe.predict import Predictor, StatePrediction

HOLDS_ABOVE_BAR = 5.0
"""Pressure in a line at rest that injures who opens it."""
LETS_GO_BELOW = 0.8
"""A load is what holds a line if the line keeps less than this share once it is lowered."""
AT_REST_C = 50.0
PROCEDURE = "follow the maker's procedure to release it"


_LOWERED: WeakKeyDictionary[Predictor, dict[str, Array]] = WeakKeyDictionary()
"""It is the same for every belief, so it is worked out once."""


@dataclass(frozen=True)
class Held:
    """What a line holds at rest.

    ``worst_bar`` is what all but a share too small to refuse a test for stay below, with ``worst``
    the candidate that has it; ``unknown_share`` is the belief in machines that found no rest.
    """

    healthy_bar: float
    worst_bar: float
    worst: int
    unknown_share: float


class Openings:
    """What is held where, for one belief.

    Parameters
    ----------
    weight : (C,) belief in each candidate, summing to 1
    """

    def __init__(self, predictor: Predictor, weight: Array) -> None:
        self._predictor = predictor
        self._circuit = predictor.circuit
        self._weight = weight
        self._live = np.flatnonzero(weight > LIVE)
        self._cautions: dict[str, str | None] = {}

    def cautions(self, points: Iterable[str]) -> list[str]:
        """A caution for each test point whose line is, or may be, under pressure at rest."""
        found = []
        for point in sorted(set(points)):
            if point not in self._cautions:
                where = self._circuit.test_point(point)
                self._cautions[point] = (
                    None if where.electrical else self._caution(where.label, where.net)
                )
            words = self._cautions[point]
            if words is not None:
                found.append(words)
        return found

    def of_components(self, component_ids: Iterable[str]) -> list[str]:
        """A caution for each component that is, or may be, under pressure when it is opened."""
        found = []
        for name in component_ids:
            part = self._circuit.component(name)
            oil = {p.name for p in component_type(part.type).ports if p.domain == "hydraulic"}
            nets = {net for port, net in part.connections.items() if port in oil}
            worst = max(nets, key=lambda net: self._held(net).worst_bar, default=None)
            words = None if worst is None else self._caution(part.label, worst)
            if words is not None:
                found.append(words)
        return found

    def held(self, point: str) -> Held:
        """What the line at a test point holds."""
        return self._held(self._circuit.test_point(point).net)

    def _held(self, net: str) -> Held:
        row = self._predictor.network.net_index[net]
        table = self._rest
        pressure = np.where(table.known, table.solution.across[row], -np.inf)[self._live]
        weight = self._weight[self._live]
        order = np.argsort(-pressure, kind="stable")
        first = int(np.searchsorted(np.cumsum(weight[order]), REFUSE_TEST_ABOVE))
        worst = order[min(first, len(order) - 1)]
        return Held(
            float(table.healthy[row]),
            float(pressure[worst]),
            int(self._live[worst]),
            float(weight[~table.known[self._live]].sum()),
        )

    def _caution(self, label: str, net: str) -> str | None:
        held = self._held(net)
        said = []
        if held.healthy_bar > HOLDS_ABOVE_BAR:
            said.append(
                f"the machine keeps {held.healthy_bar:.0f} bar here with the {self._drive} off"
            )
        if held.worst_bar > max(HOLDS_ABOVE_BAR, 1.2 * held.healthy_bar):
            cause = cause_words(self._predictor, held.worst)
            start = "up to" if said else f"with the {self._drive} off this line may keep"
            said.append(f"{start} {held.worst_bar:.0f} bar with: {cause}")
        if held.unknown_share > REFUSE_TEST_ABOVE:
            said.append(
                f"for {held.unknown_share:.1%} of the belief it is not known what it keeps: "
                "treat it as under pressure"
            )
        if not said:
            return None
        return f"{label}: {', '.join(said)}. Before connecting or opening: {self._way_down(net)}."

    def _way_down(self, net: str) -> str:
        """How to bring a line to nothing, in the order in which it is done."""
        circuit = self._circuit
        row = self._predictor.network.net_index[net]
        holders = [
            circuit.function(f)
            for f, across in self._lowered.items()
            if across[row] < LETS_GO_BELOW * self._rest.healthy[row]
        ]
        names = [f.label.lower() for f in holders] or [
            f.label.lower() for f in circuit.functions if "held" in f.loads
        ]
        ways = [f"lower and support: {', '.join(names)}"] if names else []
        ways.append(f"{self._drive} off")
        armed = "key on, pilot armed, " if self._locked_by_command else ""
        ways.append(f"{armed}levers both ways")
        ways += [f"empty {a.lower()} through what it feeds" for a in self._stores]
        ways.append(f"see the gauge read zero; if it does not, {PROCEDURE}")
        return "; ".join(ways)

    @property
    def _drive(self) -> str:
        return "engine" if self._circuit.prime_movers else "motor"

    @cached_property
    def _rest(self) -> StatePrediction:
        return self._predictor[self._at_rest({})]

    def _at_rest(self, lowered: dict[str, str]) -> MachineState:
        loads = {f.id: "held" for f in self._circuit.functions if "held" in f.loads}
        return MachineState.model_validate(
            {
                "label": "engine off, loads held",
                "engine": "off",
                "oil_c": AT_REST_C,
                "loads": {**loads, **lowered},
            }
        )

    @property
    def _lowered(self) -> dict[str, Array]:
        """Across variables of the healthy machine with one load at a time set down."""
        if self._predictor not in _LOWERED:
            _LOWERED[self._predictor] = self._with_loads_down()
        return _LOWERED[self._predictor]

    def _with_loads_down(self) -> dict[str, Array]:
        machine = Machine(self._circuit, self._predictor.solver)
        found = {}
        for function in self._circuit.functions:
            if {"held", "free"} <= set(function.loads):
                try:
                    found[function.id] = machine.across(self._at_rest({function.id: "free"}))
                except SolveError:
                    continue
        return found

    @cached_property
    def _locked_by_command(self) -> bool:
        """Valves that move by pilot oil or current trap oil when these are off."""
        kinds = [component_type(c.type) for c in self._circuit.components]
        return any(
            any(p.domain == "electrical" for p in kind.ports)
            or {"X", "Y"} <= set(kind.port_names())
            for kind in kinds
            if any(p.domain == "hydraulic" for p in kind.ports)
        )

    @cached_property
    def _stores(self) -> list[str]:
        return [c.label for c in self._circuit.components if c.type == Accumulator.type_name]
