"""Populations put together from others: pairs of faults, faults at further severities.

What one of them has solved already is not solved again.
"""

from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from umweg.core.circuit.document import MachineState, Timing
from umweg.core.components.base import Array
from umweg.core.faults.population import Population, behind_one_another, divided, merged
from umweg.core.network.network import Indices, SolvableState
from umweg.core.observe.predict import Predictor
from umweg.core.observe.prediction import (
    EVERYBODY,
    SEVERITIES,
    Made,
    MadeWhenAsked,
    Overload,
    Some,
    StatePrediction,
    TimedPrediction,
    of_values,
)
from umweg.core.observe.quantities import Quantity
from umweg.core.observe.solved import Place, SolvedBefore, put_together
from umweg.core.solve.steady import Solution

NOBODY: Indices = np.zeros(0, dtype=np.intp)


class Paired(Predictor):
    """Pairs of faults. They are solved; what they show in time is put together from what each
    fault alone does: thousands of plays would be waited for.
    """

    def __init__(self, singles: Predictor, pairs: Population) -> None:
        super().__init__(singles.circuit, pairs, singles.solver)
        self.singles = singles
        """Each fault alone, whom its pairs are put together from."""
        alone = singles.population
        # The healthy machine is the first of all candidates.
        self._alone = np.zeros((2, pairs.count), dtype=np.intp)
        for hypothesis, members in zip(pairs.hypotheses, pairs.members, strict=True):
            for w, fault in enumerate(hypothesis.faults):
                of_fault = alone.members[alone.place_of[fault.key]]
                apart = alone.severity[of_fault, :1] - pairs.severity[members, w]
                self._alone[w, members] = of_fault[np.abs(apart).argmin(axis=0)]

    def _put_together(self, alone: Array, some: Some = EVERYBODY) -> Array:
        """(…, L) of some pairs, as if what two faults change added up."""
        first, second = (alone.take(rows[some], axis=-1) for rows in self._alone)
        found: Array = first + second - alone[..., :1]
        return found

    def _known_alone(self, known: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """(C,) of the pairs of which both faults' values are known."""
        first, second = (known.take(rows) for rows in self._alone)
        return np.logical_and(first, second)

    def _begin(self, states: Sequence[MachineState], healthy: Array, rows: list[Indices]) -> Array:
        """Where what the two faults change adds up: two to three times nearer than the sound one."""
        count, begun = self.network.unknown_count, []
        for i, (state, chosen) in enumerate(zip(states, rows, strict=True)):
            alone = self.singles[state].solution
            there = self._put_together(alone.across[:count])
            known = self._known_alone(alone.converged)
            begun.append(np.where(known, there, healthy[:count, [i]])[:, chosen])
        return np.concatenate(begun, axis=1)

    def timed(self, quantity: Quantity) -> TimedPrediction:
        """What every candidate shows in time, on the comparison scale: not played."""
        alone = self.singles.timed(quantity)
        with self._lock:
            if quantity not in self._timed:
                found = self._of_both(alone)
                if quantity.of.from_states:
                    mean, solved = self.worked_out(quantity)
                    found = of_values(mean, found.slope, found.known & solved)
                self._timed[quantity] = found
            return self._timed[quantity]

    def played(self, quantity: Quantity, some: Some = EVERYBODY) -> TimedPrediction:
        """What every candidate shows in time as far as that follows from the faults alone."""
        own = EVERYBODY if some is EVERYBODY else self.alone_of(some)
        return self._of_both(self.singles.played(quantity, own))

    def alone_of(self, some: Some) -> Indices:
        """Which single faults some pairs are put together from, and the sound machine."""
        alone: Indices = np.union1d([0], self._alone[:, some])
        return alone

    def _of_both(self, alone: TimedPrediction) -> TimedPrediction:
        known = self._known_alone(alone.known)
        mean, slope = self._put_together(alone.mean), self._put_together(alone.slope)
        return of_values(mean, slope, known)


class Screened(Paired):
    """Pairs of faults with slopes that are put together as well.

    Good enough to tell which of many pairs are worth a closer look: the slopes of a candidate take
    longer than its solution. What was solved of a pair before, among others, is not solved again.
    """

    def __init__(
        self, singles: Predictor, pairs: Population, before: SolvedBefore | None = None
    ) -> None:
        super().__init__(singles, pairs)
        self._before = SolvedBefore() if before is None else before

    def _solved(
        self, states: Sequence[MachineState], solvable: Sequence[SolvableState], healthy: Array
    ) -> list[Solution]:
        population = self.population
        named = [
            (h.key, population.severity[rows].tobytes())
            for h, rows in zip(population.hypotheses, population.members, strict=True)
        ]
        keys = [self._key(s) for s in states]
        known = [self._before.find(key, named) for key in keys]
        missing = [
            np.concatenate(
                [NOBODY, *(r for r, k in zip(population.members, of, strict=True) if k is None)]
            )
            for of in known
        ]
        found = self._solve(states, solvable, healthy, missing)
        whole = []
        for key, places, fresh in zip(keys, known, found, strict=True):
            own: dict[Hashable, slice] = {}
            at = 0
            for name, rows, place in zip(named, population.members, places, strict=True):
                if place is None:
                    own[name] = slice(at, at + len(rows))
                    at += len(rows)
            if own:
                self._before.keep(key, own, fresh)
            whole.append(
                put_together(
                    [p or Place(fresh, own[name]) for name, p in zip(named, places, strict=True)]
                )
            )
        return whole

    def _shown(
        self, named: MachineState, state: SolvableState, across: Array
    ) -> tuple[Array, Made, NDArray[np.bool_]]:
        mean, _ = self._read(self.population.cases(0, named.oil_c), state, across)
        alone = self.singles[named]
        known = self._known_alone(alone.known)
        return mean, lambda row, some: self._put_together(alone.slope[row], some), known


class Composed(Predictor):
    """Several populations of one circuit as one, each solved by its own predictor.

    What one of them has solved already is not solved again for all together. ``order`` puts their
    candidates in another order, in which a fault's severities have other neighbours.
    """

    def __init__(
        self, parts: Sequence[Predictor], population: Population, order: Indices | None = None
    ) -> None:
        super().__init__(parts[0].circuit, population, parts[0].solver)
        self.parts = tuple(parts)
        self._order = order

    def prepare(self, states: Iterable[MachineState]) -> None:
        """Compute several states in one batch.

        Raises
        ------
        SolveError : the healthy machine has no steady state in one of them.
        """
        wanted = {self._key(s): s for s in states}
        for part in self.parts:
            part.prepare(wanted.values())
        with self._lock:
            for key, state in wanted.items():
                if key in self._done:
                    continue
                self._done[key] = self._side_by_side([part[state] for part in self.parts])

    def _side_by_side(self, parts: Sequence[StatePrediction]) -> StatePrediction:
        """One state of all parts behind one another, or in an order of their candidates."""

        def joined(each: Callable[[StatePrediction], NDArray[Any]]) -> NDArray[Any]:
            found = np.concatenate([each(p) for p in parts], axis=-1)
            return found if self._order is None else found[..., self._order]

        mean, known = joined(lambda p: p.mean), joined(lambda p: p.known)
        return replace(
            parts[0],
            mean=mean,
            slope=MadeWhenAsked(
                lambda row, some: joined(lambda p: p.slope.bare(row, EVERYBODY))[..., some],
                lambda row, some: self._cells(mean[row], known, some),
                known,
                dear=True,
            ),
            known=known,
            overload=Overload(
                joined(lambda p: p.overload.ratio),
                joined(lambda p: p.overload.port),
                joined(lambda p: p.overload.pressure_bar),
            ),
            solution=Solution(
                joined(lambda p: p.solution.across),
                joined(lambda p: p.solution.converged),
                joined(lambda p: p.solution.residual_lpm),
                joined(lambda p: p.solution.iterations),
            ),
        )

    @property
    def grid(self) -> Predictor:
        """The one of all single faults on the grid."""
        return self.parts[0].grid

    @cached_property
    def of_grid(self) -> Indices:
        """(C,) which of the grid's candidates each of these is, −1 where it is none of them."""
        first = self.parts[0].of_grid
        found = np.full(self.population.count, -1, dtype=np.intp)
        found[: len(first)] = first
        return found if self._order is None else found[self._order]

    def healthy(self, state: MachineState) -> Array:
        """(N_all,) across variables of the machine as documented."""
        return self.parts[0].healthy(state)

    def forget(self, states: Iterable[MachineState]) -> None:
        """Drop predictions that are not needed again, the parts' too."""
        every = list(states)
        super().forget(every)
        for part in self.parts:
            part.forget(every)


class Joined(Composed):
    """Single faults and pairs of them."""

    def __init__(self, singles: Predictor, pairs: Paired) -> None:
        super().__init__((singles, pairs), merged(singles.population, pairs.population))
        self._pairs = pairs

    @property
    def in_time(self) -> Sequence[Timing]:
        """What the single faults were played in: pairs are put together from them."""
        return self.parts[0].in_time

    def timed(self, quantity: Quantity) -> TimedPrediction:
        """What every candidate shows in time."""
        return self._behind(*(part.timed(quantity) for part in self.parts))

    def played(self, quantity: Quantity, some: Some = EVERYBODY) -> TimedPrediction:
        """The same, but what can be worked out from steady states is not."""
        each = zip(self.parts, self._of_each(some), strict=True)
        return self._behind(*(part.played(quantity, own) for part, own in each))

    def _of_each(self, some: Some) -> tuple[Some, Some]:
        """Some candidates, as the singles and the pairs count them; the pairs' own faults are asked
        for with the singles, so that all are played together."""
        if some is EVERYBODY:
            return EVERYBODY, EVERYBODY
        rows, first = np.arange(self.population.count)[some], self.parts[0].population.count
        pairs, alone = rows[rows >= first] - first, rows[rows < first]
        # Pairs that were drawn before beside other severities count their faults among those.
        if self._pairs.singles is self.parts[0]:
            alone = np.union1d(alone, self._pairs.alone_of(pairs))
        return alone, pairs

    @staticmethod
    def _behind(a: TimedPrediction, b: TimedPrediction) -> TimedPrediction:
        return TimedPrediction(
            np.concatenate([a.mean, b.mean]),
            np.concatenate([a.slope, b.slope], axis=1),
            np.concatenate([a.known, b.known]),
        )


class Divided(Composed):
    """Single faults, some of them at more severities than the grid has.

    What is between is solved; only what is played in time is taken to lie between its neighbours on
    the grid, for it would have to be waited for.
    """

    def __init__(self, singles: Predictor, finer: Sequence[Predictor]) -> None:
        population, order = divided(singles.population, [f.population for f in finer])
        super().__init__((singles, *finer), population, order)
        self._finer = tuple(finer)

    def prepare(self, states: Iterable[MachineState]) -> None:
        """Compute several states in one batch.

        Raises
        ------
        SolveError : the healthy machine has no steady state in one of them.
        """
        every = list(states)
        fresh = [s for s in every if not any(p.has(s) for p in self._finer)]
        if fresh and len(self._finer) > 1:
            # A batch for each of them would leave most lanes of the compiled code empty.
            self._between.prepare(fresh)
            for state in fresh:
                found = self._between[state]
                ends = np.cumsum([0, *(p.population.count for p in self._finer)]).tolist()
                for part, rows in zip(self._finer, map(slice, ends[:-1], ends[1:]), strict=True):
                    part.take_over(state, found.part(rows))
            self._between.forget(fresh)
        super().prepare(every)

    @cached_property
    def _between(self) -> Predictor:
        """All that is between severities of the grid, whatever fault it is of."""
        population = behind_one_another([p.population for p in self._finer])
        return Predictor(self.circuit, population, self.solver)

    @property
    def in_time(self) -> Sequence[Timing]:
        """What the single faults were played in."""
        return self.parts[0].in_time

    def timed(self, quantity: Quantity) -> TimedPrediction:
        """What every candidate shows in time."""
        grid = self.parts[0].timed(quantity)
        with self._lock:
            if quantity not in self._timed:
                if quantity.of.from_states:
                    found = self._worked_out(quantity, grid, self._interpolated(grid))
                else:
                    found = self._between_bends(quantity, grid)
                self._timed[quantity] = found
            return self._timed[quantity]

    def played(self, quantity: Quantity, some: Some = EVERYBODY) -> TimedPrediction:
        """What lies between the neighbours on the grid."""
        return self._between_bends(quantity, self.parts[0].played(quantity, self._about(some)))

    def _about(self, some: Some) -> Some:
        """The neighbours on the grid of some candidates."""
        if some is EVERYBODY:
            return EVERYBODY
        low, high, _ = self._between_two
        about: Indices = np.union1d(low[some], high[some])
        return about

    def _worked_out(
        self, quantity: Quantity, grid: TimedPrediction, between: TimedPrediction
    ) -> TimedPrediction:
        """The same with what each shows worked out, where no play is needed for it."""
        solved = [(grid.mean, grid.known), *(p.worked_out(quantity) for p in self.parts[1:])]
        mean, known = (np.concatenate(each)[self._order] for each in zip(*solved, strict=True))
        known &= between.known
        between.slope[-SEVERITIES:] = self._cells(mean, known)
        return of_values(mean, between.slope, known)

    @cached_property
    def _between_two(self) -> tuple[Indices, Indices, Array]:
        """(C,) which of the grid lie below and above each candidate, and its share of the way."""
        singles, population = self.parts[0].population, self.population
        low = np.empty(population.count, dtype=np.intp)
        high, share = low.copy(), np.zeros(population.count)
        for own, rows in zip(singles.members, population.members, strict=True):
            # Below the first severity lies the healthy machine, the first of all candidates.
            known = np.concatenate([[0], own]) if len(own) > 1 else own
            at = singles.severity[known, 0] * (known > 0)
            wanted = population.severity[rows, 0]
            above = np.minimum(np.searchsorted(at, wanted - 1e-9), len(known) - 1)
            under = np.maximum(above - 1, 0)
            width = np.maximum(at[above] - at[under], 1e-9)
            low[rows], high[rows] = known[under], known[above]
            share[rows] = np.where(above > under, (wanted - at[under]) / width, 1.0)
        return low, high, share

    def _between_bends(self, quantity: Quantity, grid: TimedPrediction) -> TimedPrediction:
        """The same on the straight line, which is as far off as what is shown bends: at a cliff
        anything between the neighbours may be shown, wherever between them a candidate lies."""
        found = self._interpolated(grid)
        low, high, share = self._between_two
        below, above = (near[:, 0] for near in (self._on_grid.below, self._on_grid.above))

        def step(first: Indices, last: Indices) -> Array:
            fine = (first >= 0) & (last >= 0) & grid.known[first] & grid.known[last]
            return np.where(fine, grid.mean[last] - grid.mean[first], np.nan)

        rise = step(low, high)
        bends = (rise - step(below[low], low), step(high, above[high]) - rise)
        bend = np.nanmax(np.abs([np.zeros(len(rise)), *bends]), axis=0)
        # The variance of a step that lies anywhere between the two.
        off = np.fmin(np.abs(rise), bend) * np.sqrt(share * (1.0 - share))
        timing = self.circuit.timings.index(self.circuit.timing(quantity.place))
        row = found.slope[len(self.unknowns.slot) + timing]
        row[:] = np.where(found.known, np.hypot(row, off), 0.0)
        return found

    @property
    def _on_grid(self) -> Population:
        return self.parts[0].population

    def _interpolated(self, grid: TimedPrediction) -> TimedPrediction:
        low, high, share = self._between_two
        known_there = grid.known[low] & grid.known[high]
        mean = (1.0 - share) * grid.mean[low] + share * grid.mean[high]
        slope = (1.0 - share) * grid.slope[:, low] + share * grid.slope[:, high]
        slope[-SEVERITIES:] = self._cells(mean, known_there)
        return of_values(mean, slope, known_there)
