"""How well each candidate predicts what was observed, in logarithms.

All readings are weighed jointly: each candidate carries a Gaussian belief about this machine's
own unknowns, so readings that share an unknown are correlated in the right way, and the order in
which they were taken does not matter. A reading that a candidate cannot explain is set aside for
it at a price, so one misread gauge does not kill the truth.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import get_args

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components.base import Array
from umweg.core.errors import ObservationError
from umweg.core.observe.observations import (
    OIL_C_OF_WHEN,
    Behaviour,
    How,
    IndicatorLook,
    Instrument,
    Look,
    Observation,
    Reading,
    measured,
    resolve_state,
)
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import (
    STANDS_SHARE,
    Quantity,
    check_quantity,
    drift_of,
    from_scale,
    moved_net,
    speed_of,
    to_scale,
)
from umweg.core.units import to_base

MISREAD_SHARE = 0.02
"""How often a reading is simply wrong: wrong port, wrong unit, stuck needle."""
CONFUSED_SHARE = 0.04
"""How often an operator's word is the wrong word."""
CONDITIONS_SD = 0.01
"""Relative error from conditions not quite met."""
FLOOR_SD = 0.2
"""No reading is taken finer than this [bar or L/min]; the model is not finer either."""
DEFAULT_ACCURACY_PCT = 1.6
OIL_LOOKS = ("clear", "foamy", "milky", "dark")
BEHAVIOURS = get_args(How)
_SET_ASIDE = 1e9


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

    def marginal(self) -> Array:
        """(C,) log likelihood of this reading alone."""
        variance = (self.slope * self.slope).sum(axis=0) + self.noise_sd**2
        fit = _log_normal(self.value - self.mean, variance)
        fit = np.logaddexp(fit + np.log1p(-MISREAD_SHARE), self.log_broad + np.log(MISREAD_SHARE))
        return np.where(self.known, fit, self.log_broad)


@dataclass(frozen=True)
class Told:
    """Something seen or said: the log probability that each candidate would look like that."""

    id: str
    log_likelihood: Array
    log_broad: float

    def marginal(self) -> Array:
        """(C,) log likelihood."""
        return self.log_likelihood


Evidence = Measured | Told


def _log_normal(error: Array, variance: Array) -> Array:
    result: Array = -0.5 * (np.log(2.0 * np.pi * variance) + error * error / variance)
    return result


def noise_sd(quantity: Quantity, value_base: float, instrument: Instrument | None) -> float:
    """Standard deviation of one reading on the comparison scale.

    Instrument class as two standard deviations of full scale, and conditions not quite met.
    Speeds come from a stop watch, drift from a rule: both relative.
    """
    if quantity.kind == "drift_mm_min":
        return 0.3
    if quantity.kind == "speed_mm_s":
        return 0.04 * abs(value_base) + 0.3
    if quantity.kind == "speed_rpm":
        return 0.015 * abs(value_base) + 2.0
    if quantity.kind == "voltage_v":
        return 0.01 * abs(value_base) + 0.1
    full_scale = {"pressure_bar": 250.0, "flow_lpm": 100.0, "filter_drop_bar": 4.0}[quantity.kind]
    accuracy = DEFAULT_ACCURACY_PCT
    if instrument is not None:
        full_scale = to_base(instrument.high, instrument.unit)
        accuracy = instrument.accuracy_pct
    class_sd = accuracy / 200.0 * full_scale
    return float(np.hypot(class_sd, CONDITIONS_SD * abs(value_base)) + FLOOR_SD)


def log_broad(quantity: Quantity, mean: Array, value: float) -> float:
    """Log density of a reading that nothing explains: anywhere within what could be read."""
    low = min(float(mean.min()), value, 0.0)
    high = max(float(mean.max()), value)
    return -float(np.log(max(1.2 * (high - low), 1.0)))


def weigh(
    predictor: Predictor, observation: Observation, instruments: Sequence[Instrument]
) -> Evidence:
    """Turn one observation into evidence about every candidate.

    Raises
    ------
    ObservationError : it names something the circuit lacks, or a unit that does not fit.
    """
    if isinstance(observation, Reading):
        return _weigh_reading(predictor, observation, instruments)
    if isinstance(observation, Behaviour):
        return _weigh_behaviour(predictor, observation)
    if isinstance(observation, IndicatorLook):
        state = resolve_state(predictor.circuit, observation.state)
        trip = indicator_probability(predictor, observation.component, state)
        seen = trip if observation.tripped else 1.0 - trip
        return _told(observation.id, seen, 2)
    return _weigh_oil(predictor, observation)


