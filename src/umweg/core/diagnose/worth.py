"""What an observation is worth: bits about the hypothesis, and money saved by deciding better."""

from dataclasses import dataclass, field

import numpy as np

from umweg.core.circuit.document import Circuit, Component
from umweg.core.components.base import WORKS, Array, WorkKind
from umweg.core.diagnose.judged import judged
from umweg.core.diagnose.ranking import Ranking
from umweg.core.faults.population import Fault, Hypothesis
from umweg.core.network.network import Indices

TRY_MIN = 20.0
"""Minutes to put the machine together again, try it and find that it was not that."""
EXPLAIN_MIN = 20.0
"""Minutes to find nothing wrong and to say so."""
SHOWN_REPAIRS = 4

Action = tuple[str, WorkKind]
"""What is done to which component; the same action cures every fault that asks for it."""
NOTHING: Action = ("", "by_hand")
"""Nothing is mended: the machine is as it should be."""
Cure = tuple[Action, ...]
"""All that is done until a machine is cured: of two faults, both repairs."""


def action_of(fault: Fault) -> Action:
    """What cures a fault."""
    return fault.component_id, fault.mode.work


def taken(part: Component, kind: WorkKind) -> tuple[float, float]:
    """What one kind of work on a part takes: part and material in money, labour in minutes."""
    work, service = WORKS[kind], part.service
    minutes = service.replace_min if work.minutes is None else work.minutes
    return work.part_share * service.part_cost + work.material, service.access_min + minutes


@dataclass(frozen=True)
class Money:
    """What each repair costs, part and labour, and what labour costs per minute."""

    labour_per_min: float = 1.5
    circuit: Circuit | None = None
    _costs: dict[Action, float] = field(default_factory=dict)

    @classmethod
    def of(cls, circuit: Circuit, labour_per_min: float) -> "Money":
        """The prices of a circuit's parts."""
        return cls(labour_per_min, circuit)

    def cost(self, action: Action) -> float:
        """Part, material and labour of one repair."""
        if action not in self._costs:
            self._costs[action] = self._cost(action)
        return self._costs[action]

    def _cost(self, action: Action) -> float:
        component_id, kind = action
        if action == NOTHING or self.circuit is None:
            return EXPLAIN_MIN * self.labour_per_min
        part_cost, minutes = taken(self.circuit.component(component_id), kind)
        return part_cost + minutes * self.labour_per_min


@dataclass(frozen=True)
class Repair:
    """One repair in the order of the cheapest sequence: its price, and what it would cost in all."""

    component_id: str
    work: WorkKind
    remedy: str
    share: float
    cost: float
    expected_cost: float


def repairs_of(ranking: Ranking, money: Money) -> tuple[Repair, ...]:
    """The first repairs of the cheapest sequence; the rest of it is in each expected cost.

    The expected cost of a repair is its own, and the rest of the sequence's where it is not that.
    """
    shares: dict[Action, float] = {}
    remedies: dict[Action, tuple[float, str]] = {}
    for share, hypothesis in zip(ranking.shares, ranking.population.hypotheses, strict=True):
        for fault in hypothesis.faults:
            action = action_of(fault)
            shares[action] = shares.get(action, 0.0) + float(share)
            remedies[action] = max(
                remedies.get(action, (-1.0, "")), (float(share), fault.mode.remedy)
            )
    tried = TRY_MIN * money.labour_per_min
    actions = list(shares)
    chance = np.array([shares[a] for a in actions])
    cost = np.array([money.cost(a) + tried for a in actions])
    order = in_sequence(chance, cost)
    found = []
    for i in order[:SHOWN_REPAIRS]:
        rest = np.delete(np.arange(len(actions)), i)
        later = sequence_cost(chance[rest, None], cost[rest])[0]
        found.append(
            Repair(
                actions[i][0],
                actions[i][1],
                remedies[actions[i]][1],
                float(chance[i]),
                float(money.cost(actions[i])),
                float(money.cost(actions[i]) + later),
            )
        )
    return tuple(found)


def in_sequence(chance: Array, cost: Array) -> Indices:
    """Order of the cheapest sequence: by chance per cost (Heckerman, Breese, Rommelse 1995)."""
    order: Indices = np.argsort(-chance / cost, kind="stable")
    return order


