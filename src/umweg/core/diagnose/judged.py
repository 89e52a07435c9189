"""What many readings are worth, judged in one go: the inner loop of planning.

The same sums as :meth:`umweg.core.diagnose.worth.Stakes.information` over a grid of outcomes,
compiled: a plan asks for some two hundred readings of some hundred live candidates each.
"""

import math
from typing import Any

import numpy as np

from umweg.core.components.base import Array
from umweg.core.components.kernels import law as compiled
from umweg.core.solve.threads import shared

GRID = 48
"""Outcomes of a reading that are told apart."""
_FLOOR = 1e-12
"""Density below which an outcome does not fall: none is impossible."""
_NEVER = 1e-12
"""Chance of a hypothesis and an outcome together that is not worth a logarithm."""


def judged(
    mean: Array,
    sd: Array,
    weight: Array,
    first: Any,
    action: Any,
    cost: Array,
    least_bits: float = 0.0,
) -> tuple[Array, Array]:
    """Expected bits about the hypothesis (R,), and expected money saved (R,), of each reading.

    Parameters
    ----------
    mean, sd : (R, L) what each live candidate would show, noise included
    weight : (L,) of the candidates; those of one hypothesis stand together
    first : (H,) where each hypothesis begins
    action : (H,) which repair cures it
    cost : (A,) of each repair and of the try after it
    least_bits : what can at most tell less is not worked out: its bound is given, and no saving
    """
    bits, saved = most_bits(mean, sd, weight), np.zeros(len(mean))
    worth = np.flatnonzero(bits >= least_bits)
    told, less = np.zeros(len(worth)), np.zeros(len(worth))
    shown, spread = np.ascontiguousarray(mean[worth]), np.ascontiguousarray(sd[worth])
    of_all = (
        np.ascontiguousarray(weight, dtype=float),
        np.ascontiguousarray(first, dtype=np.int64),
        np.ascontiguousarray(action, dtype=np.int64),
        np.ascontiguousarray(cost, dtype=float),
    )
    shared(
        lambda part: _judge(shown[part], spread[part], *of_all, told[part], less[part]), len(worth)
    )
    bits[worth], saved[worth] = told, less
    return bits, saved


def most_bits(mean: Array, sd: Array, weight: Array) -> Array:
    """(R,) what a reading can at most tell about the candidates: of all that have its variance a
    normal one says most (Shannon 1948), and each candidate's own spread says nothing of it."""
    share = weight / weight.sum()
    middle = mean @ share
    variance = (sd**2 + (mean - middle[:, None]) ** 2) @ share
    bound: Array = 0.5 * np.log2(variance) - np.log2(sd) @ share
    return np.maximum(bound, 0.0)


@compiled
def _sequence(chance: Array, cost: Array, order: Any, worth: Array) -> float:
    """Expected cost of trying repairs by chance per cost until one cures.

    ``order`` is sorted from how it stands, and left sorted: outcomes that lie beside each other
    ask for nearly the same one. ``worth`` is room to work in.
    """
    rest = 0.0
    for a in range(len(chance)):
        rest += chance[a]
        worth[a] = chance[a] / cost[a]
    for i in range(1, len(order)):
        a = order[i]
        place = i
        while place > 0 and worth[order[place - 1]] < worth[a]:
            order[place] = order[place - 1]
            place -= 1
        order[place] = a
    total = 0.0
    for a in order:
        total += cost[a] * rest
        rest -= chance[a]
    return total


@compiled
def _judge(
    mean: Array,
    sd: Array,
    weight: Array,
    first: Any,
    action: Any,
    cost: Array,
    bits: Array,
    saved: Array,
) -> None:
    readings, live = mean.shape
    hypotheses, actions = len(first), len(cost)
    whole = weight.sum()
    prior = np.zeros(hypotheses)
    for h in range(hypotheses):
        last = first[h + 1] if h + 1 < hypotheses else live
        prior[h] = weight[first[h] : last].sum() / whole
    order = np.arange(actions)
    chance, worth = np.zeros(actions), np.zeros(actions)
    for h in range(hypotheses):
        chance[action[h]] += prior[h]
    now = _sequence(chance, cost, order, worth)
    cell, outcome = np.zeros(GRID), np.zeros(GRID)
    # Of each hypothesis and outcome, and what falls to every outcome of a hypothesis alike.
    joint, never = np.zeros((hypotheses, GRID)), np.zeros(hypotheses)
    for r in range(readings):
        low, high = np.inf, -np.inf
        for c in range(live):
            low = min(low, mean[r, c] - 4.0 * sd[r, c])
            high = max(high, mean[r, c] + 4.0 * sd[r, c])
        width = (high - low) / GRID
        joint[:] = 0.0
        never[:] = 0.0
        h = -1
        for c in range(live):
            if h + 1 < hypotheses and first[h + 1] == c:
                h += 1
            s = sd[r, c]
            reach = 7.5 * s
            begin = max(0, int((mean[r, c] - reach - low) / width))
            end = min(GRID, int((mean[r, c] + reach - low) / width) + 1)
            total = GRID * _FLOOR
            z, step = (low + (begin + 0.5) * width - mean[r, c]) / s, width / s
            if step < 0.5:
                # Over equal steps the density's ratio falls by the same factor each time: three
                # exponentials in place of one a cell.
                density, ratio = math.exp(-0.5 * z * z) / s, math.exp(-(z + 0.5 * step) * step)
                falls = math.exp(-step * step)
                for g in range(begin, end):
                    cell[g] = density
                    total += density
                    density *= ratio
                    ratio *= falls
            else:
                for g in range(begin, end):
                    cell[g] = math.exp(-0.5 * z * z) / s
                    total += cell[g]
                    z += step
            share = weight[c] / whole / total
            never[h] += share * _FLOOR
            for g in range(begin, end):
                joint[h, g] += share * cell[g]
        for g in range(GRID):
            outcome[g] = 0.0
        for h in range(hypotheses):
            for g in range(GRID):
                joint[h, g] += never[h]
                outcome[g] += joint[h, g]
        told, later = 0.0, 0.0
        for h in range(hypotheses):
            for g in range(GRID):
                p = joint[h, g]
                if p < _NEVER:
                    # Of these there are many, and all together they tell nothing.
                    continue
                told += p * math.log2(p / (prior[h] * outcome[g]))
        for g in range(GRID):
            chance[:] = 0.0
            for h in range(hypotheses):
                chance[action[h]] += joint[h, g]
            later += _sequence(chance, cost, order, worth)
        bits[r] = max(told, 0.0)
        saved[r] = now - later
