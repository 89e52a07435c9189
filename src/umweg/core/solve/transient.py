"""Machines in time: a program of states, played from a steady start, for a batch of candidates.

The equations are those of the steady machine with what it stores: ``dS(x)/dt + r(x) = 0``, where a
net holds oil (:mod:`umweg.core.solve.integrate`), a gas store its charge, a rod or shaft its
momentum. Rods have a place, and ends; what oil switches is switched where its pressure passes.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from umweg.core.components.base import Array
from umweg.core.network.network import Indices, SolvableState
from umweg.core.solve.integrate import FAILED, FINISHED, integrate
from umweg.core.solve.steady import CAVITY_BAR, CAVITY_LPM_PER_BAR, Cases, Lanes, SteadySolver
from umweg.core.solve.storage import NetworkStorage
from umweg.core.solve.threads import side_by_side

MOST_EVENTS = 64


@dataclass(frozen=True)
class Phase:
    """A state that lasts, from where the one before it ends."""

    state: SolvableState
    seconds: float
    ramp_s: float = 0.2
    """How long the change to its commands takes, and to its drives' speeds."""


@dataclass(frozen=True)
class Accuracy:
    """What an error of one step may be: a share of the value, and at least so much."""

    share: float = 0.002
    pressure_bar: float = 0.1
    speed_mm_s: float = 2.0
    shaft_rpm: float = 5.0
    voltage_v: float = 0.05
    scale: float = 1.0
    """All of them times this."""
    patience: float = 1.0
    """Share of the usual number of steps after which a machine is given up."""


@dataclass(frozen=True)
class Event:
    """A rod that reached or left its end, or a switch of oil that turned."""

    at_s: float
    rod: int
    """Index of the rod, −1 for a switch."""
    switch: int
    on: bool
    far: bool
    """Of a rod: its outer end, not its inner one."""


@dataclass(frozen=True)
class Watch:
    """What ends a play before its time: who waits for it need not see what comes after.

    One of three: the first arrival of a rod at an end where it did not stand as the last phase
    began; so many arrivals at the same end, or turns of the same switch where no rod is named; or
    the first net that is kept is on the other side of a level than it was, at two samples.
    """

    after_s: float
    """From when on: as the last phase begins."""
    rod: int = -1
    """Index of the rod that is watched."""
    times: int = 0
    level: float = np.nan


AT_END = 0.005
"""Share of its stroke within which a rod stands at its end."""


@dataclass(frozen=True)
class Curves:
    """What was played, for each of B cases.

    ``time_s (T,)``, ``across (B, T, R)`` of the nets that were asked for, ``place_mm (B, T, P)`` of
    the rods; ``lowest`` and ``highest (B, F, R)`` in each phase, between the samples too. A case
    with ``finished`` False is *unknown* from ``reached_s`` on; its later samples are no numbers, and
    nor are those of one that has shown what was watched for.
    """

    time_s: Array
    across: Array
    place_mm: Array
    lowest: Array
    highest: Array
    finished: NDArray[np.bool_]
    reached_s: Array
    steps: Indices
    events: tuple[tuple[Event, ...], ...]


