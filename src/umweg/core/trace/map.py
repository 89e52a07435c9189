"""How the oil stands and flows in a state: in the healthy machine, and with each suspect's fault."""

from dataclasses import dataclass

import numpy as np

from umweg.core.circuit.document import MachineState
from umweg.core.components.base import Array
from umweg.core.observe.exhibits import Packed
from umweg.core.observe.predict import Predictor
from umweg.core.solve.steady import Cases
from umweg.core.trace.ways import port_flows_lpm


@dataclass(frozen=True)
class StateMap:
    """One state for H hypotheses, each at the middle of its severity scale.

    ``across (H, N)`` in the order of the network's nets; ``flow_lpm (H, F)`` at the ports
    ``ports``; not a number where the machine has no steady state.
    """

    ports: tuple[str, ...]
    across: Array
    flow_lpm: Array

    def packed(self) -> Packed:
        """As it is kept."""
        return {
            "ports": np.array(self.ports),
            "across": self.across.astype(np.float32),
            "flow_lpm": self.flow_lpm.astype(np.float32),
        }


def map_of(predictor: Predictor, state: MachineState) -> StateMap:
    """Play one state for every hypothesis of a population."""
    population, solvable = predictor.population, predictor.network.state(state)
    table = predictor[state]
    known = [members[table.known[members]] for members in population.members]
    chosen = np.array([m[len(m) // 2] if len(m) else -1 for m in known], dtype=np.intp)
    at = np.maximum(chosen, 0)
    slot, value = population.slot_at(state.oil_c)[at], population.value[at]
    cases = Cases(np.zeros(len(at), dtype=np.intp), slot, value)
    parameters = predictor.solver.parameters_of([solvable], cases)
    across = np.ascontiguousarray(table.solution.across[:, at])
    across[:, 0] = table.healthy
    ports, flow_lpm = port_flows_lpm(predictor.network, solvable, across, parameters)
    across[:, chosen < 0] = flow_lpm[:, chosen < 0] = np.nan
    return StateMap(ports, across.T.copy(), flow_lpm.T.copy())
