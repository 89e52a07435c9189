"""Machines in time, compiled: some lanes wide, each on its own clock, stage and iteration, refilled
from the queue; no lane waits for another.

Each step has two implicit stages with the same matrix, ``S(x₁) = S₀ − γh·r(x₁)`` and
``S(x₂) = S₀ + h·(1 − γ)·K₁ − γh·r(x₂)`` with ``K₁ = (S₁ − S₀)/γh`` and ``γ = 1 − 1/√2``: second
order, L-stable, and what is stored is balanced exactly whatever Newton's iteration leaves.
Source: Alexander, SIAM J. Numer. Anal. 14, 1977 (the two-stage method of order two).
"""

import math

import numpy as np

from umweg.core.components.base import TRANSLATION
from umweg.core.components.kernels import GAS_FOOT, LOWEST_BAR, compressed, standing_above
from umweg.core.components.kernels import law as compiled
from umweg.core.fluid import ATMOSPHERE_BAR, NITROGEN_ADIABATIC
from umweg.core.solve.elimination import factor, substitute
from umweg.core.solve.settle import evaluate_laws

GAMMA = 1.0 - 1.0 / math.sqrt(2.0)
THIRD = 2.0 * (3.0 * GAMMA**2 - 2.0 * GAMMA**3 - 1.0 / 6.0)
"""Twice the coefficient of the step's own error, ``h³·x‴``."""
RUNNING, FINISHED, FAILED = 0, 1, 2
MOST_ITERATIONS = 100
"""Where something was switched, contacts, coils and what they feed change one after another; a stage
that is given up costs more than a long one.
"""
SETTLES_WITHIN = 12
"""Iterations after which a step that swings between far ends is shortened too, and for longer."""
MOST_STEPS, MOST_PER_S = 1500, 2
"""A machine that takes more, and more for each second, is not played to its end; rejected ones
count."""
SHOWN_WITHIN, SHOWN_SHARE = 5.0, 0.005
"""How many times a step's error the curve between its ends may be off, beside this share of it."""
FIRST_STEP_S = 1e-3
SHORTEST_STEP_S = 1e-7
FINEST_S = 2e-3
"""Steps are not shortened below this for their error: what swings faster than any gauge follows is
damped by the method instead."""
STEPS_PER_EVENT = 20
"""Each end that is reached and each switch that turns begins with short steps, and allows so many more."""
HASTE_FROM, HASTE = 0.7, 4.0
"""From this share of its steps a machine that would not come to its end at the pace so far takes steps
so many times as long as would do: what swings on and on is damped by the method too, instead of not
being told."""
EVENT_STEP_S = 1e-4
SLIVER_S = 1e-5
"""No step leaves less than this before a change of commands."""
STAGE_SHARE = 0.015
"""Of its stroke that a rod goes in one step, where its place opens or makes something."""
OVER_LEVEL = 0.2
"""How far past its level [bar, V] a switch may be taken before the step is shortened."""
OVER_MM, OVER_SHARE = 0.05, 0.005
"""How far past its end a rod may be taken: so much, and no more than this share of its stroke."""
HELD_AT_END = 1e6 * TRANSLATION
"""10⁶ N·s/mm: 100 kN push a rod on by a tenth of a millimetre a second."""
OFF_END_MM_S = 2e-5
"""Twenty newtons away from its end: less may be nothing but the last digit."""


