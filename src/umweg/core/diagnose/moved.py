"""What the likeliest candidates show where the belief about their own unknowns stands by now.

With numbers that are known to a fifth, a slope at the documented values is wrong wherever a relief
opens, a pump destrokes or a valve saturates on the way. So each of the few candidates that are still
in question is solved again at the mode of its own unknowns, and its readings are taken as straight
lines *there*: Laplace's approximation, found by Newton's iteration (the iterated extended Kalman
filter: Bell and Cathey, IEEE Trans. Autom. Control 38, 1993).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from umweg.core.components.base import Array
from umweg.core.diagnose.evidence import Belief
from umweg.core.network.network import Indices
from umweg.core.observe.predict import Predictor
from umweg.core.observe.prediction import SEVERITIES
from umweg.core.observe.weights import Evidence, Measured, Told

WITHIN = 9.0
"""Candidates this far [nats] behind the best are solved again …"""
UNTRIED = 18.0
"""… and who was not yet, or goes on by half a step, even so far: past a kink a straight line makes of
what is wrong an impossible one, a machine whose pump is set lower than somebody guessed stalls where
its line goes on."""
MOST = 96
FAR = 0.06
"""Share of its documented value from which an unknown is off so far that the slope there counts for
little; of a machine whose numbers are known, none is."""
FARTHEST = 4.0
"""Standard deviations beyond which nobody's unknown is looked for."""
ROUNDS = 8
SETTLED = 0.1
"""Change of a log weight [nats] that is none."""
LEAST_STEP = 0.1
"""Share of a step below which it is given up."""
MISREAD_AT = 3.5
"""Standard deviations from which a reading is taken for wrong and pulls nobody any further."""


