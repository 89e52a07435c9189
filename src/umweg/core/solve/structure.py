"""The structure of the equations: found once per circuit, the same for every candidate."""

from dataclasses import dataclass

import numpy as np

from umweg.core.network.network import Indices, Network


@dataclass(frozen=True)
class Structure:
    """Sparsity pattern in elimination order, and the elimination as a list of operations.

    ``order[r]`` is the unknown eliminated in step r. Slots are rows of the value array
    ``(slot_count, B)``; ``slots_of[g]`` (C, P, P) says where a group's derivatives are added,
    −1 where a net is fixed. ``rows_of[g]`` (C, P) likewise for residuals.
    """

    order: Indices
    row_of: Indices
    slot_count: int
    original_count: int
    diagonal: Indices
    lower_first: Indices
    lower_row: Indices
    lower_slot: Indices
    update_first: Indices
    update_target: Indices
    update_right: Indices
    upper_first: Indices
    upper_row: Indices
    upper_slot: Indices
    slots_of: tuple[Indices, ...]
    rows_of: tuple[Indices, ...]


def structure_of(network: Network) -> Structure:
    """Find a minimum-degree elimination order and write the elimination down as operations.

    Source: the greedy minimum-degree rule, Tinney & Walker, Proc. IEEE 55, 1967.
    """
    n = network.unknown_count
    beside: dict[int, set[int]] = {i: set() for i in range(n)}
    for group in network.groups:
        for nets in group.nets:
            inner = {int(i) for i in nets if i < n}
            for a in inner:
                beside[a] |= inner - {a}
    pattern = {(i, i) for i in range(n)} | {(a, b) for a, others in beside.items() for b in others}
    original = len(pattern)
    order = _eliminate(beside, pattern)
    row_of = np.empty(n, dtype=np.intp)
    row_of[order] = np.arange(n)
    permuted = sorted((int(row_of[a]), int(row_of[b])) for a, b in pattern)
    slot = {pair: k for k, pair in enumerate(permuted)}
    return _program(network, np.array(order, dtype=np.intp), row_of, slot, original)


def _eliminate(beside: dict[int, set[int]], pattern: set[tuple[int, int]]) -> list[int]:
    """The order; each unknown's neighbours ``beside`` it are used up, the pattern is filled in."""
    order = []
    while beside:
        node = min(beside, key=lambda v: (len(beside[v]), v))
        around = beside.pop(node)
        for a in around:
            beside[a] |= around
            beside[a] -= {a, node}
            pattern |= {(a, b) for b in around if b != a}
        order.append(node)
    return order


def _program(
    network: Network,
    order: Indices,
    row_of: Indices,
    slot: dict[tuple[int, int], int],
    original: int,
) -> Structure:
    n = len(order)
    below: list[list[int]] = [[] for _ in range(n)]
    right: list[list[int]] = [[] for _ in range(n)]
    for i, j in slot:
        if i > j:
            below[j].append(i)
        elif j > i:
            right[i].append(j)
    lower_first, lower_row, lower_slot = [0], [], []
    update_first, update_target, update_right = [0], [], []
    upper_first, upper_row, upper_slot = [0], [], []
    for k in range(n):
        for i in sorted(below[k]):
            lower_row.append(i)
            lower_slot.append(slot[i, k])
            for j in sorted(right[k]):
                update_target.append(slot[i, j])
                update_right.append(slot[k, j])
            update_first.append(len(update_target))
        lower_first.append(len(lower_row))
        for j in sorted(right[k]):
            upper_row.append(j)
            upper_slot.append(slot[k, j])
        upper_first.append(len(upper_row))

    def index(values: list[int]) -> Indices:
        return np.array(values, dtype=np.intp)

    slots_of, rows_of = [], []
    for group in network.groups:
        rows = np.where(group.nets < n, row_of[np.minimum(group.nets, n - 1)], -1)
        c, p = rows.shape
        slots = np.full((c, p, p), -1, dtype=np.intp)
        for member in range(c):
            for a in range(p):
                for b in range(p):
                    pair = (int(rows[member, a]), int(rows[member, b]))
                    if min(pair) >= 0:
                        slots[member, a, b] = slot[pair]
        slots_of.append(slots)
        rows_of.append(rows.astype(np.intp))
    return Structure(
        order,
        row_of,
        len(slot),
        original,
        index([slot[k, k] for k in range(n)]),
        index(lower_first),
        index(lower_row),
        index(lower_slot),
        index(update_first),
        index(update_target),
        index(update_right),
        index(upper_first),
        index(upper_row),
        index(upper_slot),
        tuple(slots_of),
        tuple(rows_of),
    )