def sequence_cost(chance: Array, cost: Array) -> Array:
    """(G,) expected cost of trying repairs in the cheapest order until one of them cures.

    Parameters
    ----------
    chance : (D, G) chance of each repair; a column need not sum to 1, its cost scales with it
    cost : (D,) of each repair and of the try after it
    """
    order = np.argsort(-chance / cost[:, None], axis=0, kind="stable")
    ranked = np.take_along_axis(chance, order, axis=0)
    still = ranked[::-1].cumsum(axis=0)[::-1]
    result: Array = (cost[order] * still).sum(axis=0)
    return result


class Stakes:
    """What is at stake for one belief: how dear the way to the cured machine is.

    Parameters
    ----------
    live : (L,) the candidates that count
    """

    def __init__(self, ranking: Ranking, live: Indices, money: Money) -> None:
        population = ranking.population
        # Candidates of one hypothesis stand together: sums over them are sums of runs.
        owners, self._first = np.unique(population.hypothesis[live], return_index=True)
        self._weight = ranking.inside[live][:, None]
        self.prior = np.add.reduceat(self._weight[:, 0], self._first)
        self.prior /= self.prior.sum()
        cures = [_cure(population.hypotheses[h]) for h in owners]
        self.cures = sorted(set(cures))
        self._action = np.array([self.cures.index(c) for c in cures], dtype=np.intp)
        self._by_action = np.zeros((len(self.cures), len(owners)))
        self._by_action[self._action, np.arange(len(owners))] = 1.0
        tried = TRY_MIN * money.labour_per_min
        self._cost = np.array([sum(map(money.cost, c)) + tried for c in self.cures])

    @property
    def now(self) -> float:
        """Expected cost of mending from here, nothing more being observed."""
        return float(self._expected(self.prior[:, None])[0])

    def _expected(self, joint: Array) -> Array:
        return sequence_cost(self._by_action @ joint, self._cost)

    def information(self, likelihood: Array) -> tuple[float, float]:
        """Expected bits about the hypothesis, and expected money saved, of an observation.

        Parameters
        ----------
        likelihood : (L, G) probability of each outcome for each live candidate
        """
        joint: Array = np.add.reduceat(self._weight * likelihood, self._first, axis=0)
        joint /= joint.sum()
        outcome = joint.sum(axis=0)
        prior = joint.sum(axis=1)
        with np.errstate(divide="ignore", invalid="ignore"):
            terms = joint * np.log2(joint / (prior[:, None] * outcome[None]))
        bits = float(np.nansum(terms))
        if not len(self.cures):
            return max(bits, 0.0), 0.0
        now = float(self._expected(prior[:, None])[0])
        return max(bits, 0.0), now - float(self._expected(joint).sum())

    def readings(self, mean: Array, sd: Array, least_bits: float = 0.0) -> tuple[Array, Array]:
        """The same (R,) of many readings, by what each live candidate shows (R, L); of those that
        surely tell less than so much, a bound."""
        weight, first = self._weight[:, 0], self._first
        return judged(mean, sd, weight, first, self._action, self._cost, least_bits)

    def then(self, both: Array, price: float) -> float:
        """Expected money saved by an observation after another one, taken only where it pays.

        Parameters
        ----------
        both : (L, A, B) probability of each pair of outcomes for each live candidate
        price : of the second, in money, each time that it is taken
        """
        joint: Array = np.add.reduceat(self._weight[:, :, None] * both, self._first, axis=0)
        joint /= joint.sum()
        before = self._expected(joint.sum(axis=2))
        after = self._expected(joint.reshape(len(joint), -1)).reshape(both.shape[1:])
        saved = before - after.sum(axis=1) - joint.sum(axis=(0, 2)) * price
        return float(np.maximum(saved, 0.0).sum())


def _cure(hypothesis: Hypothesis) -> Cure:
    """What cures a hypothesis. Whoever mends one of two faults alone does so for nothing: the
    machine comes back, and is cured once both are done."""
    return tuple(sorted({action_of(f) for f in hypothesis.faults})) or (NOTHING,)
