"""One machine with parameters of its own, solved a state at a time."""

from collections.abc import Mapping

import numpy as np

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components.base import Array
from umweg.core.errors import SolveError
from umweg.core.network.network import Network
from umweg.core.observe.quantities import Extractor, Quantity, from_scale, moved_net
from umweg.core.observe.timed import TimedReader
from umweg.core.solve.begin import begun, settled, stood
from umweg.core.solve.steady import Cases, Solution, SteadySolver


class Machine:
    """The healthy machine as documented, or one whose parameters differ.

    Parameters
    ----------
    own : parameter slot to this machine's own value; what is not named is as documented
    """

    def __init__(
        self,
        circuit: Circuit,
        solver: SteadySolver | None = None,
        own: Mapping[int, float] | None = None,
    ) -> None:
        self.circuit = circuit
        self.solver = solver or SteadySolver(Network(circuit))
        self.network = self.solver.network
        self.own = dict(own or {})
        self._extract = Extractor(self.network)
        self._solved: dict[tuple[str, bytes], Solution] = {}
        self._stood: dict[bytes, Array] = {}

    def cases(self, oil_c: float) -> Cases:
        """This machine as the only case of a batch, with its oil at a temperature."""
        del oil_c
        return Cases.one(self.own)

    def value(self, quantity: Quantity, state: MachineState) -> float:
        """The true value of a quantity in base units.

        Raises
        ------
        SolveError : this machine has no steady state there.
        """
        if quantity.timed:
            return self._timed(quantity)
        return float(from_scale(quantity, self._read(quantity, state)[0])[0])

    def _timed(self, quantity: Quantity) -> float:
        timing = self.circuit.timing(quantity.place)
        reader = TimedReader(self.circuit, self.solver)
        cases = self.cases(self.circuit.states[timing.state].oil_c)
        value, fine = reader.values(timing, cases, actual=self.actual)
        if not fine[0]:
            raise SolveError(f"the machine could not be played through “{timing.label}”")
        return float(from_scale(quantity, value)[0])

    def signed(self, quantity: Quantity, state: MachineState) -> float:
        """Speed of a function's actuator with its direction: out or forward is positive.

        Raises
        ------
        SolveError : this machine has no steady state there.
        """
        value, across = self._read(quantity, state)
        sign = np.sign(across[self.network.net_index[moved_net(self.circuit, quantity.place)]])
        return float(sign * from_scale(quantity, value)[0])

    def actual(self, state: MachineState) -> MachineState:
        """The state that it really is in when it is said to be in ``state``."""
        return state

    def across(self, state: MachineState, cases: Cases | None = None) -> Array:
        """(N,) solved across variables.

        Parameters
        ----------
        cases : its parameters there, where the caller has drawn them already

        Raises
        ------
        SolveError : this machine has no steady state there.
        """
        solution = self.solution(state, cases)
        if not solution.converged[0]:
            raise SolveError(f"the machine has no steady state in “{state.label}”")
        across: Array = solution.across[:, 0]
        return across

    def solution(self, state: MachineState, cases: Cases | None = None) -> Solution:
        """Solved once for each state and set of parameters.

        Parameters
        ----------
        cases : its parameters there, where the caller has drawn them already
        """
        cases = self.cases(state.oil_c) if cases is None else cases
        actual = self.actual(state)
        named = actual.model_dump_json(exclude={"label", "cautions"})
        key = named, cases.slot.tobytes() + cases.value.tobytes()
        if key not in self._solved:
            self._solved[key] = self._settled(state, actual, cases)
        return self._solved[key]

    def _settled(self, state: MachineState, actual: MachineState, cases: Cases) -> Solution:
        """Beginning as a :class:`Predictor`'s candidates do; the sound one, and where that does not
        settle, at rest."""
        solvable = [self.network.state(actual)]
        if not (cases.slot >= 0).any():
            return self.solver.solve(solvable, cases)
        documented = self.solution(state, Cases.as_documented(1))
        if not documented.converged[0]:
            return self.solver.solve(solvable, cases)
        sound = documented.across[: self.network.unknown_count]
        own, sound_stood = self._standing(cases), self._standing(Cases.as_documented(1))
        running = np.array([self.circuit.runs(actual)])
        first = begun(sound, own, sound_stood, running)
        return settled(self.solver, solvable, cases, first, sound)

    def _standing(self, cases: Cases) -> Array:
        """(N, 1) where a machine stands; no number where it does not."""
        standing = self.circuit.standing
        if standing is None:
            return np.full((self.network.unknown_count, 1), np.nan)
        key = cases.slot.tobytes() + cases.value.tobytes()
        if key not in self._stood:
            solvable = self.network.state(self.actual(standing))
            self._stood[key] = stood(self.solver, solvable, cases)
        return self._stood[key]

    def _read(self, quantity: Quantity, state: MachineState) -> tuple[Array, Array]:
        """The quantity on its comparison scale, and the solved across variables."""
        cases = self.cases(state.oil_c)
        across = self.across(state, cases)
        solvable = self.network.state(self.actual(state))
        parameters = self.solver.parameters_of([solvable], cases, self._extract.slots)
        value, _ = self._extract.read(
            quantity, across[:, None], parameters, solvable.viscosity_mm2_s
        )
        return value, across
