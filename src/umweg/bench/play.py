"""How fast machines run in time, against one scipy integration per candidate."""

import time
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.integrate import solve_ivp

from umweg.bench.solve import random_cases
from umweg.core.circuit.document import Circuit
from umweg.core.components.base import Array
from umweg.core.fluid import AIR_POLYTROPIC, ATMOSPHERE_BAR, BULK_MODULUS_BAR, FREE_AIR
from umweg.core.network.network import Network
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.core.solve.transient import Phase, TransientSolver


@dataclass(frozen=True)
class PlayFigures:
    """What ``bench play`` prints for one circuit."""

    circuit: str
    unknowns: int
    candidates: int
    machine_s: float
    wall_s: float
    """For all candidates together."""
    finished: float
    steps_median: float
    one_times_real: float
    """Machine seconds in a second, one machine alone."""
    scipy_wall_s: float
    """One Radau integration of the healthy machine, where it came to an end."""
    scipy_machine_s: float
    worst_bar: float
    """Largest difference of any oil pressure to it at its end."""

    @property
    def ratio(self) -> float:
        """Times faster than one Radau integration for each candidate."""
        theirs = self.scipy_wall_s / self.scipy_machine_s
        return theirs / (self.wall_s / (self.machine_s * self.candidates))


def radau(
    solver: TransientSolver, phases: Sequence[Phase], start: Array, times: Array
) -> Array | None:
    """The same equations by an implicit Runge–Kutta method of order five; None where it fails.

    Rods are taken in the middle of their strokes and reach no end.

    Parameters
    ----------
    start : (N_all, 1) solved at the beginning; times : (T,) when to look

    Returns
    -------
    (T, N_unknown) across variables
    """
    steady, store, network = solver.steady, solver.storage, solver.network
    n = network.unknown_count
    litres = store.litres + store.per_mm @ (0.5 * store.stroke_mm)
    edges = np.concatenate([[0.0], np.cumsum([p.seconds for p in phases])])
    moving = store.inertia > 0.0

    def rate(t: float, x: Array) -> Array:
        at = min(int(np.searchsorted(edges, t, side="right")) - 1, len(phases) - 1)
        now, before = phases[at].state, phases[max(at - 1, 0)].state
        share = 1.0 if at == 0 else min((t - edges[at]) / phases[at].ramp_s, 1.0)
        k = before.parameters + share * (now.parameters - before.parameters)
        for slot, value in store.steady_only.items():
            k[slot] = value
        fixed = before.boundary + share * (now.boundary - before.boundary)
        nu = before.viscosity_mm2_s + share * (now.viscosity_mm2_s - before.viscosity_mm2_s)
        across = np.concatenate([x, fixed])[:, None]
        residual, _ = steady.linearise(across, k[:, None], np.array([[nu]]))
        r = np.empty(n)
        r[steady.structure.order] = residual[:, 0]
        absolute = ATMOSPHERE_BAR + np.maximum(x, -0.95)
        air = FREE_AIR * (ATMOSPHERE_BAR / absolute) ** (1.0 / AIR_POLYTROPIC)
        slope = 1.0 / BULK_MODULUS_BAR + air / AIR_POLYTROPIC / absolute
        rates: Array = -r / np.where(moving, store.inertia, 60.0 * litres * slope)
        return rates

    found = solve_ivp(
        rate,
        (0.0, float(times[-1])),
        start[:n, 0],
        method="Radau",
        t_eval=times,
        rtol=1e-5,
        atol=1e-4,
        max_step=0.1,
    )
    return np.asarray(found.y).T if found.success else None


def bench_play(
    circuit: Circuit, candidates: int = 2000, machine_s: float = 10.0, scipy_s: float = 1.0
) -> PlayFigures:
    """Play one program for many candidates, then one machine alone, then by scipy.

    The program goes through a running state without a lever, and two with one.
    """
    network = Network(circuit)
    steady = SteadySolver(network)
    solver = TransientSolver(steady)
    running = [s for s in circuit.states.values() if s.engine != "off" and not s.interventions]
    still = [s for s in running if not s.moves][:1] or running[:1]
    chosen = [*still, *[s for s in running if s.moves][:2]]
    phases = [Phase(network.state(s), machine_s / len(chosen)) for s in chosen]
    cases = random_cases(network, 1, candidates, np.random.default_rng(7))
    found = steady.solve([phases[0].state], cases)
    start = np.where(found.converged, found.across, np.nan)
    oil = np.array([i for i in range(network.unknown_count) if network.domains[i] == "hydraulic"])
    solver.play(phases, cases.part(slice(0, 32)), start=start[:, :32], kept=oil)
    begin = time.perf_counter()
    played = solver.play(phases, cases, start=start, kept=oil)
    wall = time.perf_counter() - begin
    alone, healthy = Cases.as_documented(1), steady.solve([phases[0].state], Cases.as_documented(1))
    begin = time.perf_counter()
    solver.play(phases, alone, start=healthy.across, kept=oil)
    one = machine_s / (time.perf_counter() - begin)
    short = [Phase(p.state, scipy_s / 2) for p in phases[:2]]
    times = np.array([0.0, scipy_s])
    begin = time.perf_counter()
    theirs = radau(solver, short, healthy.across, times)
    theirs_s = time.perf_counter() - begin
    ours = solver.play(short, alone, start=healthy.across, kept=oil, grid=times)
    gap = np.nan if theirs is None else float(np.abs(ours.across[0, -1] - theirs[-1, oil]).max())
    return PlayFigures(
        circuit.id,
        network.unknown_count,
        candidates,
        machine_s,
        wall,
        float(played.finished[np.isfinite(start).all(axis=0)].mean()),
        float(np.median(played.steps)),
        one,
        theirs_s if theirs is not None else np.nan,
        scipy_s,
        gap,
    )
