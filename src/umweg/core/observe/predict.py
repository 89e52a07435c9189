"""What every candidate machine would show in a state: means, spreads, ratings exceeded."""

import hashlib
import threading
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache, cached_property
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from umweg.core.circuit.document import Circuit, MachineState, Timing
from umweg.core.components.base import Array
from umweg.core.errors import SolveError
from umweg.core.faults.population import Population, single_faults, unknowns_of
from umweg.core.fluid import viscosity_mm2_s
from umweg.core.network.network import Indices, Network, SolvableState
from umweg.core.observe import shelf
from umweg.core.observe.plays import Plays
from umweg.core.observe.prediction import (
    EVERYBODY,
    SEVERITIES,
    Made,
    MadeWhenAsked,
    Overload,
    Some,
    StatePrediction,
    TimedPrediction,
)
from umweg.core.observe.quantities import (
    Extractor,
    Parts,
    Quantity,
    quantities_of,
    quantity_of,
    stopped,
)
from umweg.core.observe.timed import TimedReader
from umweg.core.solve.begin import begun, settled, stood
from umweg.core.solve.respond import CONDITIONS
from umweg.core.solve.steady import Cases, Solution, SteadySolver

ENGINE_SD = 0.015
"""How far the engine's speed is from what is stated, as a share: governor and tachometer."""
OIL_SD_C = 3.5
"""How far the oil's temperature is from what is stated: where it is measured, how long it ran."""

CERTAIN = 1e-6
"""What is left of the spreads of a machine that is taken to be as documented: slopes are
differences, and none is taken over nothing."""
MOST_KEYS = 1000
"""States whose names are remembered."""


@dataclass(frozen=True)
class Elsewhere:
    """What some candidates show where their unknowns are not as documented.

    ``mean (Q, L)`` on the comparison scale; ``slopes`` Q of ``(U + T + 4, sloped)``, per standard
    deviation there, those of timings and severities zero.
    """

    mean: Array
    slopes: tuple[Array, ...]
    solution: Solution


