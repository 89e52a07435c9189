"""Machines left to themselves, in long implicit steps.

A machine that was stopped takes minutes to come to rest, and what matters is what is left of its
pressures, not how they swing. Backward Euler damps what swings and never lets a pressure fall below
what is left of it; with a companion at every net (:mod:`umweg.core.components.companions`) each of
its steps is a steady state, so thousands of machines take one as fast as they settle.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

from umweg.core.circuit.document import Component
from umweg.core.components.base import Array
from umweg.core.components.companions import HeldBack, StoppedRod
from umweg.core.network.network import Indices, Network, SolvableState
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.core.solve.storage import NetworkStorage

PAST_MM = 0.01
"""How far past its end a rod may be taken by a step: pressed oil gives way by a millimetre."""
SMALLER, SMALLER_TWICE = 5, 2
"""A step that finds no state is gone in so many smaller ones, and each of these once more."""
AT_REST_BAR = 0.5
"""What has no more than so much above its rest is taken to be there."""
_GAS = (("gas_l", "precharge_bar"), ("stands_l", "head_bar"))


@dataclass(frozen=True)
class Moment:
    """How B machines stand: ``across (N_all, B)``, ``place_mm (P, B)`` of their rods, the commands
    ``switched (Q, B)`` that oil gave last, and which of them could be followed so far.

    Where a machine's rods are ``tracked``, what their places open or press follows them; else it
    stays as its state says.
    """

    across: Array
    place_mm: Array
    switched: Array
    tracked: NDArray[np.bool_]
    known: NDArray[np.bool_]

    def part(self, rows: Indices) -> "Moment":
        """Some of the machines."""
        return Moment(*(getattr(self, f.name)[..., rows] for f in fields(self)))

    @classmethod
    def joined(cls, moments: Sequence["Moment"]) -> "Moment":
        """All machines of some moments behind one another."""
        return cls(
            *(np.concatenate([getattr(m, f.name) for m in moments], axis=-1) for f in fields(cls))
        )


class Relaxing:
    """Takes machines of one network through long steps; thread-safe, keeps nothing between calls."""

    def __init__(self, steady: SteadySolver) -> None:
        self.network = steady.network
        self.storage = NetworkStorage.of(self.network)
        self._oil = [
            i
            for i, domain in enumerate(self.network.domains[: self.network.unknown_count])
            if domain == "hydraulic"
        ]
        names = self.network.net_names
        stored = [
            _companion(HeldBack.type_name, f"back_{n}", {"oil": names[i]})
            for n, i in enumerate(self._oil)
        ]
        rods = [
            _companion(StoppedRod.type_name, f"rod_{n}", {"rod": names[i]})
            for n, i in enumerate(self.storage.rods)
        ]
        self._with = Network(self.network.circuit, [*stored, *rods])
        self._solver = SteadySolver(self._with, steady.options)
        self._slot = np.array([self._with.slot[p.key] for p in self.network.parameters])
        self._was = self._slots("back", len(stored), "was_bar")
        self._litres = self._slots("back", len(stored), "litres")
        self._per_s = self._slots("back", len(stored), "per_s")
        self._stands = self._slots("rod", len(rods), "stands")
        self._goes = self._slots("rod", len(rods), "goes_mm_s")
        of_rods = self.storage.positions
        self._position = self._slot[np.array([s for own in of_rods for s in own], dtype=np.intp)]
        self._of_position = np.array(
            [p for p, own in enumerate(of_rods) for _ in own], dtype=np.intp
        )

    def _slots(self, kind: str, count: int, name: str) -> Indices:
        own = [self._with.slot[f"{_id(f'{kind}_{n}')}.{name}"] for n in range(count)]
        return np.array(own, dtype=np.intp)

    def half_way(self, count: int) -> Array:
        """(P, B) every rod half way between its ends [mm]."""
        half: Array = np.repeat(0.5 * self.storage.stroke_mm[:, None], count, axis=1)
        return half

    def standing(self, state: SolvableState, cases: Cases, across: Array) -> Moment:
        """Machines that stand in a state, ``across (N_all, B)``; what oil switches is as that says."""
        switched = self.parameters(state, cases, self.storage.switches.table[:, 0])
        known: NDArray[np.bool_] = np.asarray(np.isfinite(across).all(axis=0))
        return Moment(across, self.half_way(cases.count), switched, np.zeros_like(known), known)

    @staticmethod
    def parameters(state: SolvableState, cases: Cases, wanted: Indices) -> Array:
        """(W, B) some parameters of machines that are all in one state."""
        found = np.repeat(state.parameters[wanted][:, None], cases.count, axis=1)
        for slots, values in zip(cases.slot.T, cases.value.T, strict=True):
            for row, own in enumerate(wanted):
                found[row, slots == own] = values[slots == own]
        return found

    def go(
        self,
        states: Sequence[SolvableState],
        cases: Cases,
        moment: Moment,
        steps_s: Iterable[float],
        rest: Array | None = None,
    ) -> Iterator[Moment]:
        """Leave them alone in other states, step by step.

        Parameters
        ----------
        states : of the cases; a case's state does not change on the way
        rest : (N_all, B) where each would come to rest: whoever has no more than that anywhere is
            not followed any further
        """
        followed = np.flatnonzero(moment.known)
        slot, value = self._own(states, cases, moment)
        fixed = self._with.base_parameters.copy()
        fixed[self._litres] = np.maximum(self._litres_now(), 0.0)
        made = []
        for state in states:
            parameters = fixed.copy()
            parameters[self._slot] = state.parameters
            for own, given in self.storage.steady_only.items():
                parameters[self._slot[own]] = given
            made.append(replace(state, parameters=parameters))
        for seconds in steps_s:
            moment, followed = self._stepped(made, cases, (slot, value), moment, followed, seconds)
            if rest is not None and len(followed):
                had, at_rest = moment.across[self._oil], rest[self._oil]
                over = had[:, followed] > at_rest[:, followed] + AT_REST_BAR
                followed = followed[over.any(axis=0)]
            yield moment

    def after(
        self,
        states: Sequence[SolvableState],
        cases: Cases,
        moment: Moment,
        steps_s: Iterable[float],
    ) -> Moment:
        """How they stand after all of the steps."""
        for now in self.go(states, cases, moment, steps_s):
            moment = now
        return moment

    def _litres_now(self) -> Array:
        """(O,) oil at each net with every rod half way."""
        store = self.storage
        litres: Array = (store.litres + store.per_mm @ (0.5 * store.stroke_mm))[self._oil]
        return litres

    def _own(
        self, states: Sequence[SolvableState], cases: Cases, moment: Moment
    ) -> tuple[Indices, Array]:
        """What differs in each case from its state, besides what changes from step to step."""
        columns = [np.where(cases.slot >= 0, self._slot[cases.slot], -1)]
        values = [cases.value]

        def add(slots: Sequence[int], found: Array) -> None:
            if len(slots):
                row = np.array(slots, dtype=np.intp)[None]
                columns.append(np.repeat(row, cases.count, axis=0))
                values.append(found.T)

        # What oil has switched stays switched.
        add([int(self._slot[s]) for s in self.storage.switches.table[:, 0]], moment.switched)
        # The gas of a store, or what stands above a net, may itself be what is wrong.
        for net, volume, bar, _, kind in self.storage.vessels:
            part = _id(f"back_{self._oil.index(int(net))}")
            wanted = np.array([volume, bar], dtype=np.intp)
            found = np.empty((2, cases.count))
            for number, state in enumerate(states):
                of = np.flatnonzero(cases.state == number)
                found[:, of] = self.parameters(state, cases.part(of), wanted)
            add([self._with.slot[f"{part}.{name}"] for name in _GAS[int(kind)]], found)
        return np.hstack(columns), np.hstack(values)

    def _stepped(
        self,
        states: Sequence[SolvableState],
        cases: Cases,
        own: tuple[Indices, Array],
        moment: Moment,
        followed: Indices,
        seconds: float,
        smaller: int = SMALLER_TWICE,
    ) -> tuple[Moment, Indices]:
        """One step; who cannot be followed over it goes it in smaller ones."""
        after, found = self._step(states, cases, own, moment, followed, seconds)
        lost = followed[~after.known[followed]]
        if not len(lost) or not smaller:
            return after, found
        after.known[lost] = True
        for had, now in ((moment.across, after.across), (moment.place_mm, after.place_mm)):
            now[:, lost] = had[:, lost]
        each_s = seconds / SMALLER
        for _ in range(SMALLER):
            if len(lost):
                after, lost = self._stepped(states, cases, own, after, lost, each_s, smaller - 1)
        return after, followed[after.known[followed]]

    def _step(
        self,
        states: Sequence[SolvableState],
        cases: Cases,
        own: tuple[Indices, Array],
        moment: Moment,
        followed: Indices,
        seconds: float,
    ) -> tuple[Moment, Indices]:
        """One step; who cannot be followed keeps what it had."""
        for state in states:
            state.parameters[self._per_s] = 1.0 / seconds
        across, place = moment.across.copy(), moment.place_mm.copy()
        known = moment.known.copy()
        rods, stroke = self.storage.rods, self.storage.stroke_mm
        count = len(followed)
        stands, goes = np.zeros((len(rods), count)), np.zeros((len(rods), count))
        shares = np.clip(moment.place_mm / np.maximum(stroke[:, None], 1e-9), 0.0, 1.0)
        unknown = self.network.unknown_count
        left = np.arange(count)
        for _ in range(1 + len(rods)):
            rows = followed[left]
            varying = np.hstack(
                [
                    moment.across[self._oil][:, rows].T,
                    stands[:, left].T,
                    goes[:, left].T,
                    shares[self._of_position][:, rows].T,
                ]
            )
            slots = np.concatenate([self._was, self._stands, self._goes, self._position])
            changed = np.repeat(slots[None], len(rows), axis=0)
            changed[~moment.tracked[rows], len(slots) - len(self._position) :] = -1
            solution = self._solver.solve(
                states,
                Cases(
                    cases.state[rows],
                    np.hstack([own[0][rows], changed]),
                    np.hstack([own[1][rows], varying]),
                ),
                moment.across[:unknown, rows],
            )
            fine = solution.converged
            known[rows[~fine]] = False
            across[:, rows[fine]] = solution.across[:, fine]
            moved = moment.place_mm[:, rows] + seconds * solution.across[rods]
            past = fine & (stands[:, left] == 0.0)
            past = past & ((moved > stroke[:, None] + PAST_MM) | (moved < -PAST_MM))
            end = np.clip(moved, 0.0, stroke[:, None])
            place[:, rows[fine]] = end[:, fine]
            if not past.any():
                break
            # Once more, those that came to their ends held there.
            again = np.flatnonzero(past.any(axis=0))
            for p, b in zip(*np.nonzero(past), strict=True):
                stands[p, left[b]] = 1.0
                goes[p, left[b]] = (end[p, b] - moment.place_mm[p, rows[b]]) / seconds
            left = left[again]
        after = replace(moment, across=across, place_mm=place, known=known)
        return after, followed[known[followed]]


def _id(name: str) -> str:
    return f"companion_{name}"


def _companion(kind: str, name: str, joins: dict[str, str]) -> Component:
    return Component(id=_id(name), type=kind, label=name, connections=joins)
