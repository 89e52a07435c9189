"""How solved machines answer to small changes of their parameters, compiled like the iteration."""

import numpy as np

from umweg.core.components.kernels import law as compiled
from umweg.core.solve.elimination import factor, substitute
from umweg.core.solve.settle import evaluate_laws

CONDITIONS = 2
"""Changes that concern every law: of what drives the circuit, and of the oil's viscosity."""
SHARE_STEP = 1e-3
"""Difference step of both, as a share."""


@compiled
def _put(out, residual, order, place, first, last):
    """Store one right-hand side's solution, the lanes being cases from ``first`` on."""
    for r in range(order.shape[0]):
        to = place[order[r]]
        if to >= 0:
            for lane in range(min(residual.shape[1], last - first)):
                out[to, first + lane] = residual[r, lane]


@compiled
def respond(
    first, last, laws, groups, program, oil, cavity, unknowns, place, tables, blocks, memory, out
):  # fmt: skip
    """Sensitivities of the cases ``first`` to ``last``, a few lanes at a time.

    Parameters
    ----------
    unknowns : group, component and parameter of each, and its difference step (U,)
    place : row in ``out`` of each unknown across variable (N,), −1 where nobody asks for it
    tables : across (N_all, B), parameters (M, B), viscosity (1, B) of the solved cases
    blocks, memory : the lanes' arrays
    out (U + 2, R, B) : change of each across variable per unit of each parameter, then per whole
        share of what drives the circuit, and of the oil's viscosity
    """
    order, diagonal, lower_first, lower_row, lower_slot = program[:5]
    update_first, update_target, update_right, upper_first, upper_row, upper_slot = program[5:]
    group_of, component_of, row_of, step_of = unknowns
    all_across, all_parameters, viscosity = tables
    ks, flat, env, _ = blocks
    _, xs, fs, js, rows, _ = groups
    residual, values, across, found, unused = memory
    width = across.shape[1]
    for block in range(first, last, width):
        for lane in range(width):
            case = min(block + lane, last - 1)
            for r in range(across.shape[0]):
                across[r, lane] = all_across[r, case]
            for p in range(flat.shape[0]):
                flat[p, lane] = all_parameters[p, case]
            env[0, lane] = viscosity[0, case]
        evaluate_laws(laws, groups, blocks, across, oil, diagonal, cavity, residual, values)
        factor(values, diagonal, lower_first, lower_slot, update_first, update_target, update_right)
        for u in range(group_of.shape[0]):
            g, c, m = group_of[u], component_of[u], row_of[u]
            x, k = xs[g][c : c + 1], ks[g][c : c + 1]
            f, j = fs[g][c : c + 1], js[g][c : c + 1]
            middle = k[0, m].copy()
            # A faulted value can be smaller than the step; both sides stay positive where it was.
            size = np.where(middle > 0.0, np.minimum(step_of[u], 0.5 * middle), step_of[u])
            residual[:] = 0.0
            for side in (1.0, -1.0):
                k[0, m] = middle + side * size
                f[:] = 0.0
                laws[g](x, k, env, f, j)
                for p in range(f.shape[1]):
                    row = rows[g][c, p]
                    if row >= 0:
                        residual[row] -= side * f[0, p] / (2.0 * size)
            k[0, m] = middle
            substitute(
                values, diagonal, lower_first, lower_row, lower_slot, upper_first, upper_row,
                upper_slot, residual,
            )  # fmt: skip
            _put(out[u], residual, order, place, block, last)
        # Engine speed and the oil concern every law: all of them are evaluated on both sides.
        given, thickness = across[order.shape[0] :].copy(), env.copy()
        for condition in range(CONDITIONS):
            for side in (1.0, -1.0):
                if condition == 0:
                    across[order.shape[0] :] = given * (1.0 + side * SHARE_STEP)
                else:
                    env[:] = thickness * (1.0 + side * SHARE_STEP)
                evaluate_laws(laws, groups, blocks, across, oil, diagonal, cavity, found, unused)
                if side > 0.0:
                    residual[:] = -found / (2.0 * SHARE_STEP)
                else:
                    residual += found / (2.0 * SHARE_STEP)
            across[order.shape[0] :] = given
            env[:] = thickness
            substitute(
                values, diagonal, lower_first, lower_row, lower_slot, upper_first, upper_row,
                upper_slot, residual,
            )  # fmt: skip
            _put(out[group_of.shape[0] + condition], residual, order, place, block, last)
