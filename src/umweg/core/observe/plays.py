"""What the candidates show in time, played for those who are asked for.

A play takes a hundred times as long as a steady state. Who plans asks for the few candidates that are
still in question; who weighs a reading asks for all of them.
"""

import threading
from collections.abc import Callable
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from umweg.core.circuit.document import Circuit, Timing
from umweg.core.components.base import Array
from umweg.core.faults.population import Population, Unknowns
from umweg.core.network.network import Indices
from umweg.core.observe import shelf
from umweg.core.observe.prediction import (
    EVERYBODY,
    SEVERITIES,
    Some,
    TimedPrediction,
    of_values,
)
from umweg.core.observe.quantities import Quantity, quantity_of, stopped
from umweg.core.observe.timed import DRIVE_STEP, OIL_STEP, TimedReader
from umweg.core.solve.respond import CONDITIONS
from umweg.core.solve.steady import Cases

MISFIT_FROM = 4.0
"""How many of the reference's candidates count for where one fault's misfit is judged."""
MISFIT_DRAW = 1.2
"""Largest drawn difference of an unknown, in standard deviations: a uniform draw has 0.7 of them."""
REFERENCE = 24
"""Candidates, evenly among all, that are played whoever is asked for."""

Mask = NDArray[np.bool_]


class Plays:
    """One timing of a circuit's single faults.

    How what is shown answers to the machine's unknowns is found on the machine as documented, by
    playing it with each of them changed; that is taken for every candidate. How far that is off is
    found by playing every other severity once more with all of them changed at once. Whatever was
    played is put on the shelf, where another process of this user finds it.

    Parameters
    ----------
    conditions : (2,) a standard deviation of engine speed and of oil temperature, the former as a
        share, the latter as a share of the oil's viscosity
    cells : (2, C) how wide the severities' cells are, of what every candidate shows and whether
        that is known
    """

    def __init__(
        self,
        reader: TimedReader,
        timing: Timing,
        population: Population,
        unknowns: Unknowns,
        conditions: tuple[float, float],
        cells: Callable[[Array, Mask], Array],
    ) -> None:
        self._reader, self._timing, self._population = reader, timing, population
        self._unknowns, self._conditions, self._cells = unknowns, conditions, cells
        count = population.count
        self._shown, self._known = np.zeros(count), np.zeros(count, dtype=bool)
        self._drawn, self._drawn_known = np.zeros(count), np.zeros(count, dtype=bool)
        self._played = np.zeros((2, count), dtype=bool)
        self._own: Array | None = None
        self._found: TimedPrediction | None = None
        self._lock = threading.Lock()
        self.told: Callable[[Timing, int], None] | None = None
        """Who hears what is played, and of how many candidates, before it is waited for."""

    @property
    def _circuit(self) -> Circuit:
        return self._reader.circuit

    @property
    def _oil_c(self) -> float:
        return self._circuit.states[self._timing.state].oil_c

    @property
    def _quantity(self) -> Quantity:
        return quantity_of(self._timing)

    def of(self, some: Some = EVERYBODY) -> TimedPrediction:
        """What some candidates show, for all that were played; all others are not known.

        A fault is played at all of its severities: each tells how far the others' slopes are off.
        """
        with self._lock:
            if self._own is None:
                self._take_from_shelf()
            wanted = np.zeros(self._population.count, dtype=bool)
            wanted[some] = True
            faults = np.unique(self._population.hypothesis[wanted])
            wanted = np.isin(self._population.hypothesis, faults) | self._reference
            missing = np.stack([wanted, wanted & self._every_other]) & ~self._played
            if missing.any():
                self._play(*missing)
                self._put_on_shelf()
                self._found = None
            if self._found is None:
                self._found = self._prediction()
            return self._found

    @cached_property
    def _grade(self) -> Indices:
        """(C,) which of all severities a candidate has."""
        grade: Indices = np.unique(self._population.severity[:, 0], return_inverse=True)[1]
        return grade

    @cached_property
    def _every_other(self) -> Mask:
        """(C,) whether a candidate is played once more with all unknowns changed."""
        found: Mask = self._grade % 2 == 0
        return found

    @cached_property
    def _reference(self) -> Mask:
        found = np.zeros(self._population.count, dtype=bool)
        rows = np.flatnonzero(self._every_other)
        found[rows[:: max(1, len(rows) // REFERENCE)]] = True
        return found

    @cached_property
    def _away(self) -> Array:
        """(C, U) how far each unknown is from what is specified, in standard deviations: every other
        severity is a machine with unknowns of its own, the same for all faults."""
        slots = self._unknowns.slot
        generator = np.random.default_rng(0)
        drawn = generator.uniform(
            -MISFIT_DRAW, MISFIT_DRAW, (int(self._grade.max()) + 1, len(slots))
        )
        away = drawn[self._grade]
        # What a fault has set is not an unknown of its machine any more.
        for column in self._population.slot.T:
            away[column[:, None] == slots] = 0.0
        return away

    def _play(self, rows: Mask, drawn: Mask) -> None:
        """Play candidates as they are and others with their unknowns drawn, all in one batch."""
        if self.told is not None:
            self.told(self._timing, int(rows.sum()))
        reader, timing, population = self._reader, self._timing, self._population
        slots, sigma = self._unknowns.slot, self._unknowns.sigma
        base = reader.network.base_parameters[slots]
        faulty = population.slot_at(self._oil_c)
        away = self._away[drawn]
        changed = [
            (faulty[rows], population.value[rows]),
            (
                np.hstack([np.where(away == 0.0, -1, slots), faulty[drawn]]),
                np.hstack([base + sigma * away, population.value[drawn]]),
            ),
        ]
        if self._own is None:
            one_by_one = np.concatenate([[-1], slots]), np.concatenate([[0.0], base + sigma])
            changed.append((one_by_one[0][:, None], one_by_one[1][:, None]))
        shown, fine = reader.values(timing, _cases(changed))
        a, b = int(rows.sum()), int(rows.sum() + drawn.sum())
        self._shown[rows], self._known[rows] = shown[:a], fine[:a]
        self._drawn[drawn], self._drawn_known[drawn] = shown[a:b], fine[a:b]
        self._played |= np.stack([rows, drawn])
        if self._own is None:
            sound, own = shown[b], np.where(fine[b + 1 :], shown[b + 1 :] - shown[b], 0.0)
            alone = Cases.as_documented(1)
            (faster,), _ = reader.values(timing, alone, drive=1.0 + DRIVE_STEP)
            (thicker,), _ = reader.values(timing, alone, oil=1.0 + OIL_STEP)
            steps = (faster - sound) / DRIVE_STEP, (thicker - sound) / OIL_STEP
            self._own = np.concatenate([own, np.multiply(steps, self._conditions)])

    def _prediction(self) -> TimedPrediction:
        """As far as it was played; who was not shows what the sound machine shows."""
        assert self._own is not None
        count, played = self._population.count, self._played[0]
        known = self._known & played
        mean = np.where(played, self._shown, self._shown[0])
        own, timings = len(self._unknowns.slot), len(self._circuit.timings)
        slope = np.zeros((own + timings + CONDITIONS + SEVERITIES, count))
        slope[:own] = self._own[:own, None]
        slope[own + self._circuit.timings.index(self._timing)] = self._misfit(known)
        slope[own + timings : -SEVERITIES] = self._own[own:, None]
        self._of_what_is_changed(slope[:own], mean, known)
        _narrow(self._quantity, mean, slope)
        mean = stopped(self._quantity, mean)
        slope[-SEVERITIES:] = self._cells(mean, known)
        return of_values(mean, slope, known)

    def _misfit(self, known: Mask) -> Array:
        """(C,) standard deviation of what a machine shows about what the slopes say of it.

        A fault's severities together, and a little of the reference's, say how far its slopes are
        off.
        """
        assert self._own is not None
        population = self._population
        fine = known & self._drawn_known & self._played[1]
        # The draws are narrower than the unknowns' spread.
        wider = np.sqrt(3.0) / MISFIT_DRAW
        straight = self._shown + self._away @ self._own[: len(self._unknowns.slot)]
        off = stopped(self._quantity, self._drawn) - stopped(self._quantity, straight)
        squared = np.where(fine, (wider * off) ** 2, 0.0)
        usual = squared[fine & self._reference]
        middle = float(np.median(usual)) if len(usual) else 0.0
        count = np.bincount(population.hypothesis, fine)
        total = np.bincount(population.hypothesis, squared)
        found: Array = np.sqrt((total + MISFIT_FROM * middle) / (count + MISFIT_FROM))
        return found[population.hypothesis]

    def _of_what_is_changed(self, slope: Array, mean: Array, known: Mask) -> None:
        """Put in, (U, C), how candidates answer to the sound value of what their own fault changes.

        A spool that leaks a hundred times as much as a sound one does not answer to a sound one's
        tolerance a hundred times as much: how it answers is how it shows its other severities.
        """
        population, unknowns = self._population, self._unknowns
        kept = population.kept_of(unknowns.slot, self._oil_c)
        changed = population.slot_at(self._oil_c)
        for axis in range(changed.shape[1]):
            row, c = np.nonzero(unknowns.slot[:, None] == changed[:, axis])
            below, above = population.below[c, axis], population.above[c, axis]
            # The sound machine stands before the slightest.
            first = np.where(below >= 0, below, 0)
            last = np.where(above >= 0, above, c)
            sound = self._reader.network.base_parameters[unknowns.slot[row]]
            start = np.where(below >= 0, population.value[first, axis], sound)
            moved = population.value[last, axis] - start
            fine = known[first] & known[last] & (moved != 0.0)
            steep = np.where(fine, mean[last] - mean[first], 0.0) / np.where(fine, moved, 1.0)
            slope[row, c] = steep * kept[row, c] * unknowns.sigma[row]

    @cached_property
    def _name(self) -> str:
        return f"{shelf.name_of(self._circuit, self._population)}-{self._timing.id}"

    def _take_from_shelf(self) -> None:
        there = shelf.found(self._name)
        if there is not None:
            self._own, self._played = there["own"], there["played"]
            self._shown, self._known = there["shown"], there["known"]
            self._drawn, self._drawn_known = there["drawn"], there["drawn_known"]

    def _put_on_shelf(self) -> None:
        assert self._own is not None
        shelf.put(
            self._name,
            {
                "own": self._own,
                "played": self._played,
                "shown": self._shown,
                "known": self._known,
                "drawn": self._drawn,
                "drawn_known": self._drawn_known,
            },
        )


def _cases(changed: list[tuple[Indices, Array]]) -> Cases:
    """Cases behind one another, each in the first state, with so many columns as the widest have."""
    count, width = sum(len(s) for s, _ in changed), max(s.shape[1] for s, _ in changed)
    slot, value = np.full((count, width), -1, dtype=np.intp), np.zeros((count, width))
    at = 0
    for slots, values in changed:
        slot[at : at + len(slots), : slots.shape[1]] = slots
        value[at : at + len(slots), : slots.shape[1]] = values
        at += len(slots)
    return Cases(np.zeros(count, dtype=np.intp), slot, value)


def _narrow(quantity: Quantity, mean: Array, slope: Array) -> None:
    """Who would show much more than where it is stopped shows just that, whatever their own
    unknowns are: their slopes go to nothing over two standard deviations."""
    most = quantity.of.stopped_at
    if most is not None:
        sd = np.sqrt(np.einsum("uc,uc->c", slope, slope))
        slope *= np.clip(1.0 - (mean - most) / np.maximum(2.0 * sd, 1e-9), 0.0, 1.0)