def _told(identifier: str, probability: Array, categories: int) -> Told:
    mixed = (1.0 - CONFUSED_SHARE) * probability + CONFUSED_SHARE / categories
    return Told(identifier, np.log(mixed), -float(np.log(categories)))


def _weigh_reading(
    predictor: Predictor, reading: Reading, instruments: Sequence[Instrument]
) -> Measured:
    quantity, value_base = measured(predictor.circuit, reading)
    state = resolve_state(predictor.circuit, reading.state)
    table = predictor[state]
    row = table.row(quantity)
    instrument = next((i for i in instruments if i.id == reading.instrument), None)
    value = float(to_scale(quantity, np.asarray(value_base)))
    return Measured(
        reading.id,
        quantity,
        state,
        value,
        noise_sd(quantity, value_base, instrument),
        table.mean[row],
        table.slope[row],
        table.known,
        log_broad(quantity, table.mean[row], value),
    )


def behaviour_states(
    circuit: Circuit, function_id: str, move: str, when: str
) -> list[MachineState]:
    """The states in which an operator judges a function: light, loaded, held."""
    function = circuit.function(function_id)
    oil_c = OIL_C_OF_WHEN[when]
    states = []
    for load in ("free", "working"):
        if load in function.loads:
            states.append(
                MachineState(
                    label=f"{function.label} {function.moves[move].label}, {load}",
                    engine="rated",
                    oil_c=oil_c,
                    moves={function_id: move},
                    loads={function_id: load},
                )
            )
    states.append(
        MachineState(
            label=f"{function.label} held", engine="idle", oil_c=oil_c, loads={function_id: "held"}
        )
    )
    return states


def behaviour_probabilities(predictor: Predictor, function_id: str, move: str, when: str) -> Array:
    """(6, C) probability of each word of ``BEHAVIOURS``, from solved speeds and drift.

    Light speed below an eighth of the healthy one is “dead”, or “reversed” where the function
    goes the other way, light or loaded; light but not loaded is “weak”; below 85 % is “slow”; a
    held load that moves more than 10 mm/min “drifts”. The limits are soft, by the spread of the
    prediction and of the operator's eye.
    """
    *moving, held = behaviour_states(predictor.circuit, function_id, move, when)
    can_drift = "held" in predictor.circuit.function(function_id).loads
    predictor.prepare([*moving, held] if can_drift else moving)
    speed = speed_of(predictor.circuit, function_id)
    net = predictor.network.net_index[moved_net(predictor.circuit, function_id)]
    ratios, spreads = [], []
    for state in moving:
        table = predictor[state]
        row = table.row(speed)
        healthy = max(float(table.mean[row, 0]), 1e-3)
        along = np.sign(table.solution.across[net] * table.healthy[net])
        ratios.append(along * table.mean[row] / healthy)
        spread = np.sqrt((table.slope[row] ** 2).sum(axis=0)) / healthy
        spreads.append(np.hypot(np.minimum(spread, 0.3), 0.06))
    light, loaded = ratios[0], ratios[-1]
    drifts = _drift_probability(predictor, held, function_id) if can_drift else 0.0 * light
    stands = ndtr((STANDS_SHARE - light) / 0.05)
    back = ndtr((-STANDS_SHARE - np.minimum(light, loaded)) / 0.05)
    weak = ndtr((0.45 - loaded / np.maximum(light, 0.05)) / spreads[-1])
    slow = ndtr((0.85 - np.minimum(light, loaded)) / spreads[-1])
    words: dict[How, Array] = {
        "as_usual": (1.0 - stands) * (1.0 - weak) * (1.0 - slow),
        "slow": (1.0 - stands) * (1.0 - weak) * slow,
        "weak": (1.0 - stands) * weak,
        "dead": stands * (1.0 - back),
        "reversed": stands * back,
    }
    told = np.stack([words[word] for word in BEHAVIOURS[:-1]])
    result: Array = np.vstack([told * (1.0 - drifts), drifts[None]])
    return result


