"""Suspects that no reading on offer would separate are one group."""

from collections.abc import Sequence

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
    shapes = _shapes(ranking, members, planner, asked)
    parent = {k: k for k in keys}

    def root(k: str) -> str:
        while parent[k] != k:
            k = parent[k]
        return k

    for i, a in enumerate(keys):
        for j, b in enumerate(keys[:i]):
            apart = 0.5 * np.abs(shapes[:, i] - shapes[:, j]).sum(axis=1).max(initial=0.0)
            if len(asked) and apart < SAME_GROUP_BELOW:
                parent[root(a)] = root(b)
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


def _shapes(
    ranking: Ranking, members: Sequence[Indices], planner: Planner, asked: Sequence[Asked]
) -> Array:
    """(S, K, POINTS) density of each suspect over each reading's range."""
    shapes = np.empty((len(asked), len(members), POINTS))
    rows = np.concatenate(members)
    ends = np.cumsum([len(own) for own in members])[:-1]
    weight = ranking.inside[rows] + LEAST_WEIGHT
    means, variances = planner.posteriors(
        [(q, state) for q, state, _ in asked], ranking.belief.part(rows), rows
    )
    for s, (quantity, _, instrument) in enumerate(asked):
        mean = means[s]
        noise = noise_at(quantity, float(np.average(mean, weights=weight)), instrument)
        sd = np.sqrt(variances[s] + noise**2)
        low, high = (mean - 3 * sd).min(), (mean + 3 * sd).max()
        grid = np.linspace(low, high, POINTS)
        sd = np.maximum(sd, grid[1] - grid[0])
        z = (grid - mean[:, None]) / sd[:, None]
        density = weight[:, None] * np.exp(-0.5 * z * z) / sd[:, None]
        for k, own in enumerate(np.split(density, ends)):
            shapes[s, k] = own.sum(axis=0) / own.sum()
    return shapes
