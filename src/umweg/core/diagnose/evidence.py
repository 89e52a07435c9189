"""How well each candidate predicts what was observed, in logarithms.

All readings are weighed jointly: each candidate carries a Gaussian belief about this machine's
own unknowns, so readings that share an unknown are correlated in the right way, and the order in
which they were taken does not matter. A reading that a candidate cannot explain is set aside for
it at a price, so one misread gauge does not kill the truth.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from umweg.core.components.base import Array
from umweg.core.observe.exhibits import Suspects
from umweg.core.observe.quantities import Quantity, from_scale
from umweg.core.observe.weights import MISREAD_SHARE, Evidence, Measured, Told, log_normal

_SET_ASIDE = 1e9


@dataclass(frozen=True)
class Belief:
    """Candidates weighed by all evidence.

    ``log_weight (C,)`` not normalised; ``log_other`` the same for “something not modelled”.
    The rest is what is needed to predict the next reading: slopes of the readings so far
    ``(R, U, C)``, the inverse of their joint covariance ``(C, R, R)`` and the solved errors
    ``(C, R)``; ``set_aside (C, R)`` says which candidate treats which reading as misread.
    """

    log_weight: Array
    log_other: float
    slope: Array
    precision: Array
    solved: Array
    set_aside: NDArray[np.bool_]

    def part(self, rows: NDArray[np.intp]) -> "Belief":
        """The same about some of the candidates."""
        return Belief(
            self.log_weight[rows],
            self.log_other,
            np.ascontiguousarray(self.slope[:, :, rows]),
            self.precision[rows],
            self.solved[rows],
            self.set_aside[rows],
        )

    def posterior(self, mean: Array, slope: Array) -> tuple[Array, Array]:
        """Mean and variance (C,) of a further quantity, given what was read."""
        variance = np.einsum("uc,uc->c", slope, slope)
        if not len(self.slope):
            return mean, variance
        cross = np.einsum("ruc,uc->cr", self.slope, slope)
        shift = np.einsum("cr,cr->c", cross, self.solved)
        less = np.einsum("cr,cr->c", np.matmul(self.precision, cross[..., None])[..., 0], cross)
        return mean + shift, np.maximum(variance - less, 1e-12)


def believe(suspects: Suspects, evidence: Sequence[Evidence], other_prior: float = 0.01) -> Belief:
    """Weigh every candidate by all evidence together."""
    readings = sorted((e for e in evidence if isinstance(e, Measured)), key=lambda e: e.id)
    told = sorted((e for e in evidence if isinstance(e, Told)), key=lambda e: e.id)
    log_weight = suspects.population.log_prior.copy()
    log_other = float(np.log(other_prior))
    for item in told:
        log_weight += item.log_likelihood
        log_other += item.log_broad
    count, unknowns = len(log_weight), suspects.slope_count
    if not readings:
        nothing = np.zeros((0, unknowns, count))
        return Belief(
            log_weight,
            log_other,
            nothing,
            np.zeros((count, 0, 0)),
            np.zeros((count, 0)),
            np.zeros((count, 0), dtype=bool),
        )
    broad = np.array([r.log_broad for r in readings])
    log_other += float(broad.sum())
    log_fit, precision, solved, aside = _joint(readings, broad)
    slope = np.stack([r.slope for r in readings])
    return Belief(log_weight + log_fit, log_other, slope, precision, solved, aside)


def _joint(
    readings: Sequence[Measured], broad: Array
) -> tuple[Array, Array, Array, NDArray[np.bool_]]:
    """Joint log likelihood of all readings; misread ones set aside one at a time."""
    error = np.stack([r.value - r.mean for r in readings], axis=1)
    slope = np.stack([r.slope for r in readings])
    noise = np.array([r.noise_sd**2 for r in readings])
    by_candidate = np.ascontiguousarray(slope.transpose(2, 0, 1))
    covariance = by_candidate @ by_candidate.transpose(0, 2, 1)
    covariance += np.diag(noise)
    count, n = error.shape
    aside = ~np.stack([r.known for r in readings], axis=1)
    unknown = aside.copy()
    every = np.arange(count)
    diagonal = np.arange(n)

    def widened() -> Array:
        wide: Array = covariance.copy()
        wide[:, diagonal, diagonal] += np.where(aside, _SET_ASIDE, 0.0)
        return wide

    for _ in range(n):
        precision = np.asarray(np.linalg.inv(widened()), dtype=np.float64)
        solved: Array = np.einsum("crs,cs->cr", precision, error)
        own = precision[:, diagonal, diagonal]
        alone = log_normal(solved / own, 1.0 / own)
        gain = broad + np.log(MISREAD_SHARE) - alone - np.log1p(-MISREAD_SHARE)
        gain[aside] = -np.inf
        worst = gain.argmax(axis=1)
        flag = gain[every, worst] > 0.0
        if not flag.any():
            break
        aside[every[flag], worst[flag]] = True
    wide = widened()
    precision = np.asarray(np.linalg.inv(wide), dtype=np.float64)
    solved = np.einsum("crs,cs->cr", precision, error)
    _, log_det = np.linalg.slogdet(wide)
    kept = n - aside.sum(axis=1)
    log_fit = -0.5 * (
        log_det
        - aside.sum(axis=1) * np.log(_SET_ASIDE)
        + kept * np.log(2.0 * np.pi)
        + (error * solved).sum(axis=1)
    )
    log_fit += kept * np.log1p(-MISREAD_SHARE) + (aside * broad).sum(axis=1)
    log_fit += (aside & ~unknown).sum(axis=1) * np.log(MISREAD_SHARE)
    return log_fit, precision, solved, aside


def spread_band(
    quantity: Quantity, mean: Array, variance: Array, weight: Array, coverage: float = 0.9
) -> tuple[float, float]:
    """Interval that holds ``coverage`` of a weighted mixture of Gaussians, in base units."""
    sd = np.sqrt(variance)
    low, high = float((mean - 4 * sd).min()), float((mean + 4 * sd).max())
    grid = np.linspace(low, high, 400)
    share = weight / weight.sum()
    cumulative = (share[:, None] * ndtr((grid - mean[:, None]) / sd[:, None])).sum(axis=0)
    tail = (1.0 - coverage) / 2.0
    ends = np.interp([tail, 1.0 - tail], cumulative, grid)
    if quantity.kind in ("speed_mm_s", "speed_rpm", "drift_mm_min", "flow_lpm"):
        ends = np.maximum(ends, 0.0)
    elif quantity.kind == "pressure_bar":
        ends = np.maximum(ends, -1.0)
    a, b = from_scale(quantity, ends)
    return float(a), float(b)
