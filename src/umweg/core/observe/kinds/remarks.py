"""Words beside how a function moves: noisy, jerky, hot, moves by itself, late.

Each is one declaration in :data:`REMARKS`: what of the solved machine makes it, how often it is told
where it is so, and how often where it is not. They are about change, as every word is: what a sound
machine does as well is no reason to tell of it.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, get_args

import numpy as np

from umweg.core.circuit.document import Component, MachineState, Timing
from umweg.core.components import component_type
from umweg.core.components.base import Array
from umweg.core.observe.kinds.oil import degrees
from umweg.core.observe.moving import When, moving_states, neutral_with_load
from umweg.core.observe.normal import normal_cdf
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import from_scale, moved_net, quantity_of, speed_of
from umweg.core.observe.throttling import felt_and_heard
from umweg.core.solve.power import port_throughs, power_balance

Remark = Literal[
    "noisy",
    "whines",
    "hisses",
    "squeals",
    "rattles",
    "jerky",
    "hot",
    "by_itself",
    "will_not_stop",
    "starts_late",
    "releases_late",
]
MOST_MADE = 0.95
"""Nothing that is worked out makes a sound surely."""
STARVED_BAR, STARVED_SPREAD = -0.25, 0.07
"""Pressure at a pump's inlet below which it cavitates and howls."""
HOT_SHARE, HOT_SPREAD = 1.35, 0.2
"""How much more heat a move makes, as a share of what it made, until somebody finds it hot; as ln."""
LEAST_KW = 0.05
"""Heat that nobody finds: a hand lamp's."""
OF_WORK = 0.6
"""Share of the time in which it moves under load while it gets hot; the rest it stands and runs."""
CREEPS, CREEPS_SPREAD = 0.04, 0.02
GOES_ON, GOES_ON_SPREAD = 0.08, 0.03
"""Speed with its lever let go, as a share of its usual speed, that is seen."""
LATE_SHARE, LATE_SPREAD = 1.5, 0.2
"""How much longer it takes until it is called late; as ln."""
AT_WORK = 0.2
"""Flow [L/min, or what is as much power at a bar] below which a part has no share in a move."""


