"""A hand and an ear at a part: oil that is throttled there warms it, and hisses."""

from collections import Counter
from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass
from typing import ClassVar, Literal, get_args

import numpy as np

from umweg.core.circuit.document import Circuit, Component, Text
from umweg.core.circuit.document import MachineState as State
from umweg.core.components import component_type
from umweg.core.components.base import Array
from umweg.core.errors import ObservationError
from umweg.core.faults.population import Population
from umweg.core.network.network import Indices
from umweg.core.observe.exhibits import Exhibits, Suspects
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.base import Answer, Asking, Left, Observed, Proposal, resolve_state
from umweg.core.observe.predict import Predictor
from umweg.core.observe.throttling import felt_and_heard
from umweg.core.observe.weights import Told, told
from umweg.core.solve.steady import Cases

Noticed = Literal["nothing", "warm", "hiss", "both"]
NOTICED: tuple[Noticed, ...] = get_args(Noticed)
NOTICED_WORDS: dict[Noticed, str] = {
    "nothing": "no warmer than the line that feeds it, and quiet",
    "warm": "clearly warmer than the line that feeds it",
    "hiss": "it hisses",
    "both": "clearly warmer than the line that feeds it, and it hisses",
}
IMAGINED, MISSED = 0.08, 0.15
"""How often a hand or an ear notices what is not there, and does not notice what clearly is."""
WATCH_MIN = 3.0
"""The state held until the part has taken its heat, and hand and ear there and at the line."""
WORTH_A_LOOK, CLEARLY = 0.25, 0.1
"""By how much the chances of a suspect and of the sound machine must differ; and by how much more,
in a state that takes longer."""
WATCHED = "a quarter of a minute at a time: is it warmer than the line that feeds it, does it hiss?"
CAUTIONS = (
    "Reach in from beside, clear of whatever moves or is held up; what is raised is propped first.",
    "Never a hand along a hose or a joint: a jet goes through skin and glove. Back of the hand, near "
    "before on, or an infrared thermometer: what throttles oil may burn.",
    "To listen, a long rod, away from belts, fans and shafts.",
)


class HandAndEar(Observed):
    """Whether a part gets warmer than what feeds it, and whether oil hisses in it."""

    answered_by: ClassVar[str] = "noticed"

    kind: Literal["hand_ear"] = "hand_ear"
    component: Text
    state: Text
    noticed: Noticed

    def topic(self) -> Hashable:
        """Which part, the machine doing what."""
        return self.kind, self.component, self.state

    def check(self, suspects: Suspects) -> None:
        """Oil passes this part, and somebody can stand beside it in this state."""
        known = held_states(suspects.circuit, self.component)
        if self.state not in known:
            raise ObservationError(
                f"nobody feels or hears oil at “{self.component}” in “{self.state}”; "
                f"it can be done in {', '.join(known) or 'none of the states'}"
            )

    def words(self, circuit: Circuit) -> str:
        """Part, state, and what was noticed."""
        label, state = circuit.component(self.component).label, circuit.states.get(self.state)
        where = self.state if state is None else state.label
        return f"{label}, hand and ear: {NOTICED_WORDS[self.noticed]} — {where}"

    def weigh(self, exhibits: Exhibits, instruments: Sequence[Instrument]) -> Told:
        """Against what each candidate throttles there."""
        del instruments
        seen = exhibits.seen(Throttled(self.component, self.state))
        return told(self.id, seen[NOTICED.index(self.noticed)], len(NOTICED))

    def solved_in(self, circuit: Circuit) -> Iterable[State]:
        """In which it is held."""
        return (resolve_state(circuit, self.state),)

    def witnessed(
        self, machine: HiddenMachine, instrument: Instrument | None = None
    ) -> "HandAndEar":
        """As warm and as loud as what is throttled there makes it."""
        del instrument
        state = machine.circuit.states[self.state]
        cases = machine.cases(state.oil_c)
        across = machine.across(state, cases)[:, None]
        solvable = machine.network.state(machine.actual(state))
        solver = machine.solver
        felt, heard = felt_and_heard(solver, self.component, [solvable], cases, across)
        warm, hiss = _noticed(felt), _noticed(heard)
        number = 1 * machine.happens(float(warm[0])) + 2 * machine.happens(float(hiss[0]))
        return self.model_copy(update={"noticed": NOTICED[number]})

    def left(self, circuit: Circuit) -> Left | None:
        """In the state in which it was held."""
        return Left(circuit.states.get(self.state))

    @classmethod
    def sights(cls, circuit: Circuit) -> Iterable[tuple[str, "Throttled", Sequence[State]]]:
        """Everything that oil passes, in each state in which somebody can stand beside it."""
        for part in circuit.components:
            for state in held_states(circuit, part.id):
                yield f"hand_ear-{part.id}", Throttled(part.id, state), ()

    @classmethod
    def proposals(cls, asking: Asking) -> Iterable[Proposal]:
        """For each part under suspicion, in the state in which its fault stands out most."""
        circuit, population = asking.circuit, asking.predictor.population
        suspects: dict[str, set[str]] = {}
        for fault in asking.suspected:
            suspects.setdefault(fault.component_id, set()).add(fault.key)
        for component, faults in suspects.items():
            held = [(asking.minutes(circuit.states[n]), n) for n in held_states(circuit, component)]
            rows = _rows_of(population, faults)
            name = _first_worth_a_look(asking.predictor, component, rows, sorted(held))
            if name is None:
                continue
            part, state = circuit.component(component), circuit.states[name]
            yield Proposal(
                cls.model_fields["kind"].default,
                component,
                f"{part.label}: hand and ear",
                name,
                f"{state.label}; {WATCHED}",
                asking.minutes(state) + WATCH_MIN,
                tuple(
                    Answer(word, cls(id="new", component=component, state=name, noticed=noticed))
                    for noticed, word in NOTICED_WORDS.items()
                ),
                asking.exhibits.seen(Throttled(component, name)),
                cautions=(*state.cautions, *CAUTIONS),
            )


