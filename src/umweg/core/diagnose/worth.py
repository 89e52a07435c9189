"""What an observation is worth: bits about the hypothesis, and money saved by deciding better."""

from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass, field

import numpy as np

from umweg.core.circuit.document import Circuit, Component
from umweg.core.components.base import WORKS, Array, WorkKind
from umweg.core.diagnose.judged import in_sequence, judged, sequence_cost
from umweg.core.diagnose.ranking import Ranking
from umweg.core.faults.population import Fault, Hypothesis
from umweg.core.network.network import Indices

EXPLAIN_MIN = 40.0
"""Minutes to find nothing wrong, drive the machine once more, and say so."""
SHOWN_REPAIRS = 4
SURE = 0.99
"""Share of the belief that one repair cures, or two of two faults, from which nothing is asked."""
SURE_PART = 0.97
"""Share of the belief on one part from which mending it first may stand as a test."""

Action = tuple[str, WorkKind]
"""What is done to which component; the same action cures every fault that asks for it."""
NOTHING: Action = ("", "by_hand")
"""Nothing is mended: the machine is as it should be."""
Cure = tuple[Action, Action]
"""All that is done until a machine is cured: of two faults both repairs, else the same one twice."""


def action_of(fault: Fault) -> Action:
    """What cures a fault."""
    return fault.component_id, fault.mode.work


def try_min(action: Action) -> float:
    """Minutes to try the machine after a repair and find that it was, or was not, that."""
    return 0.0 if action == NOTHING else WORKS[action[1]].try_min


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

    def with_try(self, action: Action) -> float:
        """The same, and the labour of trying the machine after it."""
        return self.cost(action) + try_min(action) * self.labour_per_min

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
    share, hypotheses = ranking.shares, ranking.population.hypotheses
    actions, needs, cost, order = _sequence(ranking, money)
    remedies: dict[Action, tuple[float, str]] = {}
    for own, hypothesis in zip(share.tolist(), hypotheses, strict=True):
        for fault in hypothesis.faults:
            action = action_of(fault)
            remedies[action] = max(remedies.get(action, (-1.0, "")), (own, fault.mode.remedy))
    mended = [i for i in order if actions[i] in remedies]
    found = []
    for i in mended[:SHOWN_REPAIRS]:
        # Whoever begins with it has it done, at no further price, in all that follows.
        later = sequence_cost(share[:, None], needs, np.where(np.arange(len(cost)) == i, 0.0, cost))
        component, work = actions[i]
        found.append(
            Repair(
                component,
                work,
                remedies[actions[i]][1],
                float(share[(needs == i).any(axis=1)].sum()),
                money.cost(actions[i]),
                money.cost(actions[i]) + float(later[0]),
            )
        )
    return tuple(found)


def gives_back(ranking: Ranking, money: Money) -> bool:
    """Does the cheapest sequence begin with mending nothing: the machine is given back as it is."""
    actions, _, _, order = _sequence(ranking, money)
    return bool(order) and actions[order[0]] == NOTHING


def _sequence(ranking: Ranking, money: Money) -> tuple[list[Action], Indices, Array, list[int]]:
    """All repairs, which each hypothesis needs (H, 2), what each and its try cost, and their order."""
    actions, needs = _needs(ranking.population.hypotheses)
    cost = np.array([money.with_try(a) for a in actions])
    return actions, needs, cost, in_sequence(ranking.shares, needs, cost).tolist()


def _needs(hypotheses: Sequence[Hypothesis]) -> tuple[list[Action], Indices]:
    """All repairs that cure some hypotheses (H), and which of them each needs (H, 2)."""
    cures = [cure_of(h) for h in hypotheses]
    actions = sorted({action for cure in cures for action in cure})
    place = {action: i for i, action in enumerate(actions)}
    return actions, np.array([[place[a] for a in c] for c in cures], dtype=np.intp).reshape(-1, 2)


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
        hypotheses = [population.hypotheses[h] for h in owners]
        actions, self._needs = _needs(hypotheses)
        self._cost = np.array([money.with_try(a) for a in actions])
        self._live = len(live)
        self._first_repair = self._test(hypotheses, actions)

    def _test(self, hypotheses: Sequence[Hypothesis], actions: Sequence[Action]) -> int | None:
        if not actions:
            return None
        first = int(in_sequence(self.prior, self._needs, self._cost)[0])
        part, _ = actions[first]
        there = [any(f.component_id == part for f in h.faults) for h in hypotheses]
        return first if part and float(self.prior[there].sum()) >= SURE_PART else None

    @property
    def sure(self) -> bool:
        """Do the repairs of what leads cure all but a hundredth of what is believed."""
        if not len(self.prior):
            return False
        leading = self._needs[int(np.argmax(self.prior))]
        cured = np.isin(self._needs, leading).all(axis=1)
        return float(self.prior[cured].sum()) >= SURE

    @property
    def first_repair(self) -> float | None:
        """What the first repair and the try after it cost, where it may stand as a test."""
        first = self._first_repair
        return None if first is None else float(self._cost[first])

    @property
    def in_vain(self) -> "tuple[float, Stakes] | None":
        """The chance that the first repair changes nothing, and what would be at stake then, with
        that repair done; None where so much else is possible that nobody mends to see."""
        first = self._first_repair
        if first is None:
            return None
        later = copy(self)
        cured = (self._needs == first).all(axis=1)
        chance = float(self.prior[~cured].sum())
        if chance <= 0.0:
            return None
        each = np.diff(np.append(self._first, self._live))
        later._weight = self._weight * np.repeat(~cured, each)[:, None]
        later.prior = np.where(cured, 0.0, self.prior) / chance
        later._cost = np.where(np.arange(len(self._cost)) == first, 0.0, self._cost)
        later._first_repair = None
        return chance, later

    @property
    def now(self) -> float:
        """Expected cost of mending from here, nothing more being observed."""
        return float(self._expected(self.prior[:, None])[0])

    def _expected(self, joint: Array) -> Array:
        return sequence_cost(joint, self._needs, self._cost)

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
        if not len(self._cost):
            return max(bits, 0.0), 0.0
        now = float(self._expected(prior[:, None])[0])
        return max(bits, 0.0), now - float(self._expected(joint).sum())

    def readings(self, mean: Array, sd: Array, least_bits: float = 0.0) -> tuple[Array, Array]:
        """The same (R,) of many readings, by what each live candidate shows (R, L); of those that
        surely tell less than so much, a bound."""
        weight, first = self._weight[:, 0], self._first
        return judged(mean, sd, weight, first, self._needs, self._cost, least_bits)

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


def cure_of(hypothesis: Hypothesis) -> Cure:
    """What cures a hypothesis: of two faults both repairs, each with a try after it, for whoever
    mends one of them finds that the machine is not cured yet."""
    actions = [action_of(f) for f in hypothesis.faults] or [NOTHING]
    return actions[0], actions[-1]
