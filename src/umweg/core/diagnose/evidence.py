"""How well each candidate predicts what was observed, in logarithms.

All readings are weighed jointly: each candidate carries a Gaussian belief about this machine's
own unknowns, so readings that share an unknown are correlated in the right way, and the order in
which they were taken does not matter. A reading that a candidate cannot explain is set aside for
it at a price, so one misread gauge does not kill the truth.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from umweg.core.components.base import Array
from umweg.core.diagnose.further import conditioned, share_below
from umweg.core.diagnose.jointly import Joint, jointly
from umweg.core.faults.population import Population
from umweg.core.observe.exhibits import Suspects
from umweg.core.observe.prediction import SEVERITIES
from umweg.core.observe.quantities import Quantity, from_scale
from umweg.core.observe.weights import Evidence, Measured, Told
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


@dataclass(frozen=True)
class Belief:
    """Candidates weighed by all evidence.

    ``log_weight (C,)`` not normalised; ``log_other`` the same for “something not modelled”.
    The rest is what is needed to predict the next reading: slopes of the readings so far
    ``(R, U, C)`` to the unknowns of a machine as specified, the inverse of their joint
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
        """Mean (C,) and variance (C,) of a further quantity, given what was read.

        Parameters
        ----------
        mean, slope : (C,) and (U, C) of what each candidate shows
        """
        moved, variance = self.posteriors(mean[None], [slope])
        return moved[0], variance[0]

    def posteriors(self, mean: Array, slopes: Sequence[Array]) -> tuple[Array, Array]:
        """(Q, C) mean and variance of several.

        Parameters
        ----------
        mean : (Q, C) of what the candidates show
        slopes : of each quantity (U, C)
        """
        return conditioned(
            mean,
            slopes,
            self.slope.shape[1] - SEVERITIES - CONDITIONS,
            self.looseness,
            self._before,
            self.precision,
            self.solved,
        )

    def moved(self, rows: NDArray[np.intp]) -> Array:
        """(U, L) where the unknowns of some candidates are believed to be [standard deviations]."""
        found: Array = np.einsum("rul,lr->ul", self._before[:, :, rows], self.solved[rows])
        return found

    @cached_property
    def _before(self) -> Array:
        """(R, U, C) slopes of the readings so far, times how much more the unknowns vary."""
        return _loosened(self.slope, self.looseness**2)

    def covariance(self, first: Array, second: Array) -> Array:
        """Covariance (C,) of two further quantities by their slopes, given what was read."""
        together = np.einsum("uc,uc->c", _loosened(first, self.looseness**2), second)
        a, b = (np.einsum("ruc,uc->cr", self._before, slope) for slope in (first, second))
        result: Array = together - ((self.precision @ a[..., None])[..., 0] * b).sum(axis=1)
        return result


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
    """R readings against C candidates, and how they go together by what is not known."""

    error: Array
    """(C, R) of each reading against what each candidate shows."""
    own: Array
    """(C, R, R) covariance by what a loosely kept machine has more of: its own unknowns, and the
    offsets of its instruments …"""
    day: Array
    """… and by the rest: engine and oil as they really are, the severities' cells, noise."""
    known: NDArray[np.bool_]
    """(C, R) False where a candidate says nothing of it."""
    broad: Array
    """(R,) log density of each where a candidate says nothing of it …"""
    misread: Array
    """… and where it is taken for wrong."""
    each: tuple[Measured, ...] = ()
    """The readings themselves."""

    def mean_of(self, rows: NDArray[np.intp]) -> Array:
        """(N, R) what some candidates show."""
        return np.stack([r.mean[rows] for r in self.each], axis=1)

    @classmethod
    def of(cls, readings: Sequence[Measured], slope: Array) -> "_Readings":
        """All readings, by their slopes ``(R, U, C)``; those of an instrument share its offset."""
        names = [r.instrument for r in readings]
        same = np.array([[a == b for b in names] for a in names])
        offset_sd = np.array([r.offset_sd for r in readings])
        bands = ["" if r.band is None else r.band.name for r in readings]
        within = np.array([[bool(a) and a == b for b in bands] for a in bands])
        band_sd = np.array([r.band_sd for r in readings])
        alone = [r.noise_sd**2 - r.offset_sd**2 - r.band_sd**2 for r in readings]
        by_candidate = np.ascontiguousarray(slope.transpose(2, 0, 1))
        own, day = np.split(by_candidate, [-SEVERITIES - CONDITIONS], axis=2)
        return cls(
            np.stack([r.value - r.mean for r in readings], axis=1),
            _products(own) + same * np.outer(offset_sd, offset_sd),
            _products(day) + within * np.outer(band_sd, band_sd) + np.diag(alone),
            np.stack([r.known for r in readings], axis=1),
            np.array([r.log_broad for r in readings]),
            np.array([r.log_misread for r in readings]),
            tuple(readings),
        )

    def joint(self, looseness: float) -> Joint:
        """All together, on machines that spread so many times as wide as specified."""
        return jointly(
            self.error, self.own, self.day, looseness, self.known, self.broad, self.misread
        )

    def fit(self) -> Array:
        """(C,) log likelihood, the machine being as specified or loosely so."""
        fits = [self.joint(factor).log_fit + np.log(share) for factor, share in CLASSES]
        result: Array = np.logaddexp.reduce(np.stack(fits), axis=0)
        return result


