"""Doing is testing: something is done at a part, and how a function moves with it is seen.

A hand override that is pressed, a contact that is bridged, an earth that is jumped: each is declared
by the part's type as a command, so that what every suspect would show is solved like any state. It
is undone again before anything else.
"""

from collections.abc import Hashable, Iterable, Iterator, Sequence
from typing import ClassVar, Literal

import numpy as np

from umweg.core.circuit.document import Circuit, Component, MachineState, Text
from umweg.core.components import component_type
from umweg.core.components.base import Array, Trial
from umweg.core.errors import ObservationError
from umweg.core.network.network import Indices
from umweg.core.observe.exhibits import Exhibits, Suspects
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.base import WARM, Answer, Asking, Observed, Proposal
from umweg.core.observe.kinds.behaviours import (
    BEHAVIOURS,
    HEARD,
    HOW_WORDS,
    Behaviour,
    Spoken,
    cautions_of,
    check_behaviour,
    how_it_behaves,
)
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import How
from umweg.core.observe.weights import Spread, Told, told

MOST_MOVES = 2
"""Of how many moves that were complained of something is tried."""
MOST_REACH_MIN = 10.0
WRONG: frozenset[How] = frozenset(("slow", "weak", "dead", "reversed"))
"""Words of a move that something is worth trying for."""


class Tried(Observed):
    """How a function moves while something is done at a part, to see what happens."""

    undone: ClassVar[bool] = True

    kind: Literal["trial"] = "trial"
    component: Text
    trial: Text
    function: Text
    move: Text
    how: How

    def topic(self) -> Hashable:
        """What is done, and which move is watched."""
        return self.kind, self.component, self.trial, self.function, self.move

    def check(self, suspects: Suspects) -> None:
        """The machine has this move, and its part such a trial."""
        check_behaviour(suspects.circuit, self.function, self.move)
        trial_of(suspects.circuit, self.component, self.trial)

    def words(self, circuit: Circuit) -> str:
        """Function and move, what was done, and how it moved then."""
        check_behaviour(circuit, self.function, self.move)
        function = circuit.function(self.function)
        move = f"{function.label} {function.moves[self.move].label}"
        trial = trial_of(circuit, self.component, self.trial)
        part = circuit.component(self.component).label
        return f"{move} with {part}: {trial.label}: {HOW_WORDS[self.how]}"

    def weigh(self, exhibits: Exhibits, instruments: Sequence[Instrument]) -> Told:
        """Against the word that each candidate would call for with it."""
        del instruments
        spoken = self._spoken(exhibits.suspects.circuit)
        said = HEARD[BEHAVIOURS.index(self.how)]
        found = told(self.id, said @ exhibits.seen(spoken), len(BEHAVIOURS))

        def again(predictor: Predictor, rows: Indices, away: Array, spread: Spread) -> Array:
            words = spoken.elsewhere(predictor, rows, away, spread)
            return told(self.id, said @ words, len(BEHAVIOURS)).log_likelihood

        return Told(self.id, found.log_likelihood, found.log_broad, again=again)

    def solved_in(self, circuit: Circuit) -> Iterable[MachineState]:
        """Light and loaded, with what is done."""
        check_behaviour(circuit, self.function, self.move)
        return self._spoken(circuit).states(circuit)[:-1]

    def witnessed(self, machine: HiddenMachine, instrument: Instrument | None = None) -> "Tried":
        """The word of somebody who sees it move with what is done."""
        del instrument
        tried = commands_of(machine.circuit, self.component, self.trial)
        how = how_it_behaves(machine, self.function, self.move, "warm", tried)
        return self.model_copy(update={"how": machine.said(how)})

    def _spoken(self, circuit: Circuit) -> Spoken:
        tried = commands_of(circuit, self.component, self.trial)
        return Spoken(self.function, self.move, "warm", tried=tried)

    @classmethod
    def proposals(cls, asking: Asking) -> Iterable[Proposal]:
        """What can be tried for the moves that were complained of, where a command may be missing."""
        circuit = asking.circuit
        suspected = [f for f in asking.suspected if f.mode.family == "command"]
        if not suspected:
            return
        named = {f.component_id for f in suspected}
        for function, move in _complained_of(asking):
            for part, trial in trials_of(circuit):
                if trial.suspected and part.id not in named:
                    continue
                tried = commands_of(circuit, part.id, trial.name)
                spoken = Spoken(function, move, "warm", tried=tried)
                of = circuit.function(function)
                yield Proposal(
                    cls.model_fields["kind"].default,
                    f"{part.id}.{trial.name}",
                    f"{part.label}: {trial.label}",
                    "",
                    f"{of.label} {of.moves[move].label}: does it go now? {WARM}",
                    _reach_min(circuit, part) + trial.minutes,
                    tuple(
                        Answer(
                            HOW_WORDS[how],
                            cls(
                                id="new",
                                component=part.id,
                                trial=trial.name,
                                function=function,
                                move=move,
                                how=how,
                            ),
                        )
                        for how in SEEN
                    ),
                    _of_seen(HEARD @ asking.exhibits.seen(spoken)),
                    tried_in=tuple(spoken.states(circuit)[:-1]),
                    cautions=tuple(
                        w for w in (trial.caution, *cautions_of(circuit, function, move)) if w
                    ),
                )


def _reach_min(circuit: Circuit, part: Component) -> float:
    """Minutes until a hand is at a part from outside: where something can be read at its ports, as
    soon as there."""
    nets = set(part.connections.values())
    beside = (p.access_min for p in circuit.test_points if p.net in nets)
    return min(part.service.access_min, MOST_REACH_MIN, *beside)


SEEN: tuple[How, ...] = tuple(how for how in BEHAVIOURS if how != "drifts")
"""Words that can be the answer: nobody waits for a drift with a thumb on a pin."""


def _of_seen(words: Array) -> Array:
    kept = words[[BEHAVIOURS.index(how) for how in SEEN]]
    result: Array = kept / np.maximum(kept.sum(axis=0), 1e-12)
    return result


def trials_of(circuit: Circuit) -> Iterator[tuple[Component, Trial]]:
    """Everything that can be tried on a machine."""
    for part in circuit.components:
        for trial in component_type(part.type).trials:
            yield part, trial


def trial_of(circuit: Circuit, component: str, name: str) -> Trial:
    """One trial of a part.

    Raises
    ------
    ObservationError : there is no such trial; names those that there are.
    """
    for part, trial in trials_of(circuit):
        if (part.id, trial.name) == (component, name):
            return trial
    known = ", ".join(f"{p.id}:{t.name}" for p, t in trials_of(circuit)) or "none"
    raise ObservationError(
        f"“{component}:{name}” is nothing that is tried on this machine; there are: {known}"
    )


def commands_of(circuit: Circuit, component: str, name: str) -> tuple[tuple[str, float], ...]:
    """The commands that a trial gives, with their values."""
    trial = trial_of(circuit, component, name)
    return ((f"{component}.{trial.command}", trial.value),)


def _complained_of(asking: Asking) -> list[tuple[str, str]]:
    """Moves that were last said to go wrong with warm oil, the latest first."""
    last = {(o.function, o.move): o for o in asking.observed if isinstance(o, Behaviour)}
    wrong = [key for key, o in last.items() if o.when == "warm" and WRONG & set(o.hows)]
    return wrong[::-1][:MOST_MOVES]
