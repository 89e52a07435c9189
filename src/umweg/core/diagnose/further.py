"""What further quantities would be, given what was read; and where a mixture's share lies.

A plan asks for some two hundred quantities of some hundred live candidates each.
"""

import math

import numpy as np

from umweg.core.components.base import Array
from umweg.core.diagnose.compiled import compiled

LEAST_VARIANCE = 1e-12
_HALVINGS = 40


def conditioned(
    mean: Array,
    slope: Array,
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
    slope : (Q, U, C) to U unknowns of unit variance; the first ``own`` of them spread
        ``looseness (C,)`` times as wide
    before : (C, R, U) slopes of the readings, times the unknowns' variance
    precision, solved : (C, R, R) inverse of the readings' covariance, (C, R) their errors times it
    """
    parts = (slope[:, :own], slope[:, own:])
    wider, day = (np.einsum("quc,quc->qc", part, part) for part in parts)
    variance: Array = wider * looseness**2 + day
    if before.shape[1]:
        # (C, R, Q) of each reading with each further quantity.
        cross = before @ np.ascontiguousarray(slope.transpose(2, 1, 0))
        mean = mean + (solved[:, None] @ cross)[:, 0].T
        variance -= ((precision @ cross) * cross).sum(axis=1).T
        np.maximum(variance, LEAST_VARIANCE, out=variance)
    return mean, variance


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
