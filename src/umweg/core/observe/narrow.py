"""A few candidates of a population: nobody else is solved for."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from umweg.core.circuit.document import MachineState, Timing
from umweg.core.components.base import Array
from umweg.core.network.network import Indices
from umweg.core.observe.predict import Predictor
from umweg.core.observe.prediction import (
    EVERYBODY,
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


@dataclass(frozen=True)
class _Piece:
    """What was solved of some candidates: the columns ``own`` of a table are those of ``rows``."""

    table: StatePrediction
    own: Indices
    rows: Indices


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
        # Nobody asks how the neighbours answer to anything.
        self._wanted = np.union1d([0], wanted)
        self._of_grid = whole.of_grid[self._rows]

    @cached_property
    def _all(self) -> Predictor:
        """Of all that are wanted."""
        return self._some(self._rows)

    @cached_property
    def _beside(self) -> Predictor:
        """Of those among them that are not on the grid."""
        return self._some(self._rows[self._of_grid < 0])

    def _some(self, rows: Indices) -> Predictor:
        asked = np.flatnonzero(np.isin(rows, self._wanted))
        return Predictor(self.circuit, self.population.part(rows), self.solver, asked)

    def prepare(self, states: Iterable[MachineState]) -> None:
        """Compute several states in one batch.

        Raises
        ------
        SolveError : the healthy machine has no steady state in one of them.
        """
        wanted = {self._key(s): s for s in states}
        fresh = {key: s for key, s in wanted.items() if not self.has(s)}
        known = {key: s for key, s in fresh.items() if self._whole.has(s)}
        grid, new = self._whole.grid, [s for key, s in fresh.items() if key not in known]
        on_grid = [s for s in new if grid.has(s)]
        self._all.prepare(s for s in new if not grid.has(s))
        if self._beside.population.count:
            self._beside.prepare(on_grid)
        for key, state in fresh.items():
            found = self._whole[state] if key in known else self._spread(self._pieces(state))
            with self._lock:
                self._done.setdefault(key, found)

    def _pieces(self, state: MachineState) -> list[_Piece]:
        """What was solved for a state, of which candidates."""
        if self._all.has(state):
            every = np.arange(len(self._rows))
            return [_Piece(self._all[state], every, self._rows)]
        there = self._of_grid >= 0
        found = [_Piece(self._whole.grid[state], self._of_grid[there], self._rows[there])]
        if not there.all():
            others = self._rows[~there]
            found.append(_Piece(self._beside[state], np.arange(len(others)), others))
        return found

    def _spread(self, pieces: Sequence[_Piece]) -> StatePrediction:
        """Each candidate where the whole population has it; the others as the sound machine."""
        count, first = self.population.count, pieces[0].table
        mean = np.zeros((len(first.mean), count))
        known = np.zeros(count, dtype=bool)
        across = np.repeat(first.healthy[:, None], count, axis=1)
        solved = Solution(across, known.copy(), np.zeros(count), np.zeros(count, dtype=np.intp))
        over = Overload(np.zeros(count), np.zeros(count, dtype=np.intp), np.zeros(count))
        for table, own, rows in ((p.table, p.own, p.rows) for p in pieces):
            mean[:, rows], known[rows] = table.mean[:, own], table.known[own]
            across[:, rows] = table.solution.across[:, own]
            solved.converged[rows] = table.solution.converged[own]
            solved.residual_lpm[rows] = table.solution.residual_lpm[own]
            solved.iterations[rows] = table.solution.iterations[own]
            over.ratio[rows] = table.overload.ratio[own]
            over.port[rows] = table.overload.port[own]
            over.pressure_bar[rows] = table.overload.pressure_bar[own]

        place = np.full((len(pieces), count), -1, dtype=np.intp)
        for of_piece, piece in zip(place, pieces, strict=True):
            of_piece[piece.rows] = piece.own

        def made(row: int, some: Some) -> Array:
            asked = place[:, some]
            there = asked >= 0
            found = [
                piece.table.slope.once(row, own[of_it])
                for piece, own, of_it in zip(pieces, asked, there, strict=True)
            ]
            slope = np.zeros((len(found[0]), asked.shape[1]))
            for of_it, each in zip(there, found, strict=True):
                slope[:, of_it] = each
            return slope

        return StatePrediction(
            first.quantities,
            mean,
            MadeWhenAsked(made, lambda row, some: self._cells(mean[row], known, some), known),
            known,
            first.rated_ports,
            over,
            first.healthy,
            solved,
        )

    @property
    def in_time(self) -> Sequence[Timing]:
        """What the whole population was played in."""
        return self._whole.in_time

    def timed(self, quantity: Quantity, some: Some = EVERYBODY) -> TimedPrediction:
        """What the wanted candidates show in time; only they are played, or worked out."""
        del some
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
        self._all.clear()
        self._beside.clear()

    def forget(self, states: Iterable[MachineState]) -> None:
        """Drop predictions that are not needed again, the others' too."""
        every = list(states)
        super().forget(every)
        for other in (self._whole, self._all, self._beside):
            other.forget(every)
