"""What the likeliest candidates show where the belief about their own unknowns stands by now.

With numbers that are known to a fifth, a slope at the documented values is wrong wherever a relief
opens, a pump destrokes or a valve saturates on the way. So each of the few candidates that are still
in question is solved again at the mode of its own unknowns, and its readings are taken as straight
lines *there*: Laplace's approximation, found by Newton's iteration (the iterated extended Kalman
filter: Bell and Cathey, IEEE Trans. Autom. Control 38, 1993).
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from umweg.core.components.base import Array
from umweg.core.diagnose.evidence import Belief
from umweg.core.network.network import Indices
from umweg.core.observe.predict import Predictor
from umweg.core.observe.prediction import SEVERITIES
from umweg.core.observe.weights import Evidence, Measured

WITHIN = 9.0
"""Candidates this far [nats] behind the best are solved again."""
MOST = 96
FAR = 0.06
"""Share of its documented value from which an unknown is off so far that the slope there counts for
little; of a machine whose numbers are known, none is."""
FARTHEST = 4.0
"""Standard deviations beyond which nobody's unknown is looked for."""
ROUNDS = 3
SETTLED = 0.1
"""Change of a log weight [nats] that is none."""


def settled(before: Array, after: Array) -> bool:
    """Whether a further round would tell nothing else about whoever is still in question."""
    near = np.maximum(before - before.max(), after - after.max()) > -WITHIN
    moved = (before - before.max())[near] - (after - after.max())[near]
    return bool(np.abs(moved).max() < SETTLED)


def solved_again(
    predictor: Predictor, belief: Belief, evidence: Sequence[Evidence]
) -> list[Evidence] | None:
    """The evidence with what the likeliest candidates show where their unknowns are believed to be.

    None where nobody's unknowns have moved far, or nothing was measured in a steady state.
    """
    measured = [e for e in evidence if isinstance(e, Measured) and not e.quantity.timed]
    if not measured:
        return None
    unknowns = predictor.unknowns
    count = len(unknowns.slot)
    near = np.flatnonzero(belief.log_weight > belief.log_weight.max() - WITHIN)
    near = near[np.argsort(-belief.log_weight[near], kind="stable")][:MOST]
    near = near[~np.isin(near, predictor.population.wandering)]
    away = np.clip(belief.moved(near)[:count], -FARTHEST, FARTHEST)
    nominal = predictor.network.base_parameters[unknowns.slot]
    far = (np.abs(away) * (unknowns.sigma / np.abs(nominal))[:, None] > FAR).any(axis=0)
    near, away = near[far], away[:, far]
    if not len(near):
        return None
    found = {e.id: e for e in evidence}
    for state in {e.state.model_dump_json(): e.state for e in measured}.values():
        here = [e for e in measured if e.state == state]
        shown = _beside(predictor, near, away, here)
        for item, (mean, slope, known, beside) in zip(here, shown, strict=True):
            line = _Line(near, away, mean, slope, known, beside)
            found[item.id] = _replaced(item, line, predictor.population.below[near, 0] >= 0)
    return [found[e.id] for e in evidence]


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
    mean, slopes, known = predictor.elsewhere(
        state, rows[there], moved[:, there], quantities, sloped=count
    )
    every = np.full((len(quantities), len(rows)), np.nan)
    every[:, there] = np.where(known, mean, np.nan)
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


def _replaced(item: Measured, line: _Line, has_below: NDArray[np.bool_]) -> Measured:
    """A reading with those lines in place of those through the documented machine."""
    fine = line.known & np.isfinite(line.mean) & np.isfinite(line.slope).all(axis=0)
    rows, slope = line.near[fine], line.slope[:, fine]
    if not len(rows):
        return item
    # Where the line meets the documented machine: what is off from there is off by the slope there.
    back = (slope[: len(line.away)] * line.away[:, fine]).sum(axis=0)
    mean, slopes = item.mean.copy(), item.slope.copy()
    mean[rows] = own = line.mean[fine] - back
    slopes[:-SEVERITIES, rows] = slope[:-SEVERITIES]
    sides = np.full((2, len(mean)), np.nan)
    sides[:, rows] = below, above = line.beside[:, fine] - back
    below = np.where(has_below[fine] & np.isfinite(below), below, 2.0 * own - above)
    above = np.where(np.isfinite(above), above, 2.0 * own - below)
    cell = (above - below) / 2.0 / np.sqrt(12.0)
    slopes[-SEVERITIES, rows] = np.where(np.isfinite(cell), cell, slopes[-SEVERITIES, rows])
    return replace(item, mean=mean, slope=slopes, beside=sides)
