"""How solved machines answer to small changes of their parameters, compiled like the iteration."""

import numpy as np

from umweg.core.components.kernels import law as compiled
from umweg.core.solve.elimination import factor, substitute_transposed
from umweg.core.solve.settle import evaluate_laws

CONDITIONS = 2
"""Changes that concern every law: of what drives the circuit, and of the oil's viscosity."""
SHARE_STEP = 1e-6
"""Difference step of both, as a share: a coupling that slips lets its shafts differ by a thousandth of
a turn a minute."""
NO_ANSWER = 1e6
"""What stands where it is no number, for nothing is known there then: in any unit far more than a
reading could be off."""
SMALL_STEP = 0.05
"""A step that is a smaller share of the value is taken to one side only, from what the solved
machine's law gave already: the laws take nearly all the time."""


@compiled
def _load(lanes, cases):
    """Put cases (M, K) into the first lanes (M, L); all others are filled with the last one."""
    for r in range(lanes.shape[0]):
        lane, case = lanes[r], cases[r]
        for b in range(case.shape[0]):
            lane[b] = case[b]
        lane[case.shape[0] :] = case[-1]


@compiled
def _put(out, answer, per):
    """Store the lanes' answers (L,) as those of the cases (K,)."""
    for b in range(out.shape[0]):
        value = answer[b] * per[b]
        out[b] = value if abs(value) < NO_ANSWER else NO_ANSWER


@compiled
def _try(g, c, m, step, laws, xs, ks, env, fs, js, here, change):
    """How a component's flows answer to one of its parameters: ``change (P, lanes)``.

    Parameters
    ----------
    here : (P, lanes) what they are on the solved machine
    """
    x, k = xs[g][c : c + 1], ks[g][c : c + 1]
    f, j = fs[g][c : c + 1], js[g][c : c + 1]
    middle = k[0, m].copy()
    # A faulted value can be smaller than the step; both sides stay positive where it was.
    size = np.where(middle > 0.0, np.minimum(step, 0.5 * middle), step)
    one_sided = np.all(size <= SMALL_STEP * np.abs(middle))
    k[0, m] = middle + size
    f[:] = 0.0
    laws[g](x, k, env, f, j)
    change[: f.shape[1]] = f[0]
    if one_sided:
        change[: f.shape[1]] -= here
    else:
        k[0, m] = middle - size
        f[:] = 0.0
        laws[g](x, k, env, f, j)
        change[: f.shape[1]] -= f[0]
        size = 2.0 * size
    change[: f.shape[1]] /= size
    k[0, m] = middle


@compiled
def _drive(g, c, rows, laws, xs, ks, env, fs, js, change):
    """Add how a component's flows answer to what drives the circuit: ``change (N, lanes)``.

    What drives are the nets that are not solved for; of most components none is.
    """
    x, k = xs[g][c : c + 1], ks[g][c : c + 1]
    f, j = fs[g][c : c + 1], js[g][c : c + 1]
    driven = 0
    for p in range(x.shape[1]):
        if rows[g][c, p] < 0 and np.any(x[0, p] != 0.0):
            driven += 1
    if driven == 0:
        return
    usual = x.copy()
    for side in (1.0, -1.0):
        for p in range(x.shape[1]):
            if rows[g][c, p] < 0:
                x[0, p] = usual[0, p] * (1.0 + side * SHARE_STEP)
        f[:] = 0.0
        laws[g](x, k, env, f, j)
        for p in range(x.shape[1]):
            if rows[g][c, p] >= 0:
                change[rows[g][c, p]] += side * f[0, p] / (2.0 * SHARE_STEP)
    x[:] = usual


