"""The iteration itself, compiled: a few lanes wide, refilled from the queue as cases settle.

A lane is one candidate's column in arrays whose last axis is the lane. All that a block of lanes
touches fits the processor's cache, no lane waits for a slower one, and Python's lock is free.
"""

import math
from typing import Any

import numba
import numpy as np
from numba import types
from numba.core.types.function_type import CompileResultWAP

from umweg.core.components.base import ComponentType
from umweg.core.components.kernels import law as compiled
from umweg.core.solve.elimination import (
    advance,
    assemble,
    control,
    factor,
    form_cavities,
    gather,
    load_diagonal,
    measure,
    substitute,
)

_A2 = types.Array(types.float64, 2, "C")
_A3 = types.Array(types.float64, 3, "C")
_A4 = types.Array(types.float64, 4, "C")
LAW_SIGNATURE = types.void(_A3, _A3, _A2, _A3, _A4)
WAITING, SETTLED, GIVEN_UP = 0, 1, 2


LAW = types.FunctionType(LAW_SIGNATURE)
_I1 = types.Array(types.intp, 1, "C")
_I2 = types.Array(types.intp, 2, "C")
_I3 = types.Array(types.intp, 3, "C")

# Lists are made and filled by functions of our own, because numba keeps compiled code of these and
# not of its list's own methods: 2.6 s at every start.


def _list_of(member: Any) -> tuple[Any, Any]:
    """Functions that make an empty list of a type, and append to it."""

    @compiled
    def empty():
        return numba.typed.List.empty_list(member)

    @compiled
    def append(items, item):
        items.append(item)

    return empty, append


_LISTS = {(m.dtype, m.ndim): _list_of(m) for m in (_A2, _A3, _A4, _I1, _I2, _I3)}
_EMPTY_LAWS, _APPEND_LAW = _list_of(LAW)


def law_list(kinds: list[type[ComponentType]]) -> Any:
    """The types' laws as pointers of one signature, so that compiled code can call them in turn.

    A law itself as a list's member would have the list's own code compiled again for each of them,
    and never kept; an address is the same to it for all.
    """
    found = _EMPTY_LAWS()
    for kind in kinds:
        _APPEND_LAW(found, CompileResultWAP(compile_law(kind)))
    return found


def compile_law(kind: type[ComponentType]) -> Any:
    """Compile a type's law, or load it from where compiled code is kept."""
    law: Any = kind.law
    law.compile(LAW_SIGNATURE)
    return law.get_compile_result(LAW_SIGNATURE)


def array_list(arrays: list[Any]) -> Any:
    """Arrays of one type and rank as a list that compiled code reads."""
    kind = types.intp if arrays[0].dtype == np.intp else types.float64
    empty, append = _LISTS[kind, arrays[0].ndim]
    found = empty()
    for array in arrays:
        append(found, array)
    return found


@compiled
def _load(lane, case, cases, tables, blocks, columns, numbers):
    """Put a case into a lane: where it starts, its parameters, its viscosity, a fresh control."""
    state, slot, value = cases
    start, parameters, viscosity, step_of = tables
    _, flat, env, thickness = blocks
    across, held = columns
    old_norm, step, damping, going = numbers
    for row in range(across.shape[0]):
        across[row, lane] = start[case, row]
        held[row, lane] = start[case, row]
    for p in range(flat.shape[0]):
        flat[p, lane] = parameters[state[case], p]
    for w in range(slot.shape[1]):
        if slot[case, w] >= 0:
            flat[slot[case, w], lane] = value[case, w]
    env[0, lane] = viscosity[state[case]]
    if thickness >= 0:
        env[0, lane] *= flat[thickness, lane]
    step[lane] = step_of[case]
    old_norm[lane] = np.inf
    damping[lane] = 1.0
    going[lane] = 0.0


@compiled
def _restart(lane, fresh, from_rest, first_step, turning, columns, numbers):
    """Go on under the next rule: from where the lane is, with a fresh step, or from rest.

    At rest every net is at 0 but the shafts, which turn with the fastest that is driven.
    """
    across, _ = columns
    old_norm, step, damping, going = numbers
    if fresh:
        step[lane] = first_step
        fine = True
        for row in range(turning.shape[0]):
            fine = fine and math.isfinite(across[row, lane])
        if from_rest or not fine:
            fastest = 0.0
            for row in range(turning.shape[0], across.shape[0]):
                fastest = max(fastest, across[row, lane])
            for row in range(turning.shape[0]):
                across[row, lane] = turning[row] * fastest
    old_norm[lane] = np.inf
    damping[lane] = 1.0
    going[lane] = 0.0


