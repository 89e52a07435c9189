"""One diagnosis: circuit and observations in; suspects, reasons, groups, next steps out."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import logsumexp

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components.base import Array
from umweg.core.diagnose.evidence import (
    Belief,
    Evidence,
    Measured,
    believe,
    noise_sd,
    spread_band,
    weigh,
)
from umweg.core.diagnose.plan import Band, Money, Planner, Step, next_steps
from umweg.core.faults.population import Fault, Hypothesis, Population, fault_pairs
from umweg.core.network.network import Indices
from umweg.core.observe.observations import Instrument, Observation
from umweg.core.observe.predict import Predictor, StatePrediction
from umweg.core.observe.quantities import Quantity

SHOWN_SUSPECTS = 8
UNEXPLAINED_ABOVE = 0.5
PAIR_LEADERS = 10
SAME_GROUP_BELOW = 0.35
"""Suspects whose predicted spreads overlap more than this at every offered step are one group."""


GROUPED_ABOVE = 0.02
"""Suspects below this share are not worth asking whom they could be confused with."""


@dataclass(frozen=True)
class Reason:
    """How one observation speaks for or against a suspect."""

    observation: str
    log10_ratio: float
    """Tens in favour (positive) or against, compared with all the others together."""
    expected: Band | None
    """What this suspect predicted, in base units; None for looks and words."""


@dataclass(frozen=True)
class Suspect:
    """A hypothesis with its share of the belief, its reasons, and whom it cannot be told from."""

    hypothesis: Hypothesis
    share: float
    severity: float
    """Mean severity of the first fault over the belief, 0 … 1."""
    group: tuple[str, ...]
    reasons: tuple[Reason, ...]


@dataclass(frozen=True)
class Repair:
    """Exchanging one component now: its price, and what it is expected to cost in all."""

    component_id: str
    share: float
    cost: float
    expected_cost: float


@dataclass(frozen=True)
class Diagnosis:
    """The answer at one moment of a job."""

    suspects: tuple[Suspect, ...]
    other_share: float
    explained: bool
    pairs_drawn: bool
    steps: tuple[Step, ...]
    repairs: tuple[Repair, ...]
    enough: bool
    """No step is worth its minutes against repairing now."""


class Diagnostician:
    """Answers for one circuit; predictions are kept between questions."""

    def __init__(
        self, predictor: Predictor, instruments: Sequence[Instrument], labour_per_min: float = 1.5
    ) -> None:
        self.predictor = predictor
        self.instruments = tuple(instruments)
        self.money = Money(
            labour_per_min,
            {
                c.id: c.service.part_cost
                + (c.service.access_min + c.service.replace_min) * labour_per_min
                for c in predictor.circuit.components
            },
        )
        self._pairs: dict[tuple[str, ...], Predictor] = {}

    @property
    def circuit(self) -> Circuit:
        """The circuit this one answers for."""
        return self.predictor.circuit

    def weigh_all(
        self, predictor: Predictor, observations: Sequence[Observation]
    ) -> list[Evidence]:
        """Evidence of every observation about every candidate of a population."""
        return [weigh(predictor, o, self.instruments) for o in observations]

    def diagnose(self, observations: Sequence[Observation], with_steps: bool = True) -> Diagnosis:
        """Rank the suspects, say why, and plan the next step.

        Raises
        ------
        ObservationError : an observation names something this machine does not have.
        """
        predictor = self.predictor
        evidence = self.weigh_all(predictor, observations)
        belief = believe(predictor, evidence)
        weight, other = _normalised(belief)
        pairs_drawn = False
        if observations and (other > UNEXPLAINED_ABOVE or _set_aside(belief, weight) > 0.5):
            predictor = self._with_pairs(evidence)
            evidence = self.weigh_all(predictor, observations)
            belief = believe(predictor, evidence)
            weight, other = _normalised(belief)
            pairs_drawn = True
        shares = np.array([weight[m].sum() for m in predictor.population.members])
        order = np.argsort(-shares, kind="stable")[:SHOWN_SUSPECTS]
        order = order[shares[order] > 1e-3]
        keys = [predictor.population.hypotheses[h].key for h in order]
        steps: list[Step] = []
        groups: dict[str, tuple[str, ...]] = {k: (k,) for k in keys}
        if with_steps:
            planner = Planner(predictor, belief, weight, keys, self.instruments, self.money)
            steps = next_steps(planner, observations)
            leading = [k for h, k in zip(order, keys, strict=True) if shares[h] >= GROUPED_ABOVE]
            groups |= _groups(leading, steps, planner)
        suspects = tuple(
            Suspect(
                predictor.population.hypotheses[h],
                float(shares[h]),
                _mean_severity(predictor.population, weight, h),
                groups[predictor.population.hypotheses[h].key],
                _reasons(predictor, evidence, weight, h),
            )
            for h in order
        )
        repairs = self._repairs(predictor, shares)
        readings = belief.set_aside.shape[1]
        explained = other <= UNEXPLAINED_ABOVE and _set_aside(belief, weight) <= readings / 3
        offered = [s for s in steps if not s.refused]
        return Diagnosis(
            suspects,
            other,
            explained,
            pairs_drawn,
            tuple(steps),
            repairs,
            with_steps and all(s.saving <= 0 for s in offered),
        )

    def _with_pairs(self, evidence: Sequence[Evidence]) -> Predictor:
        """A population with pairs of the faults that explain at least part of what was seen."""
        singles = self.predictor.population
        scores = [e.marginal() for e in evidence]
        scores.append(np.sum(scores, axis=0))
        leaders: dict[str, Fault] = {}
        for rank in range(singles.count):
            for score in scores:
                candidate = int(np.argsort(-(score + singles.log_prior), kind="stable")[rank])
                faults = singles.hypotheses[int(singles.hypothesis[candidate])].faults
                if faults and len(leaders) < PAIR_LEADERS:
                    leaders[faults[0].key] = faults[0]
            if len(leaders) >= PAIR_LEADERS:
                break
        names = tuple(sorted(leaders))
        if names not in self._pairs:
            pairs = fault_pairs(singles, [leaders[n] for n in names])
            self._pairs = {
                names: Predictor(self.circuit, merged(singles, pairs), self.predictor.solver)
            }
        return self._pairs[names]

    def _repairs(self, predictor: Predictor, shares: Array) -> tuple[Repair, ...]:
        by_component: dict[str, float] = {}
        for share, hypothesis in zip(shares, predictor.population.hypotheses, strict=True):
            for fault in hypothesis.faults:
                by_component[fault.component_id] = by_component.get(fault.component_id, 0) + share
        ranked = sorted(by_component.items(), key=lambda item: -item[1])[:4]
        typical = float(np.mean(list(self.money.repair_cost.values())))
        return tuple(
            Repair(
                name,
                float(share),
                self.money.repair_cost[name],
                self.money.repair_cost[name] + max(0.0, 1.0 - float(share)) * typical,
            )
            for name, share in ranked
        )

    def strip(
        self, observations: Sequence[Observation], quantity_of: Observation
    ) -> tuple[Band | None, tuple[Band, ...]]:
        """What the healthy machine and each leading suspect predict for one reading."""
        evidence = weigh(self.predictor, quantity_of, self.instruments)
        if not isinstance(evidence, Measured):
            return None, ()
        belief = believe(self.predictor, self.weigh_all(self.predictor, observations))
        weight, _ = _normalised(belief)
        population = self.predictor.population
        mean, variance = belief.posterior(evidence.mean, evidence.slope)
        variance = variance + evidence.noise_sd**2
        shares = np.array([weight[m].sum() for m in population.members])
        bands = []
        for h in [0, *np.argsort(-shares, kind="stable")[:SHOWN_SUSPECTS]]:
            members = population.members[h]
            low, high = spread_band(
                evidence.quantity, mean[members], variance[members], weight[members] + 1e-30
            )
            bands.append(Band(population.hypotheses[h].key, low, high))
        return bands[0], tuple(bands[1:])

    def healthy_pressures(self, state: MachineState) -> dict[str, float]:
        """Across variable of every net on the healthy machine in a state."""
        table = self.predictor[state]
        names = self.predictor.network.net_names
        return {name: float(v) for name, v in zip(names, table.healthy, strict=True)}


def merged(a: Population, b: Population) -> Population:
    """One population of both, hypotheses of ``a`` first."""
    shift = len(a.hypotheses)

    def joined(x: Array, y: Array) -> Array:
        return np.concatenate([x, y])

    def moved(neighbour: Indices) -> Indices:
        return np.where(neighbour >= 0, neighbour + a.count, -1).astype(np.intp)

    return Population(
        (*a.hypotheses, *b.hypotheses),
        np.concatenate([a.hypothesis, b.hypothesis + shift]),
        joined(a.severity, b.severity),
        np.concatenate([a.slot, b.slot]),
        joined(a.value, b.value),
        joined(a.log_prior, b.log_prior),
        np.concatenate([a.below, moved(b.below)]),
        np.concatenate([a.above, moved(b.above)]),
    )


def _normalised(belief: Belief) -> tuple[Array, float]:
    total = np.logaddexp(logsumexp(belief.log_weight), belief.log_other)
    return np.exp(belief.log_weight - total), float(np.exp(belief.log_other - total))


def _set_aside(belief: Belief, weight: Array) -> float:
    """How many readings the belief treats as misread."""
    if not belief.set_aside.shape[1]:
        return 0.0
    return float((weight[:, None] * belief.set_aside).sum() / max(weight.sum(), 1e-300))


def _mean_severity(population: Population, weight: Array, h: int) -> float:
    members = population.members[h]
    total = weight[members].sum()
    if total <= 0:
        return 0.0
    return float((weight[members] * population.severity[members, 0]).sum() / total)


def _reasons(
    predictor: Predictor, evidence: Sequence[Evidence], weight: Array, h: int
) -> tuple[Reason, ...]:
    """For each observation: how much better this suspect predicts it than all others together."""
    members = predictor.population.members[h]
    inside = np.zeros(len(weight), dtype=bool)
    inside[members] = True
    reasons = []
    for item in evidence:
        fit = item.marginal()
        mine = logsumexp(fit[inside], b=weight[inside] + 1e-30) - np.log(
            weight[inside].sum() + 1e-30 * inside.sum()
        )
        # The others are weighed by what was believed without counting this one twice: the prior.
        prior = np.exp(predictor.population.log_prior)
        rest = logsumexp(fit[~inside], b=prior[~inside]) - np.log(prior[~inside].sum())
        band = None
        if isinstance(item, Measured):
            variance = (item.slope**2).sum(axis=0) + item.noise_sd**2
            low, high = spread_band(
                item.quantity, item.mean[members], variance[members], weight[members] + 1e-30
            )
            band = Band(predictor.population.hypotheses[h].key, low, high)
        reasons.append(Reason(item.id, float((mine - rest) / np.log(10.0)), band))
    return tuple(reasons)


def _is_offered(step: Step) -> bool:
    return not step.refused and step.kind == "reading"


def _spread_of(planner: Planner, step: Step) -> tuple[Array, Array]:
    """Mean and variance (C,) of what a step's reading would show."""
    table = planner.predictor[planner.circuit.states[step.state]]
    row = table.row(Quantity.named(step.quantity, step.point))
    return _spread(planner, table, row, step.instrument)


