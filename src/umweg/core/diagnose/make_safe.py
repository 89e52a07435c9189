"""Make safe: which lines hold pressure at rest, what holds them, and the way to zero.

A machine at rest keeps what a load, a gas store or a spring presses against a closed valve. Loads
are set down, stores are emptied, and then zero is *read*. The plan is played: on the machine as
documented, and on every machine with a single fault, because the fault that is looked for may be
the one that keeps a load up. Where one of them would still hold pressure, that is said.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from umweg.core.circuit.document import Circuit, Function, MachineState
from umweg.core.components import component_type
from umweg.core.components.base import Array
from umweg.core.diagnose.hazards import cause_words
from umweg.core.diagnose.opening import AT_REST_C, HOLDS_ABOVE_BAR, LETS_GO_BELOW
from umweg.core.diagnose.safe_plan import (
    LeverView,
    LiveLine,
    Release,
    Remains,
    SafePlan,
    SafeStep,
    StepKind,
)
from umweg.core.errors import SolveError
from umweg.core.observe.predict import Predictor, StatePrediction
from umweg.core.observe.quantities import STANDS_SHARE, moved_net

LIFTS_BAR = 5.0
"""Pressure that a pilot line needs before it moves anything."""
HOLDS_SHARE = 0.5
"""A part holds a line if this share of the line's pressure stands across it."""
MOST_NAMED = 3
SAME_LINE = 0.02
"""Lines whose pressures differ by less at rest, from the same load, are open to one another."""

CLEAR = (
    "Level ground, wheels chocked or tracks blocked, nobody under or beside what can fall or swing; "
    "one person at the controls, one watching. Eye protection; no hand near a leak."
)
DEFER = "The maker's procedure and local rules go before this plan."


def make_safe(
    predictor: Predictor,
    faults: Iterable[str] | None = None,
    posture: Mapping[str, str] | None = None,
) -> SafePlan:
    """Plan the way to zero and play it.

    Parameters
    ----------
    predictor : of the machine and every single fault
    faults : keys of those that count as possible, default all of them
    posture : load state of functions that are not simply held

    Raises
    ------
    SolveError : the machine as documented finds no rest.
    """
    return _Planner(predictor, faults, dict(posture or {})).plan()


@dataclass(frozen=True)
class _Move:
    function: Function
    name: str
    running: float
    """Speed along the way its load wants to go, the drive running."""
    off: float
    why_not: str

    @property
    def label(self) -> str:
        return f"{self.function.label} {self.function.moves[self.name].label}"

    @property
    def works_running(self) -> bool:
        return abs(self.running) > 0.0

    @property
    def works_off(self) -> bool:
        return abs(self.off) > STANDS_SHARE * abs(self.running) > 0.0