class Predictor:
    """Solves states for one circuit's population and keeps what it has solved.

    Results depend only on circuit, population and state; they can be thrown away at any time.

    Parameters
    ----------
    sloped : candidates whose slopes are asked for, default everybody's; all others' are zero
    shelved : whether what is solved is put where other processes of this user find it
    certain : whether the machine is taken to be exactly as documented
    """

    def __init__(
        self,
        circuit: Circuit,
        population: Population,
        solver: SteadySolver | None = None,
        sloped: Indices | None = None,
        shelved: bool = False,
        certain: bool = False,
    ) -> None:
        self.circuit = circuit
        self.solver = solver or SteadySolver(Network(circuit))
        self.network = self.solver.network
        self.population = population
        self._sloped = np.arange(population.count) if sloped is None else sloped
        self._place_sloped = np.full(population.count, -1, dtype=np.intp)
        self._place_sloped[self._sloped] = np.arange(len(self._sloped))
        unknowns = unknowns_of(self.network)
        self.unknowns = replace(unknowns, sigma=unknowns.sigma * CERTAIN) if certain else unknowns
        self.quantities = quantities_of(circuit)
        self._extract = Extractor(self.network)
        self._shelved = shelved
        self._keys: dict[int, tuple[MachineState, str]] = {}
        self._done: dict[str, StatePrediction] = {}
        self._healthy: dict[str, Array] = {}
        self._solvable: dict[str, SolvableState] = {}
        self._timed: dict[Quantity, TimedPrediction] = {}
        self._plays: dict[Quantity, Plays] = {}
        self._once: dict[str, shelf.Arrays] = {}
        self._making = threading.RLock()
        self.seen: dict[str, Array] = {}
        """What was seen or said, by name: (W, C) probability of each word."""
        self.patient = True
        """Whether who plans waits for what could be read in time to be played."""
        self.told: Callable[[Timing, int], None] | None = None
        """Who hears what is played, and of how many candidates, before it is waited for."""
        self._lock = threading.Lock()
        rated = [(c, port, bar) for c in circuit.components for port, bar in c.ratings.items()]
        self._rated_ports = tuple(f"{c.id}.{port}" for c, port, _ in rated)
        self._rated_rows = np.array(
            [self.network.net_index[self._net(c.id, port)] for c, port, _ in rated], dtype=np.intp
        )
        self._rated_bar = np.array([bar for _, _, bar in rated])

    @classmethod
    def of(cls, circuit: Circuit, shelved: bool = True) -> "Predictor":
        """The one of all single faults of a circuit, the same for everybody who asks."""
        solver = SteadySolver(Network(circuit))
        return cls(circuit, single_faults(solver.network), solver, shelved=shelved)

    @property
    def grid(self) -> "Predictor":
        """The one of all single faults on the grid, which is kept longest."""
        return self

    @property
    def of_grid(self) -> Indices:
        """(C,) which of the grid's candidates each of these is, −1 where it is none of them."""
        return np.arange(self.population.count)

    def _net(self, component_id: str, port: str) -> str:
        part = next(p for p in self.network.parts if p.id == component_id)
        return part.connections[port]

    def __getitem__(self, state: MachineState) -> StatePrediction:
        """Prediction of one state, computed when first asked for."""
        # Another thread may put this one aside before it is looked up.
        while (found := self._done.get(self._key(state))) is None:
            self.prepare([state])
        return found

    def _key(self, state: MachineState) -> str:
        """The state's name: whoever plans asks for the same few states hundreds of times."""
        known = self._keys.get(id(state))
        if known is None or known[0] is not state:
            if len(self._keys) > MOST_KEYS:
                self._keys.clear()
            known = self._keys[id(state)] = state, state_key(state)
        return known[1]

    def solvable(self, state: MachineState) -> SolvableState:
        """A state in numbers: looks ask for those of a dozen parts in as many states."""
        key = self._key(state)
        if key not in self._solvable:
            self._solvable[key] = self.network.state(state)
        return self._solvable[key]

    def prepare(self, states: Iterable[MachineState]) -> None:
        """Compute several states in one batch.

        Raises
        ------
        SolveError : the healthy machine has no steady state in one of them.
        """
        with self._lock:
            wanted = {self._key(s): s for s in states}
            new = {key: s for key, s in wanted.items() if not self._found(key, s)}
            if not new:
                return
            solvable = [self.network.state(s) for s in new.values()]
            healthy = self._solve_healthy(solvable, [s.label for s in new.values()])
            solved = self._solved(list(new.values()), solvable, healthy)
            for i, (key, state) in enumerate(new.items()):
                self._done[key] = self._predict(state, solvable[i], solved[i], healthy[:, i])
                self.keep(key, _packed(solved[i], healthy[:, i]))

    def _found(self, key: str, state: MachineState) -> bool:
        """Whether this state was solved, here or by another process of this user."""
        if key in self._done:
            return True
        arrays = self.kept(key)
        if arrays is None:
            return False
        solution, healthy = _unpacked(arrays)
        self._done[key] = self._predict(state, self.network.state(state), solution, healthy)
        return True

    def kept(self, name: str) -> shelf.Arrays | None:
        """What a process of this user has put on the shelf of these candidates, by its name."""
        return shelf.found(self._place_of(name)) if self._shelved else None

    def keep(self, name: str, arrays: shelf.Arrays) -> None:
        """Put there what depends on nothing but circuit, candidates and core."""
        if self._shelved:
            shelf.put(self._place_of(name), arrays)

    def once(self, name: str, make: Callable[[], shelf.Arrays]) -> shelf.Arrays:
        """What depends on nothing but circuit, candidates and core, by its name: at hand, else from
        the shelf, else made and put there."""
        with self._making:
            found = self._once.get(name)
            if found is None:
                found = self.kept(name)
            if found is None:
                found = make()
                self.keep(name, found)
            self._once[name] = found
            return found

    def at_hand(self) -> Mapping[str, shelf.Arrays]:
        """What was made once, by name."""
        return dict(self._once)

    def bring(self, name: str, arrays: shelf.Arrays) -> None:
        """Take over what was made once elsewhere."""
        self._once.setdefault(name, arrays)

    def _place_of(self, name: str) -> str:
        return f"{self._shelf}-{hashlib.sha256(name.encode()).hexdigest()[:20]}"

    @cached_property
    def _shelf(self) -> str:
        return shelf.name_of(self.circuit, self.population)

    def _solved(
        self, states: Sequence[MachineState], solvable: Sequence[SolvableState], healthy: Array
    ) -> list[Solution]:
        """Every candidate in each of S states, with the sound machine's (N_all, S) there."""
        every = np.arange(self.population.count)
        return self._solve(states, solvable, healthy, [every] * len(states))

    def _solve(
        self,
        states: Sequence[MachineState],
        solvable: Sequence[SolvableState],
        healthy: Array,
        rows: list[Indices],
    ) -> list[Solution]:
        """Some candidates in each state, all in one batch.

        Parameters
        ----------
        rows : of each state, which candidates
        """
        counts = [len(r) for r in rows]
        cases = Cases(
            np.repeat(np.arange(len(states)), counts),
            np.concatenate(
                [self.population.slot_at(s.oil_c)[r] for s, r in zip(states, rows, strict=True)]
            ),
            self.population.value[np.concatenate(rows)],
        )
        sound = np.repeat(healthy[: self.network.unknown_count], counts, axis=1)
        first = self._begin(states, healthy, rows)
        solution = settled(self.solver, solvable, cases, first, sound)
        ends = np.cumsum([0, *counts])
        return [solution.part(slice(a, b)) for a, b in pairwise(ends.tolist())]

    def _begin(self, states: Sequence[MachineState], healthy: Array, rows: list[Indices]) -> Array:
        """(N, B) where the solver begins with some candidates in each state: where they stand."""
        counts = [len(r) for r in rows]
        sound = np.repeat(healthy[: self.network.unknown_count], counts, axis=1)
        running = np.repeat([self.circuit.runs(s) for s in states], counts)
        own = self._stood[:, 1:][:, np.concatenate(rows)]
        return begun(sound, own, self._stood[:, :1], running)

    @cached_property
    def _stood(self) -> Array:
        """(N, 1 + C) where the sound machine stands, and the candidates."""
        standing, population = self.circuit.standing, self.population
        if standing is None:
            return np.full((self.network.unknown_count, 1 + population.count), np.nan)
        state = self.network.state(standing)
        sound = stood(self.solver, state, Cases.as_documented(1))
        return np.hstack([sound, stood(self.solver, state, population.cases(0, standing.oil_c))])

    def clear(self) -> None:
        """Throw away what was solved; who asks again waits again.

        A state's slopes are made by its predictor, which keeps the state: nobody would throw either
        away before the next search for such circles, and a few of them fill the memory.
        """
        with self._lock:
            self._done.clear()
            self._timed.clear()
            self._plays.clear()
            self._solvable.clear()
            self.seen.clear()

    def healthy(self, state: MachineState) -> Array:
        """(N_all,) across variables of the machine as documented, nobody else being solved.

        Raises
        ------
        SolveError : it has no steady state there.
        """
        key = self._key(state)
        with self._lock:
            if key in self._done:
                return self._done[key].healthy
            if key not in self._healthy:
                solved = self._solve_healthy([self.network.state(state)], [state.label])
                self._healthy[key] = solved[:, 0]
            return self._healthy[key]

    def sound(self, quantity: Quantity, named: MachineState) -> float:
        """What the machine as documented shows, on the comparison scale, nobody else being solved.

        Raises
        ------
        SolveError : it has no steady state there.
        """
        state = self.solvable(named)
        across = self.healthy(named)[:, None]
        parameters = self.solver.parameters_of([state], Cases.as_documented(1), self._extract.slots)
        value, _ = self._extract.read(quantity, across, parameters, state.viscosity_mm2_s)
        return float(value[0])

    @property
    def in_time(self) -> Sequence[Timing]:
        """What could be read in time next: all of it, or what is played where nobody waits."""
        if self.patient:
            return self.circuit.timings
        return [t for t in self.circuit.timings if quantity_of(t) in self._timed]

    def has(self, state: MachineState) -> bool:
        """Whether this state was solved."""
        key = self._key(state)
        if key in self._done or not self._shelved:
            return key in self._done
        with self._lock:
            return self._found(key, state)

    def take_over(self, state: MachineState, found: StatePrediction) -> None:
        """What was solved elsewhere, of these candidates."""
        with self._lock:
            self._done.setdefault(self._key(state), found)

    def remember(self, quantity: Quantity, timed: TimedPrediction) -> None:
        """Take over what was played in time before."""
        with self._lock:
            self._timed.setdefault(quantity, timed)

    def timed(self, quantity: Quantity) -> TimedPrediction:
        """What every candidate shows in time, played when first asked for."""
        found = self.played(quantity)
        self.remember(quantity, found)
        return found

    def played(self, quantity: Quantity, some: Some = EVERYBODY) -> TimedPrediction:
        """The same, but what can be worked out from steady states need not be.

        Parameters
        ----------
        some : candidates that are asked for; others may be left as not known
        """
        with self._lock:
            if quantity in self._timed:
                return self._timed[quantity]
            if quantity not in self._plays:
                self._plays[quantity] = self._plays_of(quantity)
            plays = self._plays[quantity]
            plays.told = self.told
        return plays.of(some)

    def _plays_of(self, quantity: Quantity) -> Plays:
        timing = self.circuit.timing(quantity.place)
        thinner = self._thinner_per_c(self.circuit.states[timing.state].oil_c)
        return Plays(
            TimedReader(self.circuit, self.solver),
            timing,
            self.population,
            self.unknowns,
            (ENGINE_SD, OIL_SD_C * thinner),
            self._cells,
        )

    def _every(self, reader: TimedReader, timing: Timing) -> tuple[Array, NDArray[np.bool_]]:
        """What every candidate shows, and whether that is known."""
        oil_c = self.circuit.states[timing.state].oil_c
        return reader.values(timing, self.population.cases(0, oil_c))

    def worked_out(self, quantity: Quantity) -> tuple[Array, NDArray[np.bool_]]:
        """What every candidate shows of what needs no play, and whether that is known.

        Its states are those that are read in as well: what was solved for that is not solved again.
        """
        timing = self.circuit.timing(quantity.place)
        reader = TimedReader(self.circuit, self.solver)
        keys = {self._key(self.circuit.states[p.state]) for p in timing.phases}
        # Looked up at once: another thread may put them aside meanwhile.
        at_hand = {key: found for key in keys if (found := self._done.get(key)) is not None}
        if len(at_hand) < len(keys):
            mean, known = self._every(reader, timing)
            return stopped(quantity, mean), known

        def solved(named: MachineState) -> tuple[SolvableState, Cases, Solution]:
            cases = self.population.cases(0, named.oil_c)
            return self.network.state(named), cases, at_hand[self._key(named)].solution

        mean, known = reader.settled(timing, solved)
        return stopped(quantity, mean), known

    def forget(self, states: Iterable[MachineState]) -> None:
        """Drop predictions that are not needed again."""
        with self._lock:
            for state in states:
                self._done.pop(state_key(state), None)

    def _solve_healthy(self, states: list[SolvableState], labels: list[str]) -> Array:
        healthy = self.solver.solve(states, Cases.as_documented(len(states)))
        for label, fine in zip(labels, healthy.converged, strict=True):
            if not fine:
                raise SolveError(f"the healthy machine has no steady state in “{label}”")
        return healthy.across

    def _predict(
        self, named: MachineState, state: SolvableState, solution: Solution, healthy: Array
    ) -> StatePrediction:
        across = solution.across
        mean, slope, fine = self._shown(named, state, across)
        if self._shelved:
            slope = self._kept_or_made(self._key(named), slope)
        known = solution.converged & fine & np.isfinite(mean).all(0)
        mean[:, ~known] = 0.0
        return StatePrediction(
            self.quantities,
            mean,
            MadeWhenAsked(slope, lambda row, some: self._cells(mean[row], known, some), known),
            known,
            self._rated_ports,
            self._overload(across),
            healthy,
            solution,
        )

    def _kept_or_made(self, key: str, made: Made) -> Made:
        """Slopes of all candidates, which words and pairs ask for each time, are shelved as well."""

        def found(row: int, some: Some) -> Array:
            if some is not EVERYBODY:
                return made(row, some)
            quantity = self.quantities[row]
            name = f"{key}/slope/{quantity.kind}/{quantity.place}"
            kept = self.kept(name)
            if kept is None:
                kept = {"slope": made(row, some).astype(np.float32)}
                self.keep(name, kept)
            return kept["slope"].astype(float)

        return found

    def _shown(
        self, named: MachineState, state: SolvableState, across: Array
    ) -> tuple[Array, Made, NDArray[np.bool_]]:
        """(Q, C) of each quantity, its slopes (U + T + 4, L) when asked for but those of the
        severities, and (C,) where they can be had."""
        population, unknowns = self.population, self.unknowns
        cases = population.cases(0, named.oil_c)
        mean, parts = self._read(cases, state, across)
        own, timings = len(unknowns.slot), len(self.circuit.timings)

        nets = sorted({net for of in parts for net, _ in of})
        place = {net: i for i, net in enumerate(nets)}

        @cache
        def change() -> NDArray[np.float32]:
            """(U + 2, R, S) of those that are asked for: in many a state nobody is."""
            rows = self._sloped
            kept = population.kept_of(unknowns.slot, named.oil_c)[:, rows]
            per = np.empty((own + CONDITIONS, len(rows)))
            per[:own] = unknowns.sigma[:, None] * kept
            per[own:].T[:] = ENGINE_SD, OIL_SD_C * self._thinner_per_c(named.oil_c)
            return self.solver.sensitivities(
                [state],
                cases.part(rows),
                across[:, rows],
                unknowns.slot,
                1e-3 * unknowns.sigma,
                np.array(nets, dtype=np.intp),
                per,
            )

        fine = np.ones(population.count, dtype=bool)
        for of in parts:
            for _, weight in of:
                fine &= np.isfinite(weight)

        def made(row: int, some: Some) -> Array:
            at = self._place_sloped[some]
            there = at >= 0
            slope = np.zeros((own + timings + CONDITIONS + SEVERITIES, int(there.sum())))
            for net, weight in parts[row]:
                weights = np.broadcast_to(weight, fine.shape)[some][there]
                found = change()[:, place[net]].take(at[there], axis=1) * weights
                slope[:own] += found[:own]
                slope[own + timings : -SEVERITIES] += found[own:]
            if there.all():
                return slope
            found = np.zeros((len(slope), len(at)))
            found[:, there] = slope
            return found

        return mean, made, fine

    def elsewhere(
        self,
        named: MachineState,
        rows: Indices,
        away: Array,
        quantities: Sequence[Quantity],
        sloped: int,
    ) -> "Elsewhere":
        """What some candidates show where their unknowns are not as documented.

        Parameters
        ----------
        rows : (L,) which candidates; away : (U, L) of each unknown [standard deviations]
        quantities : Q of those that are read in this state
        sloped : of how many of them, the first, slopes are wanted
        """
        population, unknowns = self.population, self.unknowns
        state = self.solvable(named)
        nominal = self.network.base_parameters[unknowns.slot]
        grown = unknowns.grown(nominal, away)
        slot, value = population.slot_at(named.oil_c)[rows], population.value[rows].copy()
        kept = population.kept_of(unknowns.slot, named.oil_c)[:, rows]
        change = nominal[:, None] * (grown - 1.0)
        own = np.repeat(unknowns.slot[None], len(rows), axis=0)
        for w in range(slot.shape[1]):
            same = (own == slot[:, [w]]) & (slot[:, [w]] >= 0)
            value[:, w] += np.where(same, (change * kept).T, 0.0).sum(axis=1)
            own = np.where(same, -1, own)
        cases = Cases(
            np.zeros(len(rows), dtype=np.intp),
            np.concatenate([slot, own], axis=1),
            np.concatenate([value, (nominal[:, None] * grown).T], axis=1),
        )
        first = nearest = self[named].solution.across[: self.network.unknown_count, rows]
        standing = self.circuit.standing
        if standing is not None and self.circuit.runs(named):
            stands = stood(self.solver, self.solvable(standing), cases)
            first = np.where(np.isfinite(stands).all(axis=0), stands, nearest)
        solution = settled(self.solver, [state], cases, first, nearest)
        parameters = self.solver.parameters_of([state], cases, self._extract.slots)
        read = [
            self._extract.read(q, solution.across, parameters, state.viscosity_mm2_s)
            for q in quantities
        ]
        shown = np.array([mean for mean, _ in read])
        if not sloped:
            return Elsewhere(shown, (), solution)
        nets = sorted({net for _, parts in read for net, _ in parts})
        place = {net: i for i, net in enumerate(nets)}
        some = slice(0, sloped)
        per = np.empty((len(unknowns.slot) + CONDITIONS, sloped))
        per[:-CONDITIONS] = unknowns.sigma[:, None] * (grown * kept)[:, some]
        per[-CONDITIONS:].T[:] = ENGINE_SD, OIL_SD_C * self._thinner_per_c(named.oil_c)
        answers = self.solver.sensitivities(
            [state],
            cases.part(some),
            solution.across[:, some],
            unknowns.slot,
            1e-3 * unknowns.sigma,
            np.array(nets, dtype=np.intp),
            per,
        )
        count, timings = len(unknowns.slot), len(self.circuit.timings)
        slopes = []
        for _, parts in read:
            slope = np.zeros((count + timings + CONDITIONS + SEVERITIES, sloped))
            for net, weight in parts:
                part = answers[:, place[net]] * np.broadcast_to(weight, len(rows))[some]
                slope[:count] += part[:count]
                slope[count + timings : -SEVERITIES] += part[count:]
            slopes.append(slope)
        return Elsewhere(shown, tuple(slopes), solution)

    def _read(
        self, cases: Cases, state: SolvableState, across: Array
    ) -> tuple[Array, Sequence[Parts]]:
        """(Q, C) of each quantity, and how each answers to the across variables."""
        parameters = self.solver.parameters_of([state], cases, self._extract.slots)
        found = [
            self._extract.read(quantity, across, parameters, state.viscosity_mm2_s)
            for quantity in self.quantities
        ]
        mean = np.array([value for value, _ in found]).reshape(-1, cases.count)
        return mean, [parts for _, parts in found]

    def _thinner_per_c(self, oil_c: float) -> float:
        """By what share the oil's viscosity changes with each °C."""
        fluid = self.circuit.fluid
        below, above = (
            viscosity_mm2_s(oil_c + d, fluid.viscosity_40_c_mm2_s, fluid.viscosity_100_c_mm2_s)
            for d in (-1.0, 1.0)
        )
        return (above - below) / (above + below)

    def _cells(self, mean: Array, known: NDArray[np.bool_], some: Some = EVERYBODY) -> Array:
        """(S, L) spread inside the severity cell of some candidates: a uniform one has its width
        over √12 as σ."""
        own = mean[some]
        found = np.zeros((SEVERITIES, len(own)))
        for axis, every_below, every_above in self._neighbours:
            below, above = every_below[some], every_above[some]
            high = _cell_end(mean, own, known, above, below)
            low = _cell_end(mean, own, known, below, above)
            found[axis] = (high - low) / 2.0 / np.sqrt(12.0)
        return found

    @cached_property
    def _neighbours(self) -> Sequence[tuple[int, Indices, Indices]]:
        """Each severity that anybody has neighbours in, with those below and those above."""
        below, above = self.population.below.T.copy(), self.population.above.T.copy()
        there = ((below >= 0) | (above >= 0)).any(axis=1)
        return [(axis, below[axis], above[axis]) for axis in np.flatnonzero(there).tolist()]

    def _overload(self, across: Array) -> Overload:
        count = across.shape[1]
        if not len(self._rated_rows):
            zero = np.zeros(count)
            return Overload(zero, np.zeros(count, dtype=np.intp), zero)
        pressure = across[self._rated_rows]
        ratio = pressure / self._rated_bar[:, None]
        worst = ratio.argmax(axis=0)
        every = np.arange(count)
        return Overload(ratio[worst, every], worst, pressure[worst, every])


def _cell_end(
    mean: Array, own: Array, known: NDArray[np.bool_], neighbour: Indices, other: Indices
) -> Array:
    """What a neighbour shows; where there is none, the opposite one mirrored."""
    there = (neighbour >= 0) & known[neighbour]
    mirrored = 2.0 * own - np.where(other >= 0, mean[other], own)
    return np.where(there, mean[neighbour], mirrored)


def _packed(solution: Solution, healthy: Array) -> shelf.Arrays:
    return {
        "across": solution.across,
        "converged": solution.converged,
        "residual_lpm": solution.residual_lpm,
        "iterations": solution.iterations,
        "healthy": healthy,
    }


def _unpacked(arrays: shelf.Arrays) -> tuple[Solution, Array]:
    parts = (arrays[name] for name in ("across", "converged", "residual_lpm", "iterations"))
    return Solution(*parts), arrays["healthy"]


def state_key(state: MachineState) -> str:
    """Name of a state; states that differ only in wording and cautions are the same to the machine."""
    return state.model_dump_json(exclude={"label", "setup_min", "cautions"})