def _products(slope: Array) -> Array:
    """(C, R, R) of slopes (C, R, U)."""
    found: Array = slope @ slope.transpose(0, 2, 1)
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
        gone = suspects.population.gone[wandering]
        taken_of = [_now_and_then(e, wandering, gone) for e in evidence]
        evidence = [e for e, _ in taken_of]
        prior = prior.copy()
        prior[wandering] += np.sum([odds for _, odds in taken_of], axis=0)
    readings = sorted((e for e in evidence if isinstance(e, Measured)), key=lambda e: e.id)
    readings += earlier
    told = sorted((e for e in evidence if isinstance(e, Told)), key=lambda e: e.id)
    best_story = _best_story(told, suspects.population)
    log_told = _told(told, [t.log_likelihood for t in told], best_story)
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
    slope = np.stack([r.slope for r in readings])
    taken = _Readings.of(readings, slope)
    log_other += sum(r.log_broad for r in readings[: len(readings) - len(earlier)])
    if earlier:
        # Whatever is wrong now, known or not, the machine was in order then.
        log_other += float(_Readings.of(earlier, slope[-len(earlier) :]).fit()[0])
    edges = _edges(readings[: len(readings) - len(earlier)], earlier, count)
    classes = [taken.joint(factor) for factor, _ in CLASSES]
    fits = np.stack(
        [f.log_fit + np.log(share) for f, (_, share) in zip(classes, CLASSES, strict=True)]
    )
    chosen = fits.argmax(axis=0)
    log_fit = np.logaddexp.reduce(fits, axis=0)
    cells = slope[:, -SEVERITIES]
    return Belief(
        _finely(suspects, prior + log_told + log_fit + edges, prior, (taken, cells, edges), told),
        log_other,
        slope,
        _chosen(chosen, [f.precision for f in classes]),
        _chosen(chosen, [f.solved for f in classes]),
        _chosen(chosen, [f.set_aside for f in classes]),
        np.array([factor for factor, _ in CLASSES])[chosen],
    )


def _edges(readings: Sequence[Measured], earlier: Sequence[Measured], count: int) -> Array:
    """(C,) what the edges of the bands change of the log likelihood.

    A machine that was read there while it was in order has its own place in the band, or beside it:
    as far as that still holds, the edges say nothing of it.
    """
    known = {r.band.name: r for r in earlier if r.band is not None}
    total: Array = np.zeros(count)
    for reading in readings:
        if reading.band is not None:
            then = known.get(reading.band.name)
            before = 0.0 if then is None else _kept(then, reading)
            total = total + (1.0 - before) * reading.log_edges()
    return total


def _kept(then: Measured, now: Measured) -> float:
    """How much of what is not known of a sound machine in a reading was so in an earlier one."""
    before, after = (float(np.linalg.norm(r.slope[:, 0])) for r in (then, now))
    return min(before / max(after, 1e-9), 1.0)


def _now_and_then(
    evidence: Evidence, rows: NDArray[np.intp], gone: NDArray[np.intp]
) -> tuple[Evidence, Array]:
    """The same for candidates whose fault is there every other time, and gone the others.

    A word is heard of either, unless it is of the part itself. A reading is taken of the one that
    it fits; the second number ``(W,)`` is what the mean of both is less than that [nats]: a coin
    where it fits one of them alone, nothing where both show the same.

    Parameters
    ----------
    rows, gone : (W,) these candidates, and what each is while its fault is gone
    """
    if isinstance(evidence, Told) and evidence.lasting:
        return evidence, np.zeros(len(rows))
    fit = evidence.marginal()
    with_it, without = fit[rows], fit[gone]
    either = np.logaddexp(with_it, without) - np.log(2.0)
    if isinstance(evidence, Told):
        heard = evidence.log_likelihood.copy()
        heard[rows] = either
        return replace(evidence, log_likelihood=heard), np.zeros(len(rows))
    odds = either - np.maximum(with_it, without)
    fits = with_it < without
    if not fits.any():
        return evidence, odds
    to, of = rows[fits], gone[fits]
    mean, slope, known = evidence.mean.copy(), evidence.slope.copy(), evidence.known.copy()
    mean[to], known[to] = mean[of], known[of]
    slope[:, to] = slope[:, of]
    return replace(evidence, mean=mean, slope=slope, known=known), odds