@compiled
def evaluate_laws(laws, groups, blocks, across, oil, diagonal, cavity, residual, values):
    """Residuals and matrix values of all lanes."""
    nets, xs, fs, js, rows, slots = groups
    ks, _, env, _ = blocks
    for r in range(residual.shape[0]):
        for b in range(residual.shape[1]):
            residual[r, b] = 0.0
    for r in range(values.shape[0]):
        for b in range(residual.shape[1]):
            values[r, b] = 0.0
    for g in range(len(laws)):
        gather(across, nets[g], xs[g], fs[g], js[g])
        laws[g](xs[g], ks[g], env, fs[g], js[g])
        assemble(fs[g], js[g], rows[g], slots[g], residual, values)
    form_cavities(across, oil, diagonal, cavity[0], cavity[1], residual, values)


@compiled
def settle(
    queue, fewest, laws, groups, program, physics, rules, first_step, tolerance, cavity,
    cases, tables, blocks, results, memory,
):  # fmt: skip
    """Settle the queued cases; stop when fewer than ``fewest`` lanes are busy and none waits.

    What is left then stays WAITING, its place, step and rule kept for the next call.

    Parameters
    ----------
    queue : case numbers in the order in which they enter the lanes
    rules (R, 5) : growth, reject, iterations, fresh, from rest
    cases, tables : what the cases are; ``tables[0] (B, N_all)`` is where each starts
    results : across (B, N_all), residual (B,), status, iterations, rule, iterations under it (B,)
    memory : the lanes' working arrays
    """
    residual, values, across, held = memory[0]
    size, norm, old_norm, step, damping, going, growth, reject = memory[1]
    lanes, rule_of, count_of = memory[2]
    order, diagonal, lower_first, lower_row, lower_slot = program[:5]
    update_first, update_target, update_right, upper_first, upper_row, upper_slot = program[5:]
    mass, limit, oil, turning = physics
    out, residual_of, status, iterations, rule_kept, count_kept = results
    columns = (across, held)
    numbers = (old_norm, step, damping, going)
    width = lanes.shape[0]
    head = 0
    busy = 0
    for lane in range(width):
        case = queue[min(head, queue.shape[0] - 1)]
        _load(lane, case, cases, tables, blocks, columns, numbers)
        lanes[lane] = case if head < queue.shape[0] else -1
        rule_of[lane] = rule_kept[case]
        count_of[lane] = count_kept[case]
        busy += 1 if head < queue.shape[0] else 0
        head += 1
    while busy > 0 and (head < queue.shape[0] or busy >= fewest):
        evaluate_laws(laws, groups, blocks, across, oil, diagonal, cavity, residual, values)
        measure(residual, size, norm)
        for lane in range(width):
            case = lanes[lane]
            if case < 0:
                continue
            iterations[case] += 1
            count_of[lane] += 1
            if size[lane] <= tolerance:
                status[case] = SETTLED
                for row in range(across.shape[0]):
                    out[case, row] = across[row, lane]
            elif count_of[lane] >= rules[rule_of[lane], 2]:
                rule_of[lane] += 1
                count_of[lane] = 0
                if rule_of[lane] < rules.shape[0]:
                    rule = rules[rule_of[lane]]
                    _restart(
                        lane, rule[3] > 0.0, rule[4] > 0.0, first_step, turning, columns, numbers
                    )
                else:
                    status[case] = GIVEN_UP
                    for row in range(across.shape[0]):
                        out[case, row] = held[row, lane]
            if status[case] != WAITING:
                residual_of[case] = size[lane]
                lanes[lane] = -1
                busy -= 1
        for lane in range(width):
            rule = rules[min(rule_of[lane], rules.shape[0] - 1)]
            growth[lane] = rule[0]
            reject[lane] = rule[1]
        control(across, held, norm, old_norm, step, damping, going, growth, reject)
        load_diagonal(values, diagonal, mass, step)
        factor(values, diagonal, lower_first, lower_slot, update_first, update_target, update_right)
        for r in range(residual.shape[0]):
            for b in range(width):
                residual[r, b] = -residual[r, b]
        substitute(
            values, diagonal, lower_first, lower_row, lower_slot, upper_first, upper_row,
            upper_slot, residual,
        )  # fmt: skip
        advance(across, residual, order, limit, damping, going)
        for lane in range(width):
            if lanes[lane] < 0 and head < queue.shape[0]:
                case = queue[head]
                _load(lane, case, cases, tables, blocks, columns, numbers)
                lanes[lane] = case
                rule_of[lane] = rule_kept[case]
                count_of[lane] = count_kept[case]
                busy += 1
                head += 1
    for lane in range(width):
        case = lanes[lane]
        if case >= 0:
            for row in range(held.shape[0]):
                tables[0][case, row] = held[row, lane]
            tables[3][case] = step[lane]
            rule_kept[case] = rule_of[lane]
            count_kept[case] = count_of[lane]