@compiled
def _behind_gas(p, volume, precharge, before, warmth, times):
    """Oil in a gas store [L], its slope [L/bar], the gas that is left [L] and its warmth [1].

    The gas is ideal; what heat it has more or less than its wall leaves it with one time constant,
    half of it before what it gives way and half after: ``dθ/dt = (1 − θ)/τ − (γ − 1)·θ·V'/V``,
    ``p·V = p₀·V₀·θ``. Source: Otis & Pourmovahed, ASME J. Dyn. Syst. Meas. Control 107, 1985.

    Parameters
    ----------
    before, warmth : the gas [L] and its absolute temperature, 1 as warm as its wall, at the step's
        beginning
    times : how many time constants since then; below 0 it is always as warm as its wall
    """
    gas, oil = precharge + ATMOSPHERE_BAR, max(p, LOWEST_BAR) + ATMOSPHERE_BAR
    foot = GAS_FOOT * volume / gas
    filled = gas * volume
    if times < 0.0:
        own, swelled, kept = filled, 0.0, 0.0
    else:
        kept = math.exp(-0.5 * times)
        own = filled * (1.0 - kept)
        power = before ** (NITROGEN_ADIABATIC - 1.0)
        swelled = filled * kept * (1.0 + (warmth - 1.0) * kept) * power
    left = max(own / oil, (swelled / oil) ** (1.0 / NITROGEN_ADIABATIC))
    slope = left / oil
    if swelled > 0.0:
        # p·V = own + swelled·V^(1 − γ): concave, so that Newton's iteration rises to its root.
        for _ in range(30):
            part = swelled * left ** (1.0 - NITROGEN_ADIABATIC)
            steep = oil + (NITROGEN_ADIABATIC - 1.0) * part / left
            move = (own + part - oil * left) / steep
            left += move
            slope = left / steep
            if abs(move) < 1e-13 * left:
                break
    if left >= volume:
        left, slope = volume, 0.0
    warm = 1.0
    if times >= 0.0:
        warm = (own + swelled * left ** (1.0 - NITROGEN_ADIABATIC)) / filled
    return foot * oil + volume - left, foot + slope, left, warm


@compiled
def _behind(lane, g, p, elapsed, vessels, flat, gases):
    """What the gas store ``g`` holds so long after its step began."""
    left, warmth = gases
    volume, precharge = flat[vessels[g, 1], lane], flat[vessels[g, 2], lane]
    cooling_s = flat[vessels[g, 3], lane] if vessels[g, 3] >= 0 else 0.0
    times = elapsed / cooling_s if cooling_s > 0.0 else -1.0
    return _behind_gas(p, volume, precharge, left[g, lane], warmth[g, lane], times)


@compiled
def _store_of(lane, across, elapsed, stores, flat, stored, capacity):
    """What each net of a lane holds so long after its step began, in L/min·s, and its slope."""
    litres, inertia, vessels, gases = stores
    for i in range(stored.shape[0]):
        x = across[i, lane]
        held, slope = inertia[i] * x, inertia[i]
        if litres[i, lane] > 0.0:
            s, ds = compressed(x)
            held += 60.0 * litres[i, lane] * s
            slope += 60.0 * litres[i, lane] * ds
        stored[i, lane] = held
        capacity[i, lane] = slope
    for g in range(vessels.shape[0]):
        i = vessels[g, 0]
        if vessels[g, 4] == 0:
            s, ds, _, _ = _behind(lane, g, across[i, lane], elapsed, vessels, flat, gases)
        else:
            volume, pressure = flat[vessels[g, 1], lane], flat[vessels[g, 2], lane]
            s, ds = standing_above(across[i, lane], volume, pressure)
        stored[i, lane] += 60.0 * s
        capacity[i, lane] += 60.0 * ds


