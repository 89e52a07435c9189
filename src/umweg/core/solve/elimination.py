"""Straight-line sparse elimination; the innermost loop runs over candidates."""

from umweg.core.components.kernels import law as compiled

# The functions below are compiled; they take plain arrays and change them in place.


@compiled
def gather(across, nets, x):  # type: ignore[no-untyped-def]
    """Copy the across variables of a group's ports: ``across (N, B)`` to ``x (C, P, B)``."""
    for c in range(nets.shape[0]):
        for p in range(nets.shape[1]):
            row = nets[c, p]
            for b in range(x.shape[2]):
                x[c, p, b] = across[row, b]


@compiled
def assemble(f, j, rows, slots, residual, values):  # type: ignore[no-untyped-def]
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
def factor(values, diagonal, lower_first, lower_slot, update_first, update_target, update_right):  # type: ignore[no-untyped-def]
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
def substitute(values, diagonal, lower_first, lower_row, lower_slot, upper_first, upper_row, upper_slot, rhs):  # type: ignore[no-untyped-def]
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
def control(norm, old_norm, step, accepted, started, growth, reject):  # type: ignore[no-untyped-def]
    """Accept or cut back each candidate's pseudo-time step from its residual norms."""
    for b in range(norm.shape[0]):
        worse = not norm[b] <= old_norm[b] * reject
        if started[b] and worse:
            accepted[b] = False
            step[b] *= 0.2
        else:
            accepted[b] = True
            if started[b]:
                ratio = old_norm[b] / max(norm[b], 1e-300)
                step[b] = min(step[b] * growth * min(max(ratio, 0.5), 10.0), 1e9)
            started[b] = True
