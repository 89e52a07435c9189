"""Steady states by pseudo-transient continuation, for a batch of candidates at once.

Each iteration is one implicit step ``(M/δ + J)·Δx = −r``. The step δ grows while the residual
falls and is cut back when it rises. A bold rule runs first; what it leaves goes on from where it
is under a careful rule and then a patient one; what is left then starts again from rest. A
candidate that still has no solution is flagged, and never shown as a number.
"""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cached_property, partial
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from umweg.core.components.base import Array
from umweg.core.network.network import Indices, Network, SolvableState
from umweg.core.solve.elimination import assemble, form_cavities, gather
from umweg.core.solve.respond import CONDITIONS, respond
from umweg.core.solve.settle import SETTLED, WAITING, array_list, law_list, settle
from umweg.core.solve.structure import Structure, structure_of
from umweg.core.solve.threads import THREADS, side_by_side

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
        # A handful in ten thousand: so slowly that what snaps over has time to come to rest.
        Rule(1.05, 2.0, 1500, fresh=True, from_rest=True),
    )
    opening_step: float = 1e5
    """Pseudo-time step of the first rule."""
    first_step: float = 0.3
    """Step of a rule that starts fresh."""
    tolerance_lpm: float = 1e-8
    lanes: tuple[int, ...] = (64, 16, 4)
    """Width of a block of lanes; when too few are busy, what is left goes on in a narrower one."""
    threads: int = THREADS
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

    def part(self, rows: slice | Indices) -> "Cases":
        """Some of the cases."""
        return Cases(self.state[rows], self.slot[rows], self.value[rows])

    @classmethod
    def one(cls, own: Mapping[int, float]) -> "Cases":
        """One case in the first state, with the values of some parameter slots."""
        slot = np.array([list(own) or [-1]], dtype=np.intp)
        value = np.array([list(own.values()) or [0.0]], dtype=float)
        return cls(np.zeros(1, dtype=np.intp), slot, value)

    @classmethod
    def as_documented(cls, states: int) -> "Cases":
        """The machine of the document once in each of so many states."""
        nothing = np.full((states, 1), -1, dtype=np.intp)
        return cls(np.arange(states, dtype=np.intp), nothing, np.zeros((states, 1)))


@dataclass(frozen=True)
class Solution:
    """Across variables ``(N_all, B)`` and the quality of each case.

    A case with ``converged`` False is *unknown*; its numbers must not be used.
    """

    across: Array
    converged: NDArray[np.bool_]
    residual_lpm: Array
    iterations: Indices

    def part(self, cases: slice) -> "Solution":
        """Some of the cases, in arrays of their own."""
        return Solution(
            self.across[:, cases].copy(),
            self.converged[cases].copy(),
            self.residual_lpm[cases].copy(),
            self.iterations[cases].copy(),
        )

    @classmethod
    def joined(cls, parts: Sequence[tuple["Solution", slice]]) -> "Solution":
        """Some cases of each behind one another."""
        return cls(
            np.concatenate([p.across[:, cases] for p, cases in parts], axis=1),
            np.concatenate([p.converged[cases] for p, cases in parts]),
            np.concatenate([p.residual_lpm[cases] for p, cases in parts]),
            np.concatenate([p.iterations[cases] for p, cases in parts]),
        )


class _Work:
    """Arrays of one chunk's iteration, made once and filled again."""

    def __init__(self, network: Network, structure: Structure, count: int) -> None:
        self.residual = np.empty((len(structure.order), count))
        self.values = np.empty((structure.slot_count, count))
        shapes = [g.nets.shape for g in network.groups]
        self.x = [np.empty((c, p, count)) for c, p in shapes]
        self.f = [np.empty((c, p, count)) for c, p in shapes]
        self.j = [np.empty((c, p, p, count)) for c, p in shapes]


@dataclass(frozen=True)
class Lanes:
    """A block of lanes as compiled code takes it."""

    width: int
    groups: tuple[Any, ...]
    blocks: tuple[Any, ...]
    residual: Array
    values: Array


