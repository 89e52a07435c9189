"""Small machines put together for a comparison: a pump on a motor, a tank, and what is looked at."""

import json
from collections.abc import Sequence
from typing import Any

import numpy as np

from umweg.core.circuit.document import Circuit, read_circuit
from umweg.core.errors import SolveError
from umweg.core.network.network import Network
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.core.solve.transient import Accuracy, Curves, Phase, TransientSolver

OIL_C, OIL_MM2_S = 40.0, 46.0
RUN = {"label": "Running", "engine": "rated", "oil_c": OIL_C}
OFF = {"label": "Stopped", "engine": "off", "oil_c": OIL_C}
QUICK_S = 0.001


def bench_circuit(
    components: list[dict[str, Any]], rpm: float = 1000.0, **more: Any
) -> dict[str, Any]:
    """A small circuit as data: a pump of 20 cm³ on a motor, a tank, and what is added."""
    return {
        "format": "umweg-circuit/1",
        "id": "bench",
        "name": "Test bench",
        "family": ["F21"],
        "machine_kind": "test bench",
        "fluid": {
            "grade": "46",
            "viscosity_40_c_mm2_s": OIL_MM2_S,
            "viscosity_100_c_mm2_s": 6.8,
        },
        "prime_movers": [
            {"id": "engine", "label": "Motor", "idle_rpm": rpm, "rated_rpm": rpm, "max_rpm": rpm}
        ],
        "components": [
            {
                "id": "tank",
                "type": "reservoir",
                "label": "Tank",
                "connections": {"tank": "tank", "suction": "inlet"},
                "parameters": {"pickup_k": 5000},
            },
            {
                "id": "pump",
                "type": "fixed_pump",
                "label": "Pump",
                "connections": {"inlet": "inlet", "outlet": "p", "shaft": "engine"},
                "parameters": {"displacement_cm3": 20, "leakage_lpm_per_bar": 1e-5},
            },
            *components,
        ],
        "states": {"run": RUN},
        **more,
    }


def part(identifier: str, kind: str, joins: dict[str, str], **parameters: float) -> dict[str, Any]:
    """One part of such a machine."""
    return {
        "id": identifier,
        "type": kind,
        "label": identifier,
        "connections": joins,
        "parameters": parameters,
    }


def machine(components: list[dict[str, Any]], **more: Any) -> Circuit:
    """Such a machine, read as any circuit is."""
    return read_circuit(json.dumps(bench_circuit(components, **more)))


def steady(circuit: Circuit, state: str = "run") -> dict[str, float]:
    """Across variable of every net in a state.

    Raises
    ------
    SolveError : it has no steady state.
    """
    network = Network(circuit)
    found = SteadySolver(network).solve(
        [network.state(circuit.states[state])], Cases.as_documented(1)
    )
    if not found.converged[0]:
        raise SolveError(f"no steady state in “{state}”")
    return dict(zip(network.net_names, found.across[:, 0].tolist(), strict=True))


def played(
    circuit: Circuit, program: Sequence[tuple[str, float]], nets: Sequence[str], samples: int
) -> Curves:
    """A machine through named states, from steady in the first.

    Raises
    ------
    SolveError : it could not be played to its end.
    """
    network = Network(circuit)
    solver = SteadySolver(network)
    phases = [Phase(network.state(circuit.states[name]), s, QUICK_S) for name, s in program]
    start = solver.solve([phases[0].state], Cases.as_documented(1))
    found = TransientSolver(solver, Accuracy(scale=0.3)).play(
        phases,
        Cases.as_documented(1),
        start=start.across,
        kept=np.array([network.net_index[n] for n in nets]),
        samples=samples,
    )
    if not found.finished.all():
        raise SolveError("the machine could not be played to its end")
    return found
