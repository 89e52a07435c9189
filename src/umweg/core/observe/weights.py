"""What an observation says about every candidate: a number that was measured, or a word."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from umweg.core.circuit.document import MachineState
from umweg.core.components.base import Array
from umweg.core.network.network import Indices
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import Quantity, from_scale
from umweg.core.observe.quantity_kinds import UNIT_OF_KIND
from umweg.core.units import to_base

MISREAD_SHARE = 0.04
"""How often a reading is simply wrong: wrong port, wrong unit, stuck needle."""
NOTHING_SHOWN = 0.25
"""How many of the wrong ones show nothing at all: a coupling that did not open, a gauge shut off,
a lever let go too soon, a mark that was not seen."""
CONFUSED_SHARE = 0.04
"""How often an answer is any word at all."""
CONDITIONS_SD = 0.01
"""Relative error from conditions not quite met."""
BY_HAND = {"s": (0.05, 0.3), "mm": (0.1, 1.0)}
"""A stop watch and a rule: a share of what they show, and no finer than so much."""
SETTLED_SD_C = 3.0
"""A thermometer in the tank, the air not quite as warm as said, the work not quite the cycle."""
STANDING_RPM = 15.0
"""A tachometer held to a shaft that hardly turns counts what shakes it."""
FLOOR_SD = 0.2
"""No reading is taken finer than this [bar or L/min] …"""
FLOOR_SHARE = 0.002
"""… or than this share of its instrument's scale, where that is finer: a suction gauge's needle."""
DEFAULT_ACCURACY_PCT = 1.6
STANDARD_SCALES = (1.6, 4.0, 10.0, 25.0, 60.0, 100.0, 160.0, 250.0, 400.0, 600.0)
"""Full scales that are made; whoever names no instrument took one that fits."""
SAME_GAUGE = 0.7
"""Share of an instrument's error (as standard deviation) that it has in all its readings."""


@dataclass(frozen=True)
class Measured:
    """A reading against all candidates, on the comparison scale."""

    id: str
    quantity: Quantity
    state: MachineState
    value: float
    noise_sd: float
    mean: Array
    slope: Array
    known: NDArray[np.bool_]
    log_broad: float
    """Log density of the reading if nothing explains it: anywhere in what could be read."""
    log_misread: float
    """The same if it is wrong, which shows nothing at all more often than any other number."""
    instrument: str = ""
    """Whose offset it shares with other readings; nothing where there is none to share."""
    offset_sd: float = 0.0
    """That part of ``noise_sd``."""
    band: "Width | None" = None
    """What sound machines show there by the maker's word; its own spread is part of ``noise_sd``."""
    beside: Array | None = None
    """(2, C) what each candidate would show at the severity below and above it, where that is not
    what its neighbours' ``mean`` says; no number where it is."""

    def at(self, rows: Indices, others: Indices, side: int) -> Array:
        """(N,) what some candidates would show at the severity of a neighbour (−1: none).

        Parameters
        ----------
        side : 0 where the neighbours are below, 1 where they are above
        """
        mean: Array = np.where(others >= 0, self.mean[others], self.mean[rows])
        if self.beside is not None:
            own = self.beside[side, rows]
            mean = np.where(np.isfinite(own) & (others >= 0), own, mean)
        return mean

    @property
    def band_sd(self) -> float:
        """That part of ``noise_sd`` by which sound machines differ within the maker's band."""
        return 0.0 if self.band is None else self.band.sd

    def without_band(self) -> "Measured":
        """The same where the machine's own numbers account for all in which sound machines differ."""
        alone = float(np.sqrt(self.noise_sd**2 - self.band_sd**2))
        return replace(self, band=None, noise_sd=alone)

    def marginal(self) -> Array:
        """(C,) log likelihood of this reading alone."""
        fit = np.logaddexp(self._log_normal(), self.log_misread + np.log(MISREAD_SHARE))
        return np.where(self.known, fit + self.log_edges(), self.log_broad)

    def _log_normal(self) -> Array:
        variance = np.einsum("uc,uc->c", self.slope, self.slope) + self.noise_sd**2
        fit: Array = log_normal(self.value - self.mean, variance) + np.log1p(-MISREAD_SHARE)
        return fit

    def log_edges(self) -> Array:
        """(C,) what the edges of its band change of the log likelihood: it is alike to all who stay
        within, and falls at once beyond; weighed together with others it is taken for a normal of the
        same spread."""
        if self.band is None:
            return np.zeros(len(self.mean))
        # What a fault changes is added to what the machine would show in good order.
        other = self.slope - self.slope[:, :1]
        rest = np.einsum("uc,uc->c", other, other) + self.noise_sd**2 - self.band_sd**2
        sound = self.value - (self.mean - self.mean[0])
        within = self.band.log_share(sound, np.sqrt(rest)) + np.log1p(-MISREAD_SHARE)
        misread = self.log_misread + np.log(MISREAD_SHARE)
        edges = np.logaddexp(within, misread) - np.logaddexp(self._log_normal(), misread)
        return np.where(self.known, edges, 0.0)


@dataclass(frozen=True)
class Told:
    """Something seen or said: the log probability that each candidate would look like that.

    ``story``: it is part of one person's story, which as a whole can be wrong; ``lasting``: a fault
    that comes and goes looks like that even while it is gone.
    """

    id: str
    log_likelihood: Array
    log_broad: float
    story: bool = False
    lasting: bool = False
    again: "Again | None" = None
    """What it says of some candidates once more is known of their own unknowns."""

    def marginal(self) -> Array:
        """(C,) log likelihood."""
        return self.log_likelihood


