"""What further quantities would be, given what was read; and where a mixture's share lies.

A plan asks for some two hundred quantities of some hundred live candidates each.
"""

import math
from collections.abc import Sequence

import numpy as np

from umweg.core.components.base import Array
from umweg.core.components.kernels import law as compiled
from umweg.core.solve.threads import shared

LEAST_VARIANCE = 1e-12
_TRIES = 60
_NOTHING = 1e-6
"""What weighs less counts for nothing in a share …"""
_FAR = 8.0
"""… and so many standard deviations away all of a normal lies on one side."""


def conditioned(
    mean: Array,
    slopes: Sequence[Array],
    own: int,
    looseness: Array,
    before: Array,
    precision: Array,
    solved: Array,
) -> tuple[Array, Array]:
    """Mean and variance (Q, C) of Q quantities of C candidates, given R readings.

    Conditional moments of a joint normal distribution (von Mises 1964): the mean moves by the
    covariance with the readings times their solved errors, the variance falls by its square.

    Parameters
    ----------
    mean : (Q, C), nothing being read
    slopes : of each quantity (U, C) to U unknowns of unit variance; the first ``own`` of them
        spread ``looseness (C,)`` times as wide
    before : (R, U, C) slopes of the readings, times the unknowns' variance
    precision, solved : (C, R, R) inverse of the readings' covariance, (C, R) their errors times it
    """
    moved, variance = np.array(mean, dtype=float), np.empty(mean.shape)
    given = (
        own,
        np.ascontiguousarray(looseness**2),
        np.ascontiguousarray(before),
        np.ascontiguousarray(precision.transpose(1, 2, 0)),
        np.ascontiguousarray(solved.T),
    )

    def part(some: slice) -> None:
        for m, v, slope in zip(moved[some], variance[some], slopes[some], strict=True):
            _conditioned(m, v, np.ascontiguousarray(slope, dtype=float), *given)

    shared(part, len(mean))
    return moved, variance


@compiled
def _conditioned(
    mean: Array,
    variance: Array,
    slope: Array,
    own: int,
    wider: Array,
    before: Array,
    precision: Array,
    solved: Array,
) -> None:
    count, readings = len(mean), len(before)
    cross = np.zeros((readings, count))
    variance[:] = 0.0
    for u in range(len(slope)):
        here = slope[u]
        matters = False
        for c in range(count):
            matters = matters or here[c] != 0.0
        if not matters:
            continue
        for c in range(count):
            square = here[c] * here[c]
            variance[c] += square * wider[c] if u < own else square
        for r in range(readings):
            known, together = before[r, u], cross[r]
            for c in range(count):
                together[c] += known[c] * here[c]
    for r in range(readings):
        for c in range(count):
            mean[c] += solved[r, c] * cross[r, c]
        for s in range(readings):
            for c in range(count):
                variance[c] -= cross[r, c] * precision[r, s, c] * cross[s, c]
    if readings:
        for c in range(count):
            variance[c] = max(variance[c], LEAST_VARIANCE)


def shape_of(grid: Array, mean: Array, sd: Array, weight: Array) -> Array:
    """(G,) how a weighted mixture of normals spreads over places at equal distances, in sum one.

    Parameters
    ----------
    grid : (G,), no further apart than each ``sd``
    mean, sd, weight : (M,)
    """
    density = np.zeros(len(grid))
    _add_normals(density, float(grid[0]), float(grid[1] - grid[0]), mean, sd, weight)
    density /= density.sum()
    return density


@compiled
def _add_normals(
    density: Array, start: float, step: float, mean: Array, sd: Array, weight: Array
) -> None:
    for m in range(len(mean)):
        z, apart = (start - mean[m]) / sd[m], step / sd[m]
        for g in range(len(density)):
            if abs(z) < _FAR:
                density[g] += weight[m] / sd[m] * math.exp(-0.5 * z * z)
            z += apart


def share_below(mean: Array, sd: Array, weight: Array, share: float) -> float:
    """The value below which so much of a weighted mixture of normals lies.

    Parameters
    ----------
    mean, sd, weight : (M,)
    """
    found: float = _share_below(
        np.ascontiguousarray(mean, dtype=float),
        np.ascontiguousarray(sd, dtype=float),
        np.ascontiguousarray(weight, dtype=float) / weight.sum(),
        share,
    )
    return found


@compiled
def _share_below(mean: Array, sd: Array, weight: Array, share: float) -> float:
    low, high = np.inf, -np.inf
    for m in range(len(mean)):
        low = min(low, mean[m] - 8.0 * sd[m])
        high = max(high, mean[m] + 8.0 * sd[m])
    middle, before = 0.5 * (low + high), np.inf
    close = 1e-12 * (high - low)
    for _ in range(_TRIES):
        below, density = 0.0, 0.0
        for m in range(len(mean)):
            if weight[m] < _NOTHING:
                continue
            z = (middle - mean[m]) / sd[m]
            if abs(z) > _FAR:
                below += weight[m] if z > 0.0 else 0.0
                continue
            below += weight[m] * 0.5 * math.erfc(-z / math.sqrt(2.0))
            density += weight[m] * math.exp(-0.5 * z * z) / (sd[m] * math.sqrt(2.0 * math.pi))
        off = below - share
        if off < 0.0:
            low = middle
        else:
            high = middle
        # Newton's step where the last one has brought it nearer, and it stays between the ends.
        reached = middle - off / max(density, 1e-300)
        if abs(off) > 0.5 * before or not low < reached < high:
            reached = 0.5 * (low + high)
        before = abs(off)
        if abs(reached - middle) <= close:
            break
        middle = reached
    return middle
