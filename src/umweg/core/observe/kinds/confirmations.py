"""Looking whether a fault is there: what its mode declares to show by eye, once it can be seen."""

from collections.abc import Hashable, Iterable, Sequence
from typing import ClassVar, Literal

import numpy as np

from umweg.core.circuit.document import Circuit, Text
from umweg.core.components import component_type
from umweg.core.components.base import WORKS, Array, FaultMode
from umweg.core.errors import ObservationError
from umweg.core.faults.population import Fault, Population
from umweg.core.observe.exhibits import Exhibits, Suspects
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.base import Answer, Asking, Observed, Proposal
from umweg.core.observe.weights import Told, told

Seen = Literal["found", "not_found", "cannot_see"]
SEEN_WORDS: dict[Seen, str] = {
    "found": "found",
    "not_found": "not found",
    "cannot_see": "cannot be seen",
}
CANNOT_SEE = 0.04
SLIGHT = 0.3
"""How surely the slightest fault shows, as a share of the worst."""


class Confirmation(Observed):
    """Whether a fault was found where it would show by eye."""

    lasting: ClassVar[bool] = True

    kind: Literal["confirm"] = "confirm"
    component: Text
    mode: Text
    seen: Seen

    def topic(self) -> Hashable:
        """Which fault of which part."""
        return self.kind, self.component, self.mode

    def check(self, suspects: Suspects) -> None:
        """The machine has this part, and its type this fault."""
        mode_of(suspects.circuit, self.component, self.mode)

    def words(self, circuit: Circuit) -> str:
        """Part, fault, and whether it was found."""
        mode = mode_of(circuit, self.component, self.mode)
        label = circuit.component(self.component).label
        return f"{label}: {mode.label}: {SEEN_WORDS[self.seen]}"

    def weigh(self, exhibits: Exhibits, instruments: Sequence[Instrument]) -> Told:
        """Against how surely it shows where it is, and how rarely where it is not."""
        del instruments
        suspects = exhibits.suspects
        mode = mode_of(suspects.circuit, self.component, self.mode)
        # Whoever is not modelled has not this fault either.
        mistaken = WORKS[mode.work].look_mistaken
        shown = np.append(shows(suspects.population, self.component, mode), mistaken)
        probability = {
            "found": (1.0 - CANNOT_SEE) * shown,
            "not_found": (1.0 - CANNOT_SEE) * (1.0 - shown),
            "cannot_see": np.full(len(shown), CANNOT_SEE),
        }[self.seen]
        if self.seen == "found":
            # Nobody says that by chance: what was found is a fact, but for a mistake in what it is.
            fit = np.log(probability)
        else:
            fit = told(self.id, probability, len(SEEN_WORDS)).log_likelihood
        return Told(self.id, fit[:-1], float(fit[-1]), lasting=self.lasting)

    def witnessed(
        self, machine: HiddenMachine, instrument: Instrument | None = None
    ) -> "Confirmation":
        """Found where it is and shows; now and then where it is not."""
        del instrument
        mode = mode_of(machine.circuit, self.component, self.mode)
        chance = WORKS[mode.work].look_mistaken
        for fault, severity in machine.faults:
            if (fault.component_id, fault.mode.name) == (self.component, self.mode):
                chance = float(_sureness(mode, severity))
        seen: Seen = "found" if machine.happens(chance) else "not_found"
        return self.model_copy(update={"seen": seen})

    @classmethod
    def proposals(cls, asking: Asking) -> Iterable[Proposal]:
        """A look for each fault that is under suspicion."""
        circuit = asking.circuit
        population = asking.exhibits.suspects.population
        for fault in asking.suspected:
            part = circuit.component(fault.component_id)
            shown = (1.0 - CANNOT_SEE) * shows(population, part.id, fault.mode)
            blind = np.full(len(shown), CANNOT_SEE)
            answers: tuple[Seen, ...] = ("found", "not_found", "cannot_see")
            where = f", {part.location}" if part.location else ""
            yield Proposal(
                cls.model_fields["kind"].default,
                f"{part.id}:{fault.mode.name}",
                f"{part.label}{where}",
                "",
                f"{fault.mode.label}? {fault.mode.look}",
                look_minutes(circuit, fault),
                tuple(
                    Answer(
                        SEEN_WORDS[seen],
                        cls(id="new", component=part.id, mode=fault.mode.name, seen=seen),
                    )
                    for seen in answers
                ),
                np.stack([shown, 1.0 - CANNOT_SEE - shown, blind]),
                opens=() if WORKS[fault.mode.work].look_min is not None else (part.id,),
            )


def mode_of(circuit: Circuit, component_id: str, mode: str) -> FaultMode:
    """A fault of a part.

    Raises
    ------
    ObservationError : the machine has no such part, or its type no such fault.
    """
    part = next((c for c in circuit.components if c.id == component_id), None)
    if part is None:
        raise ObservationError(f"the machine has no component “{component_id}”")
    modes = component_type(part.type).fault_modes
    found = next((m for m in modes if m.name == mode), None)
    if found is None:
        known = ", ".join(m.name for m in modes) or "none"
        raise ObservationError(f"{part.label} has no fault “{mode}”; it has: {known}")
    return found


def shows(population: Population, component_id: str, mode: FaultMode) -> Array:
    """(C,) probability that a look finds a fault, for each candidate."""
    found = np.full(population.count, WORKS[mode.work].look_mistaken)
    for h, hypothesis in enumerate(population.hypotheses):
        for w, fault in enumerate(hypothesis.faults):
            if (fault.component_id, fault.mode.name) == (component_id, mode.name):
                rows = population.members[h]
                found[rows] = _sureness(mode, population.severity[rows, w])
    return found


def _sureness(mode: FaultMode, severity: Array | float) -> Array | float:
    return WORKS[mode.work].look_sure * (SLIGHT + (1.0 - SLIGHT) * severity)


def look_minutes(circuit: Circuit, fault: Fault) -> float:
    """How long the look takes: getting there, and the part in hand where it hides inside."""
    service = circuit.component(fault.component_id).service
    work = WORKS[fault.mode.work]
    if work.look_min is not None:
        reach_min = min(service.access_min, 10.0) if work.look_reach else 0.0
        return reach_min + work.look_min
    return service.access_min + 0.7 * service.replace_min
