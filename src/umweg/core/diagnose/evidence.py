"""How well each candidate predicts what was observed, in logarithms.

All readings are weighed jointly: each candidate carries a Gaussian belief about this machine's
own unknowns, so readings that share an unknown are correlated in the right way, and the order in
which they were taken does not matter. A reading that a candidate cannot explain is set aside for
it at a price, so one misread gauge does not kill the truth.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from umweg.core.components.base import Array
from umweg.core.observe.exhibits import Suspects
from umweg.core.observe.predict import SEVERITIES
from umweg.core.observe.quantities import Quantity, from_scale
from umweg.core.observe.weights import MISREAD_SHARE, Evidence, Measured, Told, log_normal
from umweg.core.solve.respond import CONDITIONS

CLASSES = ((1.0, 0.7), (2.2, 0.3))
"""Machines as specified and loosely so: factor on the spread of their own unknowns and of the
offsets of the instruments they are read with, and share."""
WRONG_STORY = 0.003
"""How often the whole of what one person tells leads astray, as coherent as it may be."""
SUBDIVIDED_WITHIN = 20.0
"""Candidates this far [nats] behind the best are looked at more finely in their severity."""
MOST_SUBDIVIDED = 300
FRACTIONS = (-0.375, -0.125, 0.125, 0.375)
"""Where a severity cell is looked at, in grid steps from its middle."""
_SET_ASIDE = 1e9


@dataclass(frozen=True)
class Belief:
    """Candidates weighed by all evidence.

    ``log_weight (C,)`` not normalised; ``log_other`` the same for “something not modelled”.
    The rest is what is needed to predict the next reading: slopes of the readings so far
    ``(R, V, C)`` to the unknowns and the instruments' offsets, the inverse of their joint
    covariance ``(C, R, R)`` and the solved errors ``(C, R)``; ``set_aside (C, R)`` says which
    candidate treats which reading as misread, ``looseness (C,)`` how widely its own unknowns
    spread.
    """

    log_weight: Array
    log_other: float
    slope: Array
    precision: Array
    solved: Array
    set_aside: NDArray[np.bool_]
    looseness: Array

    def part(self, rows: NDArray[np.intp]) -> "Belief":
        """The same about some of the candidates."""
        return Belief(
            self.log_weight[rows],
            self.log_other,
            np.ascontiguousarray(self.slope[:, :, rows]),
            self.precision[rows],
            self.solved[rows],
            self.set_aside[rows],
            self.looseness[rows],
        )

    def posterior(self, mean: Array, slope: Array) -> tuple[Array, Array]:
        """Mean and variance of further quantities, given what was read.

        Parameters
        ----------
        mean : (C,), or (Q, C) of several at once
        slope : (U, C) or (Q, U, C)
        """
        slope = _loosened(slope, self.looseness)
        variance = np.einsum("...uc,...uc->...c", slope, slope)
        if not len(self.slope):
            return mean, variance
        cross = np.einsum("ruc,...uc->...cr", self.slope[:, : slope.shape[-2]], slope)
        shift = np.einsum("...cr,cr->...c", cross, self.solved)
        known = np.matmul(self.precision, cross[..., None])[..., 0]
        less = np.einsum("...cr,...cr->...c", known, cross)
        return mean + shift, np.maximum(variance - less, 1e-12)

    def covariance(self, first: Array, second: Array) -> Array:
        """Covariance (C,) of two further quantities by their slopes, given what was read."""
        first, second = (_loosened(s, self.looseness) for s in (first, second))
        together: Array = np.einsum("uc,uc->c", first, second)
        if not len(self.slope):
            return together
        a, b = (np.einsum("ruc,uc->cr", self.slope[:, : len(s)], s) for s in (first, second))
        together -= np.einsum("cr,cr->c", np.matmul(self.precision, a[..., None])[..., 0], b)
        return together


def _loosened(slope: Array, looseness: Array | float) -> Array:
    """Slopes of a machine whose own unknowns spread wider; day and severity stay as they are.

    Parameters
    ----------
    slope : (…, U, C), the last rows being the conditions and the severities
    """
    loose: Array = slope * np.asarray(looseness)
    own = -SEVERITIES - CONDITIONS
    loose[..., own:, :] = slope[..., own:, :]
    return loose


@dataclass(frozen=True)
class _Readings:
    """R readings against C candidates: errors ``(C, R)``, slopes ``(R, U, C)``, ``known (C, R)``."""

    error: Array
    slope: Array
    known: NDArray[np.bool_]
    noise: Array
    """(R,) variance of each reading's own noise."""
    shared: Array
    """(R, G) offset that it shares with others of its instrument."""
    broad: Array
    """(R,) log density of each where a candidate says nothing of it …"""
    misread: Array
    """… and where it is taken for wrong."""

    @classmethod
    def of(cls, readings: Sequence[Measured]) -> "_Readings":
        """All readings, each instrument's offset in a column of its own."""
        names = sorted({r.instrument for r in readings})
        shared = np.zeros((len(readings), len(names)))
        for i, reading in enumerate(readings):
            shared[i, names.index(reading.instrument)] = reading.offset_sd
        return cls(
            np.stack([r.value - r.mean for r in readings], axis=1),
            np.stack([r.slope for r in readings]),
            np.stack([r.known for r in readings], axis=1),
            np.array([r.noise_sd**2 - r.offset_sd**2 for r in readings]),
            shared,
            np.array([r.log_broad for r in readings]),
            np.array([r.log_misread for r in readings]),
        )

    def loosened(self, factor: float) -> "_Readings":
        """Of machines whose own unknowns spread wider, read with instruments kept as loosely."""
        return replace(self, slope=_loosened(self.slope, factor), shared=self.shared * factor)

    @property
    def covariance(self) -> Array:
        """(C, R, R) of the readings of each candidate."""
        by_candidate = np.ascontiguousarray(self.slope.transpose(2, 0, 1))
        found: Array = by_candidate @ by_candidate.transpose(0, 2, 1)
        found += np.diag(self.noise) + self.shared @ self.shared.T
        return found