class Heard:
    """What somebody who works a move could remark of every candidate."""

    def __init__(self, predictor: Predictor, function: str, move: str, when: When) -> None:
        self.predictor = predictor
        self.function = function
        self.move = move
        self.moving = moving_states(predictor.circuit, function, move, when)
        """States in which it moves, light to loaded."""
        self.let_go = neutral_with_load(self.moving[-1])
        """The last of them with its lever let go."""
        predictor.prepare([*self.moving, self.let_go])

    @property
    def nothing(self) -> Array:
        """(C,) of none."""
        return np.zeros(self.predictor.population.count)

    @cached_property
    def aired(self) -> Array:
        """(C,) chance that its oil foams."""
        return new(degrees(self.predictor)["foamy"])

    @cached_property
    def starved(self) -> Array:
        """(C,) chance that a pump draws more than it gets."""
        network, found = self.predictor.network, self.nothing
        for part in network.parts:
            if component_type(part.type).makes_flow and "inlet" in part.connections:
                row = network.net_index[part.connections["inlet"]]
                for state in self.moving:
                    bar = self.predictor[state].solution.across[row]
                    low = normal_cdf((STARVED_BAR - bar) / STARVED_SPREAD)
                    found = either(found, new(low))
        return found

    @cached_property
    def throttled(self) -> Array:
        """(C,) chance that oil is heard somewhere where it was not."""
        predictor, found = self.predictor, self.nothing
        state = self.moving[-1]
        cases = predictor.population.cases(0, state.oil_c)
        across = predictor[state].solution.across
        for part in predictor.circuit.components:
            if _passed_by_oil(part):
                solvable = [predictor.solvable(state)]
                _, heard = felt_and_heard(predictor.solver, part.id, solvable, cases, across)
                found = either(found, new(heard))
        return found

    @cached_property
    def at_work(self) -> frozenset[str]:
        """Parts that have a share in the move of a sound machine."""
        predictor, found = self.predictor, set()
        network = predictor.network
        joins = {part.id: part.connections for part in network.parts}
        for state in self.moving:
            across = predictor[state].healthy
            ports, through = port_throughs(network, predictor.solvable(state), across[:, None])
            for port, flow in zip(ports, through[:, 0], strict=True):
                part, _, name = port.partition(".")
                row = network.net_index[joins[part][name]]
                oil = network.domains[row] == "hydraulic"
                if abs(flow if oil else flow * across[row]) > AT_WORK:
                    found.add(part)
        return frozenset(found)

    def declared(self, word: Remark) -> Array:
        """(C,) chance by the faults that say so themselves, of parts that have a share in it."""
        population, found = self.predictor.population, self.nothing
        for hypothesis, rows in zip(population.hypotheses, population.members, strict=True):
            for w, fault in enumerate(hypothesis.faults):
                if word in fault.mode.remarks and fault.component_id in self.at_work:
                    found[rows] = either(found[rows], population.severity[rows, w])
        return found

    def heat_kw(self, state: MachineState) -> Array:
        """(C,) heat that is made in a state."""
        predictor = self.predictor
        solvable = predictor.solvable(state)
        parameters = predictor.solver.parameters_of(
            [solvable], predictor.population.cases(0, state.oil_c)
        )
        across = predictor[state].solution.across
        balance = power_balance(predictor.network, solvable, across, parameters)
        return balance.heat_kw

    @cached_property
    def goes_on(self) -> Array:
        """(C,) speed with its lever let go, along the move, beyond what it always had, as a share of
        the speed that it moves at."""
        predictor = self.predictor
        speed = speed_of(predictor.circuit, self.function)
        net = predictor.network.net_index[moved_net(predictor.circuit, self.function)]
        moves, stands = predictor[self.moving[0]], predictor[self.let_go]
        usual = float(moves.healthy[net])
        if abs(float(moves.mean[moves.row(speed), 0])) < 1e-3:
            return self.nothing
        signed = stands.solution.across[net] / usual
        more: Array = signed - signed[0]
        return more

    @property
    def timings(self) -> Sequence[Timing]:
        """Of this move, and read in the seconds that it takes."""
        circuit = self.predictor.circuit
        return [
            t
            for t in circuit.timings
            if t.of == "within_s"
            and (t.function in (None, self.function))
            and circuit.states[t.state].moves.get(self.function) == self.move
        ]

    @cached_property
    def late(self) -> Array:
        """(C,) chance that it takes longer than it did."""
        found = self.nothing
        for timing in self.timings:
            quantity = quantity_of(timing)
            timed = self.predictor.timed(quantity)
            seconds = np.maximum(from_scale(quantity, timed.mean), 0.05)
            longer = np.log(seconds / seconds[0] / LATE_SHARE) / LATE_SPREAD
            found = either(found, np.where(timed.known, new(normal_cdf(longer)), 0.0))
        return found

    def known(self) -> Array:
        """(C,) where there are solved states to tell by."""
        found = np.ones(self.predictor.population.count, dtype=bool)
        for state in (*self.moving, self.let_go):
            found &= self.predictor[state].known
        return found


def new(chance: Array) -> Array:
    """(C,) the same of what the first of all, the sound machine, does not do as well."""
    result: Array = np.maximum(chance - chance[0], 0.0) / np.maximum(1.0 - chance[0], 1e-9)
    return result


def either(one: Array, other: Array) -> Array:
    """Chance of one or the other or both."""
    result: Array = 1.0 - (1.0 - one) * (1.0 - other)
    return result


def _passed_by_oil(part: Component) -> bool:
    kind = component_type(part.type)
    return sum(p.domain == "hydraulic" for p in kind.ports) > 1 and not kind.cools


def _whines(heard: Heard) -> Array:
    return either(either(heard.starved, heard.aired), heard.declared("whines"))


def _squeals(heard: Heard) -> Array:
    return either(heard.throttled, heard.declared("squeals"))


def _rattles(heard: Heard) -> Array:
    return either(heard.starved, heard.declared("rattles"))


