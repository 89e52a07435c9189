"""Make safe: which lines hold pressure at rest, what holds them, and the way to zero.

A machine at rest keeps what a load, a gas store or a spring presses against a closed valve, and
what was closed in before. Loads are set down, stores are emptied, levers moved, and then zero is
*read*. The plan is played: on the machine as documented, and on every machine with a single fault,
because the fault that is looked for may be the one that keeps a load up. Where one of them would
still hold pressure, that is said.
"""

from collections.abc import Iterable, Mapping
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from umweg.core.circuit.document import Component, Function, MachineState
from umweg.core.components import component_type
from umweg.core.components.base import Array
from umweg.core.diagnose.falling import Falling, below_after_s
from umweg.core.diagnose.hazards import cause_words
from umweg.core.diagnose.levers import COMES_DOWN, HandValve, Levers, Move
from umweg.core.diagnose.opening import PROCEDURE
from umweg.core.diagnose.rest import HOLDS_ABOVE_BAR, AtRest
from umweg.core.diagnose.safe_plan import (
    LACKS,
    Lack,
    LackView,
    LeverView,
    LiveLine,
    Release,
    Remains,
    SafePlan,
    SafeStep,
    StepKind,
)
from umweg.core.network.network import Indices
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import STANDS_SHARE

SAME_LINE = 0.02
"""Lines whose pressures differ by less at rest, from the same load, are open to one another."""

CLEAR = (
    "Level ground, wheels chocked or tracks blocked, nobody under or beside what can fall or swing; "
    "one person at the controls, one watching. Eye protection; no hand near a leak."
)
MOVES_FROM = 1.0
"""Speed [mm/s, rpm] from which somebody has to stand clear of what moves by itself."""
DEFER = "The maker's procedure and local rules go before this plan."


def make_safe(
    predictor: Predictor,
    faults: Iterable[str] | None = None,
    posture: Mapping[str, str] | None = None,
    lacks: Iterable[Lack] = (),
) -> SafePlan:
    """Plan the way to zero and play it.

    Parameters
    ----------
    predictor : of the machine and every single fault
    faults : keys of those that count as possible, default all of them
    posture : load state of functions that are not simply held
    lacks : what of the machine does not work: the plan does without it, and says where it cannot

    Raises
    ------
    SolveError : the machine as documented finds no rest.
    """
    return _Planner(predictor, faults, dict(posture or {}), lacks).plan()


