"""How many solves a second, against one scipy call per candidate."""

import time
import tracemalloc
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import optimize

from umweg.core.circuit.document import Circuit
from umweg.core.components.base import Array
from umweg.core.faults.population import faults_of
from umweg.core.network.network import Network, SolvableState
from umweg.core.solve.steady import Cases, SteadySolver


@dataclass(frozen=True)
class SolveFigures:
    """What ``bench solve`` prints for one circuit."""

    circuit: str
    unknowns: int
    nonzeros: int
    filled: int
    updates: int
    batch: int
    per_second: float
    scipy_per_second: float
    """One ``scipy.optimize.root`` call per candidate, as it comes: it finds its own derivatives."""
    scipy_helped_per_second: float
    """The same call handed our exact Jacobian."""
    scipy_solved: float
    """Share of the cases that scipy solved from the same start."""
    converged: float
    iterations_median: float
    worst_bar: float
    memory_mb: float

    ratio: float
    """Times faster than one scipy call per candidate: the median over rounds that time both."""
    ratio_helped: float


def random_cases(
    network: Network, states: int, batch: int, generator: np.random.Generator
) -> Cases:
    """Cases with one or two random faults at random severity in random states."""
    faults = faults_of(network)
    state = generator.integers(0, states, batch)
    slot = np.full((batch, 2), -1, dtype=np.intp)
    value = np.zeros((batch, 2))
    for b in range(batch):
        for w in range(1 + b % 2):
            fault = faults[int(generator.integers(len(faults)))]
            slot[b, w] = fault.slot
            value[b, w] = fault.mode.value(fault.healthy, generator.random())
    return Cases(state, slot, value)


def scipy_solution(  # type: ignore[no-untyped-def]
    solver: SteadySolver,
    cases: Cases,
    states: Sequence[SolvableState],
    b: int,
    start: Array,
    method: str = "hybr",
    with_jacobian: bool = True,
):
    """One case by ``scipy.optimize.root`` from the given start, with or without our Jacobian."""
    network, s = solver.network, solver.structure
    part = cases.part(slice(b, b + 1))
    parameters = solver.parameters_of(states, part)
    state = states[part.state[0]]
    env = network.viscosity([state], np.zeros(1, dtype=np.intp), parameters)
    n = network.unknown_count
    rows = [
        (i, j)
        for group, slots in zip(s.rows_of, s.slots_of, strict=True)
        for member, places in zip(group, slots, strict=True)
        for a, i in enumerate(member)
        for c, j in enumerate(member)
        if places[a, c] >= 0
    ]
    places = [
        int(slots[m, a, c])
        for group, slots in zip(s.rows_of, s.slots_of, strict=True)
        for m, member in enumerate(group)
        for a in range(len(member))
        for c in range(len(member))
        if slots[m, a, c] >= 0
    ]
    row_index, column_index = np.array(rows).T

    def residual(x):  # type: ignore[no-untyped-def]
        across = np.concatenate([x, state.boundary])[:, None]
        r, values = solver.linearise(across, parameters, env)
        if not with_jacobian:
            return r[:, 0]
        jacobian = np.zeros((n, n))
        jacobian[row_index, s.order[column_index]] = values[places, 0]
        return r[:, 0], jacobian

    return optimize.root(  # type: ignore[call-overload]
        residual, start, jac=with_jacobian, method=method, tol=1e-10
    )


def bench_solve(
    circuit: Circuit, batch: int = 10000, one_by_one: int = 20, rounds: int = 5
) -> SolveFigures:
    """Solves per second of a mixed batch, against one scipy call per candidate.

    Each round times the batch and then other ``one_by_one`` cases by scipy: the speed of a shared
    machine wanders, and what stands side by side in time can be compared. Medians are shown.
    """
    network = Network(circuit)
    solver = SteadySolver(network)
    states = [network.state(s) for s in circuit.states.values()]
    generator = np.random.default_rng(7)
    cases = random_cases(network, len(states), batch, generator)
    healthy = solver.solve(
        states,
        Cases.as_documented(len(states)),
    )
    start = healthy.across[: network.unknown_count][:, cases.state]
    tracemalloc.start()
    solver.solve(states, cases, start)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    oil = [i for i in range(network.unknown_count) if network.domains[i] == "hydraulic"]
    worst, solved = 0.0, 0
    rates: list[tuple[float, float, float]] = []
    for turn in range(rounds):
        begin = time.perf_counter()
        solution = solver.solve(states, cases, start)
        ours = batch / (time.perf_counter() - begin)
        theirs = []
        for helped in (False, True):
            begin = time.perf_counter()
            for b in range(turn * one_by_one, (turn + 1) * one_by_one):
                found = scipy_solution(solver, cases, states, b, start[:, b], with_jacobian=helped)
                if helped and solution.converged[b] and np.abs(found.fun).max() < 1e-5:
                    solved += 1
                    gap = np.abs(found.x - solution.across[: len(found.x), b])[oil].max()
                    worst = max(worst, float(gap))
            theirs.append(one_by_one / (time.perf_counter() - begin))
        rates.append((ours, theirs[0], theirs[1]))
    speed = np.array(rates)
    s = solver.structure
    return SolveFigures(
        circuit.id,
        network.unknown_count,
        s.original_count,
        s.slot_count,
        len(s.update_target),
        batch,
        float(np.median(speed[:, 0])),
        float(np.median(speed[:, 1])),
        float(np.median(speed[:, 2])),
        solved / (rounds * one_by_one),
        float(solution.converged.mean()),
        float(np.median(solution.iterations)),
        worst,
        peak / 1e6,
        float(np.median(speed[:, 0] / speed[:, 1])),
        float(np.median(speed[:, 0] / speed[:, 2])),
    )
