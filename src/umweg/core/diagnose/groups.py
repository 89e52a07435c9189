"""Suspects that no reading on offer would separate are one group."""

from collections.abc import Sequence

import numpy as np

from umweg.core.circuit.document import MachineState
from umweg.core.components.base import Array
from umweg.core.diagnose.plan import Planner
from umweg.core.diagnose.ranking import LEAST_WEIGHT, Ranking
from umweg.core.diagnose.steps import Step
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.quantities import Quantity, quantity_of
from umweg.core.observe.weights import noise_at

SAME_GROUP_BELOW = 0.35
"""Suspects whose predicted spreads overlap more than this at every offered step are one group."""
GROUPED_ABOVE = 0.02
"""Suspects below this share are not worth asking whom they could be confused with."""
POINTS = 64

Spread = tuple[Array, Array]
"""Mean and variance (C,) of what a reading would show."""


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
    spreads = [_spread_of(planner, s) for s in steps if not s.refused and s.kind == "reading"]
    if not spreads:
        spreads = _every_spread(planner)
    shapes = _shapes(ranking, members, spreads)
    parent = {k: k for k in keys}

    def root(k: str) -> str:
        while parent[k] != k:
            k = parent[k]
        return k

    for i, a in enumerate(keys):
        for j, b in enumerate(keys[:i]):
            apart = 0.5 * np.abs(shapes[:, i] - shapes[:, j]).sum(axis=1).max(initial=0.0)
            if len(spreads) and apart < SAME_GROUP_BELOW:
                parent[root(a)] = root(b)
    return {k: tuple(j for j in keys if root(j) == root(k)) for k in keys}


def _spread_of(planner: Planner, step: Step) -> Spread:
    quantity = Quantity.named(step.quantity, step.point)
    return _spread(planner, quantity, planner.circuit.states[step.state], step.instrument)


def _every_spread(planner: Planner) -> list[Spread]:
    """The same for every quantity in every named state: for when nothing more is offered."""
    circuit = planner.circuit
    everywhere = [
        (quantity, state)
        for state in circuit.steady.values()
        for quantity in planner.predictor.quantities
    ]
    in_time = [(quantity_of(t), circuit.states[t.state]) for t in planner.predictor.in_time]
    return [_spread(planner, q, state, None) for q, state in (*everywhere, *in_time)]


def _spread(
    planner: Planner, quantity: Quantity, state: MachineState, instrument: Instrument | None
) -> Spread:
    shown = planner.exhibits.shown(quantity, state)
    mean, variance = planner.ranking.belief.posterior(shown.mean, shown.slope)
    typical = float(np.average(mean, weights=planner.ranking.inside + LEAST_WEIGHT))
    return mean, variance + noise_at(quantity, typical, instrument) ** 2


def _shapes(ranking: Ranking, members: Sequence[Array], spreads: Sequence[Spread]) -> Array:
    """(S, K, POINTS) density of each suspect over each reading's range."""
    shapes = np.empty((len(spreads), len(members), POINTS))
    rows = np.concatenate(members)
    for s, (mean, variance) in enumerate(spreads):
        sd = np.sqrt(variance)
        low, high = (mean[rows] - 3 * sd[rows]).min(), (mean[rows] + 3 * sd[rows]).max()
        grid = np.linspace(low, high, POINTS)
        sd = np.maximum(sd, grid[1] - grid[0])
        for k, own in enumerate(members):
            weight = ranking.inside[own] + LEAST_WEIGHT
            z = (grid - mean[own, None]) / sd[own, None]
            density = (weight[:, None] * (np.exp(-0.5 * z * z) / sd[own, None])).sum(axis=0)
            shapes[s, k] = density / density.sum()
    return shapes