def believe(
    suspects: Suspects,
    evidence: Sequence[Evidence],
    other_prior: float = 0.01,
    prior: Array | None = None,
    earlier: Sequence[Measured] = (),
) -> Belief:
    """Weigh every candidate by all evidence together.

    Each candidate stands for a cell of its fault's severity. Near the best ones a cell is looked
    at in several places, what would be shown there lying between its neighbours on the grid: one
    point in seven misses a cliff.

    Parameters
    ----------
    prior : (C,) logarithms, default the population's own
    """
    wandering = suspects.population.wandering
    prior = suspects.population.log_prior if prior is None else prior
    if len(wandering):
        evidence = [_now_and_then(e, wandering) for e in evidence]
        prior = prior.copy()
        prior[wandering] -= np.log(2.0) * sum(isinstance(e, Measured) for e in evidence)
    readings = sorted((e for e in evidence if isinstance(e, Measured)), key=lambda e: e.id)
    readings += earlier
    told = sorted((e for e in evidence if isinstance(e, Told)), key=lambda e: e.id)
    log_told = _told(told, [t.log_likelihood for t in told], _best_story(told))
    log_other = float(np.log(other_prior)) + sum(t.log_broad for t in told)
    count, unknowns = len(prior), suspects.slope_count
    if not readings:
        return Belief(
            _finely(suspects, prior + log_told, prior, None, told),
            log_other,
            np.zeros((0, unknowns, count)),
            np.zeros((count, 0, 0)),
            np.zeros((count, 0)),
            np.zeros((count, 0), dtype=bool),
            np.ones(count),
        )
    taken = _Readings.of(readings)
    log_other += sum(r.log_broad for r in readings[: len(readings) - len(earlier)])
    if earlier:
        # Whatever is wrong now, known or not, the machine was in order then.
        log_other += float(_fit(_Readings.of(earlier))[0])
    classes = [_joint(taken.loosened(factor)) for factor, _ in CLASSES]
    fits = np.stack(
        [f.log_fit + np.log(share) for f, (_, share) in zip(classes, CLASSES, strict=True)]
    )
    chosen = fits.argmax(axis=0)
    looseness = np.array([factor for factor, _ in CLASSES])[chosen]
    log_fit = np.logaddexp.reduce(fits, axis=0)
    offsets = taken.shared[:, :, None] * looseness
    return Belief(
        _finely(suspects, prior + log_told + log_fit, prior, taken, told),
        log_other,
        np.concatenate([_loosened(taken.slope, looseness), offsets], axis=1),
        _chosen(chosen, [f.precision for f in classes]),
        _chosen(chosen, [f.solved for f in classes]),
        _chosen(chosen, [f.set_aside for f in classes]),
        looseness,
    )