def _every_spread(planner: Planner) -> list[tuple[Array, Array]]:
    """The same for every quantity in every named state: for when nothing more is offered."""
    found = []
    for state in planner.circuit.states.values():
        table = planner.predictor[state]
        found += [_spread(planner, table, row, None) for row in range(len(table.quantities))]
    return found


def _spread(
    planner: Planner, table: StatePrediction, row: int, instrument: Instrument | None
) -> tuple[Array, Array]:
    mean, variance = planner.belief.posterior(table.mean[row], table.slope[row])
    typical = float(np.average(mean, weights=planner.weight + 1e-30))
    return mean, variance + noise_sd(table.quantities[row], typical, instrument) ** 2


def _groups(
    keys: Sequence[str], steps: Sequence[Step], planner: Planner
) -> dict[str, tuple[str, ...]]:
    """Suspects that no offered step would separate, merged."""
    if len(keys) < 2:
        return {k: (k,) for k in keys}
    population = planner.predictor.population
    index = {h.key: i for i, h in enumerate(population.hypotheses)}
    tables = [_spread_of(planner, step) for step in steps if _is_offered(step)]
    if not tables:
        tables = _every_spread(planner)
    parent = {k: k for k in keys}

    def root(k: str) -> str:
        while parent[k] != k:
            k = parent[k]
        return k

    shapes: dict[str, list[Array]] = {k: [] for k in keys}
    for mean, variance in tables:
        spans = [population.members[index[k]] for k in keys]
        rows = np.concatenate(spans) if spans else np.array([], dtype=int)
        sd = np.sqrt(variance)
        ends = (mean[rows] - 3 * sd[rows]).min(), (mean[rows] + 3 * sd[rows]).max()
        grid = np.linspace(*ends, 64)
        sd = np.maximum(sd, grid[1] - grid[0])
        for k, members in zip(keys, spans, strict=True):
            w = planner.weight[members] + 1e-30
            z = (grid - mean[members, None]) / sd[members, None]
            density = (w[:, None] * (np.exp(-0.5 * z * z) / sd[members, None])).sum(axis=0)
            shapes[k].append(density / density.sum())
    for i, a in enumerate(keys):
        for b in keys[i + 1 :]:
            apart = max(
                (
                    0.5 * float(np.abs(x - y).sum())
                    for x, y in zip(shapes[a], shapes[b], strict=True)
                ),
                default=1.0,
            )
            if apart < SAME_GROUP_BELOW:
                parent[root(b)] = root(a)
    return {k: tuple(j for j in keys if root(j) == root(k)) for k in keys}