class SolvedAgain:
    """Where the likeliest candidates stand, round by round.

    A step that leads to a machine that is less likely than the one it came from is not taken: half
    of it is tried in the next round. Past a kink a straight line leads anywhere.

    Parameters
    ----------
    evidence : with what every candidate shows by the slopes at the documented machine
    """

    def __init__(self, predictor: Predictor, evidence: Sequence[Evidence]) -> None:
        self._predictor = predictor
        self._evidence = list(evidence)
        self._measured = [e for e in evidence if isinstance(e, Measured) and not e.quantity.timed]
        self._at: dict[int, Array] = {}
        self._fit: dict[int, float] = {}
        self._step: dict[int, float] = {}

    def round(self, belief: Belief) -> list[Evidence] | None:
        """The evidence with what the likeliest candidates show where their unknowns are believed to
        be; None where nobody's have moved, or nothing was measured in a steady state."""
        if not self._measured:
            return None
        near, away = self._proposed(belief)
        if not len(near):
            return None
        lines: dict[str, _Line] = {}
        for state in {e.state.model_dump_json(): e.state for e in self._measured}.values():
            here = [e for e in self._measured if e.state == state]
            shown = _beside(self._predictor, near, away, here)
            for item, (mean, slope, known, beside) in zip(here, shown, strict=True):
                lines[item.id] = _Line(near, away, mean, slope, known, beside)
        taken = self._taken(near, away, lines, belief.looseness[near])
        if not taken.any():
            return self._evidence
        has_below = self._predictor.population.below[near, 0] >= 0
        self._measured = [
            _replaced(e, lines[e.id], has_below, taken) if e.id in lines else e
            for e in self._measured
        ]
        found = {e.id: e for e in self._measured}
        self._evidence = [found.get(e.id, e) for e in self._evidence]
        return self._evidence

    def heard(self, belief: Belief) -> list[Evidence]:
        """The evidence with what the words say of those who have moved, where they stand.

        What was read tells of a machine's own numbers as well: at a margin that is as low as was
        read, a leak that would only slow a machine by its papers stops it.
        """
        rows = np.array(sorted(self._at), dtype=np.intp)
        rows = rows[belief.log_weight[rows] > belief.log_weight.max() - WITHIN]
        if not len(rows):
            return self._evidence
        away = np.stack([self._at[int(c)] for c in rows], axis=1)
        some = belief.part(rows)

        def spread(mean: Array, slope: Array) -> Array:
            return np.asarray(np.sqrt(some.posterior(mean, slope)[1]))

        found: list[Evidence] = []
        for item in self._evidence:
            if isinstance(item, Told) and item.again is not None:
                fit = item.log_likelihood.copy()
                fit[rows] = item.again(self._predictor, rows, away, spread)
                item = replace(item, log_likelihood=fit)
            found.append(item)
        return found

    def toll(self, belief: Belief) -> Array:
        """(C,) what it costs to stand where somebody stands, as far as their lines do not say it [nats].

        A line that is flat there explains the reading wherever it comes from: what lies between,
        beyond the kink, is not in it. Laplace's evidence at a point has half of its squared distance;
        the lines' own has that of the point where they would be.
        """
        found = np.zeros(len(belief.log_weight))
        rows = np.array(sorted(self._at), dtype=np.intp)
        if len(rows):
            at = np.stack([self._at[int(c)] for c in rows], axis=1)
            own = belief.moved(rows)[: len(at)]
            more = (at**2).sum(axis=0) - (own**2).sum(axis=0)
            found[rows] = 0.5 * np.maximum(more, 0.0) / belief.looseness[rows] ** 2
        return found

    @property
    def somebody(self) -> bool:
        """Whether anybody stands elsewhere than by the document."""
        return bool(self._at)

    @property
    def halving(self) -> bool:
        """Whether somebody's step was too long and a shorter one is worth trying."""
        return any(LEAST_STEP < step < 1.0 for step in self._step.values())

    def _proposed(self, belief: Belief) -> tuple[Indices, Array]:
        """Who is solved again (L,), and where (U, L)."""
        predictor = self._predictor
        unknowns = predictor.unknowns
        weight = belief.log_weight
        # Whose last step was too long is not where it will stand either.
        stands = np.zeros(len(weight), dtype=bool)
        stands[sorted(c for c, step in self._step.items() if step == 1.0)] = True
        close = weight > weight.max() - np.where(stands, WITHIN, UNTRIED)
        # Against the machine in order every claim is made: it is solved however far behind.
        close[0] = True
        near = each_first(np.flatnonzero(close), weight, predictor.population.hypothesis)[:MOST]
        near = near[~np.isin(near, predictor.population.wandering)]
        count = len(unknowns.slot)
        to = np.clip(belief.moved(near)[:count], -FARTHEST, FARTHEST)
        at = np.array([self._at.get(int(c), np.zeros(count)) for c in near]).reshape(-1, count).T
        step = np.array([self._step.get(int(c), 1.0) for c in near])
        away = at + step * (to - at)
        nominal = predictor.network.base_parameters[unknowns.slot]
        share = (unknowns.sigma / np.abs(nominal))[:, None]
        far = (np.abs(away - at) * share > np.where(at.any(axis=0), 0.5 * FAR, FAR)).any(axis=0)
        far &= step > LEAST_STEP
        return near[far], away[:, far]

    def _taken(
        self, near: Indices, away: Array, lines: Mapping[str, "_Line"], looseness: Array
    ) -> NDArray[np.bool_]:
        """(L,) whose step is taken: who is likelier there than where they were."""
        there = -0.5 * (away**2).sum(axis=0) / looseness**2
        zero = np.zeros(len(near))
        for item in self._measured:
            line = lines[item.id]
            for_day = (line.slope[len(away) :] ** 2).sum(axis=0) + item.noise_sd**2
            there = there - _pull((item.value - line.mean) ** 2 / for_day)
            # Who never moved still has the line through the documented machine here.
            own = (item.slope[len(away) :, near] ** 2).sum(axis=0) + item.noise_sd**2
            zero = zero - _pull((item.value - item.mean[near]) ** 2 / own)
        taken = np.zeros(len(near), dtype=bool)
        for n, c in enumerate(near.tolist()):
            taken[n] = there[n] >= self._fit.get(c, float(zero[n]))
            if taken[n]:
                self._at[c], self._fit[c], self._step[c] = away[:, n], float(there[n]), 1.0
            else:
                self._step[c] = 0.5 * self._step.get(c, 1.0)
        return taken


