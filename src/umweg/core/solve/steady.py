"""Steady states by pseudo-transient continuation, for a batch of candidates at once.

Each iteration is one implicit step ``(M/δ + J)·Δx = −r``. The step δ grows while the residual
falls and is cut back when it rises. A bold rule runs first; what it leaves goes on from where it
is under a careful rule and then a patient one; what is left then starts again from rest. A
candidate that still has no solution is flagged, and never shown as a number.
"""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from umweg.core.components.base import Array
from umweg.core.network.network import Indices, Network, SolvableState
from umweg.core.solve.elimination import assemble, factor, form_cavities, gather, substitute
from umweg.core.solve.settle import SETTLED, WAITING, array_list, law_list, settle
from umweg.core.solve.structure import Structure, structure_of

CAVITY_BAR = -0.95
"""Gauge pressure at which oil at sea level parts: no net falls far below it."""
CAVITY_LPM_PER_BAR = 300.0
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
        # Nearly Newton from the start: it settles most; the careful rule takes what it does not.
        Rule(1.5, 10.0, 20),
        Rule(2.0, 3.0, 120, fresh=True),
        Rule(1.2, 10.0, 400, fresh=True),
        Rule(1.2, 10.0, 400, fresh=True, from_rest=True),
    )
    opening_step: float = 1e5
    """Pseudo-time step of the first rule."""
    first_step: float = 0.3
    """Step of a rule that starts fresh."""
    tolerance_lpm: float = 1e-8
    chunk: int = 1024
    """Candidates whose sensitivities are found together."""
    lanes: tuple[int, ...] = (64, 16, 4)
    """Width of a block of lanes; when too few are busy, what is left goes on in a narrower one."""
    threads: int = 2
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
        self._turning = np.array([float(network.domains[i] == "rotation") for i in range(n)])
        self._laws = law_list([g.kind for g in network.groups])
        self._nets = [np.ascontiguousarray(g.nets, dtype=np.intp) for g in network.groups]
        self._rules = np.array(
            [(r.growth, r.reject, r.iterations, r.fresh, r.from_rest) for r in self.options.rounds],
            dtype=float,
        )
        s = self.structure
        self._program = (
            s.order,
            s.diagonal,
            s.lower_first,
            s.lower_row,
            s.lower_slot,
            s.update_first,
            s.update_target,
            s.update_right,
            s.upper_first,
            s.upper_row,
            s.upper_slot,
        )

    def cavitating(self, across: Array) -> list[str]:
        """Names of the nets of one solved machine ``across (N_all,)`` where the oil parts."""
        oil = sorted(int(i) for i in self._oil if i >= 0)
        return [self.network.net_names[i] for i in oil if across[i] < CAVITY_BAR + 0.05]

    def parameters_of(self, states: Sequence[SolvableState], cases: Cases) -> Array:
        """(M, B) parameter vectors: those of the state, with each case's differences."""
        cases = self._linked(states, cases)
        values: Array = np.take(np.stack([s.parameters for s in states], 1), cases.state, axis=1)
        for w in range(cases.slot.shape[1]):
            rows = np.flatnonzero(cases.slot[:, w] >= 0)
            values[cases.slot[rows, w], rows] = cases.value[rows, w]
        return values

    def _linked(self, states: Sequence[SolvableState], cases: Cases) -> Cases:
        slot, value = self.network.linked(states, cases.state, cases.slot, cases.value)
        return Cases(cases.state, slot, value)

    def solve(
        self, states: Sequence[SolvableState], cases: Cases, start: Array | None = None
    ) -> Solution:
        """Solve all cases, a few lanes at a time.

        Parameters
        ----------
        states : the states the cases refer to
        cases : B cases
        start : (N_unknown, B) across variables to start from, default at rest
        """
        cases = self._linked(states, cases)
        count = cases.count
        boundary = np.stack([s.boundary for s in states])[cases.state]
        begin = self._rest(boundary) if start is None else start.T
        tables = (
            np.ascontiguousarray(np.hstack([begin, boundary])),
            np.stack([s.parameters for s in states]),
            np.array([s.viscosity_mm2_s for s in states]),
            np.full(count, self.options.opening_step),
        )
        results = (
            np.empty((count, len(self.network.net_names))),
            np.full(count, np.inf),
            *(np.zeros(count, dtype=np.intp) for _ in range(4)),
        )
        what: tuple[Indices, Indices, Array] = (
            np.ascontiguousarray(cases.state, dtype=np.intp),
            np.ascontiguousarray(cases.slot, dtype=np.intp),
            np.ascontiguousarray(cases.value, dtype=float),
        )
        status = results[2]
        left = np.arange(count)
        for width, narrower in pairwise((*self.options.lanes, 0)):
            if not len(left):
                break
            if narrower and len(left) < width:
                continue
            threads = min(self.options.threads, -(-len(left) // width))
            run = partial(self._settle, width, narrower, what, tables, results)
            queues = [np.ascontiguousarray(left[t::threads]) for t in range(threads)]
            if threads > 1:
                with ThreadPoolExecutor(threads) as pool:
                    list(pool.map(run, queues))
            else:
                run(queues[0])
            left = np.flatnonzero(status == WAITING)
        return Solution(
            np.ascontiguousarray(results[0].T), status == SETTLED, results[1], results[3]
        )

    def _rest(self, boundary: Array) -> Array:
        """Across variables (B, N) of a machine at rest, its shafts already turning."""
        fastest: Array = boundary.max(axis=1, initial=0.0)
        return np.outer(fastest, self._turning)

    def _settle(
        self,
        width: int,
        fewest: int,
        what: tuple[Indices, Indices, Array],
        tables: tuple[Array, ...],
        results: tuple[Array, ...],
        queue: Indices,
    ) -> None:
        s, network = self.structure, self.network
        work = _Work(network, s, width)
        size = len(network.net_names)
        flat = np.zeros((len(network.parameters), width))
        # The groups' parameters are rows of the one array: a case is loaded by its slots alone.
        ks = [
            flat[g.first_parameter :][: len(g.component_ids) * g.parameter_count].reshape(
                len(g.component_ids), g.parameter_count, width
            )
            for g in network.groups
        ]
        settle(
            queue,
            fewest,
            self._laws,
            tuple(
                array_list(list(arrays))
                for arrays in (self._nets, work.x, work.f, work.j, s.rows_of, s.slots_of)
            ),
            self._program,
            (self._mass, self._limit, self._oil, self._turning),
            self._rules,
            self.options.first_step,
            self.options.tolerance_lpm,
            (CAVITY_BAR, CAVITY_LPM_PER_BAR),
            what,
            tables,
            (array_list(ks), flat, np.ones((1, width)), network.viscosity_slot),
            results,
            (
                (work.residual, work.values, np.zeros((size, width)), np.zeros((size, width))),
                tuple(np.zeros(width) for _ in range(8)),
                tuple(np.zeros(width, dtype=np.intp) for _ in range(3)),
            ),
        )

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
            parameters = self.parameters_of(states, part)
            env = self.network.viscosity(states, part.state, parameters)
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