@compiled
def _iterate(
    laws, groups, program, blocks, oil, cavity, stores, across, base, part, elapsed, scale, limit,
    memory, lanes, newton, rod_steps, engaged,
):  # fmt: skip
    """One Newton step of every busy lane towards ``(S(x) − base)/part + r(x) = 0``; ``done`` is 1
    where it settled, −1 where it has no number.

    A rod that stands at its end is held there by a damper. The matrix is left factored.
    """
    order, diagonal, lower_first, lower_row, lower_slot = program[:5]
    update_first, update_target, update_right, upper_first, upper_row, upper_slot = program[5:]
    residual, values, stored, capacity = memory
    done, turn, damping, last = newton
    width = across.shape[1]
    evaluate_laws(laws, groups, blocks, across, oil, diagonal, cavity, residual, values)
    for b in range(width):
        if lanes[b] >= 0:
            _store_of(b, across, elapsed[b], stores, blocks[1], stored, capacity)
    for r in range(order.shape[0]):
        i = order[r]
        for b in range(width):
            residual[r, b] = -residual[r, b] - (stored[i, b] - base[i, b]) / part[b]
            values[diagonal[r], b] += capacity[i, b] / part[b]
    for p in range(rod_steps.shape[0]):
        r = rod_steps[p]
        for b in range(width):
            if engaged[p, b] != 0:
                residual[r, b] -= HELD_AT_END * across[order[r], b]
                values[diagonal[r], b] += HELD_AT_END
    factor(values, diagonal, lower_first, lower_slot, update_first, update_target, update_right)
    substitute(
        values, diagonal, lower_first, lower_row, lower_slot, upper_first, upper_row, upper_slot,
        residual,
    )  # fmt: skip
    for b in range(width):
        if lanes[b] < 0:
            continue
        worst, over = 0.0, 1.0
        for r in range(order.shape[0]):
            move = abs(residual[r, b])
            worst = max(worst, move / scale[r])
            over = max(over, move / limit[r])
        if not math.isfinite(worst):
            done[b] = -1
            continue
        # From one side of a kink to the other and back: half the way finds it.
        late = turn[b] > SETTLES_WITHIN
        if worst > (1.0 - 0.3 * damping[b] / over) * last[b] and (over == 1.0 or late):
            damping[b] = max(0.5 * damping[b], 0.02 if late else 0.1)
        else:
            damping[b] = min((1.5 if late else 2.0) * damping[b], 1.0)
        last[b] = worst
        part_of = 1.0 if worst < 0.02 else damping[b] / over
        for r in range(order.shape[0]):
            across[order[r], b] += residual[r, b] * part_of
        if worst < 0.02:
            done[b] = 1
        turn[b] += 1


@compiled
def _between(w, h, x0, x1, m0, m1):
    """Cubic between two points with their slopes; these are held back where the cubic would leave
    the span of the points (Fritsch & Carlson, SIAM J. Numer. Anal. 17, 1980)."""
    secant = (x1 - x0) / h
    m0 = min(max(m0 / secant, 0.0), 3.0) * secant if secant != 0.0 else 0.0
    m1 = min(max(m1 / secant, 0.0), 3.0) * secant if secant != 0.0 else 0.0
    u = 1.0 - w
    return (
        x0 * (1.0 + 2.0 * w) * u * u + x1 * (3.0 - 2.0 * w) * w * w + h * w * u * (m0 * u - m1 * w)
    )


@compiled
def _enter(lane, case, phase, parameters, cases, flats):
    """Begin a phase in a lane: what its commands were, and what they will be."""
    slot, value = cases
    before, after = flats
    for p in range(after.shape[0]):
        before[p, lane] = after[p, lane]
        after[p, lane] = parameters[phase, p]
    for w in range(slot.shape[1]):
        if slot[case, w] >= 0:
            after[slot[case, w], lane] = value[phase, case, w]
    if phase == 0:
        for p in range(after.shape[0]):
            before[p, lane] = after[p, lane]


@compiled
def _turns(switched, way):
    """Whether a switch can be turned on (``way`` 0) or off (1): what stands between, both ways."""
    return switched < 0.75 if way == 0 else switched > 0.25


@compiled
def _drive(x, table, level, q, way, lane):
    """What turns a switch on (``way`` 0) or off (1), rising towards its level."""
    value = x[table[q, 1 + 2 * way], lane]
    less = table[q, 2 + 2 * way]
    if less >= 0:
        value -= x[less, lane]
    return level[q, 2 + way, lane] * value