class Width(Protocol):
    """What sound machines show somewhere, as far apart as they are."""

    @property
    def name(self) -> str:
        """Readings of one name share where the machine lies in it."""
        ...

    @property
    def sd(self) -> float:
        """Standard deviation beyond what the unknowns account for."""
        ...

    def kept(self, share: float) -> "Width":
        """The same where so much of what it adds is still as it was."""
        ...

    def log_share(self, sound: Array, sd: Array) -> Array:
        """(C,) log density of what is read, less each candidate's difference from a sound machine,
        of machines that are anywhere in it alike."""
        ...


Spread = Callable[[Array, Array], Array]
"""Standard deviation (L,) of something further that some candidates show, given what was read: from
its mean (L,) and slopes (U, L)."""
Again = Callable[[Predictor, Indices, Array, Spread], Array]
"""Log likelihood (L,) of candidates (L,) whose unknowns are so far off (U, L)."""
Evidence = Measured | Told


def told(identifier: str, probability: Array, categories: int) -> Told:
    """Evidence from a word, one of so many, that is sometimes the wrong one.

    Parameters
    ----------
    probability : (C,) of the word that was chosen
    """
    mixed = (1.0 - CONFUSED_SHARE) * probability + CONFUSED_SHARE / categories
    return Told(identifier, np.log(mixed), -float(np.log(categories)))


def log_normal(error: Array, variance: Array) -> Array:
    """Log density of a normal error."""
    result: Array = -0.5 * (np.log(2.0 * np.pi * variance) + error * error / variance)
    return result


def noise_sd(
    quantity: Quantity,
    value_base: float,
    instrument: Instrument | None,
    expected_base: float = 0.0,
) -> float:
    """Standard deviation of one reading on the comparison scale.

    Instrument class as two standard deviations of full scale, and conditions not quite met.
    Speeds and times come from a stop watch, drift and ways from a rule: relative.

    Parameters
    ----------
    expected_base : what a sound machine shows there: whoever names no instrument took one that bears it
    """
    if quantity.kind == "drift_mm_min":
        return 0.3
    if quantity.timed and quantity.compressed:
        share, least = BY_HAND[UNIT_OF_KIND[quantity.kind]]
        return float(np.hypot(share, least / np.hypot(1.0, value_base)))
    if quantity.kind == "speed_mm_s":
        return 0.04 * abs(value_base) + 0.3
    if quantity.of.unit == "rpm":
        counted = 0.015 * abs(value_base) + (STANDING_RPM if quantity.at_point else 2.0)
        return float(np.hypot(counted, gauge_sd(quantity, value_base, instrument, expected_base)))
    if quantity.kind == "settled_c":
        return SETTLED_SD_C
    if quantity.kind == "voltage_v":
        return float(
            np.hypot(
                0.01 * abs(value_base) + 0.1,
                gauge_sd(quantity, value_base, instrument, expected_base),
            )
        )
    class_sd = gauge_sd(quantity, value_base, instrument, expected_base)
    scale = _full_scale(max(abs(value_base), abs(expected_base)), instrument)
    floor = min(FLOOR_SD, FLOOR_SHARE * scale)
    return float(np.hypot(class_sd, CONDITIONS_SD * abs(value_base)) + floor)


def noise_at(quantity: Quantity, scaled: float, instrument: Instrument | None) -> float:
    """The same at a place on the comparison scale."""
    return noise_sd(quantity, float(from_scale(quantity, np.asarray(scaled))), instrument)


def uncertainty(quantity: Quantity, value_base: float, instrument: Instrument | None) -> float:
    """Standard deviation of one reading in base units."""
    sd = noise_sd(quantity, value_base, instrument)
    return sd * float(np.hypot(1.0, value_base)) if quantity.compressed else sd


def gauge_sd(
    quantity: Quantity,
    value_base: float,
    instrument: Instrument | None,
    expected_base: float = 0.0,
) -> float:
    """Standard deviation of an instrument's own error, in base units; 0 where none is used."""
    if quantity.of.measured_by is None:
        return 0.0
    accuracy = DEFAULT_ACCURACY_PCT if instrument is None else instrument.accuracy_pct
    scale = _full_scale(max(abs(value_base), abs(expected_base)), instrument)
    return accuracy / 200.0 * scale


def _full_scale(value_base: float, instrument: Instrument | None) -> float:
    if instrument is not None:
        return to_base(instrument.high, instrument.unit)
    fits = (scale for scale in STANDARD_SCALES if scale >= 1.2 * abs(value_base))
    return next(fits, STANDARD_SCALES[-1])


def log_broad(quantity: Quantity, mean: Array, value: float) -> float:
    """Log density of a reading that nothing explains: anywhere within what could be read."""
    low = min(float(mean.min()), value, 0.0)
    high = max(float(mean.max()), value)
    return -float(np.log(max(1.2 * (high - low), 1.0)))


def log_misread(
    quantity: Quantity, broad: float, value: float, instrument: Instrument | None
) -> float:
    """Log density of a wrong reading, given the density of one that could be anywhere."""
    if quantity.compressed:
        # Nothing moved is what such readings show of a sound machine.
        return broad
    nothing = float(
        log_normal(np.asarray(value), np.asarray(noise_sd(quantity, 0.0, instrument) ** 2))
    )
    return float(np.logaddexp(np.log1p(-NOTHING_SHOWN) + broad, np.log(NOTHING_SHOWN) + nothing))
