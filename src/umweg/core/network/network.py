"""The compiled network: every component with its parameters, every net with its index."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from umweg.core.circuit.document import Circuit, Component, LoadState, MachineState
from umweg.core.components import ComponentType, component_type, component_types
from umweg.core.components.base import TRAVEL_PORT, Array, Domain
from umweg.core.components.overload import LADEN
from umweg.core.components.shop_kit import TestKit, Voltmeter
from umweg.core.errors import StateError
from umweg.core.fluid import viscosity_mm2_s
from umweg.core.network.states import state_problems

Indices = NDArray[np.intp]


@dataclass(frozen=True)
class Group:
    """All components of one type, evaluated together."""

    kind: type[ComponentType]
    component_ids: tuple[str, ...]
    nets: Indices
    """(C, P) index into the across vector."""
    first_parameter: int
    parameter_count: int


@dataclass(frozen=True)
class Parameter:
    """One number of the machine that can differ: ``component.name``."""

    component_id: str
    name: str
    slot: int
    value: float
    tolerance: float
    unit: str

    @property
    def key(self) -> str:
        """``component.name``, the parameter's stable name."""
        return f"{self.component_id}.{self.name}"


@dataclass(frozen=True)
class Link:
    """A linkage: slots of its parameters and commands, and of the commands that it moves."""

    kind: type[ComponentType]
    component_id: str
    slots: Mapping[str, int]
    moved: tuple[int, ...]

    def travel(self, values: Mapping[int, Array]) -> Array:
        """(B,) travel at its far end, from parameters by their slots, (B,) each."""
        assert self.kind.travel is not None
        return self.kind.travel({name: values[slot] for name, slot in self.slots.items()})


@dataclass(frozen=True)
class AirLink:
    """Air that a tank gives away with its oil, and the pump whose chamber it takes its share of."""

    slots: Mapping[str, int]
    moved: tuple[int, ...]

    def travel(self, values: Mapping[int, Array]) -> Array:
        """(B,) share of air in the chamber, from parameters by their slots: the tank's and its own."""
        tank, own = values[self.slots["tank"]], values[self.slots["pump"]]
        share: Array = 1.0 - (1.0 - tank) * (1.0 - own)
        return share


@dataclass(frozen=True)
class SolvableState:
    """A machine state as numbers: parameter vector, boundary values, viscosity."""

    parameters: Array
    boundary: Array
    viscosity_mm2_s: float


def kit_id(point_id: str) -> str:
    """Id of the shop kit at a test point whose fitting can be opened."""
    return f"kit_{point_id}"


def with_kits(circuit: Circuit) -> list[Component]:
    """The document's components, with a joint that can be opened at every in-line point.

    The joint is always there, wide open when nothing is connected, so the structure of the
    equations is the same for every state.
    """
    opened = {p.port: p for p in circuit.test_points if p.port is not None}
    parts = []
    for component in circuit.components:
        joins = dict(component.connections)
        for port in joins:
            point = opened.get(f"{component.id}.{port}")
            if point is not None:
                joins[port] = f"{kit_id(point.id)}_out"
        parts.append(component.model_copy(update={"connections": joins}))
    for reference, point in opened.items():
        owner, port = str(reference).split(".")
        parts.append(
            Component(
                id=kit_id(point.id),
                type=TestKit.type_name,
                label=f"Kit at {point.label}",
                connections={
                    "inlet": circuit.component(owner).connections[port],
                    "outlet": f"{kit_id(point.id)}_out",
                },
            )
        )
    meters = [p for p in circuit.test_points if p.electrical]
    frame = next((_frame_of(part) for part in circuit.components if _frame_of(part)), None)
    for point in meters if frame is not None else ():
        joins = {"plus": point.net, "minus": str(frame)}
        label = f"Meter at {point.label}"
        parts.append(
            Component(id=kit_id(point.id), type=Voltmeter.type_name, label=label, connections=joins)
        )
    return parts


def _frame_of(part: Component) -> str | None:
    """The electrical frame, if this part stands on it."""
    kind = component_types().get(part.type)
    for port in kind.ports if kind is not None else ():
        if port.boundary and port.domain == "electrical":
            return part.connections.get(port.name)
    return None


def _spread(kind: type[ComponentType], part: Component, name: str) -> float:
    return kind.guessed(name) if name in part.typical else kind.tolerance(name)