@compiled
def respond(
    first, last, laws, groups, program, oil, cavity, unknowns, place, tables, blocks, memory, per,
    out,
):  # fmt: skip
    """Sensitivities of the cases ``first`` to ``last``, a few lanes at a time.

    Of each across variable that is asked for the transposed matrix is solved once, which says how
    it answers to whatever changes any net's balance: they are far fewer than the parameters.

    Parameters
    ----------
    unknowns : group, component and parameter of each, and its difference step (U,), those of one
        component behind one another; and (U,) where in ``out`` each stands
    place : row in ``out`` of each unknown across variable (N,), −1 where nobody asks for it
    tables : across (N_all, B), parameters (M, B), viscosity (1, B) of the solved cases
    blocks, memory : the lanes' arrays
    per (U + 2, B) : by how much of each parameter, then of a whole share of what drives the
        circuit, and of the oil's viscosity
    out (R, U + 2, B) : change of each across variable by each of them
    """
    order, diagonal, lower_first, lower_row, lower_slot = program[:5]
    update_first, update_target, update_right, upper_first, upper_row, upper_slot = program[5:]
    group_of, component_of, row_of, step_of, to_of = unknowns
    all_across, all_parameters, viscosity = tables
    ks, flat, env, _ = blocks
    _, xs, fs, js, rows, _ = groups
    residual, values, across, found, unused = memory
    width, size, count = across.shape[1], order.shape[0], group_of.shape[0]
    ports = 0
    for g in range(len(rows)):
        ports = max(ports, rows[g].shape[1])
    change = np.zeros((count, ports, width))
    # Most of a component's flows do not answer to most of its parameters.
    answers = np.zeros((count, ports), dtype=np.bool_)
    conditions = np.zeros((CONDITIONS, size, width))
    answer = np.zeros(width)
    for block in range(first, last, width):
        end = min(block + width, last)
        _load(across, all_across[:, block:end])
        _load(flat, all_parameters[:, block:end])
        _load(env, viscosity[:, block:end])
        evaluate_laws(laws, groups, blocks, across, oil, diagonal, cavity, found, values)
        factor(values, diagonal, lower_first, lower_slot, update_first, update_target, update_right)
        solved = fs[0][0].copy()
        for u in range(count):
            g, c = group_of[u], component_of[u]
            if u == 0 or g != group_of[u - 1] or c != component_of[u - 1]:
                # What its law gave on the solved machine: nothing was tried there yet.
                solved = fs[g][c].copy()
            _try(g, c, row_of[u], step_of[u], laws, xs, ks, env, fs, js, solved, change[u])
            for p in range(ports):
                answers[u, p] = np.any(change[u, p] != 0.0)
        # The engine's speed concerns what it drives, the oil every law.
        conditions[0] = 0.0
        for g in range(len(rows)):
            for c in range(rows[g].shape[0]):
                _drive(g, c, rows, laws, xs, ks, env, fs, js, conditions[0])
        thickness = env.copy()
        env[:] = thickness * (1.0 + SHARE_STEP)
        evaluate_laws(laws, groups, blocks, across, oil, diagonal, cavity, residual, unused)
        env[:] = thickness
        conditions[1] = (residual - found) / SHARE_STEP
        for r in range(size):
            to = place[order[r]]
            if to < 0:
                continue
            residual[:] = 0.0
            residual[r] = -1.0
            substitute_transposed(
                values, diagonal, lower_first, lower_row, lower_slot, upper_first, upper_row,
                upper_slot, r, residual,
            )  # fmt: skip
            for u in range(count):
                answer[:] = 0.0
                for p in range(rows[group_of[u]].shape[1]):
                    row = rows[group_of[u]][component_of[u], p]
                    if row >= 0 and answers[u, p]:
                        for lane in range(width):
                            answer[lane] += residual[row, lane] * change[u, p, lane]
                _put(out[to, to_of[u], block:end], answer, per[to_of[u], block:end])
            for condition in range(CONDITIONS):
                answer[:] = 0.0
                for row in range(size):
                    for lane in range(width):
                        answer[lane] += residual[row, lane] * conditions[condition, row, lane]
                u = count + condition
                _put(out[to, u, block:end], answer, per[u, block:end])