@dataclass(frozen=True)
class Throttled:
    """How warm and how loud a part gets by what is throttled in it."""

    component: str
    state: str

    @property
    def name(self) -> str:
        """Stable name."""
        return f"hand_ear-{self.component}-{self.state}"

    def probability(self, predictor: Predictor) -> Array:
        """(4, C) of ``NOTICED``; even where it is not known."""
        every = np.arange(predictor.population.count)
        warm, hiss = _of_candidates(predictor, self.component, [self.state], every)[:, 0]
        found = np.stack(
            [(1.0 - warm) * (1.0 - hiss), warm * (1.0 - hiss), (1.0 - warm) * hiss, warm * hiss]
        )
        known = predictor[predictor.circuit.states[self.state]].known
        return np.where(known, found, 1.0 / len(NOTICED))


def _first_worth_a_look(
    predictor: Predictor, component: str, rows: Indices, held: Sequence[tuple[float, str]]
) -> str | None:
    """The state that is soonest to be had among those in which some candidates stand out most.

    Parameters
    ----------
    held : minutes and name of each state, soonest first
    """
    names = [name for _, name in held]
    if not names:
        return None
    chances = _of_candidates(predictor, component, names, np.append(0, rows))
    apart = np.abs(chances[..., 1:] - chances[..., :1]).max(axis=0)
    best, chosen = WORTH_A_LOOK, None
    for name, by_candidate in zip(names, apart, strict=True):
        known = predictor[predictor.circuit.states[name]].known[rows]
        most = float((by_candidate * known).max(initial=0.0))
        if most > best:
            best, chosen = most + CLEARLY, name
    return chosen


def _of_candidates(
    predictor: Predictor, component: str, states: Sequence[str], rows: Indices
) -> Array:
    """(2, S, R) chances of warmth and of a hiss of some candidates in each state."""
    named = [predictor.circuit.states[state] for state in states]
    population = predictor.population
    cases = Cases(
        np.repeat(np.arange(len(named)), len(rows)),
        np.concatenate([population.slot_at(state.oil_c)[rows] for state in named]),
        np.tile(population.value[rows], (len(named), 1)),
    )
    across = np.hstack([predictor[state].solution.across[:, rows] for state in named])
    solvable = [predictor.solvable(state) for state in named]
    chances = _noticed(
        np.stack(felt_and_heard(predictor.solver, component, solvable, cases, across))
    )
    return chances.reshape(2, len(named), len(rows))


def held_states(circuit: Circuit, component_id: str) -> list[str]:
    """The named states in which a hand and an ear can be held at a part that oil passes: as it
    works, as warm as it mostly is."""
    part = next((p for p in circuit.components if p.id == component_id), None)
    if part is None or not _touched(part):
        return []
    driven = circuit.undisturbed(rated=True)
    usual = Counter(state.oil_c for state in driven.values()).most_common(1)
    return [name for name, state in driven.items() if state.oil_c == usual[0][0]]


def _touched(part: Component) -> bool:
    """Does oil pass it, and does nobody get hurt: what may spray is looked at from afar."""
    kind = component_type(part.type)
    oil = sum(p.domain == "hydraulic" for p in kind.ports)
    sprays = any(mode.work == "outside" for mode in kind.fault_modes)
    return oil > 1 and bool(kind.fault_modes) and not kind.cools and not sprays


def _rows_of(population: Population, faults: set[str]) -> Indices:
    """The candidates of these faults alone."""
    rows = [
        members
        for hypothesis, members in zip(population.hypotheses, population.members, strict=True)
        if hypothesis.key in faults
    ]
    return np.concatenate(rows) if rows else np.zeros(0, dtype=np.intp)


def _noticed(there: Array) -> Array:
    result: Array = IMAGINED + (1.0 - MISSED - IMAGINED) * there
    return result
