"""How long a store takes to empty through what is opened: played in time."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from umweg.core.circuit.document import MachineState
from umweg.core.components.base import Array
from umweg.core.observe.predict import Predictor
from umweg.core.solve.steady import Cases
from umweg.core.solve.transient import Phase, TransientSolver

DUMPED_S = 120.0
_SAMPLES = 241


class Falling:
    """The machine as documented with something opened; nothing where it cannot be played."""

    def __init__(self, predictor: Predictor, rest: MachineState) -> None:
        self._predictor = predictor
        self._rest = rest

    def opened(self, state: MachineState) -> tuple[Array, Array] | None:
        """Times (T,) and (N, T) pressures of the unknown nets once the machine stands as in ``state``."""
        found = self._played([(self._rest, 1.0), (state, DUMPED_S)])
        return None if found is None else (np.maximum(found[0] - 1.0, 0.0), found[1])

    def _played(self, phases: Sequence[tuple[MachineState, float]]) -> tuple[Array, Array] | None:
        network = self._predictor.network
        solver = TransientSolver(self._predictor.solver)
        made = [Phase(network.state(s), seconds, 0.5) for s, seconds in phases]
        kept: NDArray[np.intp] = np.arange(network.unknown_count, dtype=np.intp)
        total = sum(seconds for _, seconds in phases)
        curves = solver.play(
            made,
            Cases.as_documented(1),
            start=self._predictor.healthy(self._rest)[:, None],
            kept=kept,
            grid=np.linspace(0.0, total, _SAMPLES),
        )
        return (curves.time_s, curves.across[0].T) if curves.finished[0] else None


def below_after_s(time_s: Array, bar: Array, level_bar: float) -> float | None:
    """When a pressure has fallen below a level for good; None where it has not."""
    over = np.flatnonzero(bar > level_bar)
    if not len(over):
        return 0.0
    return None if over[-1] + 1 >= len(time_s) else float(time_s[over[-1] + 1])
