"""What lines keep once a machine was stopped: played, from whatever it may have done just before.

A closed volume keeps what it had. The steady machine at rest knows nothing of it, for it has
forgotten what was before; so every state that the machine may have been in is played to its stop,
and watched from when somebody may have a spanner on a line until ten minutes later. That is done
for the sound machine and for every single fault at its worst.
"""

import hashlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial
from types import MappingProxyType
from typing import Any

import numpy as np
from numpy.typing import NDArray

from umweg.core.circuit.document import LoadState, MachineState, Timing
from umweg.core.components import component_type
from umweg.core.components.base import Array
from umweg.core.errors import SolveError
from umweg.core.faults.population import Population
from umweg.core.network.network import Indices, Network, SolvableState
from umweg.core.observe.predict import Predictor
from umweg.core.solve.relax import Moment, Relaxing
from umweg.core.solve.steady import Cases
from umweg.core.solve.transient import Accuracy, Phase, TransientSolver

TRAPPED = "trapped"
"""What is kept of it is named so."""
OPENED_AFTER_S = 60.0
"""How soon after the drive stands somebody may loosen a line."""
WATCHED_S = 600.0
"""How long a machine that was stopped is watched: as long as somebody waits."""
_TO_OPENING = 14
_SAMPLES_S = np.array([OPENED_AFTER_S, 120.0, 180.0, 300.0, 450.0, WATCHED_S])
ROUNDED_UP = 0.02
"""What is closed in after long steps is given by such a share higher: what swings as levers go to
neutral is not followed."""
DRIVEN_RPM = 20.0
"""A pump that turns faster is driven."""
PUMPED_S = 120.0
"""How long one that goes on though it was stopped is watched."""
RUNS_UP_S = 15.0
"""How long a machine that never settles in a state is left in it."""
STOPS_STEPS_S = (0.2, 0.8)
"""Levers to neutral and drive off come a second after one another."""
HELD_STEPS_S = (0.3, 2.7)
"""A lever is held over for three seconds while a line is let go."""
LEFT_STEPS_S = (0.5, 1.5, 4.0, 8.0, 16.0, 30.0, 60.0)
"""What stays where it is put is left there for two minutes, and so is the machine at the end."""
SETTLES_STEPS_S = (0.5, 1.5, 4.0, 8.0, 16.0)
"""One waits for half a minute before zero is read."""
ROUGHLY = Accuracy(scale=30.0, patience=0.1)
"""How finely what leads to a stop is played: half a bar is known well enough."""
LIVE_BAR = 5.0
"""Pressure in a line at rest that injures who opens it."""
CLOSED_IN_BAR = 2.0
"""A line that keeps so much more than where the machine would come to rest is closed in."""


@dataclass(frozen=True)
class Trapped:
    """What R lines keep on M machines: the sound one, then each fault's worst.

    ``time_s (T,)`` after the drive stands; ``bar (T, R, M)`` the highest that any state before it
    leaves; ``freed (R, M)`` of what is closed in, what the levers and dumping leave of it;
    ``before (R, M)`` which of ``starts`` leaves the most. No number where it could not be found out.
    """

    nets: Indices
    faults: tuple[str, ...]
    """Key of each machine; the sound one is the first."""
    starts: tuple[str, ...]
    time_s: Array
    bar: Array
    freed: Array
    before: Indices
    leave_by: str
    """Label of the state to be in last, so that least stays closed in, which ``freed`` reckons with;
    nothing where none helps."""

    @cached_property
    def most(self) -> Array:
        """(R, M) the highest from when a line may be opened on."""
        found: Array = self.bar.max(axis=0)
        return found

    @cached_property
    def place(self) -> Mapping[int, int]:
        """Which of the R lines a net is."""
        return {int(net): i for i, net in enumerate(self.nets)}

    @cached_property
    def column(self) -> Mapping[str, int]:
        """Where each fault's machine stands."""
        return {key: i for i, key in enumerate(self.faults)}

    def of(self, population: Population) -> list[list[int]]:
        """Of each hypothesis the machines that stand for it: for two faults those of each alone."""
        return [
            [self.column[f.key] for f in h.faults if f.key in self.column] or [0]
            for h in population.hypotheses
        ]

    def spread(self, values: Array, population: Population) -> Array:
        """(R, C) from (R, M): what every candidate keeps at most, whatever its severity.

        A fault that is slight leaves no more than the sound machine or its worst does.
        """
        columns = self.of(population)
        every = np.stack([values[:, of].max(axis=1) for of in columns], axis=1)
        found: Array = np.maximum(every, values[:, :1])[:, population.hypothesis]
        return found

    def below_after_s(self, row: int, machine: int, level_bar: float) -> float | None:
        """When a line has fallen below a level for good; None where it has not while one waits."""
        over = np.flatnonzero(~(self.bar[:, row, machine] <= level_bar))
        if not len(over):
            return 0.0
        last = int(over[-1]) + 1
        return None if last >= len(self.time_s) else float(self.time_s[last])


