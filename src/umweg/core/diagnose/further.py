"""What further quantities would be, given what was read, compiled; and where a mixture's share lies.

A plan asks for some two hundred quantities of some hundred live candidates each.
"""

import math
from typing import Any

import numpy as np

from umweg.core.components.base import Array
from umweg.core.diagnose.compiled import compiled

LEAST_VARIANCE = 1e-12
_BLOCK = 64
"""Candidates that are gone through together: what is kept of them stays near the processor."""
_HALVINGS = 40


def conditioned(
    mean: Array,
    slope: Array,
    own: int,
    looseness: Array,
    before: Array,
    precision: Any,
    solved: Any,
) -> tuple[Array, Array]:
    """Mean and variance (Q, C) of Q quantities of C candidates, given R readings.

    Conditional moments of a joint normal distribution (von Mises 1964): the mean moves by the
    covariance with the readings times their solved errors, the variance falls by its square.

    Parameters
    ----------
    mean : (Q, C), nothing being read
    slope : (Q, U, C) to U unknowns of unit variance; the first ``own`` of them spread
        ``looseness (C,)`` times as wide
    before : (R, U, C) slopes of the readings, times the unknowns' variance
    precision, solved : (C, R, R) inverse of the readings' covariance, (C, R) their errors times it
    """
    mean, variance = mean.astype(float), np.empty(mean.shape)
    _condition(
        mean,
        variance,
        np.ascontiguousarray(slope),
        own,
        np.ascontiguousarray(looseness, dtype=float) ** 2,
        np.ascontiguousarray(before),
        np.ascontiguousarray(np.transpose(precision, (1, 2, 0))),
        np.ascontiguousarray(solved.T),
    )
    return mean, variance


@compiled
def _condition(
    mean: Array,
    variance: Array,
    slope: Array,
    own: int,
    wider: Array,
    before: Array,
    precision: Array,
    solved: Array,
) -> None:
    quantities, unknowns, count = slope.shape
    readings = len(before)
    cross = np.zeros((readings, _BLOCK))
    spread = np.zeros(_BLOCK)
    for start in range(0, count, _BLOCK):
        width = min(_BLOCK, count - start)
        for q in range(quantities):
            cross[:] = 0.0
            spread[:] = 0.0
            for u in range(unknowns):
                told = slope[q, u, start : start + width]
                most = 0.0
                for c in range(width):
                    most = max(most, abs(told[c]))
                if most == 0.0:
                    # Of all that is not known of a machine, little bears on one reading.
                    continue
                if u < own:
                    for c in range(width):
                        spread[c] += wider[start + c] * told[c] * told[c]
                else:
                    for c in range(width):
                        spread[c] += told[c] * told[c]
                for r in range(readings):
                    of_reading = before[r, u, start : start + width]
                    for c in range(width):
                        cross[r, c] += of_reading[c] * told[c]
            for r in range(readings):
                for c in range(width):
                    mean[q, start + c] += solved[r, start + c] * cross[r, c]
                    spread[c] -= precision[r, r, start + c] * cross[r, c] * cross[r, c]
                for t in range(r):
                    for c in range(width):
                        spread[c] -= 2.0 * precision[r, t, start + c] * cross[r, c] * cross[t, c]
            for c in range(width):
                variance[q, start + c] = max(spread[c], LEAST_VARIANCE)


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
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        below = 0.0
        for m in range(len(mean)):
            below += weight[m] * 0.5 * math.erfc((mean[m] - middle) / (sd[m] * math.sqrt(2.0)))
        if below < share:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)
