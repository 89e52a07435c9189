"""Straight-line sparse elimination; the innermost loop runs over candidates."""

import math

import numpy as np

from umweg.core.components.kernels import law as compiled

CAVITY_BENDS_BAR, CAVITY_STIFFENS = 0.05, 1160.0
"""A cavity is so much stiffer per bar of depth, down to a depth just above absolute vacuum."""

# The functions below are compiled; they take plain arrays and change them in place.


@compiled
def gather(across, nets, x, f, j):
    """Copy the across variables of a group's ports: ``across (N, B)`` to ``x (C, P, B)``, and
    clear what its law will add to."""
    for c in range(nets.shape[0]):
        for p in range(nets.shape[1]):
            row = nets[c, p]
            for b in range(x.shape[2]):
                x[c, p, b] = across[row, b]
                f[c, p, b] = 0.0
            for q in range(nets.shape[1]):
                for b in range(x.shape[2]):
                    j[c, p, q, b] = 0.0


@compiled
def assemble(f, j, rows, slots, residual, values):
    """Add a group's flows and derivatives to the residual and the matrix values."""
    for c in range(rows.shape[0]):
        for p in range(rows.shape[1]):
            row = rows[c, p]
            if row < 0:
                continue
            for b in range(residual.shape[1]):
                residual[row, b] += f[c, p, b]
            for q in range(rows.shape[1]):
                slot = slots[c, p, q]
                if slot < 0:
                    continue
                for b in range(residual.shape[1]):
                    values[slot, b] += j[c, p, q, b]


@compiled
def form_cavities(across, rows, diagonal, limit_bar, lpm_per_bar, residual, values):
    """Below ``limit_bar`` gas comes out of the oil and fills what the oil leaves.

    ``rows`` are the unknowns that are oil (−1 elsewhere), in elimination order. The cavity holds its
    pressure the more stiffly the deeper it would fall: 450 L/min draw it down to −1.0 bar.
    """
    for r in range(rows.shape[0]):
        if rows[r] < 0:
            continue
        for b in range(residual.shape[1]):
            below = limit_bar - across[rows[r], b]
            if below > 0.0:
                bent = min(below, CAVITY_BENDS_BAR)
                stiff = 1.0 + CAVITY_STIFFENS * bent
                # Quadratic up to there, a straight line beyond it: an iteration finds its way back.
                filled = below * (1.0 + 0.5 * CAVITY_STIFFENS * bent)
                filled += 0.5 * CAVITY_STIFFENS * bent * (below - bent)
                residual[r, b] -= lpm_per_bar * filled
                values[diagonal[r], b] += lpm_per_bar * stiff


@compiled
def factor(values, diagonal, lower_first, lower_slot, update_first, update_target, update_right):
    """LU factors in place, without pivoting."""
    for k in range(diagonal.shape[0]):
        d = diagonal[k]
        for a in range(lower_first[k], lower_first[k + 1]):
            low = lower_slot[a]
            for b in range(values.shape[1]):
                values[low, b] /= values[d, b]
            for o in range(update_first[a], update_first[a + 1]):
                target = update_target[o]
                right = update_right[o]
                for b in range(values.shape[1]):
                    values[target, b] -= values[low, b] * values[right, b]


@compiled
def substitute(
    values, diagonal, lower_first, lower_row, lower_slot, upper_first, upper_row, upper_slot, rhs
):
    """Solve with the factors, in place, for one right-hand side ``(N, B)``."""
    n = diagonal.shape[0]
    for k in range(n):
        for a in range(lower_first[k], lower_first[k + 1]):
            row = lower_row[a]
            low = lower_slot[a]
            for b in range(rhs.shape[1]):
                rhs[row, b] -= values[low, b] * rhs[k, b]
    for k in range(n - 1, -1, -1):
        for a in range(upper_first[k], upper_first[k + 1]):
            row = upper_row[a]
            up = upper_slot[a]
            for b in range(rhs.shape[1]):
                rhs[k, b] -= values[up, b] * rhs[row, b]
        d = diagonal[k]
        for b in range(rhs.shape[1]):
            rhs[k, b] /= values[d, b]


