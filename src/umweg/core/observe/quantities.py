"""Quantities that can be read, each computed from a solved state."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal, Protocol

import numpy as np

from umweg.core.circuit.document import Circuit, Kind, MachineState, TestPoint, Timing
from umweg.core.components import component_type
from umweg.core.components.base import Array, evaluate
from umweg.core.errors import ObservationError
from umweg.core.network.network import Network, kit_id
from umweg.core.observe.quantity_kinds import KINDS, WORDS_OF_KIND, At, QuantityKind

How = Literal["as_usual", "slow", "weak", "dead", "reversed", "drifts"]
"""An operator's words for how a function behaves."""


@dataclass(frozen=True, order=True)
class Quantity:
    """Something with a number: a kind, and the test point, function or component it is read at."""

    kind: Kind
    place: str

    @classmethod
    def named(cls, kind: str, place: str) -> "Quantity":
        """From text.

        Raises
        ------
        ObservationError : there is no such kind.
        """
        for known in KINDS:
            if known == kind:
                return cls(known, place)
        raise ObservationError(f"“{kind}” is not a kind of quantity")

    @property
    def of(self) -> QuantityKind:
        """The declaration of its kind."""
        return KINDS[self.kind]

    @property
    def at_point(self) -> bool:
        """Read at a test point with something connected there."""
        return self.of.at == "point"

    @property
    def timed(self) -> bool:
        """Read in time; its place is a timing of the circuit."""
        return self.of.at == "timing"

    @property
    def compressed(self) -> bool:
        """Spans orders of magnitude; compared on an asinh scale."""
        return self.of.compressed


class Labelled(Protocol):
    """Something of a circuit that has a name for people."""

    @property
    def label(self) -> str: ...


def to_scale(quantity: Quantity, value: Array) -> Array:
    """The scale on which readings and predictions are compared: linear, or asinh for drift; what
    would show more than where it is stopped shows that much."""
    return np.arcsinh(value) if quantity.compressed else stopped(quantity, value)


def from_scale(quantity: Quantity, value: Array) -> Array:
    """Inverse of :func:`to_scale`."""
    return np.sinh(value) if quantity.compressed else stopped(quantity, value)


def stopped(quantity: Quantity, value: Array) -> Array:
    """What is shown where nobody goes on above some value."""
    most = quantity.of.stopped_at
    return np.asarray(value) if most is None else np.minimum(value, most)


def place_label(circuit: Circuit, quantity: Quantity) -> str:
    """The place's name as people know it."""
    labelled: Mapping[At, Callable[[str], Labelled]] = {
        "timing": circuit.timing,
        "point": circuit.test_point,
        "component": circuit.component,
        "function": circuit.function,
    }
    return labelled[quantity.of.at](quantity.place).label


def speed_of(circuit: Circuit, function_id: str) -> Quantity:
    """The speed of a function's actuator: of a rod or of a shaft."""
    function = circuit.function(function_id)
    ports = component_type(circuit.component(function.actuator).type).ports
    turns = any(p.name == function.actuator_port and p.domain == "rotation" for p in ports)
    return Quantity("speed_rpm" if turns else "speed_mm_s", function_id)


def moved_net(circuit: Circuit, function_id: str) -> str:
    """The net whose speed is the function's: out or forward is positive."""
    function = circuit.function(function_id)
    return circuit.component(function.actuator).connections[function.actuator_port]


STANDS_SHARE = 0.12
"""Share of the healthy speed below which an operator says that a function does not move."""
DRIFT_MM_MIN = 10.0
CREEP_RPM = 3.0


def drift_of(circuit: Circuit, function_id: str) -> tuple[Quantity, float]:
    """What shows that a held function moves by itself, and from which value an operator says so."""
    speed = speed_of(circuit, function_id)
    if speed.kind == "speed_rpm":
        return speed, CREEP_RPM
    return Quantity("drift_mm_min", function_id), DRIFT_MM_MIN


def at_point(point: TestPoint) -> Quantity:
    """What stands at a test point, whatever else can be read there with the shop's kit."""
    if point.hydraulic:
        return Quantity("pressure_bar", point.id)
    return Quantity("voltage_v" if point.electrical else "shaft_rpm", point.id)


def quantities_of(circuit: Circuit, place: str | None = None) -> tuple[Quantity, ...]:
    """Everything that can be read somewhere on this machine, or at one place, in a fixed order."""
    found: list[Quantity] = []
    for point in circuit.test_points:
        if place in (None, point.id):
            found.append(at_point(point))
            if "inline_flow" in point.methods:
                found.append(Quantity("flow_lpm", point.id))
    for function in circuit.functions:
        if place in (None, function.id):
            speed = speed_of(circuit, function.id)
            found.append(speed)
            if speed.kind == "speed_mm_s":
                found.append(Quantity("drift_mm_min", function.id))
    for component in circuit.components:
        fields = component_type(component.type).Parameters.model_fields
        if place in (None, component.id) and "indicator_bar" in fields:
            found.append(Quantity("filter_drop_bar", component.id))
    return tuple(found)


