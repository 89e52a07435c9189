"""A few candidates of a population: nobody else is solved for."""

from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from umweg.core.circuit.document import MachineState, Timing
from umweg.core.components.base import Array
from umweg.core.network.network import Indices, SolvableState
from umweg.core.observe.predict import Predictor
from umweg.core.observe.prediction import (
    SEVERITIES,
    MadeWhenAsked,
    Overload,
    Some,
    StatePrediction,
    TimedPrediction,
    of_values,
)
from umweg.core.observe.quantities import Quantity, worked_out_in
from umweg.core.solve.steady import Solution


class _Wanted(Predictor):
    """Some candidates of another predictor alone; how those on the grid stand is taken from there
    where it was solved already."""

    def __init__(self, whole: Predictor, rows: Indices, sloped: Indices) -> None:
        super().__init__(whole.circuit, whole.population.part(rows), whole.solver, sloped)
        self._grid, self._of_grid = whole.grid, whole.of_grid[rows]
        self._beside = np.flatnonzero(self._of_grid < 0)

    def _solved(
        self, states: Sequence[MachineState], solvable: Sequence[SolvableState], healthy: Array
    ) -> list[Solution]:
        every, there = np.arange(self.population.count), [self._grid.has(s) for s in states]
        rows = [self._beside if on_grid else every for on_grid in there]
        found = self._solve(states, solvable, healthy, rows)
        return [
            self._with_grid(self._grid[state].solution, solved) if on_grid else solved
            for state, solved, on_grid in zip(states, found, there, strict=True)
        ]

    def _with_grid(self, grid: Solution, solved: Solution) -> Solution:
        def both(of_grid: NDArray[Any], own: NDArray[Any]) -> NDArray[Any]:
            found = of_grid[..., self._of_grid]
            found[..., self._beside] = own
            return found

        return Solution(
            both(grid.across, solved.across),
            both(grid.converged, solved.converged),
            both(grid.residual_lpm, solved.residual_lpm),
            both(grid.iterations, solved.iterations),
        )


class Narrow(Predictor):
    """Some candidates of another predictor, in places of their own; all others are not known.

    Who plans asks for every named state, of the few candidates that are still in question. What was
    solved already, of all candidates or of those on the grid, is taken from there.

    Parameters
    ----------
    wanted : (W,) which candidates, each once; beside them the sound machine is solved, and the
        neighbours that tell how wide their severities are
    """

    def __init__(self, whole: Predictor, wanted: Indices) -> None:
        super().__init__(whole.circuit, whole.population, whole.solver)
        self._whole = whole
        population = whole.population
        near = (n[wanted].ravel() for n in (population.below, population.above))
        rows = np.unique(np.concatenate([[0], wanted, *near]))
        self._rows = rows[rows >= 0]
        self._of_grid = whole.of_grid[self._rows]
        self._place = np.full(population.count, -1, dtype=np.intp)
        self._place[self._rows] = np.arange(len(self._rows))
        # Nobody asks how the neighbours answer to anything.
        asked = np.flatnonzero(np.isin(self._rows, np.union1d([0], wanted)))
        self._alone = _Wanted(whole, self._rows, asked)

    def prepare(self, states: Iterable[MachineState]) -> None:
        """Compute several states in one batch.

        Raises
        ------
        SolveError : the healthy machine has no steady state in one of them.
        """
        wanted = {self._key(s): s for s in states}
        fresh = {key: s for key, s in wanted.items() if not self.has(s)}
        known = {key for key, s in fresh.items() if self._whole.has(s)}
        self._alone.prepare(s for key, s in fresh.items() if key not in known)
        for key, state in fresh.items():
            found = self._whole[state] if key in known else self._spread(self._alone[state])
            with self._lock:
                self._done.setdefault(key, found)

    def _spread(self, table: StatePrediction) -> StatePrediction:
        """Each candidate where the whole population has it; the others as the sound machine."""
        count, rows = self.population.count, self._rows

        def everywhere(own: NDArray[Any]) -> NDArray[Any]:
            found = np.zeros((*own.shape[:-1], count), dtype=own.dtype)
            found[..., rows] = own
            return found

        mean, known = everywhere(table.mean), everywhere(table.known)
        across = np.repeat(table.healthy[:, None], count, axis=1)
        across[:, rows] = table.solution.across

        def made(row: int, some: Some) -> Array:
            asked = self._place[some]
            there = asked >= 0
            own = table.slope.bare(row, asked[there])
            slope = np.zeros((len(own), len(asked)))
            slope[:, there] = own
            return slope

        over, solved = table.overload, table.solution
        return StatePrediction(
            table.quantities,
            mean,
            MadeWhenAsked(made, lambda row, some: self._cells(mean[row], known, some), known),
            known,
            table.rated_ports,
            Overload(*(everywhere(own) for own in (over.ratio, over.port, over.pressure_bar))),
            table.healthy,
            Solution(
                across,
                everywhere(solved.converged),
                everywhere(solved.residual_lpm),
                everywhere(solved.iterations),
            ),
        )

    @property
    def grid(self) -> Predictor:
        """The one of all single faults: what is played once is played for it."""
        return self._whole.grid

    @property
    def in_time(self) -> Sequence[Timing]:
        """What the whole population was played in."""
        return self._whole.in_time

    def timed(self, quantity: Quantity) -> TimedPrediction:
        """What the wanted candidates show in time; only they are played, or worked out."""
        if quantity not in self._timed:
            found = self._whole.played(quantity, self._rows)
            if quantity.of.from_states:
                self.prepare(worked_out_in(self.circuit, quantity))
                found = self._worked_out(quantity, found)
            with self._lock:
                self._timed.setdefault(quantity, found)
        return self._timed[quantity]

    def _worked_out(self, quantity: Quantity, played: TimedPrediction) -> TimedPrediction:
        others = self._rows[self._of_grid < 0]
        if not len(others):
            return played
        values, solved = (each[others] for each in self.worked_out(quantity))
        mean, known = played.mean.copy(), played.known.copy()
        known[others] &= solved
        mean[others] = np.where(known[others], values, 0.0)
        cells = self._cells(mean, known)
        return of_values(mean, np.vstack([played.slope[:-SEVERITIES], cells]), known)

    def healthy(self, state: MachineState) -> Array:
        """(N_all,) across variables of the machine as documented."""
        return self._whole.grid.healthy(state)

    def clear(self) -> None:
        """Throw away what was solved of these; what the whole population has stays."""
        super().clear()
        self._alone.clear()

    def forget(self, states: Iterable[MachineState]) -> None:
        """Drop predictions that are not needed again, the others' too."""
        every = list(states)
        super().forget(every)
        for other in (self._whole, self._alone):
            other.forget(every)
