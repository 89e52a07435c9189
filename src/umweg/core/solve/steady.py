"""Steady states by pseudo-transient continuation, for a batch of candidates at once.

Each iteration is one implicit step ``(M/δ + J)·Δx = −r``. The step δ grows while the residual
falls and is cut back when it rises. A fast rule runs first; what it leaves goes on from where it
is under a patient rule; what is left then starts again from rest under the patient rule. A
candidate that still has no solution is flagged, and never shown as a number.
"""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from umweg.core.components.base import Array
from umweg.core.network.network import Indices, Network, SolvableState
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
from umweg.core.solve.structure import Structure, structure_of

CAVITY_BAR = -0.95
"""Gauge pressure at which oil at sea level parts: no net falls far below it."""
CAVITY_LPM_PER_BAR = 100.0
"""How stiffly a cavity holds that pressure."""


@dataclass(frozen=True)
class Rule:
    """How the pseudo-time step grows and when a step is rejected."""

    growth: float
    reject: float
    iterations: int
    fresh: bool = False
    """Start again with a small step (and not from where it is, where that is no number)."""
    from_rest: bool = False


@dataclass(frozen=True)
class Options:
    """Solver options; a misspelt name fails."""

    rounds: tuple[Rule, ...] = (
        # The few slow ones are gathered from all chunks before they go on: a chunk that
        # iterates for one case costs as much as a full one.
        Rule(1.5, 1.5, 40),
        Rule(1.5, 1.5, 80),
        Rule(1.2, 10.0, 400, fresh=True),
        Rule(1.2, 10.0, 400, fresh=True, from_rest=True),
    )
    first_step: float = 0.3
    tolerance_lpm: float = 1e-6
    chunk: int = 1024
    threads: int = 2
    compact_share: float = 0.3
    pressure_step_bar: float = 60.0
    speed_step_mm_s: float = 200.0
    shaft_step_rpm: float = 500.0
    voltage_step_v: float = 12.0


@dataclass(frozen=True)
class Cases:
    """What to solve: for each case the state it is in and up to W parameters that differ.

    ``state (B,)``, ``slot (B, W)`` with −1 for none, ``value (B, W)``.
    """

    state: Indices
    slot: Indices
    value: Array

    @property
    def count(self) -> int:
        """Number of cases B."""
        return len(self.state)

    def part(self, rows: slice) -> "Cases":
        """Some of the cases."""
        return Cases(self.state[rows], self.slot[rows], self.value[rows])


@dataclass(frozen=True)
class Solution:
    """Across variables ``(N_all, B)`` and the quality of each case.

    A case with ``converged`` False is *unknown*; its numbers must not be used.
    """

    across: Array
    converged: NDArray[np.bool_]
    residual_lpm: Array
    iterations: Indices


@dataclass
class _Run:
    """The moving parts of one chunk while it iterates."""

    across: Array
    parameters: Array
    env: Array
    held: Array
    step: Array
    norm: Array
    damping: Array
    going: Array
    done: NDArray[np.bool_]
    ids: Indices

    ARRAYS: ClassVar[tuple[str, ...]] = (
        "across",
        "parameters",
        "env",
        "held",
        "step",
        "norm",
        "damping",
        "going",
        "done",
        "ids",
    )

    def keep(self, mask: NDArray[np.bool_]) -> None:
        """Drop the cases that are done."""
        left = np.flatnonzero(mask)
        for name in self.ARRAYS:
            setattr(self, name, np.take(getattr(self, name), left, axis=-1))


class _Work:
    """Arrays of one chunk's iteration, made once and filled again."""

    def __init__(self, network: Network, structure: Structure, count: int) -> None:
        self.residual = np.empty((len(structure.order), count))
        self.values = np.empty((structure.slot_count, count))
        shapes = [g.nets.shape for g in network.groups]
        self.x = [np.empty((c, p, count)) for c, p in shapes]
        self.f = [np.empty((c, p, count)) for c, p in shapes]
        self.j = [np.empty((c, p, p, count)) for c, p in shapes]