@compiled
def _command(
    lane, at, phase, ramp, tables, flats, flat, env, thickness, across, rods, switches, fixed
):  # fmt: skip
    """Put the commands of a moment into a lane; what stands at its end or was switched stays so."""
    _, boundary, viscosity, until = tables
    before, after = flats
    place, stroke, position_rod, position_slot = rods
    switched, switch_table, switch_values = switches
    start = until[phase - 1] if phase > 0 else 0.0
    share = 1.0 if phase == 0 else min(max((at - start) / ramp[phase], 0.0), 1.0)
    for p in range(flat.shape[0]):
        flat[p, lane] = before[p, lane] + share * (after[p, lane] - before[p, lane])
    first = across.shape[0] - boundary.shape[1]
    last = max(phase - 1, 0)
    for n in range(boundary.shape[1]):
        across[first + n, lane] = boundary[last, n] + share * (
            boundary[phase, n] - boundary[last, n]
        )
    env[0, lane] = viscosity[last] + share * (viscosity[phase] - viscosity[last])
    if thickness >= 0:
        env[0, lane] *= flat[thickness, lane]
    for s in range(position_rod.shape[0]):
        p = position_rod[s]
        flat[position_slot[s], lane] = min(max(place[p, lane] / stroke[p, lane], 0.0), 1.0)
    for q in range(switch_table.shape[0]):
        off, on = switch_values[q, 0], switch_values[q, 1]
        flat[switch_table[q, 0], lane] = off + switched[q, lane] * (on - off)
    slots, held = fixed
    for s in range(slots.shape[0]):
        flat[slots[s], lane] = held[s]


@compiled
def _stood(place, documented, near):
    """Where a rod stands: 1 at its outer end, −1 at its inner, 0 between or where its documented
    stroke is not known."""
    if documented <= 0.0:
        return 0
    if place > (1.0 - near) * documented:
        return 1
    return -1 if place < near * documented else 0


@compiled
def _so_often(events, count, code, after):
    """How many times an event was noted after a moment."""
    found = 0
    for e in range(count):
        if events[e, 0] > after and events[e, 1] == code:
            found += 1
    return found


@compiled
def _afresh(lane, newton):
    """Begin Newton's iteration of a stage."""
    done, turn, damping, last = newton
    done[lane] = 0
    turn[lane] = 0
    damping[lane] = 1.0
    last[lane] = np.inf