class _Planner:
    def __init__(
        self,
        predictor: Predictor,
        faults: Iterable[str] | None,
        posture: dict[str, str],
        lacks: Iterable[Lack],
    ) -> None:
        self._predictor = predictor
        self._circuit = predictor.circuit
        self._rest = AtRest(predictor, posture, waits=True)
        self._lacks: frozenset[Lack] = frozenset(lacks)
        self._levers = Levers(self._rest, self._lacks)
        keys = np.array([h.key for h in predictor.population.hypotheses])
        counted = np.ones(len(keys), dtype=bool)
        if faults is not None:
            counted = np.isin(keys, [*faults, "healthy"])
        self._counted = np.flatnonzero(counted[predictor.population.hypothesis])

    # Who does not come down

    @cached_property
    def _ways(self) -> dict[str, Move | HandValve]:
        """How each load comes down, by its function; those that cannot be lowered are not in it."""
        found: dict[str, Move | HandValve] = {}
        for function in self._rest.weighing:
            way = self._levers.way_down(function)
            if way is not None:
                found[function.id] = way
            elif self._lacks and (valve := self._levers.by_hand(function)) is not None:
                found[function.id] = valve
        return found

    @cached_property
    def _emptied(self) -> dict[str, dict[str, float]]:
        """Settings of the stores that can be emptied."""
        if not self._lacks or self._drawn_by():
            return self._rest.stores
        return {
            name: settings
            for name, settings in self._rest.stores.items()
            if "dump" not in self._lacks and self._rest.let_go(self._net_of(name))
        }

    def _net_of(self, store: str) -> str:
        return next(iter(self._circuit.component(store).connections.values()))

    def _lowering(self, function: Function) -> MachineState:
        """How the machine stands while a load comes down."""
        way = self._ways[function.id]
        if isinstance(way, HandValve):
            return self._rest.state(f"{way.label} open", settings={way.key: 1.0})
        return self._levers.state(way.function, way.name, "off" if way.works_off else "idle")

    def _stays_up(self, function: Function) -> NDArray[np.bool_]:
        """(C,) machines on which this way of lowering does not bring the load down."""
        table = self._predictor[self._lowering(function)]
        net = self._levers.moved_row(function)
        healthy = float(table.healthy[net])
        share = table.solution.across[net] / healthy if healthy else np.zeros(len(table.known))
        stays: NDArray[np.bool_] = ~table.known | (share < STANDS_SHARE)
        return stays

    def _after(self) -> Array:
        """(N, C) what every machine holds after the plan; not a number where it found no rest.

        A machine on which one load stays up is asked with that load up; where more than one does,
        with all of them up.
        """
        down = [f for f in self._rest.weighing if f.id in self._ways]
        stays = {f.id: self._stays_up(f) for f in down}
        count = self._predictor.population.count
        up = sum((s.astype(int) for s in stays.values()), np.zeros(count, dtype=int))

        def held(names: Iterable[str]) -> Array:
            table = self._predictor[self._end_state(names)]
            across: Array = np.where(table.known, table.solution.across, np.nan)
            return across

        result = held(())
        for name in stays:
            rows = np.flatnonzero(stays[name] & (up == 1))
            if len(rows):
                result[:, rows] = held([name])[:, rows]
        rows = np.flatnonzero(up > 1)
        if len(rows):
            result[:, rows] = held(list(stays))[:, rows]
        nets, freed = self._freed
        result[nets] = np.maximum(result[nets], freed)
        return result

    @cached_property
    def _freed(self) -> tuple[Indices, Array]:
        """Nets, and (R, C) what is left of what was closed in; where something does not work, levers
        are not counted on: what stays after ten minutes stays."""
        nets, freed = self._rest.freed
        trapped = self._rest.trapped
        if not self._lacks or trapped is None:
            return nets, freed
        left = trapped.spread(trapped.bar[-1], self._predictor.population)
        alone = np.array([not self._rest.because(int(row)) for row in nets])
        return nets, np.where(alone[:, None], np.fmax(freed, left), freed)

    @cached_property
    def _end(self) -> Array:
        """(N_all,) what the machine as documented keeps after the plan."""
        end = self._predictor.healthy(self._end_state()).copy()
        nets, freed = self._freed
        end[nets] = np.fmax(end[nets], freed[:, 0])
        return end

    def _end_state(self, up: Iterable[str] = ()) -> MachineState:
        """Everything that can be set down is, but for what stays up, and stores are empty."""
        kept = set(up)
        settings: dict[str, float] = {}
        for function in self._rest.weighing:
            if function.id not in kept and function.id in self._ways:
                settings |= self._rest.set_down(function)
        for emptied in self._emptied.values():
            settings |= emptied
        return self._rest.state("set down, empty, at rest", settings=settings)

    # The plan

    def plan(self) -> SafePlan:
        after = self._after()
        end = self._end
        remains = self._remains(after, end)
        return SafePlan(
            circuit=self._circuit.id,
            drive=self._rest.drive,
            lacks=[name for name in LACKS if name in self._lacks],
            asks=list(self._asks()),
            safe=not any(not r.faults for r in remains),
            lines=self._lines(),
            levers=[self._lever(m) for m in self._levers.moves],
            steps=list(self._steps(end)),
            remains=remains,
            releases=self._releases(after, end),
            caution=DEFER,
        )

    def _asks(self) -> Iterable[LackView]:
        """What this machine has that may not work when it is needed."""
        kinds = [component_type(part.type) for part in self._circuit.components]
        has: dict[Lack, bool] = {
            "drive": True,
            "electricity": any(p.domain == "electrical" for k in kinds for p in k.ports),
            "pilot": any(k.piloted for k in kinds),
            "dump": bool(self._rest.stores),
        }
        for name, words in LACKS.items():
            if has[name]:
                yield LackView(key=name, words=words.format(drive=self._rest.drive))

    def _lever(self, move: Move) -> LeverView:
        return LeverView(
            function=move.function.id,
            move=move.name,
            label=move.label,
            lowers=move.function in self._rest.weighing and self._levers.lowers(move),
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
        found = []
        for net, row in self._rest.oil_nets:
            worst, cause = self._worst(self._rest.held[row])
            sound = float(self._rest.sound[row])
            if max(np.nan_to_num(worst), sound) <= HOLDS_ABOVE_BAR:
                continue
            since = self._rest.closed_in(row)
            found.append(
                LiveLine(
                    net=net,
                    label=self._label(net),
                    points=self._points(net),
                    healthy_bar=sound,
                    worst_bar=sound if np.isnan(worst) else worst,
                    worst_with=cause,
                    held_by=[p.label for p in self._rest.held_by(net)]
                    if sound > HOLDS_ABOVE_BAR
                    else [],
                    because=[self._rest.pressing[n][0] for n in self._rest.because(row)],
                    since=since,
                    falls=self._falls(row),
                )
            )
        return sorted(found, key=lambda line: (-line.healthy_bar, -line.worst_bar, line.net))

    def _steps(self, end: Array) -> Iterable[SafeStep]:
        yield self._step("clear", CLEAR)
        order = sorted(
            self._rest.weighing,
            key=lambda f: self._only_running(self._ways.get(f.id)),
            reverse=True,
        )
        for function in order:
            if function.id not in self._ways:
                yield self._step("lower", self._propped(function), function=function.id)
            else:
                yield self._lower(function, self._ways[function.id])
        last = self._rest.leave_by
        if last is not None and "drive" not in self._lacks:
            words = f"Last before the {self._rest.drive} stops: “{last.label}” for some seconds, and let go."
            words += " Else lines stay closed in."
            yield self._step("leave", words, state=last)
        words = f"{self._rest.drive.capitalize()} off; wait until everything stands."
        if "drive" in self._lacks:
            words = (
                f"The {self._rest.drive} stands: take its key, so that nobody starts it meanwhile."
            )
        yield self._step("stop", words)
        for store in self._rest.stores:
            yield self._empty(store)
        words = self._rest.levers_words(by_current="electricity" not in self._lacks)
        if words:
            yield self._step("levers", f"{words[:1].upper()}{words[1:]}.")
        lines, unseen = self._lines(), []
        for line in lines:
            if line.healthy_bar > HOLDS_ABOVE_BAR and not self._seen_by(line, lines):
                row = self._rest.row(line.net)
                if line.because or end[row] > HOLDS_ABOVE_BAR:
                    words = (
                        f"No test point sees {line.label}, which held {line.healthy_bar:.0f} bar: it "
                        "is not known to be at zero. It is opened only as the maker's procedure says."
                    )
                    yield self._step("blind", words, function=line.net)
                else:
                    unseen.append(line)
            for point in line.points:
                row = self._rest.row(line.net)
                label = self._circuit.test_point(point).label
                words = f"Read zero at {label}. Nothing is opened before it reads zero."
                if line.healthy_bar <= HOLDS_ABOVE_BAR:
                    words += f" A fault may keep {line.worst_bar:.0f} bar here."
                if end[row] > HOLDS_ABOVE_BAR:
                    words += (
                        f" In good order it still has {end[row]:.0f} bar by now, and nothing on this "
                        f"machine lets it go: {PROCEDURE}."
                    )
                yield self._step(
                    "read",
                    words,
                    point=point,
                    before=float(self._rest.sound[row]),
                    after=float(end[row]),
                    state=self._end_state(),
                )

        if unseen:
            named = ", ".join(f"{x.label} ({x.healthy_bar:.0f} bar)" for x in unseen)
            words = (
                f"No test point sees what else was closed in: {named}. In good order levers or ten "
                "minutes let it go, but it is not known to be at zero: treat it as under pressure."
            )
            yield self._step("blind", words, function="closed_in")

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
    def _only_running(way: Move | HandValve | None) -> bool:
        return isinstance(way, Move) and not way.works_off

    def _propped(self, function: Function) -> str:
        if self._lacks:
            return (
                f"{function.label} cannot be lowered: stay away from it and from what it carries. "
                "Block it mechanically as its maker says before anybody comes near; its line stays "
                f"under pressure: {PROCEDURE}."
            )
        return (
            f"{function.label} cannot be lowered by its own controls here: prop it mechanically, as "
            "its maker says, before anything on it is opened; its line stays under pressure."
        )

    def _lower(self, function: Function, way: Move | HandValve) -> SafeStep:
        if isinstance(way, HandValve):
            words = (
                f"Open {_inside(way.label)} a little at a time: {function.label} comes down by its own "
                "weight. Stand clear of it, where it can neither fall nor swing; shut it when it lies"
            )
            words += " and is supported."
        elif way.works_off:
            words = f"Lower until it lies and is supported: {way.label}"
            words += f"; it also comes down with the {self._rest.drive} off."
        else:
            words = f"Lower until it lies and is supported: {way.label}"
            words += f", while the {self._rest.drive} still runs: {way.why_not}."
        if moving := self._moving(self._lowering(function), function):
            words += f" Meanwhile {moving} moves by itself: nobody in its way."
        rows = [(p, self._rest.row(p.net)) for p in self._circuit.test_points if p.hydraulic]
        across = self._rest.pressing[function.id][1]
        told = [
            p
            for p, row in rows
            if self._rest.table.healthy[row] > 5 and self._rest.lets_go(across, row)
        ]
        point = told[0] if told else None
        row = None if point is None else self._rest.row(point.net)
        return self._step(
            "lower",
            words,
            function=function.id,
            move=way.name if isinstance(way, Move) else None,
            point=None if point is None else point.id,
            before=None if row is None else float(self._rest.table.healthy[row]),
            after=None if row is None else float(across[row]),
            state=self._lowering(function),
        )

    def _empty(self, store: str) -> SafeStep:
        part, net = self._circuit.component(store), self._net_of(store)
        row = self._rest.row(net)
        points = self._points(net)
        where = self._circuit.test_point(points[0]).label if points else "its own gauge port"
        if store not in self._emptied:
            words = (
                f"{part.label} cannot be emptied: it keeps {self._rest.sound[row]:.0f} bar. Stay away "
                f"from it and from every line it feeds: {PROCEDURE}."
            )
            return self._step("blind", words, function=store)
        return self._step(
            "empty",
            f"{self._emptying(part, net)}; read zero at {where}: it is read, never assumed. "
            "Its gas stays under pressure: the shell is not opened.",
            point=points[0] if points else None,
            before=float(self._rest.sound[row]),
            after=float(self._end[row]),
            state=self._end_state(),
        )

    def _moving(self, state: MachineState, called: Function | None = None) -> str:
        """What moves by itself while a step is taken, beside what is called for."""
        across = self._rest.healthy(state)
        if across is None:
            return ""
        load = None if called is None else called.load
        moving = []
        for function in self._circuit.functions:
            if function is called or (load is not None and function.load == load):
                continue
            row = self._levers.moved_row(function)
            creep = abs(float(self._rest.table.healthy[row]))
            if abs(float(across[row])) > max(MOVES_FROM, COMES_DOWN * creep):
                moving.append(function.label)
        return " and ".join(dict.fromkeys(moving))

    def _emptying(self, part: Component, net: str) -> str:
        """How a store is emptied: by its dump valve where it has one, else by what it feeds."""
        for dump, command in () if "dump" in self._lacks else self._rest.let_go(net):
            words = f"Open {_inside(dump.label)}, and leave it open: {_inside(part.label)} empties"
            opened = self._rest.state("emptying", settings={f"{dump.id}.{command}": 1.0})
            played = self._falling.opened(opened)
            if played is not None:
                time_s, bar = played
                gone = below_after_s(time_s, bar[self._rest.row(net)], HOLDS_ABOVE_BAR)
                if gone is not None:
                    words += f" within about {max(gone, 1.0):.0f} s on a machine in order"
            moving = self._moving(opened)
            return (
                f"{words} (meanwhile {moving} moves by itself: nobody in its way)"
                if moving
                else words
            )
        using = self._drawn_by()
        by = ""
        if using:
            by = (
                f" through {', '.join(using).lower()}, again and again: it moves, stand clear of it"
            )
        return f"Empty {_inside(part.label)}{by}"

    def _drawn_by(self) -> list[str]:
        """Moves that take oil with the drive off, which empties what feeds them."""
        return [
            m.label
            for m in self._levers.moves
            if m.works_off and m.function not in self._rest.weighing and not self._levers.wanting(m)
        ]

    def _falls(self, row: int) -> str:
        """What a line does that is left alone, in words; nothing where it is not known."""
        trapped = self._rest.trapped
        here = None if trapped is None else trapped.place.get(row)
        if trapped is None or here is None or self._rest.sound[row] <= HOLDS_ABOVE_BAR:
            return ""
        gone = trapped.below_after_s(here, 0, HOLDS_ABOVE_BAR)
        stays = max(float(trapped.bar[-1, here, 0]), float(self._rest.table.healthy[row]))
        if gone is None or self._rest.table.healthy[row] > HOLDS_ABOVE_BAR:
            return f"left alone in good order still {stays:.0f} bar after ten minutes"
        return f"in good order falls by itself in about {gone / 60.0:.2g} min: wait, and read it"

    @cached_property
    def _falling(self) -> Falling:
        return Falling(self._predictor, self._rest.state(f"{self._rest.drive} off, loads held"))

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
            key=f"{kind}/{point or function or self._rest.drive}",
            kind=kind,
            words=words,
            function=function,
            move=move,
            point=point,
            before_bar=before,
            after_bar=after,
            state=state,
        )

    def _remains(self, after: Array, end: Array) -> list[Remains]:
        population = self._predictor.population
        found = []
        for net, row in self._rest.oil_nets:
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
            if not point.hydraulic:
                continue
            row = self._rest.row(point.net)
            worst, cause = self._worst(after[row])
            quiet = np.isnan(worst) or worst <= HOLDS_ABOVE_BAR
            if quiet and np.isnan(after[row][self._counted]).any():
                quiet, cause = False, "a fault under which it is not known"
            found.append(
                Release(
                    point=point.id,
                    label=point.label,
                    before_bar=float(self._rest.bar(point.net)),
                    after_bar=float(end[row]),
                    worst_bar=0.0 if np.isnan(worst) else worst,
                    worst_with="" if quiet else cause,
                )
            )
        return found


def _inside(label: str) -> str:
    """A part's name inside a sentence; units and numbers in it stay as they are."""
    return label[:1].lower() + label[1:]
