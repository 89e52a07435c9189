"""Suspects that no reading on offer would separate are one group."""

from collections.abc import Sequence
from itertools import combinations

import numpy as np

from umweg.core.diagnose.further import shape_of
from umweg.core.diagnose.order import Spread
from umweg.core.diagnose.plan import Planner
from umweg.core.diagnose.ranking import Ranking
from umweg.core.diagnose.steps import Step
from umweg.core.observe.quantities import quantity_of

SAME_GROUP_BELOW = 0.35
"""Suspects whose predicted spreads overlap more than this at every offered step are one group."""
GROUPED_ABOVE = 0.02
"""Suspects below this share are not worth asking whom they could be confused with."""
POINTS = 64
RANGE = np.linspace(0.0, 1.0, POINTS)
"""Where shapes are compared, as shares of what a reading may show."""


def groups_of(
    ranking: Ranking, steps: Sequence[Step], planner: Planner
) -> dict[str, tuple[str, ...]]:
    """Each leader's group, by its name: everyone that no offered step would tell it from."""
    leading = [
        (h, key)
        for h, key in zip(ranking.leaders, ranking.keys, strict=True)
        if ranking.shares[h] >= GROUPED_ABOVE
    ]
    if len(leading) < 2:
        return {}
    keys = [key for _, key in leading]
    spreads = _offered(planner, steps) or _of_everything(planner)
    parent = {k: k for k in keys}

    def root(k: str) -> str:
        while parent[k] != k:
            k = parent[k]
        return k

    for a, b in _alike(ranking, [h for h, _ in leading], planner, spreads) if spreads else ():
        parent[root(keys[a])] = root(keys[b])
    return {k: tuple(j for j in keys if root(j) == root(k)) for k in keys}


def _offered(planner: Planner, steps: Sequence[Step]) -> list[Spread]:
    return [planner.spread(s) for s in steps if not s.refused and s.kind == "reading"]


def _of_everything(planner: Planner) -> list[Spread]:
    """Every quantity in every named state: for when nothing more is offered."""
    circuit = planner.circuit
    everywhere = [
        (quantity, state)
        for state in circuit.steady.values()
        for quantity in planner.predictor.quantities
    ]
    in_time = [(quantity_of(t), circuit.states[t.state]) for t in planner.predictor.in_time]
    asked = [*everywhere, *in_time]
    return planner.spreads(asked, [None] * len(asked))


def _alike(
    ranking: Ranking, hypotheses: Sequence[int], planner: Planner, spreads: Sequence[Spread]
) -> list[tuple[int, int]]:
    """Pairs of suspects whose shapes overlap at everything that may be read."""
    owner = ranking.population.hypothesis[planner.live]
    of_each = [np.flatnonzero(owner == h) for h in hypotheses]
    weight = [planner.live_weight[own] for own in of_each]
    counted = np.concatenate(of_each)
    # Where a suspect's belief is spread over very many severities, none of them may be live.
    alike = list(combinations([k for k, own in enumerate(of_each) if len(own)], 2))
    for spread in spreads if alike else ():
        mean, sd = spread.mean[counted], spread.sd[counted]
        low, high = (mean - 3 * sd).min(), (mean + 3 * sd).max()
        grid = low + (high - low) * RANGE
        # Whom earlier readings told from everybody is not looked at again.
        shape = {
            k: shape_of(
                grid,
                spread.mean[of_each[k]],
                np.maximum(spread.sd[of_each[k]], grid[1] - grid[0]),
                weight[k],
            )
            for k in {k for pair in alike for k in pair}
        }
        alike = [
            (a, b) for a, b in alike if 0.5 * np.abs(shape[a] - shape[b]).sum() < SAME_GROUP_BELOW
        ]
        if not alike:
            break
    return alike