class TransientSolver:
    """Plays machines of one network in time; shares laws, structure and elimination with the steady
    solver; thread-safe, keeps nothing between calls."""

    LANES = (4, 16, 32)
    """Width of a block of lanes, the least that holds all cases: an empty lane costs what a busy one
    does."""

    def __init__(self, steady: SteadySolver, accuracy: Accuracy | None = None) -> None:
        self.steady = steady
        self.network = steady.network
        self.accuracy = accuracy or Accuracy()

    @cached_property
    def storage(self) -> NetworkStorage:
        """What the nets store."""
        return NetworkStorage.of(self.network)

    def play(
        self,
        phases: Sequence[Phase],
        cases: Cases,
        *,
        start: Array,
        kept: Indices,
        samples: int = 200,
        place: Array | None = None,
        grid: Array | None = None,
        watch: Watch | None = None,
    ) -> Curves:
        """Play a program.

        Parameters
        ----------
        phases : F states with their lengths
        cases : B cases; their ``state`` is not looked at, all of them go through all phases
        start : (N_all, B) solved at the beginning
        kept : nets whose curves are given out
        samples : number of equal times from the beginning to the end that are given out
        place : (P,) or (P, B) travel of each rod at the beginning [mm], half its stroke by default
        grid : (T,) times to give out instead
        watch : what ends a play before its time

        Raises
        ------
        ValueError : no phase, or one that does not last.
        """
        if not phases or min(p.seconds for p in phases) <= 0.0:
            raise ValueError("a program has at least one phase, and every phase lasts")
        count, store = cases.count, self.storage
        ends = np.cumsum([p.seconds for p in phases])
        times = np.linspace(0.0, float(ends[-1]), samples) if grid is None else grid
        slot, value = self._followed(phases, cases)
        rods, width = len(store.rods), len(kept)
        places = 0.5 * store.stroke_mm if place is None else place
        places = np.broadcast_to(places.T if places.ndim == 2 else places, (count, rods))
        switched = self._switched(phases[0], slot, value[0])
        results = (
            np.full((count, len(times), width + rods), np.nan),
            np.stack(
                [
                    np.full((count, len(phases), width), np.inf),
                    np.full((count, len(phases), width), -np.inf),
                ],
                axis=-1,
            ),
            np.zeros(count, dtype=np.intp),
            np.zeros(count, dtype=np.intp),
            np.zeros(count),
            np.zeros((count, MOST_EVENTS, 2)),
            np.zeros(count, dtype=np.intp),
        )
        given = (
            (
                np.stack([p.state.parameters for p in phases]),
                np.stack([p.state.boundary for p in phases]),
                np.array([p.state.viscosity_mm2_s for p in phases]),
                ends,
            ),
            np.array([p.ramp_s for p in phases]),
            (slot, value),
            (
                np.ascontiguousarray(start.T),
                np.ascontiguousarray(places, dtype=float),
                np.ascontiguousarray(switched),
                np.ascontiguousarray(self._levels(phases[0], slot, value[0])),
            ),
            np.ascontiguousarray(times, dtype=float),
            np.ascontiguousarray(kept, dtype=np.intp),
            _numbers(watch or Watch(np.inf)),
            results,
        )
        fine = np.flatnonzero(np.isfinite(start).all(axis=0)).astype(np.intp)
        results[2][~np.isfinite(start).all(axis=0)] = FAILED
        wide = next((w for w in self.LANES if len(fine) <= w), self.LANES[-1])
        threads = max(1, min(self.steady.options.threads, -(-len(fine) // wide)))
        queues = [np.ascontiguousarray(fine[t::threads]) for t in range(threads)]
        side_by_side(lambda q: self._integrate(q, wide, given), queues)
        return self._curves(times, width, results)

    def _followed(self, phases: Sequence[Phase], cases: Cases) -> tuple[Indices, Array]:
        """What differs in each case and phase, with what follows from it there."""
        alone = np.zeros(cases.count, dtype=np.intp)
        made = [self.network.linked([p.state], alone, cases.slot, cases.value) for p in phases]
        slot = np.ascontiguousarray(made[0][0], dtype=np.intp)
        return slot, np.ascontiguousarray(np.stack([v for _, v in made]), dtype=float)

    def _switched(self, first: Phase, slot: Indices, value: Array) -> Array:
        """(B, Q) whether each switch is on at the beginning."""
        switches = self.storage.switches
        found = [self._parameter(first, slot, value, command) for command in switches.table[:, 0]]
        shaped = np.array(found, dtype=float).reshape(len(switches.parts), len(slot)).T
        off, on = switches.values[:, 0], switches.values[:, 1]
        result: Array = (shaped - off) / (on - off)
        return result

    def _levels(self, first: Phase, slot: Indices, value: Array) -> Array:
        """(B, Q, 4) where each machine's switches turn on and off."""
        return self.storage.switches.levels(
            len(slot), lambda name: self._parameter(first, slot, value, self.network.slot[name])
        )

    @staticmethod
    def _parameter(first: Phase, slot: Indices, value: Array, wanted: int) -> Array:
        """(B,) one parameter of every machine."""
        found = np.full(len(slot), first.state.parameters[wanted])
        for w in range(slot.shape[1]):
            own = slot[:, w] == wanted
            found[own] = value[own, w]
        return found

    def _integrate(self, queue: Indices, width: int, given: tuple[object, ...]) -> None:
        if len(queue):
            with self.steady.lanes(width) as lanes:
                self._run(queue, lanes, given)

    def _run(self, queue: Indices, lanes: Lanes, given: tuple[object, ...]) -> None:
        tables, ramp, cases, begin, grid, kept, watch, results = given
        steady, store = self.steady, self.storage
        width = lanes.width
        n, total, size = self.network.unknown_count, len(self.network.net_names), len
        order = steady.structure.order
        a = self.accuracy
        least = {
            "hydraulic": a.pressure_bar,
            "translation": a.speed_mm_s,
            "rotation": a.shaft_rpm,
            "electrical": a.voltage_v,
        }
        scale = np.array([a.scale * least[self.network.domains[i]] for i in order])
        rods, parameters = size(store.rods), size(self.network.parameters)
        position_rod, position_slot = _flat(store.positions)
        fixed = sorted(store.steady_only.items())
        integrate(
            queue,
            steady.laws,
            lanes.groups,
            steady.program,
            lanes.blocks,
            steady.oil_rows,
            (CAVITY_BAR, CAVITY_LPM_PER_BAR),
            (scale, steady.longest_move, float(a.patience)),
            (
                store.litres,
                np.ascontiguousarray(store.per_mm),
                store.inertia,
                store.vessels,
            ),
            (
                store.rods,
                steady.structure.row_of[store.rods],
                store.stroke_mm,
                store.end_slots,
                position_rod,
                position_slot,
            ),
            (store.switches.table, store.switches.values),
            (
                np.array([s for s, _ in fixed], dtype=np.intp),
                np.array([v for _, v in fixed], dtype=float),
            ),
            tables,
            ramp,
            cases,
            begin,
            grid,
            kept,
            watch,
            results,
            (
                (
                    lanes.residual,
                    lanes.values,
                    np.zeros((total, width)),
                    np.zeros((total, width)),
                    *(np.zeros((n, width)) for _ in range(3)),
                ),
                (
                    *(np.zeros((n, width)) for _ in range(7)),
                    *(np.zeros((parameters, width)) for _ in range(2)),
                ),
                tuple(np.zeros(width) for _ in range(7)),
                tuple(np.zeros(width, dtype=np.intp) for _ in range(7)),
                (
                    np.zeros((rods, width)),
                    np.zeros((rods, width)),
                    np.ones((rods, width)),
                    np.zeros((rods, width), dtype=np.intp),
                    np.zeros((size(store.switches.table), width)),
                    np.zeros((size(store.switches.table), 4, width)),
                    *(np.ones((size(store.vessels), width)) for _ in range(2)),
                ),
            ),
        )

    def _curves(self, times: Array, width: int, results: tuple[Any, ...]) -> Curves:
        samples, extremes, status, steps, reached, events, event_count = results
        rods = len(self.storage.rods)

        def told(case: int) -> tuple[Event, ...]:
            found = []
            for at, code in events[case, : int(event_count[case])]:
                index, how = divmod(int(code), 4)
                rod, switch = (index, -1) if index < rods else (-1, index - rods)
                found.append(Event(float(at), rod, switch, how != 0, how == 1))
            return tuple(found)

        return Curves(
            time_s=times,
            across=samples[:, :, :width],
            place_mm=samples[:, :, width:],
            lowest=extremes[..., 0],
            highest=extremes[..., 1],
            finished=status == FINISHED,
            reached_s=reached,
            steps=np.asarray(steps, dtype=np.intp),
            events=tuple(told(case) for case in range(len(samples))),
        )


def _numbers(watch: Watch) -> tuple[float, int, int, float, float]:
    """What is watched for as compiled code takes it."""
    return float(watch.after_s), int(watch.rod), int(watch.times), float(watch.level), AT_END


def _flat(of_rods: tuple[Indices, ...]) -> tuple[Indices, Indices]:
    """Slots of all rods in a row, and whose each is."""
    rods = [p for p, slots in enumerate(of_rods) for _ in slots]
    slots = [int(s) for own in of_rods for s in own]
    return np.array(rods, dtype=np.intp), np.array(slots, dtype=np.intp)
