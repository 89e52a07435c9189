"""A simulated machine with a hidden fault: it answers as the real one would, noise and all."""

from collections.abc import Sequence

import numpy as np

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components.base import Array
from umweg.core.errors import SolveError
from umweg.core.faults.population import Fault, unknowns_of
from umweg.core.network.network import Network
from umweg.core.observe.observations import OIL_C_OF_WHEN, How, OilLook, When
from umweg.core.observe.quantities import (
    STANDS_SHARE,
    Extractor,
    Quantity,
    drift_of,
    from_scale,
    moved_net,
    speed_of,
)
from umweg.core.solve.steady import Cases, SteadySolver


class HiddenMachine:
    """One machine: faults at a severity, every unknown drawn within its tolerance.

    Parameters
    ----------
    faults : what is wrong, with severities 0 … 1
    generator : draws this machine's own unknowns and the noise of each reading
    """

    def __init__(
        self,
        circuit: Circuit,
        faults: Sequence[tuple[Fault, float]],
        generator: np.random.Generator,
        solver: SteadySolver | None = None,
    ) -> None:
        self.circuit = circuit
        self.faults = tuple(faults)
        self.solver = solver or SteadySolver(Network(circuit))
        self.network = self.solver.network
        self._random = generator
        self._extract = Extractor(self.network)
        unknowns = unknowns_of(self.network)
        base = self.network.base_parameters
        drawn = base[unknowns.slot] + unknowns.sigma * np.clip(
            generator.standard_normal(len(unknowns.slot)), -2.0, 2.0
        )
        self._own = dict(zip(unknowns.slot.tolist(), drawn.tolist(), strict=True))
        for fault, severity in self.faults:
            own = self._own.get(fault.slot, fault.healthy)
            self._own[fault.slot] = float(fault.mode.value(own, severity))

    def value(self, quantity: Quantity, state: MachineState, healthy: bool = False) -> float:
        """The true value of a quantity in base units.

        Raises
        ------
        SolveError : this machine has no steady state there.
        """
        value = self._solved(quantity, state, healthy)[0]
        return float(from_scale(quantity, value)[0])

    def signed(self, quantity: Quantity, state: MachineState, healthy: bool = False) -> float:
        """Speed of a function's actuator with its direction: out or forward is positive.

        Raises
        ------
        SolveError : this machine has no steady state there.
        """
        value, across = self._solved(quantity, state, healthy)
        sign = np.sign(across[self.network.net_index[moved_net(self.circuit, quantity.place)], 0])
        return float(sign * from_scale(quantity, value)[0])

    def _solved(
        self, quantity: Quantity, state: MachineState, healthy: bool
    ) -> tuple[Array, Array]:
        """The quantity on its comparison scale, and the solved across variables."""
        own = {} if healthy else self._own
        slots = np.array([list(own) or [-1]], dtype=np.intp)
        values = np.array([list(own.values()) or [0.0]])
        solvable = self.network.state(state)
        cases = Cases(np.zeros(1, dtype=np.intp), slots, values)
        solution = self.solver.solve([solvable], cases)
        if not solution.converged[0]:
            raise SolveError(f"the machine has no steady state in “{state.label}”")
        parameters = self.solver.parameters_of([solvable], cases)
        nothing: Array = np.zeros((0, self.network.unknown_count, 1))
        value, _ = self._extract.value_and_slope(
            quantity, solution.across, parameters, solvable.viscosity_mm2_s, nothing
        )
        return value, solution.across

    def read(self, quantity: Quantity, state: MachineState, noise_sd: float) -> float:
        """A reading: the true value with the instrument's noise."""
        return self.value(quantity, state) + noise_sd * self.draw()

    def draw(self) -> float:
        """A standard normal number of this machine's own stream."""
        return float(self._random.standard_normal())

    def behaves(self, function_id: str, move: str, when: When) -> How:
        """How an operator would say the function behaves."""
        function = self.circuit.function(function_id)
        oil_c = OIL_C_OF_WHEN[when]
        speed = speed_of(self.circuit, function_id)
        ratios = []
        for load in ("free", "working"):
            if load in function.loads:
                state = MachineState(
                    label=load,
                    engine="rated",
                    oil_c=oil_c,
                    moves={function_id: move},
                    loads={function_id: load},
                )
                ratios.append(self.signed(speed, state) / self.signed(speed, state, healthy=True))
        light, loaded = ratios[0], ratios[-1]
        held = MachineState(label="held", engine="idle", oil_c=oil_c, loads={function_id: "held"})
        if light < STANDS_SHARE:
            return "reversed" if min(light, loaded) < -STANDS_SHARE else "dead"
        if loaded < 0.45 * light:
            return "weak"
        if min(light, loaded) < 0.85:
            return "slow"
        if "held" not in function.loads:
            return "as_usual"
        drift, limit = drift_of(self.circuit, function_id)
        return "drifts" if self.value(drift, held) > limit else "as_usual"

    def indicator(self, component_id: str, state: MachineState) -> bool:
        """Is the filter's indicator tripped."""
        slot = self.network.slot[f"{component_id}.indicator_bar"]
        drop = self.value(Quantity("filter_drop_bar", component_id), state)
        return drop > self.network.parameters[slot].value

    def oil(self) -> OilLook:
        """How the oil looks: foamy when a pick-up draws air."""
        if any(fault.mode.foams and severity > 0.4 for fault, severity in self.faults):
            return "foamy"
        state = MachineState(label="neutral", engine="rated", oil_c=50)
        slots = np.array([list(self._own)], dtype=np.intp)
        cases = Cases(np.zeros(1, dtype=np.intp), slots, np.array([list(self._own.values())]))
        across = self.solver.solve([self.network.state(state)], cases).across
        for part in self.network.parts:
            if part.type == "reservoir":
                row = self.network.net_index[part.connections["suction"]]
                if across[row, 0] < -0.08:
                    return "foamy"
        return "clear"
