"""Readings that are made in time: a peak, what is left of a pressure, seconds, millimetres sunk.

Each is declared in the circuit as a *timing*: the states that the machine goes through, and what is
read in the last of them.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from umweg.core.circuit.document import Circuit, MachineState, TimedPhase, Timing
from umweg.core.components.base import Array
from umweg.core.errors import ObservationError
from umweg.core.network.network import Indices, Network, SolvableState
from umweg.core.observe.quantities import moved_net, quantity_of, to_scale
from umweg.core.solve.power import cooling_kw_per_k, power_balance
from umweg.core.solve.steady import Cases, Solution, SteadySolver
from umweg.core.solve.transient import AT_END, Curves, Phase, TransientSolver, Watch

SAMPLES = 241
DRIVE_STEP = 0.02
OIL_STEP = 0.05
"""Differences, as shares, of what drives the machine and of its oil's viscosity."""
INTERVALS = 4
"""How many times something comes to its end, or starts again, before the time between is read: the
last phase is one state, and the intervals of it are alike."""


@dataclass(frozen=True)
class Play:
    """A timing's play of some machines."""

    timing: Timing
    circuit: Circuit
    network: Network
    curves: Curves
    start_s: float
    """When its last phase begins."""

    @property
    def last(self) -> NDArray[np.bool_]:
        """(T,) samples of the last phase."""
        return self.curves.time_s >= self.start_s - 1e-9

    @property
    def seconds(self) -> float:
        """How long the last phase is watched."""
        return self.timing.phases[-1].seconds

    @property
    def rod(self) -> int:
        """Index of the rod that is watched."""
        assert self.timing.function is not None
        return _rod_of(self.circuit, self.network, self.timing.function)

    @property
    def stood(self) -> NDArray[np.intp]:
        """(C,) where the rod stood as the last phase began: 1 its outer end, −1 its inner, 0 neither."""
        assert self.timing.function is not None
        stroke = self.circuit.function(self.timing.function).stroke_mm
        place = self.curves.place_mm[:, int(np.argmax(self.last)), self.rod]
        if stroke <= 0.0:
            # Where it ends is a parameter's: it is not known here.
            return np.zeros(len(place), dtype=np.intp)
        outer, inner = place > (1.0 - AT_END) * stroke, place < AT_END * stroke
        return np.where(outer, 1, np.where(inner, -1, 0)).astype(np.intp)

    def unless_told(self, found: Array, told: NDArray[np.bool_]) -> Array:
        """What was found, the whole phase where nothing was, no number where it is not known."""
        nothing = np.where(self.curves.finished, self.seconds, np.nan)
        return np.where(told, found, nothing)


def _rod_of(circuit: Circuit, network: Network, function: str) -> int:
    row = network.net_index[moved_net(circuit, function)]
    rods = [i for i, d in enumerate(network.domains) if d == "translation"]
    return [i for i in rods if i < network.unknown_count].index(row)


def _peak(play: Play) -> Array:
    return np.where(play.curves.finished, play.curves.highest[:, -1, 0], np.nan)


def _left(play: Play) -> Array:
    return play.curves.across[:, -1, 0]


def _moved(play: Play) -> Array:
    place = play.curves.place_mm[:, play.last, play.rod]
    return np.asarray(np.abs(place[:, -1] - place[:, 0]))


def _within(play: Play) -> Array:
    """Seconds until the level is passed, or until the rod stands at its end."""
    count = len(play.curves.finished)
    found, told = np.zeros(count), np.zeros(count, dtype=bool)
    if play.timing.function is not None:
        stood = play.stood
        for case, events in enumerate(play.curves.events):
            came = [e for e in events if e.rod == play.rod and e.on and e.at_s > play.start_s]
            # Who is pressed against the end it stands at has not arrived there.
            ends = [e.at_s for e in came if stood[case] != (1 if e.far else -1)]
            if ends:
                found[case], told[case] = ends[0] - play.start_s, True
        return play.unless_told(found, told)
    level = play.timing.level_bar
    assert level is not None
    time, curve = play.curves.time_s[play.last], play.curves.across[:, play.last, 0]
    falling = bool(level < curve[0, 0])
    for case in range(count):
        past = curve[case] <= level if falling else curve[case] >= level
        told[case] = past.any()
        first = int(np.argmax(past))
        if told[case] and first > 0:
            a, b = curve[case, first - 1], curve[case, first]
            share = (level - a) / (b - a)
            found[case] = time[first - 1] + share * (time[first] - time[first - 1]) - play.start_s
    return play.unless_told(found, told)


def _interval(play: Play) -> Array:
    """Seconds between the last two times that a rod came to its end, or else that a switch turned
    on; the whole phase if it did not twice."""
    count = len(play.curves.finished)
    found, told = np.zeros(count), np.zeros(count, dtype=bool)
    of_rod = play.timing.function is not None
    watched = play.rod if of_rod else -1
    for case, events in enumerate(play.curves.events):
        came = [e for e in events if e.on and e.at_s > play.start_s and e.rod == watched]
        # A rod has two ends and a machine may have several switches: the same one again.
        last = (came[-1].switch, came[-1].far) if came else None
        on = [e.at_s for e in came if (e.switch, e.far) == last]
        if len(on) > 1:
            found[case], told[case] = on[-1] - on[-2], True
    return play.unless_told(found, told)


def _arrival(timing: Timing, rod: int, begin: float) -> Watch:
    level = timing.level_bar
    return Watch(begin, rod) if level is None else Watch(begin, level=level)


def _repeated(timing: Timing, rod: int, begin: float) -> Watch:
    del timing
    return Watch(begin, rod, INTERVALS)