class Network:
    """A circuit document compiled to index arrays.

    Parameters
    ----------
    circuit : a document that passed :func:`umweg.core.network.check.check_circuit`
    beside : parts that are in no document, joined to its nets

    Across variables stand in one vector: unknown nets first, in the order of their names, then
    the nets that something fixes (tank, engine shaft).
    """

    def __init__(self, circuit: Circuit, beside: Sequence[Component] = ()) -> None:
        self.circuit = circuit
        self.parts = [*with_kits(circuit), *beside]
        domains: dict[str, Domain] = {}
        fixed: dict[str, str] = {m.id: "engine" for m in circuit.prime_movers}
        for part in self.parts:
            for port in component_type(part.type).ports:
                net = part.connections[port.name]
                domains[net] = port.domain
                if port.boundary:
                    fixed[net] = "tank"
        for mover in circuit.prime_movers:
            domains.setdefault(mover.id, "rotation")
        self.unknown_nets = tuple(sorted(n for n in domains if n not in fixed))
        self.boundary_nets = tuple(sorted(fixed))
        self.net_names = (*self.unknown_nets, *self.boundary_nets)
        self.net_index = {name: i for i, name in enumerate(self.net_names)}
        self.domains: tuple[Domain, ...] = tuple(domains[n] for n in self.net_names)
        self._group_parts()
        self.links: tuple[Link | AirLink, ...] = (*self._links(), *self._air_links())

    def _links(self) -> Iterator[Link]:
        moved: dict[str, list[int]] = {}
        for part in self.circuit.components:
            for name in component_type(part.type).levers:
                if name in part.connections:
                    slot = self.slot[f"{part.id}.{name}"]
                    moved.setdefault(part.connections[name], []).append(slot)
        for part in sorted(self.circuit.components, key=lambda c: c.id):
            kind = component_type(part.type)
            if kind.travel is not None:
                slots = {n: self.slot[f"{part.id}.{n}"] for n in kind.parameter_names()}
                yield Link(kind, part.id, slots, tuple(moved[part.connections[TRAVEL_PORT]]))

    def _air_links(self) -> Iterator[AirLink]:
        parts = sorted(self.circuit.components, key=lambda c: c.id)
        tanks = [(p.id, component_type(p.type).aerates) for p in parts]
        pumps = [(p.id, component_type(p.type).aerated) for p in parts]
        for tank, aerates in tanks:
            for pump, aerated in pumps:
                if aerates and aerated:
                    taken = self.slot[f"{pump}.{aerated}"]
                    slots = {"tank": self.slot[f"{tank}.{aerates}"], "pump": taken}
                    yield AirLink(slots, (taken,))

    def _group_parts(self) -> None:
        by_type: dict[str, list[Component]] = {}
        for part in sorted(self.parts, key=lambda p: p.id):
            by_type.setdefault(part.type, []).append(part)
        groups: list[Group] = []
        parameters: list[Parameter] = []
        for type_name, parts in sorted(by_type.items()):
            kind = component_type(type_name)
            first = len(parameters)
            nets = np.array(
                [[self.net_index[p.connections[n]] for n in kind.port_names()] for p in parts],
                dtype=np.intp,
            )
            for part in parts:
                values = kind.Parameters.model_validate(part.parameters).model_dump()
                commands = {c.name: c.default for c in kind.commands}
                for name in kind.parameter_names():
                    is_parameter = name in values
                    parameters.append(
                        Parameter(
                            part.id,
                            name,
                            len(parameters),
                            float(values[name] if is_parameter else commands[name]),
                            _spread(kind, part, name) if is_parameter else 0.0,
                            kind.unit(name) if is_parameter else "1",
                        )
                    )
            groups.append(
                Group(kind, tuple(p.id for p in parts), nets, first, len(kind.parameter_names()))
            )
        self.groups = tuple(groups)
        self.parameters = tuple(parameters)
        self.slot = {p.key: p.slot for p in parameters}

    def linked(
        self, states: Sequence[SolvableState], state: Indices, slot: Indices, value: Array
    ) -> tuple[Indices, Array]:
        """What differs in each case, with what follows from it: travel of linkages, air in pumps.

        Parameters
        ----------
        state (B,), slot (B, W), value (B, W) : the cases, −1 for none

        Returns
        -------
        slot, value : with a column more for each command or parameter that follows
        """
        documented = np.stack([s.parameters for s in states])
        taken = np.zeros(len(self.parameters) + 1, dtype=bool)
        for link in self.links:
            taken[:] = False
            taken[list(link.slots.values())] = True
            own = taken[slot]
            rows = np.flatnonzero(own.any(axis=1))
            if not len(rows):
                continue
            values = {s: documented[state[rows], s] for s in link.slots.values()}
            for at, w in zip(*np.nonzero(own[rows]), strict=True):
                values[int(slot[rows[at], w])][at] = value[rows[at], w]
            more = np.full((len(slot), len(link.moved)), -1, dtype=np.intp)
            more[rows] = link.moved
            moved = np.zeros(more.shape)
            moved[rows] = link.travel(values)[:, None]
            slot, value = np.hstack([slot, more]), np.hstack([value, moved])
        return slot, value

    @cached_property
    def viscosity_slot(self) -> int:
        """Slot of the factor on the oil's viscosity, that of the first tank; −1 without a tank."""
        named = (p.slot for p in self.parameters if p.name == "viscosity_share")
        return next(named, -1)

    def viscosity(self, states: Sequence[SolvableState], of_case: Indices, values: Array) -> Array:
        """(1, B) viscosity of each case's oil [mm²/s], from its state and its own parameters."""
        grade: Array = np.array([s.viscosity_mm2_s for s in states])[of_case].reshape(1, -1)
        return grade if self.viscosity_slot < 0 else grade * values[self.viscosity_slot]

    def laid_out(self, component_id: str) -> tuple[type[ComponentType], Indices, slice]:
        """A component's type, its nets (P,), and where its parameters and commands stand."""
        group = next(g for g in self.groups if component_id in g.component_ids)
        member = group.component_ids.index(component_id)
        first = group.first_parameter + member * group.parameter_count
        return group.kind, group.nets[member], slice(first, first + group.parameter_count)

    @cached_property
    def base_parameters(self) -> Array:
        """(M,) the machine as specified, every command at its default."""
        return np.array([p.value for p in self.parameters])

    @property
    def unknown_count(self) -> int:
        """How many nets have to be solved for."""
        return len(self.unknown_nets)

    def state(self, state: MachineState) -> SolvableState:
        """Turn a machine state into numbers.

        Raises
        ------
        StateError : names every function, move, load state or test point the circuit lacks.
        """
        problems = list(state_problems(self.circuit, state))
        if problems:
            raise StateError(f"state “{state.label}” does not fit the circuit", tuple(problems))
        values = self.base_parameters.copy()
        for function in self.circuit.functions:
            move = state.moves.get(function.id)
            if move is not None:
                for key, value in function.moves[move].commands.items():
                    values[self.slot[key]] = value
            # What turns by itself does so whether a state speaks of it or not, and at its work.
            unsaid: LoadState = "working" if function.always else "held"
            load = state.loads.get(function.id, unsaid if move is None else "free")
            for part in function.all_loads:
                laden = self.slot.get(f"{part}.{LADEN.name}")
                if laden is not None:
                    values[laden] = float(load != "free")
                for name, value in function.loads.get(load, {}).items():
                    values[self.slot[f"{part}.{name}"]] = value
        for key, value in state.settings.items():
            values[self.slot[key]] = value
        for link in self.links:
            of_it = {slot: values[[slot]] for slot in link.slots.values()}
            values[list(link.moved)] = link.travel(of_it)[0]
        for intervention in state.interventions:
            kit = kit_id(intervention.point)
            if intervention.kind == "cap":
                values[self.slot[f"{kit}.cap"]] = 1.0
            else:
                values[self.slot[f"{kit}.load_bar"]] = intervention.load_bar
        fluid = self.circuit.fluid
        return SolvableState(
            values,
            self._boundary(state),
            viscosity_mm2_s(state.oil_c, fluid.viscosity_40_c_mm2_s, fluid.viscosity_100_c_mm2_s),
        )

    def _boundary(self, state: MachineState) -> Array:
        speeds = {m.id: engine_rpm(self.circuit, state, m.id) for m in self.circuit.prime_movers}
        return np.array([speeds.get(net, 0.0) for net in self.boundary_nets])


def engine_rpm(circuit: Circuit, state: MachineState, mover_id: str) -> float:
    """Speed of a prime mover in a state [rpm]."""
    mover = next(m for m in circuit.prime_movers if m.id == mover_id)
    named: Mapping[str, float] = {
        "off": 0.0,
        "idle": mover.idle_rpm,
        "rated": mover.rated_rpm,
        "max": mover.max_rpm,
    }
    return named[state.engine] if isinstance(state.engine, str) else float(state.engine)
