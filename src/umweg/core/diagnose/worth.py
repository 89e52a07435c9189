"""What an observation is worth: bits about the hypothesis, and money saved by deciding better."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from umweg.core.circuit.document import Circuit
from umweg.core.components.base import Array
from umweg.core.diagnose.ranking import Ranking
from umweg.core.network.network import Indices

COMEBACK_MIN = 90.0
"""Minutes that a wrong repair costs until the machine is back and looked at again."""
SHOWN_REPAIRS = 4


@dataclass(frozen=True)
class Money:
    """What a repair costs, per component, and what labour costs per minute."""

    labour_per_min: float = 1.5
    repair_cost: Mapping[str, float] = field(default_factory=dict)

    @classmethod
    def of(cls, circuit: Circuit, labour_per_min: float) -> "Money":
        """Part and labour of every component of a circuit."""
        return cls(
            labour_per_min,
            {
                c.id: c.service.part_cost
                + (c.service.access_min + c.service.replace_min) * labour_per_min
                for c in circuit.components
            },
        )


@dataclass(frozen=True)
class Repair:
    """Exchanging one component now: its price, and what it is expected to cost in all."""

    component_id: str
    share: float
    cost: float
    expected_cost: float


def repairs_of(ranking: Ranking, money: Money) -> tuple[Repair, ...]:
    """The components most under suspicion, and what exchanging each of them now would cost."""
    by_component: dict[str, float] = {}
    for share, hypothesis in zip(ranking.shares, ranking.population.hypotheses, strict=True):
        for fault in hypothesis.faults:
            by_component[fault.component_id] = by_component.get(fault.component_id, 0) + share
    ranked = sorted(by_component.items(), key=lambda item: -item[1])[:SHOWN_REPAIRS]
    typical = float(np.mean(list(money.repair_cost.values())))
    return tuple(
        Repair(
            name,
            float(share),
            money.repair_cost[name],
            money.repair_cost[name] + max(0.0, 1.0 - float(share)) * typical,
        )
        for name, share in ranked
    )


class Stakes:
    """What is at stake for one belief: which part to exchange, and what the wrong one wastes.

    Parameters
    ----------
    live : (L,) the candidates that count
    """

    def __init__(self, ranking: Ranking, live: Indices, money: Money) -> None:
        population = ranking.population
        owners, index = np.unique(population.hypothesis[live], return_inverse=True)
        self.member = np.zeros((len(owners), len(live)))
        self.member[index, np.arange(len(live))] = ranking.inside[live]
        comeback = COMEBACK_MIN * money.labour_per_min
        parts = [{f.component_id for f in population.hypotheses[h].faults} for h in owners]
        self.decisions = sorted({p for group in parts for p in group})
        self.wasted = np.array(
            [
                [0.0 if d in group else money.repair_cost[d] + comeback for group in parts]
                for d in self.decisions
            ]
        ).reshape(len(self.decisions), len(owners))

    def information(self, likelihood: Array) -> tuple[float, float]:
        """Expected bits about the hypothesis, and expected money saved, of an observation.

        Parameters
        ----------
        likelihood : (L, G) probability of each outcome for each live candidate
        """
        joint = self.member @ likelihood
        joint = joint / joint.sum()
        outcome = joint.sum(axis=0)
        prior = joint.sum(axis=1)
        with np.errstate(divide="ignore", invalid="ignore"):
            terms = joint * np.log2(joint / (prior[:, None] * outcome[None]))
        bits = float(np.nansum(terms))
        if not len(self.decisions):
            return max(bits, 0.0), 0.0
        now = float((self.wasted @ prior).min())
        then = float((self.wasted @ joint).min(axis=0).sum())
        return max(bits, 0.0), now - then