class SteadySolver:
    """Solves steady states of one network; thread-safe, keeps nothing of one call for another."""

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
        self.longest_move = np.array([limit[network.domains[i]] for i in order])
        self.oil_rows = np.array([i if network.domains[i] == "hydraulic" else -1 for i in order])
        self._turning = np.array([float(network.domains[i] == "rotation") for i in range(n)])
        self.laws = law_list([g.kind for g in network.groups])
        self._free: dict[int, list[Lanes]] = {}
        self._nets = [np.ascontiguousarray(g.nets, dtype=np.intp) for g in network.groups]
        self._rules = np.array(
            [(r.growth, r.reject, r.iterations, r.fresh, r.from_rest) for r in self.options.rounds],
            dtype=float,
        )
        s = self.structure
        self.program = (
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
        oil = sorted(int(i) for i in self.oil_rows if i >= 0)
        return [self.network.net_names[i] for i in oil if across[i] < CAVITY_BAR + 0.05]

    def parameters_of(
        self, states: Sequence[SolvableState], cases: Cases, slots: Indices | None = None
    ) -> Array:
        """(M, B) parameter vectors: those of the state, with each case's differences.

        Parameters
        ----------
        slots : (R,) for (R, B) of these parameters alone
        """
        cases = self._linked(states, cases)
        every = np.stack([s.parameters for s in states], 1)
        row = np.arange(len(every))
        if slots is not None:
            every, row = every[slots], np.full(len(every), -1, dtype=np.intp)
            row[slots] = np.arange(len(slots))
        values: Array = np.take(every, cases.state, axis=1)
        for w in range(cases.slot.shape[1]):
            changed = cases.slot[:, w]
            at = np.where(changed >= 0, row[changed], -1)
            case = np.flatnonzero(at >= 0)
            values[at[case], case] = cases.value[case, w]
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
        asked, cases = cases, self._linked(states, cases)
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
            side_by_side(run, queues)
            left = np.flatnonzero(status == WAITING)
        lost = np.flatnonzero(status != SETTLED)
        if start is not None and len(lost):
            # Whoever goes round in circles from where another machine stands may settle from rest.
            again = self.solve(states, asked.part(lost))
            fine = lost[again.converged]
            results[0][fine] = again.across.T[again.converged]
            status[fine] = SETTLED
            results[1][fine] = again.residual_lpm[again.converged]
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
        size = len(self.network.net_names)
        with self.lanes(width) as lanes:
            settle(
                queue,
                fewest,
                self.laws,
                lanes.groups,
                self.program,
                (self._mass, self.longest_move, self.oil_rows, self._turning),
                self._rules,
                self.options.first_step,
                self.options.tolerance_lpm,
                (CAVITY_BAR, CAVITY_LPM_PER_BAR),
                what,
                tables,
                lanes.blocks,
                results,
                (
                    (
                        lanes.residual,
                        lanes.values,
                        np.zeros((size, width)),
                        np.zeros((size, width)),
                    ),
                    tuple(np.zeros(width) for _ in range(8)),
                    tuple(np.zeros(width, dtype=np.intp) for _ in range(3)),
                ),
            )

    @contextmanager
    def lanes(self, width: int) -> "Iterator[Lanes]":
        """A block of lanes, so many wide, that nobody else has meanwhile; what it holds means nothing.

        Making one takes as long as solving a few candidates: it is kept for who comes next.
        """
        free = self._free.setdefault(width, [])
        try:
            lanes = free.pop()
        except IndexError:
            lanes = self._made(width)
        yield lanes
        free.append(lanes)

    def _made(self, width: int) -> "Lanes":
        s, network = self.structure, self.network
        work = _Work(network, s, width)
        flat = np.zeros((len(network.parameters), width))
        # The groups' parameters are rows of the one array: a case is loaded by its slots alone.
        ks = [
            flat[g.first_parameter :][: len(g.component_ids) * g.parameter_count].reshape(
                len(g.component_ids), g.parameter_count, width
            )
            for g in network.groups
        ]
        return Lanes(
            width,
            tuple(
                array_list(list(arrays))
                for arrays in (self._nets, work.x, work.f, work.j, s.rows_of, s.slots_of)
            ),
            (array_list(ks), flat, np.ones((1, width)), network.viscosity_slot),
            work.residual,
            work.values,
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
            self.oil_rows,
            s.diagonal,
            CAVITY_BAR,
            CAVITY_LPM_PER_BAR,
            work.residual,
            work.values,
        )
        return work.residual, work.values

    def sensitivities(
        self,
        states: Sequence[SolvableState],
        cases: Cases,
        across: Array,
        slots: Indices,
        steps: Array,
        rows: Indices | None = None,
        per: Array | None = None,
    ) -> NDArray[np.float32]:
        """How each across variable answers to each parameter and to the day's conditions.

        ``dx/dθ = −J⁻¹·∂r/∂θ`` (implicit function theorem) with the factors of the solution's
        own elimination; ``∂r/∂θ`` is a difference of the one component's law, central where the
        step is no small part of the parameter.

        Parameters
        ----------
        across : (N_all, B) solved
        slots : (U,) parameter slots
        steps : (U,) difference steps, in the parameters' units
        rows : (R,) which of the unknown across variables, default all
        per : (U + 2, B) by how much of each parameter, default one unit, then of what drives the
            circuit (shaft speeds, voltage), and of the viscosity, default a whole share

        Returns
        -------
        (U + 2, R, B) change of each across variable by each of these, ``NO_ANSWER`` where that is
        no number; in single precision, for it fills most of the memory
        """
        parameters = self.parameters_of(states, cases)
        tables = (
            np.ascontiguousarray(across),
            parameters,
            self.network.viscosity(states, cases.state, parameters),
        )
        turn = np.lexsort(self._place[1::-1, slots])
        group, component, parameter = np.ascontiguousarray(self._place[:, slots[turn]])
        unknowns = group, component, parameter, np.asarray(steps, dtype=float)[turn], turn
        if rows is None:
            rows = np.arange(self.network.unknown_count)
        place = np.full(self.network.unknown_count, -1, dtype=np.intp)
        place[rows] = np.arange(len(rows))
        if per is None:
            per = np.ones((len(slots) + CONDITIONS, cases.count))
        out = np.empty((len(rows), len(per), cases.count), dtype=np.float32)
        share = -(-cases.count // self.options.threads)
        pieces = [(i, min(i + share, cases.count)) for i in range(0, cases.count, share)]
        side_by_side(lambda p: self._respond(*p, unknowns, place, tables, (per, out)), pieces)
        # Who reads one across variable finds all of it together.
        return out.transpose(1, 0, 2)

    def _respond(
        self,
        first: int,
        last: int,
        unknowns: tuple[Any, ...],
        place: Indices,
        tables: Any,
        results: tuple[Any, ...],
    ) -> None:
        wide = [w for w in self.options.lanes if w >= last - first] or self.options.lanes[:1]
        with self.lanes(wide[-1]) as lanes:
            respond(
                first,
                last,
                self.laws,
                lanes.groups,
                self.program,
                self.oil_rows,
                (CAVITY_BAR, CAVITY_LPM_PER_BAR),
                unknowns,
                place,
                tables,
                lanes.blocks,
                (
                    lanes.residual,
                    lanes.values,
                    np.empty((len(self.network.net_names), lanes.width)),
                    np.empty_like(lanes.residual),
                    np.empty_like(lanes.values),
                ),
                *results,
            )

    @cached_property
    def _place(self) -> Indices:
        """(3, M) group, component within it, and parameter of that, of each parameter's slot."""
        found = np.zeros((3, len(self.network.parameters)), dtype=np.intp)
        for g, group in enumerate(self.network.groups):
            of_group = np.arange(len(group.component_ids) * group.parameter_count)
            rows = group.first_parameter + of_group
            found[0, rows], found[1:, rows] = g, divmod(of_group, group.parameter_count)
        return found
