"""All readings of each candidate together: the inner loop of weighing, compiled.

Each candidate's readings are a multivariate normal. One that it cannot explain is set aside for it
at a price, the worst first, as long as that pays.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from umweg.core.components.base import Array
from umweg.core.components.kernels import law as compiled
from umweg.core.observe.weights import MISREAD_SHARE

SET_ASIDE = 1e9
"""Variance of a reading that counts for nothing."""


@dataclass(frozen=True)
class Joint:
    """R readings of C candidates, weighed together.

    ``log_fit (C,)`` joint log likelihood, ``precision (C, R, R)`` inverse covariance,
    ``solved (C, R)`` the errors times it, ``set_aside (C, R)`` what counts for nothing.
    """

    log_fit: Array
    precision: Array
    solved: Array
    set_aside: NDArray[np.bool_]


def jointly(
    error: Array,
    own: Array,
    other: Array,
    looseness: float,
    known: NDArray[np.bool_],
    broad: Array,
    misread: Array,
) -> Joint:
    """Weigh all readings together.

    Parameters
    ----------
    error : (C, R) of each reading against each candidate
    own, other : (C, R, R) covariance of the readings by the machine's own unknowns, and by all
        that does not go with them, noise included
    looseness : how many times as wide as specified the own unknowns spread
    known : (C, R) False where a candidate says nothing of a reading
    broad, misread : (R,) log density of a reading of which nothing is said, and of a wrong one
    """
    count, readings = error.shape
    found = Joint(
        np.zeros(count),
        np.zeros((count, readings, readings)),
        np.zeros((count, readings)),
        np.zeros((count, readings), dtype=np.bool_),
    )
    _weigh(
        np.ascontiguousarray(error),
        np.ascontiguousarray(own),
        np.ascontiguousarray(other),
        looseness**2,
        np.ascontiguousarray(known),
        np.ascontiguousarray(broad, dtype=float),
        np.ascontiguousarray(misread, dtype=float),
        found.log_fit,
        found.precision,
        found.solved,
        found.set_aside,
    )
    return found


_LOG_MISREAD = math.log(MISREAD_SHARE)
_LOG_RIGHT = math.log1p(-MISREAD_SHARE)
_LOG_2PI = math.log(2.0 * math.pi)


@compiled
def _inverted(matrix: Array, lower: Array, inverse: Array) -> float:
    """Inverse of a symmetric positive matrix, of which the lower half is read, by Cholesky's
    factors; returns the logarithm of its determinant."""
    n = len(matrix)
    log_det = 0.0
    for i in range(n):
        for j in range(i + 1):
            rest = matrix[i, j]
            for k in range(j):
                rest -= lower[i, k] * lower[j, k]
            if i == j:
                lower[i, i] = math.sqrt(max(rest, 1e-300))
                log_det += 2.0 * math.log(lower[i, i])
            else:
                lower[i, j] = rest / lower[j, j]
    # The factor's own inverse, in its place; then the product of the two triangles.
    for j in range(n):
        lower[j, j] = 1.0 / lower[j, j]
        for i in range(j + 1, n):
            rest = 0.0
            for k in range(j, i):
                rest -= lower[i, k] * lower[k, j]
            lower[i, j] = rest / lower[i, i]
    for i in range(n):
        for j in range(i + 1):
            total = 0.0
            for k in range(i, n):
                total += lower[k, i] * lower[k, j]
            inverse[i, j] = total
            inverse[j, i] = total
    return log_det


@compiled
def _weigh(
    error: Array,
    own: Array,
    other: Array,
    wider: float,
    known: NDArray[np.bool_],
    broad: Array,
    misread: Array,
    log_fit: Array,
    precision: Array,
    solved: Array,
    aside: NDArray[np.bool_],
) -> None:
    count, n = error.shape
    matrix, lower = np.zeros((n, n)), np.zeros((n, n))
    column = np.zeros(n)
    for c in range(count):
        fit = 0.0
        kept = n
        inverse, solution = precision[c], solved[c]
        for i in range(n):
            for j in range(i + 1):
                matrix[i, j] = wider * own[c, i, j] + other[c, i, j]
            if not known[c, i]:
                matrix[i, i] += SET_ASIDE
                aside[c, i] = True
                fit += broad[i]
                kept -= 1
        log_det = _inverted(matrix, lower, inverse)
        for i in range(n):
            for j in range(n):
                solution[i] += inverse[i, j] * error[c, j]
        while kept > 0:
            worst, most = -1, 0.0
            for i in range(n):
                if aside[c, i]:
                    continue
                # Left out, it would be expected with this variance, so far off.
                variance = 1.0 / inverse[i, i]
                off = solution[i] * variance
                alone = -0.5 * (_LOG_2PI + math.log(variance) + off * off / variance)
                gain = misread[i] + _LOG_MISREAD - alone - _LOG_RIGHT
                if gain > most:
                    worst, most = i, gain
            if worst < 0:
                break
            # One more on the diagonal changes the inverse by a column (Sherman & Morrison 1950).
            more = 1.0 / SET_ASIDE + inverse[worst, worst]
            for i in range(n):
                column[i] = inverse[i, worst]
            share = solution[worst] / more
            for i in range(n):
                part = column[i] / more
                for j in range(n):
                    inverse[i, j] -= part * column[j]
                solution[i] -= column[i] * share
            log_det += math.log(SET_ASIDE * more)
            aside[c, worst] = True
            fit += misread[worst] + _LOG_MISREAD
            kept -= 1
        missed = 0.0
        for i in range(n):
            missed += error[c, i] * solution[i]
        log_fit[c] = (
            fit
            + kept * (_LOG_RIGHT - 0.5 * _LOG_2PI)
            - 0.5 * (log_det - (n - kept) * math.log(SET_ASIDE) + missed)
        )