@dataclass(frozen=True)
class _Start:
    """What a machine did before it was stopped: one state that it stood in until nothing changed any
    more, or the phases that lead from one to another."""

    label: str
    phases: tuple[Phase, ...]
    first: MachineState
    state: MachineState
    """The one that it is stopped in."""


@dataclass(frozen=True)
class _Begun:
    """How M machines stand as they are stopped, and the highest ``(R, M)`` that they had before."""

    moment: Moment
    highest: Array


@dataclass(frozen=True)
class _Stop:
    """A start by its number, and how the machine stands once it was stopped from it."""

    number: int
    begun: _Begun
    state: SolvableState


@dataclass(frozen=True)
class _LetGo:
    """What is closed in, and from where: S stops of M machines, ``(R, S, M)`` what they leave and
    whether it is closed in, and how all of them stand when a line may be opened."""

    stops: Sequence[_Stop]
    cases: Cases
    opened: Moment
    most_of: Array
    closed: NDArray[np.bool_]

    def of_machine(self, machine: int, machines: int) -> "_LetGo":
        """The same of one machine."""
        rows = machine + machines * np.arange(len(self.stops))
        one = slice(machine, machine + 1)
        return _LetGo(
            self.stops,
            self.cases.part(rows),
            self.opened.part(rows),
            self.most_of[..., one],
            self.closed[..., one],
        )


_Programme = Iterable[tuple[Callable[[MachineState], MachineState], Sequence[float]]]


def trapped_pressure(
    predictor: Predictor,
    loads: Mapping[str, LoadState],
    release: Sequence[MachineState],
    waits: bool = True,
    lying: Sequence[str] = (),
) -> Trapped | None:
    """What the lines of a machine keep once it was stopped, from every state it may have been in.

    Parameters
    ----------
    predictor : of the machine and every single fault
    loads : load state of functions once the machine stands
    release : states in which what is closed in is let go, in this order, the drive off
    waits : whether it is played where it was not yet
    lying : functions whose load lies on the ground by then: nothing moves them again

    Returns
    -------
    None where it was not played yet and nobody waits for it

    Raises
    ------
    SolveError : the machine as documented could not be played from any state.
    """
    name = "/".join(s.model_dump_json(exclude={"label"}) for s in release)
    name += "/" + ",".join(f"{k}={v}" for k, v in sorted(loads.items()))
    name += "/" + ",".join(lying)
    name = f"{TRAPPED}/{hashlib.sha256(name.encode()).hexdigest()[:16]}"
    player = _Player(predictor, loads, lying)
    if not waits and name not in predictor.at_hand():
        return None
    arrays = predictor.once(name, lambda: player.arrays(release))
    return Trapped(
        nets=player.nets,
        faults=player.faults,
        starts=tuple(s.label for s in player.starts),
        time_s=_SAMPLES_S,
        bar=arrays["bar"],
        freed=arrays["freed"],
        before=arrays["before"].astype(np.intp),
        leave_by="" if (last := int(arrays["leave"])) < 0 else player.starts[last].label,
    )


def pump_shafts(network: Network) -> list[int]:
    """Nets of the shafts that turn pumps."""
    found = set()
    for part in network.circuit.components:
        kind = component_type(part.type)
        if kind.makes_flow:
            turned = (p.name for p in kind.ports if p.domain == "rotation")
            found |= {network.net_index[part.connections[name]] for name in turned}
    return sorted(found)