def _now_and_then(evidence: Evidence, rows: NDArray[np.intp]) -> Evidence:
    """The same for candidates whose fault is there every other time, and gone the others.

    A word is heard of either; a reading is taken of the one that it fits, at the odds of a coin,
    which the caller counts. The healthy machine is the first candidate.
    """
    if isinstance(evidence, Told):
        fit = evidence.log_likelihood.copy()
        fit[rows] = np.logaddexp(fit[rows], fit[0]) - np.log(2.0)
        return replace(evidence, log_likelihood=fit)
    fit = evidence.marginal()
    gone = rows[fit[rows] < fit[0]]
    if not len(gone):
        return evidence
    mean, slope, known = evidence.mean.copy(), evidence.slope.copy(), evidence.known.copy()
    mean[gone], known[gone] = mean[0], known[0]
    slope[:, gone] = slope[:, [0]]
    return replace(evidence, mean=mean, slope=slope, known=known)


def _chosen(chosen: NDArray[np.intp], of_class: Sequence[NDArray[Any]]) -> NDArray[Any]:
    every = np.arange(len(chosen))
    found: NDArray[Any] = np.stack(of_class)[chosen, every]
    return found


def _best_story(told: Sequence[Told]) -> float:
    """Log likelihood of the candidate that all words of the story fit best."""
    story = [t.log_likelihood for t in told if t.story]
    return float(np.sum(story, axis=0).max()) if story else 0.0


def _told(told: Sequence[Told], log_likelihood: Sequence[Array], best_story: float) -> Array:
    """Log likelihood of all words.

    Ten words from one person are not ten readings: a story that misleads is as coherent as the
    right one, so no candidate is further behind than the story is often wrong.
    """
    total: Array = np.zeros(log_likelihood[0].shape if log_likelihood else 1)
    looks = [fit for t, fit in zip(told, log_likelihood, strict=True) if not t.story]
    story = [fit for t, fit in zip(told, log_likelihood, strict=True) if t.story]
    if looks:
        total = total + np.sum(looks, axis=0)
    if story:
        true = np.sum(story, axis=0) + np.log1p(-WRONG_STORY)
        total = total + np.logaddexp(true, best_story + np.log(WRONG_STORY))
    return total


def log_not_astray(evidence: Sequence[Evidence], count: int) -> Array:
    """(C,) how likely the story that was told is true, if this candidate is what is wrong."""
    story = [e.log_likelihood for e in evidence if isinstance(e, Told) and e.story]
    if not story:
        return np.zeros(count)
    true = np.sum(story, axis=0)
    best = float(true.max()) + np.log(WRONG_STORY)
    share: Array = true - np.logaddexp(true, best)
    return share


def _finely(
    suspects: Suspects,
    log_weight: Array,
    prior: Array,
    readings: _Readings | None,
    told: Sequence[Told],
) -> Array:
    """Log weights with the severity cells of the best candidates looked at in several places."""
    population = suspects.population
    # Of pairs the grid is refined instead: their cells have two sides.
    divisible = (population.below >= 0) | (population.above >= 0)
    near = np.flatnonzero(
        (log_weight > log_weight.max() - SUBDIVIDED_WITHIN) & divisible[:, 0] & ~divisible[:, 1]
    )
    near = near[np.argsort(-log_weight[near], kind="stable")][:MOST_SUBDIVIDED]
    if not len(near) or (readings is None and not told):
        return log_weight
    fits = []
    best_story = _best_story(told)
    for fraction in FRACTIONS:
        other = (population.below if fraction < 0 else population.above)[near, 0]
        there = other >= 0
        if fraction < 0:
            # Below the first severity lies the healthy machine.
            other = np.where(there, other, 0)
            there = np.ones_like(there)
        beside, share = np.where(there, other, near), np.abs(fraction) * there.astype(float)
        words = [
            np.log(
                (1.0 - share) * np.exp(t.log_likelihood[near])
                + share * np.exp(t.log_likelihood[beside])
            )
            for t in told
        ]
        fit = _told(told, words, best_story)
        if readings is not None:
            fit = fit + _fit_between(readings, near, beside, share)
        fits.append(fit)
    finer = log_weight.copy()
    finer[near] = prior[near] + np.logaddexp.reduce(np.stack(fits), axis=0) - np.log(len(fits))
    return finer