@dataclass(frozen=True)
class InTime:
    """A kind of reading in time."""

    read: Callable[[Play], Array]
    watch: Callable[[Timing, int, float], Watch] | None = None
    """What ends a play once it has shown it, where that is before its time: of a timing, the rod
    that is watched (−1: none) and when the last phase begins."""


READ: Mapping[str, InTime] = {
    "peak_bar": InTime(_peak),
    "left_bar": InTime(_left),
    "within_s": InTime(_within, _arrival),
    "interval_s": InTime(_interval, _repeated),
    "moved_mm": InTime(_moved),
}


class TimedReader:
    """Plays timings of one circuit and reads them."""

    def __init__(self, circuit: Circuit, solver: SteadySolver) -> None:
        self.circuit = circuit
        self.solver = solver
        self.network = solver.network
        self.transient = TransientSolver(solver)

    def values(
        self,
        timing: Timing,
        cases: Cases,
        drive: float = 1.0,
        oil: float = 1.0,
        actual: Callable[[MachineState], MachineState] = lambda state: state,
    ) -> tuple[Array, NDArray[np.bool_]]:
        """What each case shows, on the comparison scale, and whether it could be played.

        Parameters
        ----------
        drive, oil : shares of the drives' speeds and voltages, and of the oil's viscosity
        actual : the state that a machine is really in when it is said to be in one
        """
        if quantity_of(timing).of.from_states:
            alone = Cases(np.zeros(cases.count, dtype=np.intp), cases.slot, cases.value)

            def solved(named: MachineState) -> tuple[SolvableState, Cases, Solution]:
                state = _driven(self.network.state(actual(named)), drive, oil)
                return state, alone, self.solver.solve([state], alone)

            return self.settled(timing, solved)
        begin = float(sum(p.seconds for p in timing.phases[:-1]))
        end = begin + timing.phases[-1].seconds
        kind, function = READ[timing.of], timing.function
        rod = -1 if function is None else _rod_of(self.circuit, self.network, function)
        point = None if timing.point is None else self.circuit.test_point(timing.point)
        kept = [] if point is None else [self.network.net_index[point.net]]
        curves = self.curves(
            timing.phases,
            timing.places,
            Cases(np.zeros(cases.count, dtype=np.intp), cases.slot, cases.value),
            kept=np.array(kept, dtype=np.intp),
            grid=np.linspace(begin, end, SAMPLES),
            really=lambda state: _driven(self.network.state(actual(state)), drive, oil),
            watch=kind.watch(timing, rod, begin) if kind.watch else None,
        )
        play = Play(timing, self.circuit, self.network, curves, begin)
        value = kind.read(play)
        fine = np.isfinite(value)
        scaled = to_scale(quantity_of(timing), np.where(fine, value, 0.0))
        return scaled, fine

    def settled(
        self,
        timing: Timing,
        solved: Callable[[MachineState], tuple[SolvableState, Cases, Solution]],
    ) -> tuple[Array, NDArray[np.bool_]]:
        """The oil's temperature once what heats it and what cools it are the same.

        ``T = T_air + Σ t·P_heat / Σ t·G``, over the phases of the cycle, each in its steady state
        at the temperature that it is described for.

        Parameters
        ----------
        solved : the state that a named one is in numbers, the machines, and how they settle in it
        """
        heat: Array = np.zeros(1)
        cooling: Array = np.zeros(1)
        known = np.ones(1, dtype=bool)
        for phase in timing.phases:
            state, cases, found = solved(self.circuit.states[phase.state])
            parameters = self.solver.parameters_of([state], cases)
            power = power_balance(self.network, state, found.across, parameters)
            heat = heat + phase.seconds * power.heat_kw
            cooling = cooling + phase.seconds * cooling_kw_per_k(
                self.network, state, found.across, parameters
            )
            known = known & found.converged
        value = timing.ambient_c + heat / np.maximum(cooling, 1e-9)
        known &= np.isfinite(value)
        return np.where(known, value, 0.0), known

    def curves(
        self,
        phases: Sequence[TimedPhase],
        places: Mapping[str, float],
        cases: Cases,
        kept: Indices,
        grid: Array,
        really: Callable[[MachineState], SolvableState] | None = None,
        watch: Watch | None = None,
    ) -> Curves:
        """Play states, from steady in the first of them; who is not steady there is not played.

        Parameters
        ----------
        places : function to share of its stroke, half for those that are not named
        really : what a state is in numbers
        watch : what ends a play before its time

        Raises
        ------
        ObservationError : there is no such state.
        """
        make = really or self.network.state
        unknown = sorted({p.state for p in phases} - self.circuit.states.keys())
        if unknown:
            raise ObservationError(
                f"there is no state “{unknown[0]}”; it has {', '.join(self.circuit.states)}"
            )
        solvable = [Phase(make(self.circuit.states[p.state]), p.seconds, p.ramp_s) for p in phases]
        steady = self.solver.solve([solvable[0].state], cases)
        start = np.where(steady.converged, steady.across, np.nan)
        return self.transient.play(
            solvable,
            cases,
            start=start,
            kept=kept,
            place=self._places(places),
            grid=grid,
            watch=watch,
        )

    def _places(self, shares: Mapping[str, float]) -> Array:
        storage = self.transient.storage
        places = 0.5 * storage.stroke_mm
        rows = list(storage.rods)
        for function, share in shares.items():
            row = self.network.net_index[moved_net(self.circuit, function)]
            if row not in rows:
                raise ObservationError(f"function “{function}” moves no rod that has a place")
            places[rows.index(row)] = share * storage.stroke_mm[rows.index(row)]
        return places


def _driven(state: SolvableState, drive: float, oil: float) -> SolvableState:
    return replace(
        state, boundary=state.boundary * drive, viscosity_mm2_s=state.viscosity_mm2_s * oil
    )