def quantity_of(timing: Timing) -> Quantity:
    """What a timing reads."""
    return Quantity(timing.of, timing.id)


def timed_quantities(circuit: Circuit) -> tuple[Quantity, ...]:
    """Everything that is read in time on this machine."""
    return tuple(quantity_of(t) for t in circuit.timings)


def worked_out_in(circuit: Circuit, quantity: Quantity) -> Sequence[MachineState]:
    """The steady states that a timing is worked out from; none where it has to be played."""
    if not quantity.of.from_states:
        return ()
    return [circuit.states[phase.state] for phase in circuit.timing(quantity.place).phases]


def check_quantity(circuit: Circuit, quantity: Quantity) -> None:
    """Refuse a quantity that this machine does not have.

    Raises
    ------
    ObservationError : names the place and lists what there is.
    """
    at_place = (*quantities_of(circuit, quantity.place), *timed_quantities(circuit))
    if quantity not in at_place:
        known = (*quantities_of(circuit), *timed_quantities(circuit))
        places = ", ".join(q.place for q in known if q.kind == quantity.kind) or "nowhere"
        raise ObservationError(
            f"{WORDS_OF_KIND[quantity.kind]} cannot be read at “{quantity.place}”; it can at: {places}"
        )


Parts = Sequence[tuple[int, Array | float]]
"""How a quantity answers to across variables: the row of each, and the change per unit of it."""


class Extractor:
    """Turns across variables into quantities, with their sensitivities."""

    def __init__(self, network: Network) -> None:
        self.network = network
        flows = [q.place for q in quantities_of(network.circuit) if q.kind == "flow_lpm"]
        kits = [(point, *network.laid_out(kit_id(point))) for point in flows]
        sizes = [own.stop - own.start for *_, own in kits]
        ends = np.cumsum([0, *sizes]).tolist()
        self._kits = {
            point: (kind, nets, slice(*rows))
            for (point, kind, nets, _), rows in zip(kits, pairwise(ends), strict=True)
        }
        own = [np.arange(own.start, own.stop) for *_, own in kits]
        self.slots = np.concatenate([np.zeros(0, dtype=np.intp), *own])
        """(R,) parameters that are needed to read: the flow meters' own."""

    def read(
        self, quantity: Quantity, across: Array, parameters: Array, viscosity_mm2_s: float
    ) -> tuple[Array, Parts]:
        """A quantity of each candidate (C,) on its comparison scale, and how it answers.

        Parameters
        ----------
        across : (N_all, C); parameters : (R, C), those of ``slots``
        """
        value, parts = self._raw(quantity, across, parameters, viscosity_mm2_s)
        free = [(row, weight) for row, weight in parts if row < self.network.unknown_count]
        if not quantity.compressed:
            return value, free
        less = 1.0 / np.sqrt(1.0 + value * value)
        return np.arcsinh(value), [(row, weight * less) for row, weight in free]

    def _raw(
        self, quantity: Quantity, across: Array, parameters: Array, viscosity_mm2_s: float
    ) -> tuple[Array, Parts]:
        network, circuit = self.network, self.network.circuit
        index = network.net_index
        if quantity.kind in ("pressure_bar", "voltage_v"):
            row = index[circuit.test_point(quantity.place).net]
            return across[row], [(row, 1.0)]
        if quantity.kind == "shaft_rpm":
            # A mark that passes tells how fast, not which way round.
            row = index[circuit.test_point(quantity.place).net]
            return np.abs(across[row]), [(row, np.sign(across[row]))]
        if quantity.kind == "flow_lpm":
            return self._kit_flow(quantity.place, across, parameters, viscosity_mm2_s)
        if quantity.kind == "filter_drop_bar":
            joins = circuit.component(quantity.place).connections
            inlet, outlet = index[joins["inlet"]], index[joins["outlet"]]
            return across[inlet] - across[outlet], [(inlet, 1.0), (outlet, -1.0)]
        row = index[moved_net(circuit, quantity.place)]
        if quantity.kind in ("speed_mm_s", "speed_rpm"):
            sign = np.sign(across[row])
            return np.abs(across[row]), [(row, sign)]
        sign = np.sign(across[row])
        return np.abs(across[row]) * 60.0, [(row, 60.0 * sign)]

    def _kit_flow(
        self, point: str, across: Array, parameters: Array, viscosity_mm2_s: float
    ) -> tuple[Array, Parts]:
        kind, nets, own = self._kits[point]
        env = np.full(across.shape[1], viscosity_mm2_s)
        f, j = evaluate(kind, across[nets][None], parameters[None, own], env)
        return f[0, 0], [(int(nets[0]), j[0, 0, 0]), (int(nets[1]), j[0, 0, 1])]
