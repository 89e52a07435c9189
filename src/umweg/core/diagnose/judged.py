"""In which order repairs are tried, what that costs, and what readings save of it: the inner loops
of planning, compiled.

Where one repair cures each fault, the order of chance per cost is the cheapest (Heckerman, Breese
and Rommelse 1995). Of two faults the later repair cures, and the earlier one is done already: it is
paid for once, and the later one is worth nothing before it.

A plan asks for some two hundred readings of some hundred live candidates each: the same sums as
:meth:`umweg.core.diagnose.worth.Stakes.information`, over a grid of outcomes.
"""

import math
from typing import Any

import numpy as np

from umweg.core.components.base import Array
from umweg.core.components.kernels import law as compiled
from umweg.core.network.network import Indices
from umweg.core.solve.threads import shared

GRID = 48
"""Outcomes of a reading that are told apart."""
_FLOOR = 1e-12
"""Density below which an outcome does not fall: none is impossible."""
_NEVER = 1e-12
"""Chance of a hypothesis and an outcome together that is not worth a logarithm."""
_AFTER = 1.0 - 1e-9
"""Of what the earlier of two repairs is worth, the later one has so much at the most."""


def sequence_cost(share: Array, needs: Indices, cost: Array) -> Array:
    """(G,) expected cost of trying repairs until the machine is cured.

    Parameters
    ----------
    share : (H, G) of each hypothesis; a column need not sum to 1, its cost scales with it
    needs : (H, 2) the repairs that cure it, of one fault the same one twice
    cost : (A,) of each repair and of the try after it; nothing for one that is done already
    """
    found = np.zeros(share.shape[1])
    columns = np.ascontiguousarray(share.T, dtype=float)
    _costs(columns, _pairs(needs), np.ascontiguousarray(cost, dtype=float), found)
    return found


def in_sequence(share: Array, needs: Indices, cost: Array) -> Indices:
    """(A,) the repairs in their order, by what each hypothesis (H,) has of the belief."""
    order, room = np.arange(len(cost)), np.zeros((3, len(cost)))
    known = np.ascontiguousarray(share, dtype=float), _pairs(needs), np.asarray(cost, dtype=float)
    _sort(*known, order, room)
    return order


def judged(
    mean: Array,
    sd: Array,
    weight: Array,
    first: Any,
    needs: Any,
    cost: Array,
    least_bits: float = 0.0,
) -> tuple[Array, Array]:
    """Expected bits about the hypothesis (R,), and expected money saved (R,), of each reading.

    Parameters
    ----------
    mean, sd : (R, L) what each live candidate would show, noise included
    weight : (L,) of the candidates; those of one hypothesis stand together
    first : (H,) where each hypothesis begins
    needs : (H, 2) which repairs cure it, of one fault the same one twice
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
        np.ascontiguousarray(needs, dtype=np.int64),
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


def _pairs(needs: Indices) -> Any:
    return np.ascontiguousarray(needs, dtype=np.int64)


@compiled
def _sort(share: Array, needs: Any, cost: Array, order: Any, room: Array) -> None:
    """Sort some repairs by what each is worth: the chance that it cures, per cost.

    Of a pair each repair has the part of the chance that goes with its price: then both are worth
    what the two together are. Whichever is worth less comes later and cures with all of the pair's
    chance, but not before the other.

    ``order (A,)`` is sorted from how it stands: what is asked for one after the other lies close.
    ``room (3, A)`` is to work in.
    """
    worth, whole, most = room[0], room[1], room[2]
    room[:] = 0.0
    for h in range(len(share)):
        a, b = needs[h, 0], needs[h, 1]
        if a == b:
            worth[a] += share[h]
            whole[a] += share[h]
        elif cost[a] + cost[b] > 0.0:
            worth[a] += share[h] * cost[a] / (cost[a] + cost[b])
            worth[b] += share[h] * cost[b] / (cost[a] + cost[b])
    for a in range(len(cost)):
        worth[a] = worth[a] / cost[a] if cost[a] > 0.0 else np.inf
    for h in range(len(share)):
        a, b = needs[h, 0], needs[h, 1]
        if a != b:
            if worth[b] > worth[a]:
                a, b = b, a
            whole[b] += share[h]
            most[b] = max(most[b], worth[a])
    for a in range(len(cost)):
        if most[a] > 0.0 and cost[a] > 0.0:
            worth[a] = max(worth[a], min(whole[a] / cost[a], _AFTER * most[a]))
    for i in range(1, len(order)):
        a = order[i]
        place = i
        while place > 0 and worth[order[place - 1]] < worth[a]:
            order[place] = order[place - 1]
            place -= 1
        order[place] = a


@compiled
def _expected(share: Array, needs: Any, cost: Array, order: Any, room: Array) -> float:
    """Expected cost of some repairs in the order that suits the shares, which is left in ``order``
    (see :func:`_sort`)."""
    _sort(share, needs, cost, order, room)
    done = room[0]
    spent = 0.0
    for a in order:
        spent += cost[a]
        done[a] = spent
    total = 0.0
    for h in range(len(share)):
        total += share[h] * max(done[needs[h, 0]], done[needs[h, 1]])
    return total


@compiled
def _costs(columns: Array, needs: Any, cost: Array, found: Array) -> None:
    order, room = np.arange(len(cost)), np.zeros((3, len(cost)))
    for g in range(len(columns)):
        found[g] = _expected(columns[g], needs, cost, order, room)


@compiled
def _judge(
    mean: Array,
    sd: Array,
    weight: Array,
    first: Any,
    needs: Any,
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
    order, room = np.arange(actions), np.zeros((3, actions))
    share = np.zeros(hypotheses)
    now = _expected(prior, needs, cost, order, room)
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
            each = weight[c] / whole / total
            never[h] += each * _FLOOR
            for g in range(begin, end):
                joint[h, g] += each * cell[g]
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
            for h in range(hypotheses):
                share[h] = joint[h, g]
            later += _expected(share, needs, cost, order, room)
        bits[r] = max(told, 0.0)
        saved[r] = now - later