def each_first(rows: Indices, weight: Array, hypothesis: Indices) -> Indices:
    """Some candidates, the machine in order first, then the likeliest of each hypothesis, then the
    others, the likeliest first: a fault looked at in many severities keeps nobody else out."""
    rows = rows[np.argsort(-weight[rows], kind="stable")]
    likeliest = np.zeros(len(rows), dtype=np.intp)
    likeliest[np.unique(hypothesis[rows], return_index=True)[1]] = 1
    likeliest[rows == 0] = 2
    return np.asarray(rows[np.argsort(-likeliest, kind="stable")])


def _pull(square: Array) -> Array:
    """Half of a squared error that counts no more once the reading is taken for wrong."""
    return np.asarray(0.5 * np.minimum(np.nan_to_num(square, nan=np.inf), MISREAD_AT**2))


def settled(before: Array, after: Array) -> bool:
    """Whether a further round would tell nothing else about whoever is still in question."""
    near = np.maximum(before - before.max(), after - after.max()) > -WITHIN
    moved = (before - before.max())[near] - (after - after.max())[near]
    return bool(np.abs(moved).max() < SETTLED)


def _beside(
    predictor: Predictor, near: Indices, away: Array, here: Sequence[Measured]
) -> list[tuple[Array, Array, NDArray[np.bool_], Array]]:
    """Of each reading: what the candidates show (L,), its slopes (U + T + 4, L) but those of the
    severities, whether that is known (L,), and what their neighbours below and above would show with
    the same unknowns (2, L), no number where there is none."""
    population, state = predictor.population, here[0].state
    below, above = population.below[near, 0], population.above[near, 0]
    # Below the first severity of a fault alone lies the machine in order.
    alone = population.severity[near, 1] == 0.0
    rows = np.concatenate([near, np.where((below < 0) & alone, 0, below), above])
    there = rows >= 0
    moved = np.tile(away, 3)
    quantities = [e.quantity for e in here]
    count = len(near)
    found = predictor.elsewhere(state, rows[there], moved[:, there], quantities, sloped=count)
    known, slopes = found.solution.converged, found.slopes
    every = np.full((len(quantities), len(rows)), np.nan)
    every[:, there] = np.where(known, found.mean, np.nan)
    return [
        (
            every[q, :count],
            slopes[q],
            known[:count],
            every[q, count:].reshape(2, count),
        )
        for q in range(len(quantities))
    ]


@dataclass(frozen=True)
class _Line:
    """A reading of some candidates as straight lines through where they stand: as from
    :func:`_beside`, with who and where (U, L) that is."""

    near: Indices
    away: Array
    mean: Array
    slope: Array
    known: NDArray[np.bool_]
    beside: Array


def _replaced(
    item: Measured, line: _Line, has_below: NDArray[np.bool_], taken: NDArray[np.bool_]
) -> Measured:
    """A reading with the lines of those whose step is taken in place of those that were."""
    fine = taken & line.known & np.isfinite(line.mean) & np.isfinite(line.slope).all(axis=0)
    rows, slope = line.near[fine], line.slope[:, fine]
    if not len(rows):
        return item
    # Where the line meets the documented machine: what is off from there is off by the slope there.
    back = (slope[: len(line.away)] * line.away[:, fine]).sum(axis=0)
    mean, slopes = item.mean.copy(), item.slope.copy()
    mean[rows] = own = line.mean[fine] - back
    slopes[:-SEVERITIES, rows] = slope[:-SEVERITIES]
    sides = np.full((2, len(mean)), np.nan) if item.beside is None else item.beside.copy()
    sides[:, rows] = below, above = line.beside[:, fine] - back
    below = np.where(has_below[fine] & np.isfinite(below), below, 2.0 * own - above)
    above = np.where(np.isfinite(above), above, 2.0 * own - below)
    cell = (above - below) / 2.0 / np.sqrt(12.0)
    slopes[-SEVERITIES, rows] = np.where(np.isfinite(cell), cell, slopes[-SEVERITIES, rows])
    return replace(item, mean=mean, slope=slopes, beside=sides)
