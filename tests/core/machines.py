"""Machines of the library as tests want them: every unknown at its nominal value."""

from functools import cache

import numpy as np

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.faults.population import parse_fault
from umweg.core.network.network import Network
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.machine import Machine
from umweg.core.observe.quantities import Quantity
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.core.trace.ways import port_flows_lpm
from umweg.library import load_circuit


class Still:
    """A generator that draws nothing."""

    def standard_normal(self, size: int | None = None) -> object:
        return 0.0 if size is None else np.zeros(size)


@cache
def solver_of(circuit_id: str) -> SteadySolver:
    return SteadySolver(Network(load_circuit(circuit_id)))


class Nominal:
    """One library machine, healthy or with ``component:mode=severity``."""

    def __init__(self, circuit_id: str, *faults: str) -> None:
        self.solver = solver_of(circuit_id)
        self.network = self.solver.network
        self.circuit: Circuit = self.network.circuit
        found = [parse_fault(self.network, f) for f in faults]
        self.machine = HiddenMachine(self.circuit, found, Still(), self.solver)  # type: ignore[arg-type]

    def read(self, kind: str, place: str, state: str | MachineState) -> float:
        named = self.circuit.states[state] if isinstance(state, str) else state
        return self.machine.value(Quantity.named(kind, place), named)

    def bar(self, place: str, state: str) -> float:
        return self.read("pressure_bar", place, state)

    def mm_s(self, function: str, state: str) -> float:
        return self.read("speed_mm_s", function, state)

    def rpm(self, function: str, state: str) -> float:
        return self.read("speed_rpm", function, state)

    def nets(self, state: str, **parameters: float) -> dict[str, float]:
        """Every across variable of the healthy machine, some parameters changed."""
        own = {self.network.slot[k]: v for k, v in parameters.items()}
        across = Machine(self.circuit, self.solver, own).across(self.circuit.states[state])
        return dict(zip(self.network.net_names, across.tolist(), strict=True))

    def flows(self, state: str) -> dict[str, float]:
        """Flow into every oil port of the healthy machine."""
        solvable = self.network.state(self.circuit.states[state])
        nothing = Cases.as_documented(1)
        across = self.solver.solve([solvable], nothing).across
        ports, flows = port_flows_lpm(self.network, solvable, across)
        return dict(zip(ports, flows[:, 0].tolist(), strict=True))
