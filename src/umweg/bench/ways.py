"""Ways to go about a hidden machine: the program's own steps, and what they are held against.

All of them see with the same belief and stop where it says enough; they differ in what is read.
"""

from collections.abc import Callable, Mapping, Sequence
from typing import Protocol

import numpy as np

from umweg.core.diagnose.diagnosis import Diagnosis, Diagnostician
from umweg.core.diagnose.ladder import Asked, in_ladder
from umweg.core.diagnose.plan import Asker, Planner, readings_of
from umweg.core.diagnose.setup import setup_after
from umweg.core.diagnose.steps import Step
from umweg.core.observe.kinds.base import Proposal
from umweg.core.observe.kinds.readings import blank
from umweg.core.observe.observations import OBSERVATIONS, Observation

MOST_STEPS = 40
"""Of the program's own steps, so that it ends in any case. It is the program that says enough: of
machines with two faults one in twelve takes more than fourteen steps, the longest 26."""

MOST_RUNGS = 40
"""Of a fixed ladder, looks and readings together: by then it has cost three times what the program's
own steps do, and what it still would cost is to its favour left out."""

MOST_READINGS = 60
"""Of all that could be read, those that tell most by what was said: what is joined grows with
their square."""


class Way(Protocol):
    """What is observed next."""

    def begun(self, seen: Sequence[Observation]) -> tuple[Diagnosis, Step | None]:
        """The diagnosis by what was told, and the first step; nothing where that is enough."""

    def then(self, seen: Sequence[Observation]) -> tuple[Diagnosis, Step | None]:
        """The same after a step."""


class Own:
    """The step that the program offers first, until it says enough."""

    def __init__(self, doctor: Diagnostician) -> None:
        self._doctor = doctor
        self._taken = 0

    def begun(self, seen: Sequence[Observation]) -> tuple[Diagnosis, Step | None]:
        """The diagnosis by what was told, and the first step."""
        self._taken = 0
        return self.then(seen)

    def then(self, seen: Sequence[Observation]) -> tuple[Diagnosis, Step | None]:
        """The same after a step."""
        diagnosis = self._doctor.diagnose(seen)
        self._taken += 1
        if diagnosis.enough or self._taken > MOST_STEPS:
            return diagnosis, None
        return diagnosis, next((s for s in diagnosis.steps if not s.refused), None)


class Ladder:
    """The looks that cost nothing, then every reading in the order of the trade."""

    def __init__(self, doctor: Diagnostician) -> None:
        self._doctor = doctor
        predictor = doctor.predictor
        predictor.prepare(predictor.circuit.steady.values())
        self._readings = in_ladder(predictor, readings_of(predictor))
        self._left: list[Asked] = []
        self._looked: set[object] = set()
        self._taken = 0

    def order(self) -> list[Asked]:
        """The readings of one machine, in the order in which they are taken."""
        return list(self._readings)

    def begun(self, seen: Sequence[Observation]) -> tuple[Diagnosis, Step | None]:
        """The diagnosis by what was told, and the first step."""
        self._left = self.order()
        self._looked = {o.topic() for o in seen}
        self._taken = 0
        return self.then(seen)

    def then(self, seen: Sequence[Observation]) -> tuple[Diagnosis, Step | None]:
        """The same after a step."""
        diagnosis, planner = self._doctor.diagnose_and_plan(seen)
        self._taken += 1
        if diagnosis.enough or self._taken > MOST_RUNGS:
            return diagnosis, None
        return diagnosis, self.next_step(planner, seen)

    def next_step(self, planner: Planner, seen: Sequence[Observation]) -> Step | None:
        """The next look or reading of the ladder that is not refused; nothing at its end."""
        setup = setup_after(planner.circuit, seen)
        asker = Asker(planner, setup, unsuspecting=True)
        for kind in OBSERVATIONS:
            for look in kind.proposals(asker):
                if self._first_time(look):
                    return planner.look_step(look)
        while self._left:
            name, quantity = self._left.pop(0)
            # What tells nothing is taken all the same: that is what a ladder is.
            (step,) = planner.reading_steps([blank(quantity, name)], setup, least_bits=-1.0)
            if not step.refused:
                return step
        return None

    def _first_time(self, look: Proposal) -> bool:
        first = look.topic not in self._looked
        self._looked.add(look.topic)
        return first


class AnyOrder(Ladder):
    """The same looks, then the readings in any order."""

    def __init__(self, doctor: Diagnostician) -> None:
        super().__init__(doctor)
        self._random = np.random.default_rng(0)

    def order(self) -> list[Asked]:
        """Another one for each machine."""
        return [self._readings[i] for i in self._random.permutation(len(self._readings))]


class Everything(Ladder):
    """All that tells anything, taken before anybody judges: no order finds more with as much."""

    def begun(self, seen: Sequence[Observation]) -> tuple[Diagnosis, Step | None]:
        """The diagnosis by what was told, and the first step."""
        self._before, planner = self._doctor.diagnose_and_plan(seen)
        self._planner = planner
        asked = [blank(quantity, name) for name, quantity in self._readings]
        steps = planner.reading_steps(asked, setup_after(planner.circuit, seen))
        telling = sorted(steps, key=lambda s: -s.bits)[:MOST_READINGS]
        kept = {(s.state, s.quantity, s.point) for s in telling if not s.refused}
        self._left = [(n, q) for n, q in self._readings if (n, q.kind, q.place) in kept]
        self._looked = {o.topic() for o in seen}
        return self._before, self.next_step(planner, seen)

    def then(self, seen: Sequence[Observation]) -> tuple[Diagnosis, Step | None]:
        """The same after a step; the diagnosis is worked out at the end."""
        step = self.next_step(self._planner, seen)
        return (self._before, step) if step is not None else (self._doctor.diagnose(seen), None)


WAYS: Mapping[str, Callable[[Diagnostician], Way]] = {
    "ladder": Ladder,
    "any-order": AnyOrder,
    "everything": Everything,
}
