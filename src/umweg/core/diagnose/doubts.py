"""Is a reading what was meant: questioned before it is kept, with what would explain it.

A reading that nobody believable would show is more often a slip than a surprise: the wrong unit,
the wrong coupling, the engine still at idle. It can be kept all the same.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from umweg.core.diagnose.plan import readable
from umweg.core.diagnose.ranking import Ranking
from umweg.core.errors import UmwegError
from umweg.core.observe.exhibits import Exhibits, NotPlayedError
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.base import Observed
from umweg.core.observe.kinds.readings import DIMENSION, Reading, measured
from umweg.core.units import UNITS, to_base

BELIEVABLE = 1e-3
"""Candidates above this share of the belief, and the healthy machine, are asked."""
SURPRISE_WIDTHS = 4.0
NEAR_WIDTHS = 1.5
MOST_SHOWN = 3
BEYOND_SCALE = 1.03
"""How far beyond its last mark a needle still reads."""


@dataclass(frozen=True)
class Doubt:
    """Why a reading is questioned, or what would explain it."""

    words: str


def doubts_of(
    exhibits: Exhibits, ranking: Ranking, reading: Reading, instruments: Sequence[Instrument]
) -> tuple[Doubt, ...]:
    """What speaks against a reading before it is kept; nothing where it may well be so.

    Parameters
    ----------
    ranking : of what was observed without it

    Raises
    ------
    ObservationError : its place or unit is not one of the machine's.
    NotPlayedError : what the candidates would show there was not worked out yet.
    """
    beyond = (*_beyond_scale(reading, instruments), *_trend(reading))
    nearest = _widths(exhibits, ranking, reading, instruments)
    if nearest <= SURPRISE_WIDTHS:
        return beyond
    surprise = Doubt(
        "Nobody under suspicion would show this, nor the healthy machine: look again at the "
        "instrument, where it is connected and how the machine stands."
    )
    return (*beyond, surprise, *_explained_by(exhibits, ranking, reading, instruments))


def meant_otherwise(
    exhibits: Exhibits,
    ranking: Ranking,
    observations: Sequence[Observed],
    instruments: Sequence[Instrument],
) -> tuple[tuple[str, str], ...]:
    """What readings that are kept may have been, by their names: of those that nobody believable
    shows, whichever way they came in.

    Parameters
    ----------
    ranking : of all the observations
    """
    found = []
    odd = {name for ids in ranking.at_odds for name in ids} | set(ranking.doubted)
    for reading in observations:
        if not isinstance(reading, Reading) or (ranking.explained and reading.id not in odd):
            continue
        try:
            if _widths(exhibits, ranking, reading, instruments) <= SURPRISE_WIDTHS:
                continue
            slips = _explained_by(exhibits, ranking, reading, instruments)
        except (UmwegError, NotPlayedError):
            continue
        if slips:
            found.append((reading.id, " ".join(d.words for d in slips)))
    return tuple(found)


def _explained_by(
    exhibits: Exhibits, ranking: Ranking, reading: Reading, instruments: Sequence[Instrument]
) -> tuple[Doubt, ...]:
    """Slips that would make a reading what somebody shows."""
    found: list[Doubt] = []
    for other, words in _slips(exhibits, reading):
        try:
            if _widths(exhibits, ranking, other, instruments) < NEAR_WIDTHS:
                found.append(Doubt(words))
        except (UmwegError, NotPlayedError):
            continue
        if len(found) == MOST_SHOWN:
            break
    return tuple(found)


def _beyond_scale(reading: Reading, instruments: Sequence[Instrument]) -> tuple[Doubt, ...]:
    instrument = next((i for i in instruments if i.id == reading.instrument), None)
    if instrument is None:
        return ()
    value = to_base(reading.value, reading.unit)
    low, high = (to_base(v, instrument.unit) for v in (instrument.low, instrument.high))
    slack = (BEYOND_SCALE - 1.0) * (high - low)
    if low - slack <= value <= high + slack:
        return ()
    return (Doubt(f"{instrument.label} cannot show {reading.value:g} {reading.unit}."),)


def _trend(reading: Reading) -> tuple[Doubt, ...]:
    if not reading.trend:
        return ()
    return (
        Doubt(
            f"It {reading.trend} each time: what feeds it does not come back as fast as it is used "
            "(oil level, suction, store, battery), or the machine had not settled. The last one "
            "counts: read on until it stays."
        ),
    )


def _widths(
    exhibits: Exhibits, ranking: Ranking, reading: Reading, instruments: Sequence[Instrument]
) -> float:
    """How far a reading is from the nearest believable candidate, in standard deviations."""
    weighed = reading.weigh(exhibits, instruments)
    mean, variance = ranking.belief.posterior(weighed.mean, weighed.slope)
    believable = (ranking.inside > BELIEVABLE) & weighed.known
    believable[0] = weighed.known[0]
    if not believable.any():
        return 0.0
    sd = np.sqrt(variance[believable] + weighed.noise_sd**2)
    return float((np.abs(weighed.value - mean[believable]) / sd).min())


def _slips(exhibits: Exhibits, reading: Reading) -> Iterator[tuple[Reading, str]]:
    """The same number taken for what it may have been, the likeliest slip first."""
    circuit = exhibits.suspects.circuit
    for unit in UNITS.values():
        if unit.kind == DIMENSION[reading.quantity] and unit.symbol != reading.unit:
            yield (
                reading.model_copy(update={"unit": unit.symbol}),
                f"{reading.value:g} {unit.symbol}, read as {reading.unit}?",
            )
    if isinstance(reading.state, str):
        quantity, _ = measured(circuit, reading)
        here = circuit.states.get(reading.state)
        for name, state in circuit.steady.items():
            same_kit = here is not None and state.interventions == here.interventions
            alike = circuit.runs(state) and same_kit and readable(circuit, quantity, state)
            if name != reading.state and alike:
                yield (
                    reading.model_copy(update={"state": name}),
                    f"That is what it would show in “{state.label}”: was the machine in it?",
                )
    for point in circuit.test_points:
        if point.id != reading.point:
            yield (
                reading.model_copy(update={"point": point.id}),
                f"That is what “{point.label}” would show: is it connected there?",
            )
