"""Suspects that no reading on offer would separate are one group."""

from collections.abc import Sequence
from itertools import combinations, pairwise

import numpy as np

from umweg.core.circuit.document import MachineState
from umweg.core.components.base import Array
from umweg.core.diagnose.plan import Planner
from umweg.core.diagnose.ranking import LEAST_WEIGHT, Ranking
from umweg.core.diagnose.steps import Step
from umweg.core.network.network import Indices
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.quantities import Quantity, quantity_of
from umweg.core.observe.weights import noise_at

SAME_GROUP_BELOW = 0.35
"""Suspects whose predicted spreads overlap more than this at every offered step are one group."""
GROUPED_ABOVE = 0.02
"""Suspects below this share are not worth asking whom they could be confused with."""
POINTS = 64
RANGE = np.linspace(0.0, 1.0, POINTS)
"""Where shapes are compared, as shares of what a reading may show."""

Asked = tuple[Quantity, MachineState, Instrument | None]
"""What is read, in which state, with what."""


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
    members = [ranking.population.members[h] for h, _ in leading]
    asked = _offered(planner, steps) or _everything(planner)
    parent = {k: k for k in keys}

    def root(k: str) -> str:
        while parent[k] != k:
            k = parent[k]
        return k

    for a, b in _alike(ranking, members, planner, asked) if asked else ():
        parent[root(keys[a])] = root(keys[b])
    return {k: tuple(j for j in keys if root(j) == root(k)) for k in keys}


def _offered(planner: Planner, steps: Sequence[Step]) -> list[Asked]:
    return [
        (Quantity.named(s.quantity, s.point), planner.circuit.states[s.state], s.instrument)
        for s in steps
        if not s.refused and s.kind == "reading"
    ]


def _everything(planner: Planner) -> list[Asked]:
    """Every quantity in every named state: for when nothing more is offered."""
    circuit = planner.circuit
    everywhere = [
        (quantity, state, None)
        for state in circuit.steady.values()
        for quantity in planner.predictor.quantities
    ]
    in_time = [(quantity_of(t), circuit.states[t.state], None) for t in planner.predictor.in_time]
    return [*everywhere, *in_time]


def _alike(
    ranking: Ranking, members: Sequence[Indices], planner: Planner, asked: Sequence[Asked]
) -> list[tuple[int, int]]:
    """Pairs of suspects whose shapes overlap at everything that is asked."""
    rows = np.concatenate(members)
    ends = np.cumsum([0, *(len(own) for own in members)]).tolist()
    of_each = [slice(first, last) for first, last in pairwise(ends)]
    weight = ranking.inside[rows] + LEAST_WEIGHT
    share = weight / weight.sum()
    means, variances = planner.posteriors(
        [(q, state) for q, state, _ in asked], ranking.belief.part(rows), rows
    )
    alike = list(combinations(range(len(members)), 2))
    for (quantity, _, instrument), mean, variance in zip(asked, means, variances, strict=True):
        noise = noise_at(quantity, float(mean @ share), instrument)
        sd = np.sqrt(variance + noise**2)
        low, high = (mean - 3 * sd).min(), (mean + 3 * sd).max()
        grid = low + (high - low) * RANGE
        sd = np.maximum(sd, grid[1] - grid[0])
        # Whom earlier readings told from everybody is not looked at again.
        shape = {
            k: _shape(grid, mean[own], sd[own], weight[own])
            for k in {k for pair in alike for k in pair}
            for own in (of_each[k],)
        }
        alike = [
            (a, b) for a, b in alike if 0.5 * np.abs(shape[a] - shape[b]).sum() < SAME_GROUP_BELOW
        ]
        if not alike:
            break
    return alike


def _shape(grid: Array, mean: Array, sd: Array, weight: Array) -> Array:
    """(POINTS,) how a suspect's candidates spread over a reading's range, in sum one."""
    z = (grid - mean[:, None]) / sd[:, None]
    density: Array = (weight / sd) @ np.exp(-0.5 * z * z)
    density /= density.sum()
    return density