def _chosen(chosen: NDArray[np.intp], of_class: Sequence[NDArray[Any]]) -> NDArray[Any]:
    every = np.arange(len(chosen))
    found: NDArray[Any] = np.stack(of_class)[chosen, every]
    return found


def _best_story(told: Sequence[Told], population: Population) -> float:
    """Log likelihood of the candidate that all words of the story fit best.

    Who leads astray tells of one thing: a story that takes two faults to explain is no more likely
    to be wrong for it, and what they gain lifts nobody that it speaks against.
    """
    story = [t.log_likelihood for t in told if t.story]
    if not story:
        return 0.0
    together: Array = np.sum(story, axis=0)
    single = population.severity[:, 1] == 0.0
    return float((together[single] if single.any() else together).max())


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


def log_not_astray(evidence: Sequence[Evidence], population: Population) -> Array:
    """(C,) how likely the story that was told is true, if this candidate is what is wrong."""
    told = [e for e in evidence if isinstance(e, Told) and e.story]
    if not told:
        return np.zeros(population.count)
    true = np.sum([t.log_likelihood for t in told], axis=0)
    share: Array = true - np.logaddexp(true, _best_story(told, population) + np.log(WRONG_STORY))
    return share


def _finely(
    suspects: Suspects,
    log_weight: Array,
    prior: Array,
    readings: tuple[_Readings, Array, Array] | None,
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
    best_story = _best_story(told, population)
    for fraction in FRACTIONS:
        side = 0 if fraction < 0 else 1
        other = (population.below if side == 0 else population.above)[near, 0]
        there = other >= 0
        if fraction < 0:
            # Below the first severity of a fault alone lies the healthy machine.
            alone = population.severity[near, 1] == 0.0
            other = np.where(~there & alone, 0, other)
            there = there | alone
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
            taken, cells, edges = readings
            fit = fit + _fit_between(taken, cells, near, (beside, side), share)
            fit = fit + (1.0 - share) * edges[near] + share * edges[beside]
        fits.append(fit)
    finer = log_weight.copy()
    finer[near] = prior[near] + np.logaddexp.reduce(np.stack(fits), axis=0) - np.log(len(fits))
    return finer


def _fit_between(
    readings: _Readings,
    cells: Array,
    near: NDArray[np.intp],
    neighbours: tuple[NDArray[np.intp], int],
    share: Array,
) -> Array:
    """Log likelihood of the readings at a share of the way to a neighbouring severity.

    Parameters
    ----------
    cells : (R, C) what a severity's cell is wide in each reading
    neighbours : (N,) who that is, and on which side: 0 below, 1 above
    """
    beside, side = neighbours
    change = readings.mean_of(near) - np.stack(
        [r.at(near, beside, side) for r in readings.each], axis=1
    )
    whole, narrow = cells[:, near].T, change / len(FRACTIONS) / np.sqrt(12.0)
    part = replace(
        readings,
        error=readings.error[near] + share[:, None] * change,
        own=readings.own[near],
        day=readings.day[near]
        + narrow[:, :, None] * narrow[:, None, :]
        - whole[:, :, None] * whole[:, None, :],
        known=readings.known[near] & readings.known[beside],
    )
    return part.fit()


def spread_band(
    quantity: Quantity, mean: Array, variance: Array, weight: Array, coverage: float = 0.9
) -> tuple[float, float]:
    """Interval that holds ``coverage`` of a weighted mixture of Gaussians, in base units."""
    sd, tail = np.sqrt(variance), (1.0 - coverage) / 2.0
    ends = np.array([share_below(mean, sd, weight, p) for p in (tail, 1.0 - tail)])
    if quantity.of.from_vacuum:
        ends = np.maximum(ends, -1.0)
    elif not quantity.of.signed:
        ends = np.maximum(ends, 0.0)
    a, b = from_scale(quantity, ends)
    return float(a), float(b)