def _noisy(heard: Heard) -> Array:
    return either(either(_whines(heard), _squeals(heard)), _rattles(heard))


def _hot(heard: Heard) -> Array:
    kw = OF_WORK * heard.heat_kw(heard.moving[-1])
    kw = np.maximum(kw + (1.0 - OF_WORK) * heard.heat_kw(heard.let_go), 0.0) + LEAST_KW
    return new(normal_cdf(np.log(kw / kw[0] / HOT_SHARE) / HOT_SPREAD))


def _by_itself(heard: Heard) -> Array:
    return new(normal_cdf((np.abs(heard.goes_on) - CREEPS) / CREEPS_SPREAD))


def _will_not_stop(heard: Heard) -> Array:
    return new(normal_cdf((heard.goes_on - GOES_ON) / GOES_ON_SPREAD))


@dataclass(frozen=True)
class RemarkKind:
    """A word beside how a function moves.

    ``made`` gives (C,) the chance that somebody would be right to say so; ``told`` how often it is
    told then, ``imagined`` how often where nothing of it is there.
    """

    words: str
    made: Callable[[Heard], Array]
    told: float
    imagined: float
    in_time: bool = False
    """It is played, as far as the circuit describes how."""


REMARKS: Mapping[Remark, RemarkKind] = {
    "noisy": RemarkKind("noisy", _noisy, 0.6, 0.08),
    "whines": RemarkKind("whines or howls", _whines, 0.5, 0.04),
    "hisses": RemarkKind("hisses", lambda heard: heard.throttled, 0.4, 0.04),
    "squeals": RemarkKind("squeals", _squeals, 0.4, 0.03),
    "rattles": RemarkKind("rattles or knocks", _rattles, 0.4, 0.04),
    "jerky": RemarkKind(
        "jerky", lambda heard: either(heard.aired, heard.declared("jerky")), 0.5, 0.06
    ),
    "hot": RemarkKind("gets hot", _hot, 0.5, 0.06),
    "by_itself": RemarkKind("moves by itself", _by_itself, 0.7, 0.01),
    "will_not_stop": RemarkKind("will not stop", _will_not_stop, 0.7, 0.01),
    "starts_late": RemarkKind(
        "starts late",
        lambda heard: either(either(heard.late, heard.aired), heard.declared("starts_late")),
        0.5,
        0.04,
        in_time=True,
    ),
    "releases_late": RemarkKind(
        "releases late",
        lambda heard: either(heard.late, heard.declared("releases_late")),
        0.6,
        0.03,
        in_time=True,
    ),
}
NAMES: tuple[Remark, ...] = get_args(Remark)
STEADY = tuple(name for name in NAMES if not REMARKS[name].in_time)
IN_TIME = tuple(name for name in NAMES if REMARKS[name].in_time)


@dataclass(frozen=True)
class Remarked:
    """Whether some words are told beside how a move goes."""

    function: str
    move: str
    when: When
    in_time: bool
    """Those that are played, or those that steady states show."""

    @classmethod
    def of(cls, remark: Remark, function: str, move: str, when: When) -> tuple["Remarked", int]:
        """What tells of a word, and which of its rows that is."""
        in_time = REMARKS[remark].in_time
        names = IN_TIME if in_time else STEADY
        return cls(function, move, when, in_time), names.index(remark)

    @property
    def name(self) -> str:
        """Stable name."""
        played = "/in_time" if self.in_time else ""
        return f"remarks/{self.function}/{self.move}/{self.when}{played}"

    def probability(self, predictor: Predictor) -> Array:
        """(W, C) that each of them is told; any number of them may be."""
        heard = Heard(predictor, self.function, self.move, self.when)
        known = heard.known()
        rows = []
        for name in IN_TIME if self.in_time else STEADY:
            kind = REMARKS[name]
            made = np.where(known, np.clip(kind.made(heard), 0.0, MOST_MADE), 0.5)
            rows.append(kind.imagined + (kind.told - kind.imagined) * made)
        return np.stack(rows)