class SteadySolver:
    """Solves steady states of one network; thread-safe, keeps no state between calls."""

    def __init__(self, network: Network, options: Options | None = None) -> None:
        self.network = network
        self.options = options or Options()
        self.structure: Structure = structure_of(network)
        n = network.unknown_count
        mass = {"hydraulic": 1.0, "translation": 0.1, "rotation": 0.05, "electrical": 0.1}
        limit = {
            "hydraulic": self.options.pressure_step_bar,
            "translation": self.options.speed_step_mm_s,
            "rotation": self.options.shaft_step_rpm,
            "electrical": self.options.voltage_step_v,
        }
        order = self.structure.order
        self._mass = np.array([mass[network.domains[i]] for i in order])
        self._limit = np.array([limit[network.domains[i]] for i in order])
        self._oil = np.array([i if network.domains[i] == "hydraulic" else -1 for i in order])
        self._rotation = np.array([network.domains[i] == "rotation" for i in range(n)])

    def cavitating(self, across: Array) -> list[str]:
        """Names of the nets of one solved machine ``across (N_all,)`` where the oil parts."""
        oil = sorted(int(i) for i in self._oil if i >= 0)
        return [self.network.net_names[i] for i in oil if across[i] < CAVITY_BAR + 0.05]

    def parameters_of(self, states: Sequence[SolvableState], cases: Cases) -> Array:
        """(M, B) parameter vectors: those of the state, with each case's differences."""
        values: Array = np.take(np.stack([s.parameters for s in states], 1), cases.state, axis=1)
        for w in range(cases.slot.shape[1]):
            rows = np.flatnonzero(cases.slot[:, w] >= 0)
            values[cases.slot[rows, w], rows] = cases.value[rows, w]
        return values

    def solve(
        self, states: Sequence[SolvableState], cases: Cases, start: Array | None = None
    ) -> Solution:
        """Solve all cases, in chunks that fit the processor's cache.

        Parameters
        ----------
        states : the states the cases refer to
        cases : B cases
        start : (N_unknown, B) across variables to start from, default at rest
        """
        n, count = self.network.unknown_count, cases.count
        boundary = np.stack([s.boundary for s in states])[cases.state].T
        rest = self._rest(boundary)
        across = np.vstack([rest if start is None else start, boundary])
        out = Solution(
            across,
            np.zeros(count, dtype=bool),
            np.full(count, np.inf),
            np.zeros(count, dtype=np.intp),
        )
        step = np.full(count, self.options.first_step)
        left = np.arange(count)
        with ThreadPoolExecutor(self.options.threads) as pool:
            for rule in self.options.rounds:
                if not len(left):
                    break
                if rule.fresh:
                    step[left] = self.options.first_step
                    bad = left if rule.from_rest else left[~np.isfinite(across[:, left]).all(0)]
                    across[:n, bad] = rest[:, bad]
                size = self.options.chunk
                pieces = [left[i : i + size] for i in range(0, len(left), size)]
                run = partial(self._run_chunk, states, cases, rule, step, out)
                list((pool.map if self.options.threads > 1 else map)(run, pieces))
                left = np.flatnonzero(~out.converged)
        return out

    def _rest(self, boundary: Array) -> Array:
        """Across variables of a machine at rest, its shafts already turning."""
        x = np.zeros((self.network.unknown_count, boundary.shape[1]))
        x[self._rotation] = boundary.max(axis=0, initial=0.0)
        return x

    def _run_chunk(
        self,
        states: Sequence[SolvableState],
        cases: Cases,
        rule: "Rule",
        step: Array,
        out: Solution,
        ids: Indices,
    ) -> None:
        part = Cases(cases.state[ids], cases.slot[ids], cases.value[ids])
        across = np.ascontiguousarray(out.across[:, ids])
        run = _Run(
            across,
            self.parameters_of(states, part),
            np.array([s.viscosity_mm2_s for s in states])[part.state].reshape(1, -1),
            across.copy(),
            step[ids],
            np.full(len(ids), np.inf),
            np.ones(len(ids)),
            np.zeros(len(ids)),
            np.zeros(len(ids), dtype=bool),
            ids,
        )
        self._iterate(run, rule, out)
        step[run.ids] = run.step

    def _iterate(self, run: _Run, rule: Rule, out: Solution) -> None:
        s = self.structure
        work = _Work(self.network, s, len(run.ids))
        for _ in range(rule.iterations):
            residual, values = self.linearise(run.across, run.parameters, run.env, work)
            size, norm = np.empty(len(run.ids)), np.empty(len(run.ids))
            measure(residual, size, norm)
            out.iterations[run.ids] += 1
            done = size <= self.options.tolerance_lpm
            fresh = done & ~run.done
            if fresh.any():
                ids = run.ids[fresh]
                out.across[:, ids] = run.across[:, fresh]
                out.residual_lpm[ids] = size[fresh]
                out.converged[ids] = True
                run.done |= done
                if run.done.all():
                    return
            control(
                run.across,
                run.held,
                norm,
                run.norm,
                run.step,
                run.damping,
                run.going,
                rule.growth,
                rule.reject,
            )
            load_diagonal(values, s.diagonal, self._mass, run.step)
            self._factor(values)
            np.negative(residual, out=residual)
            self._substitute(values, residual)
            advance(run.across, residual, s.order, self._limit, run.damping, run.going)
            if run.done.mean() > self.options.compact_share:
                run.keep(~run.done)
                work = _Work(self.network, s, len(run.ids))
        left = ~run.done
        out.across[:, run.ids[left]] = run.held[:, left]
        out.residual_lpm[run.ids[left]] = run.norm[left]

    def linearise(
        self, across: Array, parameters: Array, env: Array, work: "_Work | None" = None
    ) -> tuple[Array, Array]:
        """Residuals ``(N, B)`` and matrix values ``(slots, B)``, in elimination order."""
        s = self.structure
        work = work or _Work(self.network, s, across.shape[1])
        work.residual.fill(0.0)
        work.values.fill(0.0)
        for g, group in enumerate(self.network.groups):
            x, f, j, k = work.x[g], work.f[g], work.j[g], group
            gather(across, group.nets, x, f, j)
            first, m = k.first_parameter, k.parameter_count
            rows = parameters[first : first + len(k.component_ids) * m]
            group.kind.law(x, rows.reshape(-1, m, across.shape[1]), env, f, j)
            assemble(f, j, s.rows_of[g], s.slots_of[g], work.residual, work.values)
        form_cavities(
            across,
            self._oil,
            s.diagonal,
            CAVITY_BAR,
            CAVITY_LPM_PER_BAR,
            work.residual,
            work.values,
        )
        return work.residual, work.values

    def _factor(self, values: Array) -> None:
        s = self.structure
        factor(
            values,
            s.diagonal,
            s.lower_first,
            s.lower_slot,
            s.update_first,
            s.update_target,
            s.update_right,
        )

    def _substitute(self, values: Array, rhs: Array) -> None:
        s = self.structure
        substitute(
            values,
            s.diagonal,
            s.lower_first,
            s.lower_row,
            s.lower_slot,
            s.upper_first,
            s.upper_row,
            s.upper_slot,
            rhs,
        )

    def sensitivities(
        self,
        states: Sequence[SolvableState],
        cases: Cases,
        across: Array,
        slots: Indices,
        steps: Array,
    ) -> Array:
        """How each across variable answers to each parameter at the solution.

        ``dx/dθ = −J⁻¹·∂r/∂θ`` (implicit function theorem) with the factors of the solution's
        own elimination; ``∂r/∂θ`` is a central difference of the one component's law.

        Parameters
        ----------
        across : (N_all, B) solved
        slots : (U,) parameter slots
        steps : (U,) difference steps, in the parameters' units

        Returns
        -------
        (U, N_unknown, B) change of each across variable per unit of each parameter
        """
        n = self.network.unknown_count
        pieces = range(0, cases.count, self.options.chunk)
        out = np.empty((len(slots), n, cases.count))

        def run(first: int) -> None:
            rows = slice(first, min(first + self.options.chunk, cases.count))
            part = cases.part(rows)
            env = np.array([s.viscosity_mm2_s for s in states])[part.state].reshape(1, -1)
            parameters = self.parameters_of(states, part)
            x = np.ascontiguousarray(across[:, rows])
            _, values = self.linearise(x, parameters, env)
            self._factor(values)
            for u, slot in enumerate(slots):
                rhs = self._parameter_column(x, parameters, env, int(slot), float(steps[u]))
                self._substitute(values, rhs)
                out[u, self.structure.order, rows] = rhs

        with ThreadPoolExecutor(self.options.threads) as pool:
            list(pool.map(run, pieces))
        return out

    def _parameter_column(
        self, across: Array, parameters: Array, env: Array, slot: int, step: float
    ) -> Array:
        """(N, B) −∂r/∂θ in elimination order."""
        g = next(
            i
            for i, group in enumerate(self.network.groups)
            if slot < group.first_parameter + len(group.component_ids) * group.parameter_count
        )
        group = self.network.groups[g]
        c, m = divmod(slot - group.first_parameter, group.parameter_count)
        b = across.shape[1]
        x = np.ascontiguousarray(across[group.nets[c]])[None]
        first = group.first_parameter + c * group.parameter_count
        k = parameters[first : first + group.parameter_count][None].copy()
        result = np.zeros((len(self.structure.order), b))
        middle = k[0, m].copy()
        # A faulted value can be smaller than the step; keep both sides positive where it was.
        size = np.minimum(step, np.where(middle > 0, 0.5 * middle, step))
        for sign in (1.0, -1.0):
            k[0, m] = middle + sign * size
            f = np.zeros((1, x.shape[1], b))
            j = np.zeros((1, x.shape[1], x.shape[1], b))
            group.kind.law(x, k, env, f, j)
            for p, row in enumerate(self.structure.rows_of[g][c]):
                if row >= 0:
                    result[row] -= sign * f[0, p] / (2.0 * size)
        return result