@compiled
def measure(residual, size, norm):
    """Largest residual and Euclidean norm of each candidate."""
    for b in range(residual.shape[1]):
        size[b] = 0.0
        norm[b] = 0.0
    for r in range(residual.shape[0]):
        for b in range(residual.shape[1]):
            value = abs(residual[r, b])
            # Written so that a residual that is no number makes the size no number.
            size[b] = size[b] if size[b] >= value else value
            norm[b] += value * value
    for b in range(residual.shape[1]):
        norm[b] = math.sqrt(norm[b])


@compiled
def control(across, held, norm, old_norm, step, damping, going, growth, reject):
    """Accept or cut back each candidate's last step from its residual norms.

    ``going`` becomes 1 where the next step may be taken and 0 where the candidate was put back
    to ``held`` first. Newton's step on a square-root law jumps from one side of zero to the other
    for ever; a residual that no longer falls is that, and ``damping`` shortens the step until it
    falls again.
    """
    for b in range(norm.shape[0]):
        started = going[b] == 1.0
        if started and not norm[b] <= old_norm[b] * reject[b]:
            going[b] = 0.0
            step[b] *= 0.2
            damping[b] = max(0.5 * damping[b], 0.02)
            for r in range(across.shape[0]):
                across[r, b] = held[r, b]
            continue
        if started:
            ratio = old_norm[b] / max(norm[b], 1e-300)
            step[b] = min(step[b] * growth[b] * min(max(ratio, 0.5), 10.0), 1e9)
            if ratio * (1.0 - 0.3 * damping[b]) < 1.0 and step[b] > 300.0:
                damping[b] = max(0.7 * damping[b], 0.02)
            else:
                damping[b] = min(1.4 * damping[b], 1.0)
        going[b] = 1.0
        old_norm[b] = norm[b]
        for r in range(across.shape[0]):
            held[r, b] = across[r, b]


@compiled
def advance(across, move, order, limit, damping, going):
    """Take the steps: as a whole no longer than ``limit`` allows, and only where going."""
    scale = np.empty(damping.shape[0])
    for b in range(scale.shape[0]):
        scale[b] = 1.0
    for r in range(order.shape[0]):
        for b in range(scale.shape[0]):
            scale[b] = max(scale[b], abs(move[r, b]) / limit[r])
    for b in range(scale.shape[0]):
        fine = math.isfinite(scale[b])
        scale[b] = damping[b] * going[b] / scale[b] if fine else 0.0
    for r in range(order.shape[0]):
        row = order[r]
        for b in range(scale.shape[0]):
            if scale[b] > 0.0:
                across[row, b] += scale[b] * move[r, b]


@compiled
def load_diagonal(values, diagonal, mass, step):
    """Add the pseudo-time term to the diagonal."""
    for k in range(diagonal.shape[0]):
        for b in range(step.shape[0]):
            values[diagonal[k], b] += mass[k] / step[b]


@compiled
def substitute_transposed(
    values, diagonal, lower_first, lower_row, lower_slot, upper_first, upper_row, upper_slot,
    first, rhs,
):  # fmt: skip
    """Solve with the factors' transposes, in place, for ``rhs (N, B)`` that is zero above ``first``."""
    n = diagonal.shape[0]
    for k in range(first, n):
        d = diagonal[k]
        for b in range(rhs.shape[1]):
            rhs[k, b] /= values[d, b]
        for a in range(upper_first[k], upper_first[k + 1]):
            row = upper_row[a]
            up = upper_slot[a]
            for b in range(rhs.shape[1]):
                rhs[row, b] -= values[up, b] * rhs[k, b]
    for k in range(n - 1, -1, -1):
        for a in range(lower_first[k], lower_first[k + 1]):
            row = lower_row[a]
            low = lower_slot[a]
            for b in range(rhs.shape[1]):
                rhs[k, b] -= values[low, b] * rhs[row, b]