def _fit_between(
    readings: _Readings, near: NDArray[np.intp], beside: NDArray[np.intp], share: Array
) -> Array:
    """Log likelihood of the readings at a share of the way to a neighbouring severity."""
    change = readings.error[beside] - readings.error[near]
    slope = readings.slope[:, :, near].copy()
    slope[:, -SEVERITIES] = (change / len(FRACTIONS) / np.sqrt(12.0)).T
    part = replace(
        readings,
        error=readings.error[near] + share[:, None] * change,
        slope=slope,
        known=readings.known[near] & readings.known[beside],
    )
    return _fit(part)


def _fit(readings: _Readings) -> Array:
    """(C,) log likelihood of all readings, the machine being as specified or loosely so."""
    fits = [_joint(readings.loosened(f)).log_fit + np.log(s) for f, s in CLASSES]
    result: Array = np.logaddexp.reduce(np.stack(fits), axis=0)
    return result


@dataclass(frozen=True)
class _Joint:
    """Joint log likelihood (C,) of all readings, and what it was made of."""

    log_fit: Array
    precision: Array
    solved: Array
    set_aside: NDArray[np.bool_]


def _joint(readings: _Readings) -> _Joint:
    """Weigh all readings together; misread ones are set aside one at a time."""
    error, covariance = readings.error, readings.covariance
    n = error.shape[1]
    aside = ~readings.known
    unknown = aside.copy()
    diagonal = np.arange(n)
    covariance[:, diagonal, diagonal] += np.where(aside, _SET_ASIDE, 0.0)
    precision = np.asarray(np.linalg.inv(covariance), dtype=np.float64)
    _, log_det = np.linalg.slogdet(covariance)
    solved: Array = np.einsum("crs,cs->cr", precision, error)
    # Who has nothing to set aside any more is done with.
    rows: NDArray[np.intp] = np.arange(len(error))
    for _ in range(n):
        own = precision[rows][:, diagonal, diagonal]
        alone = log_normal(solved[rows] / own, 1.0 / own)
        gain = readings.misread + np.log(MISREAD_SHARE) - alone - np.log1p(-MISREAD_SHARE)
        gain[aside[rows]] = -np.inf
        worst = gain.argmax(axis=1)
        flag = gain[np.arange(len(rows)), worst] > 0.0
        if not flag.any():
            break
        rows, worst = rows[flag], worst[flag]
        # One more on the diagonal changes the inverse by a single column (Sherman & Morrison 1950).
        column = precision[rows, :, worst]
        more = 1.0 / _SET_ASIDE + column[np.arange(len(rows)), worst]
        log_det[rows] += np.log(_SET_ASIDE * more)
        precision[rows] -= column[:, :, None] * (column / more[:, None])[:, None, :]
        solved[rows] -= column * (solved[rows, worst] / more)[:, None]
        aside[rows, worst] = True
    kept = n - aside.sum(axis=1)
    log_fit = -0.5 * (
        log_det
        - aside.sum(axis=1) * np.log(_SET_ASIDE)
        + kept * np.log(2.0 * np.pi)
        + (error * solved).sum(axis=1)
    )
    log_fit += kept * np.log1p(-MISREAD_SHARE) + (unknown * readings.broad).sum(axis=1)
    log_fit += ((aside & ~unknown) * (readings.misread + np.log(MISREAD_SHARE))).sum(axis=1)
    return _Joint(log_fit, precision, solved, aside)


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
    if quantity.of.from_vacuum:
        ends = np.maximum(ends, -1.0)
    elif not quantity.of.signed:
        ends = np.maximum(ends, 0.0)
    a, b = from_scale(quantity, ends)
    return float(a), float(b)
