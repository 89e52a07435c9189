"""What every candidate shows in a state or in time, and how that answers to what is not known."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from umweg.core.components.base import Array
from umweg.core.network.network import Indices
from umweg.core.observe.quantities import Quantity
from umweg.core.solve.steady import Solution

SEVERITIES = 2
"""How many severities a candidate has of its own: one for each of two faults."""


@dataclass(frozen=True)
class Overload:
    """The port that is worst off against its rating, for each candidate."""

    ratio: Array
    """(C,) highest pressure over rating."""
    port: NDArray[np.intp]
    """(C,) index into ``StatePrediction.rated_ports``."""
    pressure_bar: Array

    def part(self, rows: slice) -> "Overload":
        """Some of the candidates."""
        return Overload(self.ratio[rows], self.port[rows], self.pressure_bar[rows])


class Slopes(Protocol):
    """Slopes of each quantity, by its row."""

    def __getitem__(self, row: int) -> Array:
        """(U + T + 4, C)."""
        ...

    def of(self, row: int, some: Indices) -> Array:
        """(U + T + 4, L) of some candidates alone."""
        ...

    def bare(self, row: int, some: "Some") -> Array:
        """The same for who asks but once and knows the slopes of the severities: those may be of
        any value."""
        ...


Some = slice | Indices
"""Some of all candidates."""
EVERYBODY = slice(None)
FEW_AT_HAND = 3
"""Choices of candidates whose slopes are kept: those in question, those told of, the groups'."""
Made = Callable[[int, Some], Array]


class MadeWhenAsked:
    """Slopes that are put together when they are asked for: of most quantities nobody does.

    Parameters
    ----------
    made : (U + T + 4, L) of a row and some candidates, those of the severities being replaced
    cells : (S, L) of the severities, of a row and some candidates
    known : (C,) False where the slopes say nothing
    dear : whether all of them are made, and kept, even for who asks but once or for a few
    """

    def __init__(
        self,
        made: Made,
        cells: Made,
        known: NDArray[np.bool_],
        dear: bool = False,
    ) -> None:
        self._made, self._cells, self._known, self._dear = made, cells, known, dear
        self._rows: dict[int, Array] = {}
        self._few: dict[int, dict[bytes, Array]] = {}

    def __getitem__(self, row: int) -> Array:
        """(U + T + 4, C)."""
        if row not in self._rows:
            self._rows[row] = self._fresh(row, EVERYBODY)
        return self._rows[row]

    def of(self, row: int, some: Indices) -> Array:
        """(U + T + 4, L) of some candidates alone."""
        if self._dear or row in self._rows:
            return self[row][:, some]
        few, name = self._few.setdefault(row, {}), some.tobytes()
        if name not in few:
            while len(few) >= FEW_AT_HAND:
                few.pop(next(iter(few)))
            few[name] = self._fresh(row, some)
        return few[name]

    def bare(self, row: int, some: Some) -> Array:
        """The same for who asks but once and knows the slopes of the severities."""
        if self._dear or row in self._rows:
            return self[row][:, some]
        slope = self._made(row, some)
        slope[:, ~self._known[some]] = 0.0
        return slope

    def _fresh(self, row: int, some: Some) -> Array:
        slope = self._made(row, some)
        slope[-SEVERITIES:] = self._cells(row, some)
        slope[:, ~self._known[some]] = 0.0
        return slope


@dataclass(frozen=True)
class StatePrediction:
    """One state, all candidates.

    ``mean (Q, C)`` on each quantity's comparison scale; ``slope[q] (U + T + 4, C)`` per standard
    deviation of each unknown: the machine's own, a row for each timing (how far its slopes are
    off), then engine speed and oil temperature as they really are, and in the last two rows the
    cell of each of the candidate's own severities;
    ``known (C,)`` False where the solver found no solution; ``net_bar (N_all,)`` the healthy
    machine's across variables.
    """

    quantities: tuple[Quantity, ...]
    mean: Array
    slope: "Slopes"
    known: NDArray[np.bool_]
    rated_ports: tuple[str, ...]
    overload: Overload
    healthy: Array
    solution: Solution

    def row(self, quantity: Quantity) -> int:
        """Index of a quantity."""
        return self._rows[quantity]

    def part(self, rows: slice) -> "StatePrediction":
        """Some of the candidates, none of whose severities have neighbours."""
        mean, known = self.mean[:, rows], self.known[rows]
        return replace(
            self,
            mean=mean,
            slope=MadeWhenAsked(
                lambda row, some: self.slope[row][:, rows][:, some].copy(),
                lambda row, some: np.zeros((SEVERITIES, len(known[some]))),
                known,
            ),
            known=known,
            overload=self.overload.part(rows),
            solution=self.solution.part(rows),
        )

    @cached_property
    def _rows(self) -> dict[Quantity, int]:
        return {quantity: i for i, quantity in enumerate(self.quantities)}


@dataclass(frozen=True)
class TimedPrediction:
    """One quantity read in time, all candidates: as a row of :class:`StatePrediction`."""

    mean: Array
    slope: Array
    known: NDArray[np.bool_]


def of_values(mean: Array, slope: Array, known: NDArray[np.bool_]) -> TimedPrediction:
    """Values and slopes, which become its own, where they are known."""
    slope[:, ~known] = 0.0
    return TimedPrediction(np.where(known, mean, 0.0), slope, known)