class _Player:
    def __init__(
        self, predictor: Predictor, loads: Mapping[str, LoadState], lying: Sequence[str] = ()
    ) -> None:
        self._predictor, self._loads, self._lying = predictor, loads, lying
        self._network = network = predictor.network
        self._circuit = predictor.circuit
        self._population = predictor.population
        own = {net for part in self._circuit.components for net in part.connections.values()}
        self.nets: Indices = np.array(
            [
                i
                for i, net in enumerate(network.net_names[: network.unknown_count])
                if network.domains[i] == "hydraulic" and net in own
            ],
            dtype=np.intp,
        )
        self.starts = list(self._starts())

    @cached_property
    def _rows(self) -> Indices:
        """(M,) the sound machine, then the worst candidate of each fault."""
        population = self._population
        severity = population.severity.max(axis=1)
        worst = [
            int(mine[np.argmax(severity[mine])])
            for h in range(len(population.hypotheses))
            if len(mine := np.flatnonzero(population.hypothesis == h))
        ]
        return np.array(sorted({0, *worst}), dtype=np.intp)

    @property
    def faults(self) -> tuple[str, ...]:
        """Key of each machine that is played."""
        found = self._population.hypothesis[self._rows]
        return tuple(self._population.hypotheses[h].key for h in found)

    def _starts(self) -> Iterator[_Start]:
        """Every named state, and what is gone through in time up to each state that passes."""
        states = self._circuit.states
        moves = any(len(p) for p in self._relaxing.storage.positions)
        for state in self._circuit.steady.values():
            phase = Phase(self._network.state(state), 1.0)
            yield _Start(state.label, (phase,), state, state)
            if moves and self._circuit.runs(state):
                # What rods open and press on their way is not where the state has it.
                yield _Start(state.label, (phase, phase), state, state)
        gone: set[tuple[object, ...]] = set()
        for timing in self._circuit.timings:
            for start, through in self._passed(timing, states):
                # Several readings are taken of one programme.
                if through not in gone:
                    gone.add(through)
                    yield start

    def _passed(
        self, timing: Timing, states: Mapping[str, MachineState]
    ) -> Iterator[tuple[_Start, tuple[object, ...]]]:
        """What a timing goes through up to each state that passes, and up to its end."""
        if timing.of == "settled_c":
            # A cycle of ordinary work: its states are looked at one by one.
            return
        of = [states[p.state] for p in timing.phases]
        phases = [
            Phase(self._network.state(state), p.seconds, p.ramp_s)
            for state, p in zip(of, timing.phases, strict=True)
        ]
        for end, state in enumerate(of, 1):
            if len(of) > 1 and (end == len(of) or state.passing):
                label = f"{timing.label}: {state.label}"
                through = tuple((p.state, p.seconds, p.ramp_s) for p in timing.phases[:end])
                yield _Start(label, tuple(phases[:end]), of[0], state), through

    def _stopped(self, state: MachineState) -> list[MachineState]:
        """How a machine may stand once it was stopped in a state: its loads where they rest, or as
        they were; shop kit stays where it is."""
        kept: dict[str, LoadState] = {}
        for function in self._circuit.functions:
            usual: LoadState = "free" if function.id in state.moves else "held"
            load = state.loads.get(function.id, usual)
            if load in function.loads:
                kept[function.id] = load
        found = [self._resting(state, loads) for loads in (self._loads, {**self._loads, **kept})]
        return found[:1] if found[0].loads == found[1].loads else found

    @staticmethod
    def _resting(
        state: MachineState,
        loads: Mapping[str, LoadState] = MappingProxyType({}),
        then: MachineState | None = None,
    ) -> MachineState:
        """Stopped from a state, or let go after it; shop kit and the oil's warmth are that state's."""
        return MachineState.model_validate(
            {
                "label": "stopped",
                "engine": "off",
                "oil_c": state.oil_c,
                "loads": loads if then is None else then.loads,
                "moves": {} if then is None else then.moves,
                "settings": {} if then is None else then.settings,
                "interventions": state.interventions,
            }
        )

    def arrays(self, release: Sequence[MachineState]) -> dict[str, NDArray[Any]]:
        """Play all of it."""
        begun = [(n, b) for n, s in enumerate(self.starts) if (b := self._begun(s)) is not None]
        if not begun:
            raise SolveError("the machine could not be played from any state to its stop")
        stops = [
            _Stop(number, found, self._network.state(stopped))
            for number, found in begun
            for stopped in self._stopped(self.starts[number].state)
        ]
        machines = len(self._rows)
        cases = self._cases([self.starts[stop.number].first for stop in stops])
        moment = Moment.joined([stop.begun.moment for stop in stops])
        highest = np.concatenate([stop.begun.highest for stop in stops], axis=-1)
        unknown = ~moment.known
        bar = np.full((len(_SAMPLES_S), len(self.nets), moment.known.size), -np.inf)
        opened, states = moment, [stop.state for stop in stops]
        rest_of = np.tile(self._rest_across, len(stops))
        stopped = enumerate(self._relaxing.go(states, cases, opened, _steps_s(), rest_of), 1)
        for step, moment in stopped:
            sample = step - _TO_OPENING
            if sample >= 0:
                # Who cannot be followed keeps, for all one knows, the most that it had.
                now = np.where(moment.known, moment.across[self.nets], highest)
                bar[sample] = np.where(unknown, np.nan, now)
                if sample == 0:
                    opened = moment
        pumped = self._still_pumped(stops, cases, opened)
        bar = np.maximum(bar, pumped)
        numbers = np.array([stop.number for stop in stops])
        most_of = bar.max(axis=0).reshape(len(self.nets), len(stops), machines)
        rest = np.maximum(self._rest_across[self.nets], 0.0)
        closed = most_of > rest[:, None] + CLOSED_IN_BAR
        # The way to zero is the machine's own: shop kit in its lines is let go at the kit.
        kitted = [bool(self.starts[stop.number].state.interventions) for stop in stops]
        closed[:, kitted] = False
        bar += ROUNDED_UP * np.maximum(bar - np.tile(rest, len(stops)), 0.0)
        folded = bar.reshape(len(_SAMPLES_S), len(self.nets), len(stops), machines)
        let_go = _LetGo(stops, cases, opened, most_of, closed)
        freed = self._let_go(let_go, self._levers(release), self._emptied(release[-1]))
        # Whichever is less: one may move the levers at once, or wait.
        freed = np.minimum(freed, folded[-1].max(axis=1))
        leave, freed = self._left_by(let_go, freed)
        before_of = numbers[np.nan_to_num(most_of, nan=-np.inf).argmax(axis=1)]
        return {
            "bar": folded.max(axis=2),
            "freed": freed,
            "before": before_of,
            "leave": np.array(leave),
        }

    def _still_pumped(self, stops: Sequence[_Stop], cases: Cases, opened: Moment) -> Array:
        """(R, S·M) the highest on machines whose pump goes on though it was stopped, −∞ on all others:
        what switches it on and off has to be played."""
        shafts = pump_shafts(self._network)
        found = np.full((len(self.nets), cases.count), -np.inf)
        driven = (np.abs(opened.across[shafts]) > DRIVEN_RPM).any(axis=0) & opened.known
        for number, stop in enumerate(stops):
            rows = np.flatnonzero(driven & (cases.state == number))
            if not len(rows):
                continue
            alone = Cases(np.zeros(len(rows), dtype=np.intp), cases.slot[rows], cases.value[rows])
            curves = self._transient.play(
                [Phase(stop.state, PUMPED_S)],
                alone,
                start=opened.across[:, rows],
                kept=self.nets,
                place=opened.place_mm[:, rows],
                grid=np.array([PUMPED_S]),
            )
            found[:, rows] = curves.highest[:, 0].T
        return found

    def _cases(self, states: Sequence[MachineState]) -> Cases:
        """Every machine in each of some states, in that order."""
        population, rows = self._population, self._rows
        return Cases(
            np.repeat(np.arange(len(states)), len(rows)),
            np.concatenate([population.slot_at(s.oil_c)[rows] for s in states]),
            np.concatenate([population.value[rows]] * len(states)),
        )

    def _begun(self, start: _Start) -> _Begun | None:
        """How all machines stand as a start ends; nothing where the sound one cannot stand so."""
        try:
            steady = self._predictor[start.first].solution
        except SolveError:
            return None
        rows = self._rows
        across = np.where(steady.converged[rows], steady.across[:, rows], np.nan)
        cases = Cases(np.zeros(len(rows), dtype=np.intp), *self._differs(start.first))
        stands = self._relaxing.standing(start.phases[0].state, cases, across)
        found = _Begun(stands, across[self.nets])
        if len(start.phases) > 1:
            found = self._gone_through(start.phases, cases, found)
        unsettled = np.flatnonzero(~found.moment.known)
        if not len(unsettled):
            return found
        # A relay that chatters: it never settles there, but it can be put into that state from rest.
        resting = self._resting(start.first, self._loads)
        at_rest = self._predictor[resting].solution
        begun = np.where(at_rest.converged[rows], at_rest.across[:, rows], np.nan)[:, unsettled]
        own, phase = cases.part(unsettled), Phase(self._network.state(resting), RUNS_UP_S)
        stands = self._relaxing.standing(phase.state, own, begun)
        put = self._gone_through(
            (phase, *(replace(p, seconds=max(p.seconds, RUNS_UP_S)) for p in start.phases)),
            own,
            _Begun(stands, begun[self.nets]),
        )
        return _Begun(
            Moment.joined([found.moment, put.moment]).part(_with(len(rows), unsettled)),
            np.hstack([found.highest, put.highest])[:, _with(len(rows), unsettled)],
        )

    def _gone_through(self, phases: Sequence[Phase], cases: Cases, begun: _Begun) -> _Begun:
        """Play phases from where machines stand."""
        moment, unknown = begun.moment, self._network.unknown_count
        curves = self._transient.play(
            phases,
            cases,
            start=moment.across,
            kept=np.arange(unknown, dtype=np.intp),
            grid=np.array([sum(p.seconds for p in phases)]),
        )
        highest = np.maximum(begun.highest, curves.highest.max(axis=1)[:, self.nets].T)
        # Who cannot be played to its end is taken to keep the most that it had.
        played = moment.known & curves.finished
        end = np.vstack(
            [
                np.where(played, curves.across[:, -1].T, moment.across[:unknown]),
                np.repeat(phases[-1].state.boundary[:, None], cases.count, axis=1),
            ]
        )
        end[self.nets] = np.where(played, end[self.nets], highest)
        switched = moment.switched.copy()
        for case in np.flatnonzero(played):
            for event in curves.events[case]:
                if event.switch >= 0:
                    values = self._relaxing.storage.switches.values[event.switch]
                    switched[event.switch, case] = values[int(event.on)]
        place = np.where(played, curves.place_mm[:, -1].T, moment.place_mm)
        return _Begun(Moment(end, place, switched, played, moment.known), highest)

    @cached_property
    def _relaxing(self) -> Relaxing:
        return Relaxing(self._predictor.solver)

    @cached_property
    def _transient(self) -> TransientSolver:
        return TransientSolver(self._predictor.solver, ROUGHLY)

    def _differs(self, state: MachineState) -> tuple[Indices, Array]:
        population, rows = self._population, self._rows
        return population.slot_at(state.oil_c)[rows], population.value[rows]

    def _levers(self, release: Sequence[MachineState]) -> "_Programme":
        """Everything that can be moved with the drive off, then some waiting."""
        for state in release:
            # What is not held over stays where it is put: one waits for what it lets go.
            steps = HELD_STEPS_S if state.moves else LEFT_STEPS_S
            yield partial(self._resting, then=state), steps

    def _left_by(self, let_go: "_LetGo", freed: Array) -> tuple[int, Array]:
        """The start to be in last, −1 for none, and what is left where one is: of those that move
        something, the one that leaves the least closed in on the sound machine, if less than half."""
        best, found = -1, freed
        least = 0.5 * float(np.maximum(freed[:, 0] - LIVE_BAR, 0.0).sum())
        undisturbed = {s.label for s in self._circuit.undisturbed().values()}
        tried = [
            (number, start)
            for number, start in enumerate(self.starts)
            if len(start.phases) == 1
            and start.state.moves
            and start.label in undisturbed
            and not any(name in start.state.moves for name in self._lying)
        ]
        sound = let_go.of_machine(0, len(self._rows))
        for number, start in tried if least > 0.0 else ():
            stays = np.minimum(freed[:, :1], self._let_go(sound, self._gone_by(start.state), []))
            over = float(np.maximum(stays - LIVE_BAR, 0.0).sum())
            if over < least:
                best, least = number, over
        if best >= 0:
            every = self._let_go(let_go, self._gone_by(self.starts[best].state), [])
            found = np.minimum(freed, every)
        return best, found

    def _gone_by(self, state: MachineState) -> "_Programme":
        """A state for some seconds, levers let go, the drive off."""
        stopped = self._stopped(state)[0]
        let_go = stopped.model_copy(update={"engine": state.engine})
        yield partial(_with_kit, then=state), HELD_STEPS_S
        yield partial(_with_kit, then=let_go), STOPS_STEPS_S
        yield partial(_with_kit, then=stopped), SETTLES_STEPS_S

    def _let_go(self, let_go: "_LetGo", programme: "_Programme", emptied: Sequence[int]) -> Array:
        """(R, M) what is left of what is closed in after a programme; of all other lines nothing is
        left but what presses on them.

        Each machine goes through it from those starts that leave the most in one of its lines.

        Parameters
        ----------
        emptied : nets whose stores are emptied before
        """
        shape, closed = let_go.most_of.shape, let_go.closed
        most_of = let_go.most_of
        most = np.nan_to_num(most_of, nan=-np.inf).max(axis=1, keepdims=True)
        wanted = (closed & (most_of > most - CLOSED_IN_BAR)).any(axis=0).ravel()
        some = np.flatnonzero(wanted & let_go.opened.known)
        moment, own = let_go.opened.part(some), let_go.cases.part(some)
        moment.across[emptied] = np.minimum(moment.across[emptied], 0.0)
        for state_of, steps in programme:
            states = [
                self._network.state(state_of(self.starts[stop.number].state))
                for stop in let_go.stops
            ]
            moment = self._relaxing.after(states, own, moment, steps)
        left = np.full((shape[0], shape[1] * shape[2]), -np.inf)
        left[:, wanted] = np.nan
        left[:, some] = np.where(moment.known, moment.across[self.nets], np.nan)
        # Who cannot be followed: what was closed in stays.
        left = np.where(np.isnan(left), most_of.reshape(shape[0], -1), left)
        left[~closed.reshape(shape[0], -1)] = -np.inf
        found: Array = left.reshape(shape).max(axis=1)
        return found

    def _emptied(self, state: MachineState) -> list[int]:
        """Nets of the stores that are empty in a state."""
        index, found = self._network.net_index, []
        for part in self._circuit.components:
            kind = component_type(part.type)
            if kind.emptied_by and state.settings.get(f"{part.id}.{kind.emptied_by}", 0.0) > 0.0:
                found.append(index[part.connections[kind.ports[0].name]])
        return [net for net in found if net < self._network.unknown_count]

    @cached_property
    def _rest_across(self) -> Array:
        """(N_all, M) where every machine would come to rest; nothing of whom that is not known."""
        state = self._resting(MachineState(label="at rest"), self._loads)
        try:
            solution = self._predictor[state].solution
        except SolveError:
            return np.full((len(self._network.net_names), len(self._rows)), -np.inf)
        known = solution.converged[self._rows]
        found: Array = np.where(known, solution.across[:, self._rows], -np.inf)
        return found


def _with_kit(before: MachineState, then: MachineState) -> MachineState:
    """A state with the shop kit that is in the circuit before it."""
    return then.model_copy(update={"interventions": before.interventions})


def _with(count: int, others: Indices) -> Indices:
    """Of so many, and others behind them that stand in for some: which stands where."""
    found = np.arange(count)
    found[others] = count + np.arange(len(others))
    return found


def _steps_s() -> Iterator[float]:
    """Growing steps to when a line may be opened, then some from sample to sample."""
    growth = np.geomspace(1.0, 400.0, _TO_OPENING)
    yield from (OPENED_AFTER_S * growth / growth.sum()).tolist()
    yield from np.diff(_SAMPLES_S).tolist()