def _drift_probability(predictor: Predictor, held: MachineState, function_id: str) -> Array:
    """(C,) probability that an operator sees a held function move by itself."""
    table = predictor[held]
    drift, limit = drift_of(predictor.circuit, function_id)
    row = table.row(drift)
    spread = np.hypot(np.sqrt((table.slope[row] ** 2).sum(axis=0)), 0.3)
    mean = np.abs(table.mean[row])
    result: Array = ndtr((mean - float(to_scale(drift, np.asarray(limit)))) / spread)
    return result


def _weigh_behaviour(predictor: Predictor, told: Behaviour) -> Told:
    circuit = predictor.circuit
    function = next((f for f in circuit.functions if f.id == told.function), None)
    if function is None or told.move not in function.moves:
        known = ", ".join(f"{f.id}.{m}" for f in circuit.functions for m in f.moves)
        raise ObservationError(
            f"there is no function “{told.function}.{told.move}”; the machine has {known}"
        )
    words = behaviour_probabilities(predictor, told.function, told.move, told.when)
    return _told(told.id, words[BEHAVIOURS.index(told.how)], len(BEHAVIOURS))


def indicator_probability(predictor: Predictor, component: str, state: MachineState) -> Array:
    """(C,) probability that a filter indicator is tripped in a state."""
    quantity = Quantity("filter_drop_bar", component)
    check_quantity(predictor.circuit, quantity)
    table = predictor[state]
    row = table.row(quantity)
    slot = predictor.network.slot[f"{component}.indicator_bar"]
    limit = predictor.network.parameters[slot].value
    spread = np.hypot(np.sqrt((table.slope[row] ** 2).sum(axis=0)), 0.12 * limit)
    result: Array = ndtr((table.mean[row] - limit) / spread)
    return result


def foam_probability(predictor: Predictor) -> Array:
    """(C,) probability of foamy oil: air drawn where the pick-up falls low, or by a fault itself."""
    state = MachineState(label="neutral at rated speed", engine="rated", oil_c=50)
    table = predictor[state]
    network = predictor.network
    foam = np.zeros(predictor.population.count)
    for part in network.parts:
        if part.type == "reservoir":
            pressure = table.solution.across[network.net_index[part.connections["suction"]]]
            foam = np.maximum(foam, ndtr((-0.08 - pressure) / 0.03))
    population = predictor.population
    for index, hypothesis in enumerate(population.hypotheses):
        for w, fault in enumerate(hypothesis.faults):
            if fault.mode.foams:
                rows = population.members[index]
                foam[rows] = np.maximum(
                    foam[rows], np.minimum(1.5 * population.severity[rows, w], 1)
                )
    result: Array = 0.03 + 0.8 * foam
    return result


def _weigh_oil(predictor: Predictor, look: Look) -> Told:
    foam = foam_probability(predictor)
    # Water and heat have no cause among the modelled faults: they say nothing about them.
    others = (1.0 - foam) / (len(OIL_LOOKS) - 1)
    probability = foam if look.look == "foamy" else others
    return _told(look.id, probability, len(OIL_LOOKS))


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

    def posterior(self, mean: Array, slope: Array) -> tuple[Array, Array]:
        """Mean and variance (C,) of a further quantity, given what was read."""
        variance = (slope * slope).sum(axis=0)
        if not len(self.slope):
            return mean, variance
        cross = np.einsum("ruc,uc->cr", self.slope, slope, optimize=True)
        shift = (cross * self.solved).sum(axis=1)
        less = np.einsum("cr,crs,cs->c", cross, self.precision, cross, optimize=True)
        return mean + shift, np.maximum(variance - less, 1e-12)


def believe(
    predictor: Predictor, evidence: Sequence[Evidence], other_prior: float = 0.01
) -> Belief:
    """Weigh every candidate by all evidence together."""
    readings = sorted((e for e in evidence if isinstance(e, Measured)), key=lambda e: e.id)
    told = sorted((e for e in evidence if isinstance(e, Told)), key=lambda e: e.id)
    log_weight = predictor.population.log_prior.copy()
    log_other = float(np.log(other_prior))
    for item in told:
        log_weight += item.log_likelihood
        log_other += item.log_broad
    count, unknowns = len(log_weight), len(predictor.unknowns.keys) + 1
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
    covariance = np.einsum("ruc,suc->crs", slope, slope, optimize=True)
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
        alone = _log_normal(solved / own, 1.0 / own)
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