@compiled
def integrate(
    queue, laws, groups, program, blocks, oil, cavity, physics, stores, rods_of, switches,
    fixed, tables, ramp, cases, begin, grid, kept, watch, results, memory,
):  # fmt: skip
    """Play the queued cases through all phases, or until what is watched for has come.

    Parameters
    ----------
    physics : scale of the error, longest Newton step, by elimination order; share of the usual
        number of steps after which a machine is given up
    stores : litres (N,), litres per mm (N, P), inertia (N,), vessels (G, 5)
    rods_of : rows, steps of the elimination, strokes and the slots of those that are a parameter
        (−1: none), and which rod has which position slots
    tables : parameters (F, M), boundary (F, ·), viscosity (F,), end of each phase [s]
    cases : slot (B, W), value (F, B, W)
    switches : command and nets (Q, 5), the command's values (Q, 2)
    begin : across (B, N_all), place (B, P), switched (B, Q) where each starts; levels (B, Q, 4)
    grid (T,), kept (R,) : times and nets that are given out
    watch : from when on [s], which rod (−1: any switch), how many times (0: its first arrival),
        which level of the first net that is kept (no number: none), how near to its end a rod
        stands there; from when on is infinite where nothing is watched for
    results : samples (B, T, R + P), extremes (B, F, R, 2), status (B,), steps (B,), how far (B,),
        events (B, E, 2) and their number (B,): when, and four times the rod's or switch's number,
        the switches' after the rods', plus 0 for left or off, 1 for the outer end or on, 3 for the
        inner end
    """
    order = program[0]
    scale, limit, patience = physics
    base_l, per_mm, inertia, vessels = stores
    rod_rows, rod_steps, documented, end_slot, position_rod, position_slot = rods_of
    until = tables[3]
    after_s, watched, often, passed, near = watch
    start_x, start_place, start_switched, levels = begin
    switch_table, switch_values = switches
    samples, extremes, status, steps, reached, events, event_count = results
    residual, values, across, held, litres, stored, capacity = memory[0]
    s0, c0, k0, k1, base, first, rate, before, after = memory[1]
    clock, step, part, elapsed, remaining, damping, last = memory[2]
    lanes, phase, done, known, turn, stage, opens = memory[3]
    place, placed, stroke, engaged, switched, level, gas_l, warmth = memory[4]
    _, flat, env, thickness = blocks
    width = across.shape[1]
    unknown, rods = order.shape[0], rod_rows.shape[0]
    flats = before, after
    where = place, stroke, position_rod, position_slot
    switching = switched, switch_table, switch_values
    held_stores = litres, inertia, vessels, (gas_l, warmth)
    work = residual, values, stored, capacity
    newton = done, turn, damping, last
    most = int(patience * (MOST_STEPS + MOST_PER_S * until[-1]))
    row_of = np.zeros(unknown, dtype=np.intp)
    for r in range(unknown):
        row_of[order[r]] = r
    head, busy = 0, 0
    next_sample = np.zeros(width, dtype=np.intp)
    stood, side = np.zeros(width, dtype=np.intp), np.zeros(width, dtype=np.intp)
    for lane in range(width):
        lanes[lane] = -1
        part[lane] = 1.0
    while True:
        for lane in range(width):
            if lanes[lane] >= 0 or head >= queue.shape[0]:
                continue
            case = queue[head]
            for i in range(across.shape[0]):
                across[i, lane] = start_x[case, i]
            for p in range(rods):
                place[p, lane] = start_place[case, p]
                engaged[p, lane] = 0
            for q in range(switch_table.shape[0]):
                switched[q, lane] = start_switched[case, q]
                for i in range(4):
                    level[q, i, lane] = levels[case, q, i]
            phase[lane] = 0
            clock[lane] = 0.0
            step[lane] = FIRST_STEP_S
            known[lane] = 0
            next_sample[lane] = 0
            side[lane] = 0
            if watched >= 0:
                stood[lane] = _stood(place[watched, lane], documented[watched], near)
            _enter(lane, case, 0, tables[0], cases, flats)
            for p in range(rods):
                stroke[p, lane] = documented[p]
                if end_slot[p] >= 0:
                    stroke[p, lane] = after[end_slot[p], lane]
            _command(
                lane, 0.0, 0, ramp, tables, flats, flat, env, thickness, across, where, switching,
                fixed,
            )  # fmt: skip
            for g in range(vessels.shape[0]):
                # It has stood for a while: its gas is as warm as its wall.
                if vessels[g, 4] == 0:
                    volume = flat[vessels[g, 1], lane]
                    _, _, gas_l[g, lane], warmth[g, lane] = _behind_gas(
                        across[vessels[g, 0], lane], volume, flat[vessels[g, 2], lane], volume, 1.0,
                        -1.0,
                    )  # fmt: skip
            lanes[lane] = case
            opens[lane] = 1
            busy += 1
            head += 1
        if busy == 0:
            break
        # A step is laid out where the one before has ended: as long as the next change of commands
        # allows.
        for lane in range(width):
            if lanes[lane] < 0 or opens[lane] == 0:
                continue
            opens[lane] = 0
            begun = until[phase[lane] - 1] if phase[lane] > 0 else 0.0
            left = until[phase[lane]] - clock[lane]
            ramped = begun + ramp[phase[lane]] - clock[lane]
            if phase[lane] > 0 and ramped > 1e-9:
                left = min(left, ramped)
            remaining[lane] = left
            h = step[lane]
            if h > left - SLIVER_S:
                h = left
            elif h > 0.6 * left and left > FIRST_STEP_S:
                h = 0.5 * left
            if known[lane] == 1:
                # What a rod turns on its way must not be stepped over.
                for s in range(position_rod.shape[0]):
                    p = position_rod[s]
                    speed = abs(across[rod_rows[p], lane])
                    if speed * h > STAGE_SHARE * stroke[p, lane]:
                        h = max(STAGE_SHARE * stroke[p, lane] / speed, FINEST_S)
            step[lane] = h
            part[lane] = GAMMA * h
            for i in range(across.shape[0]):
                held[i, lane] = across[i, lane]
            for i in range(unknown):
                litres_now = base_l[i]
                for p in range(rods):
                    litres_now += per_mm[i, p] * min(max(place[p, lane], 0.0), stroke[p, lane])
                litres[i, lane] = max(litres_now, 0.0)
            _command(
                lane, clock[lane] + part[lane], phase[lane], ramp, tables, flats, flat, env,
                thickness, across, where, switching, fixed,
            )  # fmt: skip
            if known[lane] == 1:
                # Where it would be if it went on as it did: a drive that is sped up takes its
                # shafts along.
                for i in range(unknown):
                    across[i, lane] += part[lane] * rate[i, lane]
            _store_of(lane, held, 0.0, held_stores, flat, s0, c0)
            elapsed[lane] = part[lane]
            for i in range(unknown):
                base[i, lane] = s0[i, lane]
            stage[lane] = 1
            _afresh(lane, newton)
        _iterate(
            laws, groups, program, blocks, oil, cavity, held_stores, across, base, part, elapsed,
            scale, limit, work, lanes, newton, rod_steps, engaged,
        )  # fmt: skip
        ending = 0
        for lane in range(width):
            if lanes[lane] < 0:
                continue
            if done[lane] == 0 and turn[lane] < MOST_ITERATIONS:
                continue
            if done[lane] == 1:
                _store_of(lane, across, elapsed[lane], held_stores, flat, stored, capacity)
            if done[lane] == 1 and stage[lane] == 1:
                for i in range(unknown):
                    first[i, lane] = across[i, lane]
                    if known[lane] == 1:
                        across[i, lane] += (step[lane] - part[lane]) * rate[i, lane]
                    k1[i, lane] = (stored[i, lane] - s0[i, lane]) / part[lane]
                    base[i, lane] = s0[i, lane] + (step[lane] - part[lane]) * k1[i, lane]
                _command(
                    lane, clock[lane] + step[lane], phase[lane], ramp, tables, flats, flat, env,
                    thickness, across, where, switching, fixed,
                )  # fmt: skip
                stage[lane] = 2
                elapsed[lane] = step[lane]
                _afresh(lane, newton)
                continue
            if done[lane] == 1 and stage[lane] == 2:
                # Once more from where it settled: the error is told by the matrix there, and not by
                # the one on the other side of a kink.
                stage[lane] = 3
                done[lane] = 0
                continue
            opens[lane] = 1
            ending += 1
        if ending == 0:
            continue
        # The error of the step, through the factors of its last iteration.
        for r in range(unknown):
            i = order[r]
            for b in range(width):
                if opens[b] == 0 or done[b] != 1:
                    residual[r, b] = 0.0
                    continue
                k2 = (stored[i, b] - base[i, b]) / part[b]
                if known[b] == 1:
                    residual[r, b] = (
                        THIRD
                        / GAMMA
                        * (
                            k0[i, b] / GAMMA
                            - k1[i, b] / (GAMMA * (1.0 - GAMMA))
                            + k2 / (1.0 - GAMMA)
                        )
                    )
                else:
                    residual[r, b] = 0.3 * (k2 - k1[i, b])
        substitute(
            values, program[1], program[2], program[3], program[4], program[8], program[9],
            program[10], residual,
        )  # fmt: skip
        for lane in range(width):
            case = lanes[lane]
            if case < 0 or opens[lane] == 0:
                continue
            steps[case] += 1
            # Who is given up early is asked in another way; nobody else is hurried there.
            whole = patience >= 1.0
            may = most + STEPS_PER_EVENT * event_count[case] if whole else most
            if steps[case] > may:
                status[case] = FAILED
                reached[case] = clock[lane]
                lanes[lane] = -1
                busy -= 1
                continue
            h = step[lane]
            good = done[lane] == 1
            error = 0.0
            if good:
                for r in range(unknown):
                    error = max(error, abs(residual[r, lane]) / scale[r])
                good = math.isfinite(error)
            if good and known[lane] == 1:
                # What is shown between the ends of a step has to pass where its first stage stood.
                for r in range(kept.shape[0]):
                    i = kept[r]
                    if i >= unknown or capacity[i, lane] <= 0.0 or c0[i, lane] <= 0.0:
                        continue
                    x0, x1 = held[i, lane], across[i, lane]
                    m0 = k0[i, lane] / c0[i, lane]
                    m1 = (stored[i, lane] - base[i, lane]) / part[lane] / capacity[i, lane]
                    off = abs(_between(GAMMA, h, x0, x1, m0, m1) - first[i, lane])
                    error = max(
                        error, off / (SHOWN_WITHIN * scale[row_of[i]] + SHOWN_SHARE * abs(x1))
                    )
            finest = FINEST_S
            if whole and steps[case] > HASTE_FROM * may:
                wanted = (until[-1] - clock[lane]) / max(may - steps[case], 1)
                if wanted > clock[lane] / steps[case]:
                    finest = max(FINEST_S, HASTE * wanted)
            if not good or (error > 1.0 and h > finest):
                factor_of = 0.25 if not good else max(0.2, 0.9 * error ** (-1.0 / 3.0))
                step[lane] = h * factor_of if not good else max(h * factor_of, finest)
                for i in range(across.shape[0]):
                    across[i, lane] = held[i, lane]
                if step[lane] < SHORTEST_STEP_S:
                    status[case] = FAILED
                    reached[case] = clock[lane]
                    lanes[lane] = -1
                    busy -= 1
                continue
            # Ends and switches: the step goes no further than the first of them.
            share = 1.0
            for p in range(rods):
                i = rod_rows[p]
                over = min(OVER_MM, OVER_SHARE * stroke[p, lane])
                gone = (1.0 - GAMMA) * h * first[i, lane] + GAMMA * h * across[i, lane]
                to = place[p, lane] + gone
                if engaged[p, lane] == 0 and to > stroke[p, lane] + over and gone > 0.0:
                    share = min(share, max(stroke[p, lane] - place[p, lane], 0.0) / gone)
                if engaged[p, lane] == 0 and to < -over and gone < 0.0:
                    share = min(share, min(place[p, lane], stroke[p, lane]) / -gone)
            for q in range(switch_table.shape[0]):
                for way in range(2):
                    if not _turns(switched[q, lane], way):
                        continue
                    at = level[q, way, lane]
                    now = _drive(across, switch_table, level, q, way, lane)
                    was = _drive(held, switch_table, level, q, way, lane)
                    if now > at + OVER_LEVEL and was < at:
                        share = min(share, (at - was) / (now - was))
            if share < 1.0 and h > EVENT_STEP_S:
                step[lane] = max(min(share * h, h - 2.0 * SLIVER_S), EVENT_STEP_S)
                for i in range(across.shape[0]):
                    across[i, lane] = held[i, lane]
                continue
            fresh, told = False, False
            for p in range(rods):
                i = rod_rows[p]
                over = min(OVER_MM, OVER_SHARE * stroke[p, lane])
                placed[p, lane] = place[p, lane]
                place[p, lane] += (1.0 - GAMMA) * h * first[i, lane] + GAMMA * h * across[i, lane]
                v, was_engaged = across[i, lane], engaged[p, lane]
                if was_engaged == 0 and place[p, lane] >= stroke[p, lane] - over and v > 0.0:
                    engaged[p, lane] = 1
                elif was_engaged == 0 and place[p, lane] <= over and v < 0.0:
                    engaged[p, lane] = -1
                elif was_engaged != 0 and v * was_engaged < -OFF_END_MM_S:
                    engaged[p, lane] = 0
                if engaged[p, lane] != 0:
                    place[p, lane] = stroke[p, lane] if engaged[p, lane] > 0 else 0.0
                if engaged[p, lane] != was_engaged:
                    fresh = True
                    code = 4 * p + engaged[p, lane] % 4
                    if event_count[case] < events.shape[1]:
                        events[case, event_count[case], 0] = clock[lane] + h
                        events[case, event_count[case], 1] = code
                        event_count[case] += 1
                    if engaged[p, lane] != 0 and p == watched and clock[lane] + h > after_s:
                        found = _so_often(events[case], event_count[case], code, after_s)
                        arrived = often == 0 and engaged[p, lane] != stood[lane]
                        told = told or arrived or (often > 0 and found >= often)
            for q in range(switch_table.shape[0]):
                turned = switched[q, lane]
                for way in range(2):
                    past = _drive(across, switch_table, level, q, way, lane) >= level[q, way, lane]
                    if past and _turns(switched[q, lane], way):
                        turned = 1.0 - way
                if turned != switched[q, lane]:
                    switched[q, lane] = turned
                    fresh = True
                    code = 4 * (rods + q) + int(turned)
                    if event_count[case] < events.shape[1]:
                        events[case, event_count[case], 0] = clock[lane] + h
                        events[case, event_count[case], 1] = code
                        event_count[case] += 1
                    if watched < 0 and often > 0 and turned > 0.0:
                        found = _so_often(events[case], event_count[case], code, after_s)
                        told = told or found >= often
            now = clock[lane] + h
            while next_sample[lane] < grid.shape[0] and grid[next_sample[lane]] <= now + 1e-9:
                at = next_sample[lane]
                w = min(max((grid[at] - clock[lane]) / h, 0.0), 1.0)
                for r in range(kept.shape[0]):
                    i = kept[r]
                    x0, x1 = held[i, lane], across[i, lane]
                    m0 = m1 = (x1 - x0) / h
                    if i < unknown and known[lane] == 1 and capacity[i, lane] > 0.0:
                        m0 = k0[i, lane] / c0[i, lane]
                        m1 = (stored[i, lane] - base[i, lane]) / part[lane] / capacity[i, lane]
                    samples[case, at, r] = _between(w, h, x0, x1, m0, m1)
                for p in range(rods):
                    i = rod_rows[p]
                    samples[case, at, kept.shape[0] + p] = _between(
                        w, h, placed[p, lane], place[p, lane], held[i, lane], across[i, lane]
                    )
                next_sample[lane] += 1
                if math.isfinite(passed) and grid[at] >= after_s - 1e-9:
                    above = 1 if samples[case, at, 0] > passed else -1
                    if side[lane] == 0:
                        side[lane] = above
                    elif above != side[lane]:
                        told = True
                        break
            for p in range(rods):
                if engaged[p, lane] != 0:
                    # It stops dead: up to here it moved, and what it carried in its motion is gone.
                    across[rod_rows[p], lane] = 0.0
            for r in range(kept.shape[0]):
                x = across[kept[r], lane]
                extremes[case, phase[lane], r, 0] = min(extremes[case, phase[lane], r, 0], x)
                extremes[case, phase[lane], r, 1] = max(extremes[case, phase[lane], r, 1], x)
            for g in range(vessels.shape[0]):
                if vessels[g, 4] == 0:
                    p = across[vessels[g, 0], lane]
                    _, _, gas_l[g, lane], warmth[g, lane] = _behind(
                        lane, g, p, h, vessels, flat, (gas_l, warmth)
                    )
            clock[lane] = now
            if told:
                status[case] = FINISHED
                reached[case] = now
                lanes[lane] = -1
                busy -= 1
                continue
            if remaining[lane] - h <= 1e-9:
                fresh = True
            known[lane] = 0 if fresh else 1
            for i in range(unknown):
                rate[i, lane] = (across[i, lane] - held[i, lane]) / h
                k0[i, lane] = (stored[i, lane] - base[i, lane]) / part[lane]
            growth = 4.0 if error < 1e-6 else min(4.0, 0.9 * error ** (-1.0 / 3.0))
            step[lane] = FIRST_STEP_S if fresh else max(h * max(growth, 0.3), FIRST_STEP_S)
            if finest > FINEST_S:
                step[lane] = max(step[lane], finest)
            if until[phase[lane]] - now <= 1e-9:
                if phase[lane] + 1 == until.shape[0]:
                    status[case] = FINISHED
                    reached[case] = now
                    lanes[lane] = -1
                    busy -= 1
                    continue
                phase[lane] += 1
                if watched >= 0:
                    stood[lane] = _stood(place[watched, lane], documented[watched], near)
                _enter(lane, case, phase[lane], tables[0], cases, flats)
                for q in range(switch_table.shape[0]):
                    # A phase that commands the switch itself has its way once.
                    commanded = after[switch_table[q, 0], lane]
                    if commanded != before[switch_table[q, 0], lane]:
                        off, on = switch_values[q, 0], switch_values[q, 1]
                        switched[q, lane] = (commanded - off) / (on - off)