class _Planner:
    def __init__(
        self, predictor: Predictor, faults: Iterable[str] | None, posture: dict[str, str]
    ) -> None:
        self._predictor = predictor
        self._circuit: Circuit = predictor.circuit
        self._network = predictor.network
        self._posture = posture
        keys = np.array([h.key for h in predictor.population.hypotheses])
        counted = np.ones(len(keys), dtype=bool)
        if faults is not None:
            counted = np.isin(keys, [*faults, "healthy"])
        self._counted = np.flatnonzero(counted[predictor.population.hypothesis])

    # The machine at rest

    def _state(
        self,
        label: str,
        engine: str = "off",
        moves: Mapping[str, str] | None = None,
        settings: Mapping[str, float] | None = None,
    ) -> MachineState:
        loads = {f.id: "held" for f in self._circuit.functions if "held" in f.loads}
        loads.update(self._posture)
        return MachineState.model_validate(
            {
                "label": label,
                "engine": engine,
                "oil_c": AT_REST_C,
                "loads": loads,
                "moves": moves or {},
                "settings": settings or {},
            }
        )

    @property
    def _drive(self) -> str:
        return "engine" if self._circuit.prime_movers else "motor"

    @cached_property
    def _rest(self) -> StatePrediction:
        return self._predictor[self._state(f"{self._drive} off, loads held")]

    @cached_property
    def _oil_nets(self) -> list[tuple[str, int]]:
        network = self._network
        return [
            (name, i)
            for i, name in enumerate(network.net_names[: network.unknown_count])
            if network.domains[i] == "hydraulic" and not self._of_kit(name)
        ]

    def _of_kit(self, net: str) -> bool:
        return net not in {n for c in self._circuit.components for n in c.connections.values()}

    def _healthy(self, state: MachineState) -> Array | None:
        try:
            return self._predictor.healthy(state)
        except SolveError:
            return None

    # What presses on a line

    def set_down(self, function: Function) -> dict[str, float]:
        """Settings that take a function's weight off its actuator: it lies on the ground."""
        if function.load is None:
            return {}
        carried = component_type(self._circuit.component(function.load).type).carried_by
        return {f"{function.load}.{name}": 0.0 for name in carried}

    @cached_property
    def _stores(self) -> dict[str, dict[str, float]]:
        """Settings that empty each store."""
        found = {}
        for part in self._circuit.components:
            emptied = component_type(part.type).emptied_by
            if emptied:
                found[part.id] = {f"{part.id}.{emptied}": 1.0}
        return found

    @cached_property
    def _pressing(self) -> dict[str, tuple[str, Array]]:
        """Label, and across variables with one load set down or one store emptied, by its id."""
        found = {}
        lone = [
            (f.id, f"{f.label}: its load", settings)
            for f in self._circuit.functions
            if (settings := self.set_down(f))
        ]
        lone += [(k, self._circuit.component(k).label, v) for k, v in self._stores.items()]
        for name, label, settings in lone:
            across = self._healthy(self._state(label, settings=settings))
            if across is not None:
                found[name] = label, across
        return found

    def _because(self, row: int) -> list[str]:
        if self._rest.healthy[row] <= HOLDS_ABOVE_BAR:
            return []
        return [n for n, (_, x) in self._pressing.items() if self._lets_go(x, row)]

    def _lets_go(self, across: Array, row: int) -> bool:
        return bool(across[row] < LETS_GO_BELOW * self._rest.healthy[row])

    @cached_property
    def _weighing(self) -> list[Function]:
        """Functions whose load keeps a line under pressure."""
        live = [i for _, i in self._oil_nets if self._rest.healthy[i] > HOLDS_ABOVE_BAR]
        return [
            f
            for f in self._circuit.functions
            if f.id in self._pressing
            and any(self._lets_go(self._pressing[f.id][1], row) for row in live)
        ]

    # What still moves

    @cached_property
    def _moves(self) -> list[_Move]:
        return [self._move(f, m) for f in self._circuit.functions for m in f.moves]

    def _move(self, function: Function, name: str) -> _Move:
        net = self._network.net_index[moved_net(self._circuit, function.id)]
        running = self._healthy(self._lowering(function, name, "idle"))
        off = self._healthy(self._lowering(function, name, "off"))
        if running is None or off is None:
            why = "not known: no steady state was found"
            return _Move(function, name, 0.0 if running is None else running[net], 0.0, why)
        move = _Move(function, name, float(running[net]), float(off[net]), "")
        if move.works_off or not move.works_running:
            return move
        lowers = function in self._weighing and self._lowers(move)
        why = self._why_not(function, lowers, running, off)
        return _Move(function, name, move.running, move.off, why)

    def _lowering(self, function: Function, move: str, engine: str) -> MachineState:
        label = f"{function.label} {function.moves[move].label}"
        return self._state(f"{label}, {self._drive} {engine}", engine, {function.id: move})

    def _why_not(self, function: Function, lowers: bool, running: Array, off: Array) -> str:
        """What it lacks once the drive is off: pilot oil, or anything that pushes."""
        if not lowers:
            return f"it takes the pump: nothing pushes it with the {self._drive} off"
        called, supplied = [], []
        for part in self._circuit.components:
            for port in component_type(part.type).ports:
                net = part.connections.get(port.name)
                if port.line != "pilot" or net is None:
                    continue
                row = self._network.net_index[net]
                if running[row] < LIFTS_BAR or off[row] > 0.5 * running[row]:
                    continue
                supplied.append(part.label)
                if self._idling is not None and self._idling[row] < 0.5 * running[row]:
                    called.append(part.label)
        # What this move alone puts under pressure says more than what every move shares, and what
        # holds the load says most.
        holders = self._holders(function)
        named = [n for n in called if n in holders] or called or supplied
        if named:
            parts = ", ".join(list(dict.fromkeys(named))[:MOST_NAMED])
            return f"no pilot oil with the {self._drive} off at {parts}"
        return f"it does not come down by its weight with the {self._drive} off"

    def _holders(self, function: Function) -> set[str]:
        """Parts that hold the lines which a function's load presses on."""
        if function.id not in self._pressing:
            return set()
        across = self._pressing[function.id][1]
        nets = [
            net
            for net, row in self._oil_nets
            if self._rest.healthy[row] > HOLDS_ABOVE_BAR and self._lets_go(across, row)
        ]
        return {label for net in nets for label in self._held_by(net)}

    @cached_property
    def _idling(self) -> Array | None:
        return self._healthy(self._state(f"{self._drive} idle, loads held", "idle"))

    def _lowers(self, move: _Move) -> bool:
        """Does a move go the way its load wants: the way it creeps while it is held."""
        net = self._network.net_index[moved_net(self._circuit, move.function.id)]
        creep = self._rest.healthy[net]
        return bool(creep * move.running > 0.0)

    def _way_down(self, function: Function) -> _Move | None:
        ways = [m for m in self._moves if m.function is function and self._lowers(m)]
        return max(ways, key=lambda m: (m.works_off, abs(m.running)), default=None)

    # Who does not come down

    def _stays_up(self, move: _Move) -> NDArray[np.bool_]:
        """(C,) machines on which this way of lowering does not bring the load down."""
        engine = "off" if move.works_off else "idle"
        table = self._predictor[self._lowering(move.function, move.name, engine)]
        net = self._network.net_index[moved_net(self._circuit, move.function.id)]
        healthy = float(table.healthy[net])
        share = table.solution.across[net] / healthy if healthy else np.zeros(len(table.known))
        stays: NDArray[np.bool_] = ~table.known | (share < STANDS_SHARE)
        return stays

    def _after(self) -> Array:
        """(N, C) what every machine holds after the plan; not a number where it found no rest.

        A machine on which one load stays up is asked with that load up; where more than one does,
        with all of them up.
        """
        down = {f.id: m for f in self._weighing if (m := self._way_down(f)) is not None}
        stays = {name: self._stays_up(m) for name, m in down.items()}
        count = self._predictor.population.count
        up = sum((s.astype(int) for s in stays.values()), np.zeros(count, dtype=int))

        def held(names: Iterable[str]) -> Array:
            table = self._predictor[self._end_state(names)]
            across: Array = np.where(table.known, table.solution.across, np.nan)
            return across

        result = held(())
        for name in down:
            rows = np.flatnonzero(stays[name] & (up == 1))
            if len(rows):
                result[:, rows] = held([name])[:, rows]
        rows = np.flatnonzero(up > 1)
        if len(rows):
            result[:, rows] = held(list(down))[:, rows]
        return result

    def _end_state(self, up: Iterable[str] = ()) -> MachineState:
        """Everything that can be set down is, but for what stays up, and stores are empty."""
        kept = set(up)
        settings: dict[str, float] = {}
        for function in self._weighing:
            if function.id not in kept and self._way_down(function) is not None:
                settings |= self.set_down(function)
        for emptied in self._stores.values():
            settings |= emptied
        return self._state("set down, empty, at rest", settings=settings)

    # The plan

    def plan(self) -> SafePlan:
        after = self._after()
        end = self._predictor.healthy(self._end_state())
        remains = self._remains(after, end)
        return SafePlan(
            circuit=self._circuit.id,
            drive=self._drive,
            safe=not any(not r.faults for r in remains),
            lines=self._lines(),
            levers=[self._lever(m) for m in self._moves],
            steps=list(self._steps(end)),
            remains=remains,
            releases=self._releases(after, end),
            caution=DEFER,
        )

    def _lever(self, move: _Move) -> LeverView:
        return LeverView(
            function=move.function.id,
            move=move.name,
            label=move.label,
            lowers=move.function in self._weighing and self._lowers(move),
            works_running=move.works_running,
            works_off=move.works_off,
            why_not=move.why_not,
        )

    def _label(self, net: str) -> str:
        points = [p.label for p in self._circuit.test_points if p.net == net]
        if points:
            return points[0]
        ports = [
            f"{c.label}, {port}"
            for c in self._circuit.components
            for port, joined in c.connections.items()
            if joined == net
        ]
        return ports[0] if ports else net

    def _points(self, net: str) -> list[str]:
        return [p.id for p in self._circuit.test_points if p.net == net]

    def _worst(self, pressure: Array) -> tuple[float, str]:
        """Highest over the counted machines that are known, and whose it is."""
        counted = pressure[self._counted]
        if np.isnan(counted).all():
            return float("nan"), "not known"
        c = int(self._counted[int(np.nanargmax(counted))])
        return float(pressure[c]), cause_words(self._predictor, c)

    def _lines(self) -> list[LiveLine]:
        table = self._rest
        across = np.where(table.known, table.solution.across, np.nan)
        found = []
        for net, row in self._oil_nets:
            worst, cause = self._worst(across[row])
            if max(worst, table.healthy[row]) <= HOLDS_ABOVE_BAR:
                continue
            found.append(
                LiveLine(
                    net=net,
                    label=self._label(net),
                    points=self._points(net),
                    healthy_bar=float(table.healthy[row]),
                    worst_bar=worst,
                    worst_with=cause,
                    held_by=self._held_by(net) if table.healthy[row] > HOLDS_ABOVE_BAR else [],
                    because=[self._pressing[n][0] for n in self._because(row)],
                )
            )
        return sorted(found, key=lambda line: (-line.healthy_bar, -line.worst_bar, line.net))

    def _held_by(self, net: str) -> list[str]:
        """Parts between this line and one that holds far less."""
        healthy = self._rest.healthy
        here = healthy[self._network.net_index[net]]
        found = []
        for part in self._circuit.components:
            kind = component_type(part.type)
            oil = {
                part.connections[p.name]
                for p in kind.ports
                if p.domain == "hydraulic" and p.name in part.connections
            }
            if net not in oil or kind.stores_oil:
                continue
            others = [healthy[self._network.net_index[n]] for n in oil - {net}]
            if any(other < (1.0 - HOLDS_SHARE) * here for other in others):
                found.append(part.label)
        return found

    def _steps(self, end: Array) -> Iterable[SafeStep]:
        yield self._step("clear", CLEAR)
        ways = {f.id: self._way_down(f) for f in self._weighing}
        order = sorted(self._weighing, key=lambda f: self._only_running(ways[f.id]), reverse=True)
        for function in order:
            if (way := ways[function.id]) is None:
                yield self._step("lower", self._propped(function), function=function.id)
            else:
                yield self._lower(function, way)
        yield self._step("stop", f"{self._drive.capitalize()} off; wait until everything stands.")
        if any(m.works_off or m.works_running for m in self._moves):
            key = "Key on, pilot armed: every" if self._piloted else "Every"
            names = ", ".join(dict.fromkeys(m.function.label.lower() for m in self._moves))
            yield self._step("levers", f"{key} lever both ways, twice: {names}.")
        for store in self._stores:
            yield self._empty(store)
        lines = self._lines()
        for line in lines:
            if line.healthy_bar > HOLDS_ABOVE_BAR and not self._seen_by(line, lines):
                words = (
                    f"No test point sees {line.label}, which held {line.healthy_bar:.0f} bar: it is "
                    "not known to be at zero. It is opened only as the maker's procedure says."
                )
                yield self._step("blind", words, function=line.net)
            for point in line.points:
                row = self._network.net_index[line.net]
                label = self._circuit.test_point(point).label
                words = f"Read zero at {label}. Nothing is opened before it reads zero."
                if line.healthy_bar <= HOLDS_ABOVE_BAR:
                    words += f" A fault may keep {line.worst_bar:.0f} bar here."
                yield self._step(
                    "read",
                    words,
                    point=point,
                    before=float(self._rest.healthy[row]),
                    after=float(end[row]),
                    state=self._end_state(),
                )

    @staticmethod
    def _seen_by(line: LiveLine, lines: Iterable[LiveLine]) -> list[str]:
        """Test points on a line, or on one that stands under the same pressure from the same load."""
        return [
            point
            for other in lines
            if other.because == line.because
            and abs(other.healthy_bar - line.healthy_bar) < SAME_LINE * line.healthy_bar
            for point in other.points
        ]

    @staticmethod
    def _only_running(way: _Move | None) -> bool:
        return way is not None and not way.works_off

    def _propped(self, function: Function) -> str:
        return (
            f"{function.label} cannot be lowered by its own controls here: prop it mechanically, as "
            "its maker says, before anything on it is opened; its line stays under pressure."
        )

    def _lower(self, function: Function, way: _Move) -> SafeStep:
        words = f"Lower until it lies and is supported: {way.label}"
        if way.works_off:
            words += f"; it also comes down with the {self._drive} off."
        else:
            words += f", while the {self._drive} still runs: {way.why_not}."
        rows = [
            (p, self._network.net_index[p.net])
            for p in self._circuit.test_points
            if not p.electrical
        ]
        across = self._pressing[function.id][1]
        told = [p for p, row in rows if self._rest.healthy[row] > 5 and self._lets_go(across, row)]
        point = told[0] if told else None
        row = None if point is None else self._network.net_index[point.net]
        return self._step(
            "lower",
            words,
            function=function.id,
            move=way.name,
            point=None if point is None else point.id,
            before=None if row is None else float(self._rest.healthy[row]),
            after=None if row is None else float(across[row]),
            state=self._lowering(function, way.name, "off" if way.works_off else "idle"),
        )

    def _empty(self, store: str) -> SafeStep:
        part = self._circuit.component(store)
        net = next(iter(part.connections.values()))
        row = self._network.net_index[net]
        using = [m.label for m in self._moves if m.works_off and m.function not in self._weighing]
        by = f" through {', '.join(using).lower()}, again and again" if using else ""
        points = self._points(net)
        where = self._circuit.test_point(points[0]).label if points else "its own gauge port"
        return self._step(
            "empty",
            f"Empty {part.label.lower()}{by}; read zero at {where}: it is read, never assumed. "
            "Its gas stays under pressure: the shell is not opened.",
            point=points[0] if points else None,
            before=float(self._rest.healthy[row]),
            after=float(self._predictor.healthy(self._end_state())[row]),
            state=self._end_state(),
        )

    def _step(
        self,
        kind: StepKind,
        words: str,
        *,
        function: str | None = None,
        move: str | None = None,
        point: str | None = None,
        before: float | None = None,
        after: float | None = None,
        state: MachineState | None = None,
    ) -> SafeStep:
        return SafeStep(
            key=f"{kind}/{point or function or self._drive}",
            kind=kind,
            words=words,
            function=function,
            move=move,
            point=point,
            before_bar=before,
            after_bar=after,
            state=state,
        )

    @cached_property
    def _piloted(self) -> bool:
        """Valves that move by pilot oil or current trap oil when these are off."""
        return any(
            p.domain == "electrical" or p.line == "pilot"
            for c in self._circuit.components
            for p in component_type(c.type).ports
        )

    def _remains(self, after: Array, end: Array) -> list[Remains]:
        population = self._predictor.population
        found = []
        for net, row in self._oil_nets:
            label = self._label(net)
            if end[row] > HOLDS_ABOVE_BAR:
                words = f"{label} still holds {end[row]:.0f} bar on the machine as documented"
                found.append(
                    Remains(net=net, label=label, bar=float(end[row]), faults=[], words=words)
                )
                continue
            pressure = after[row]
            over = [
                c for c in self._counted if np.isnan(pressure[c]) or pressure[c] > HOLDS_ABOVE_BAR
            ]
            if not over:
                continue
            keys = dict.fromkeys(population.hypotheses[population.hypothesis[c]].key for c in over)
            bar, cause = self._worst(pressure)
            named = "" if cause == "not known" else f", most with: {cause}"
            how_much = "an unknown pressure" if np.isnan(bar) else f"up to {bar:.0f} bar"
            found.append(
                Remains(
                    net=net,
                    label=label,
                    bar=0.0 if np.isnan(bar) else bar,
                    faults=list(keys),
                    words=f"{label} may still hold {how_much}{named}",
                )
            )
        return sorted(found, key=lambda r: (bool(r.faults), -r.bar))

    def _releases(self, after: Array, end: Array) -> list[Release]:
        found = []
        for point in self._circuit.test_points:
            if point.electrical:
                continue
            row = self._network.net_index[point.net]
            worst, cause = self._worst(after[row])
            quiet = np.isnan(worst) or worst <= HOLDS_ABOVE_BAR
            if quiet and np.isnan(after[row][self._counted]).any():
                quiet, cause = False, "a fault under which it is not known"
            found.append(
                Release(
                    point=point.id,
                    label=point.label,
                    before_bar=float(self._rest.healthy[row]),
                    after_bar=float(end[row]),
                    worst_bar=0.0 if np.isnan(worst) else worst,
                    worst_with="" if quiet else cause,
                )
            )
        return found
