"""Two like units changed with one another, to see whether the fault goes along."""

from collections.abc import Hashable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from umweg.core.circuit.document import Circuit, Component, Text
from umweg.core.components import component_type
from umweg.core.components.base import Array, FaultMode
from umweg.core.errors import ObservationError
from umweg.core.faults.population import Fault, Population
from umweg.core.observe.exhibits import Exhibits, Suspects
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.base import Answer, Asking, Observed, Proposal
from umweg.core.observe.weights import Told, told

Went = Literal["went_along", "stayed"]
WENT_WORDS: dict[Went, str] = {"went_along": "went along", "stayed": "stayed where it was"}
GONE_ALONG_BY_CHANCE = 0.03
"""How often a fault seems to have gone along that has nothing to do with the unit."""
CHANGE_MIN = 3.0
"""To pull one unit off, put another on, and see what works now."""
MOST_REACH_MIN = 10.0


@dataclass(frozen=True)
class Unit:
    """Something that is pulled off its component and fits on another: a coil, a relay."""

    component: str
    name: str

    @property
    def sort(self) -> str:
        """A valve's coil a is as good as its coil b."""
        return self.name.partition("_")[0]


class Swap(Observed):
    """Whether the fault went along when a unit was changed with a like one."""

    lasting: ClassVar[bool] = True

    kind: Literal["swap"] = "swap"
    component: Text
    unit: Text
    other_component: Text
    other_unit: Text
    went: Went

    @property
    def units(self) -> tuple[Unit, Unit]:
        """The two that were changed with one another."""
        return Unit(self.component, self.unit), Unit(self.other_component, self.other_unit)

    def topic(self) -> Hashable:
        """Which two units, whichever is named first."""
        return self.kind, frozenset(self.units)

    def check(self, suspects: Suspects) -> None:
        """The machine has both units, and they are alike."""
        first, second = (_known(suspects.circuit, u) for u in self.units)
        if second not in likes(suspects.circuit, first):
            raise ObservationError(
                f"{unit_label(suspects.circuit, second)} does not fit in the place of "
                f"{unit_label(suspects.circuit, first)}"
            )

    def words(self, circuit: Circuit) -> str:
        """Both units, and where the fault was afterwards."""
        first, second = (unit_label(circuit, _known(circuit, u)) for u in self.units)
        return f"{first} changed with {second}: the fault {WENT_WORDS[self.went]}"

    def weigh(self, exhibits: Exhibits, instruments: Sequence[Instrument]) -> Told:
        """A fault of one of the two goes along; any other stays."""
        del instruments
        population = exhibits.suspects.population
        along = np.append(goes_along(population, self.units), GONE_ALONG_BY_CHANCE)
        probability = along if self.went == "went_along" else 1.0 - along
        fit = told(self.id, probability, len(WENT_WORDS)).log_likelihood
        return Told(self.id, fit[:-1], float(fit[-1]), lasting=self.lasting)

    def witnessed(self, machine: HiddenMachine, instrument: Instrument | None = None) -> "Swap":
        """It goes along where one of the two is at fault, as surely as its mode says."""
        del instrument
        chance = max((_along(f, self.units) for f, _ in machine.faults), default=0.0)
        went: Went = (
            "went_along" if machine.happens(max(chance, GONE_ALONG_BY_CHANCE)) else "stayed"
        )
        return self.model_copy(update={"went": went})

    @classmethod
    def proposals(cls, asking: Asking) -> Iterable[Proposal]:
        """For each unit under suspicion the like one that is reached soonest."""
        circuit, population = asking.circuit, asking.exhibits.suspects.population
        units = {
            Unit(f.component_id, f.mode.goes_with): None
            for f in asking.suspected
            if f.mode.goes_with
        }
        asked: set[frozenset[Unit]] = set()
        for unit in units:
            other = min(
                likes(circuit, unit), key=lambda u: (_reach_min(circuit, u), u.name), default=None
            )
            if other is None or frozenset((unit, other)) in asked:
                continue
            asked.add(frozenset((unit, other)))
            along = goes_along(population, (unit, other))
            names = unit_label(circuit, unit), unit_label(circuit, other)
            answers: tuple[Went, ...] = ("went_along", "stayed")
            yield Proposal(
                cls.model_fields["kind"].default,
                f"{unit.component}:{unit.name}",
                names[0],
                "",
                f"Change it with {names[1]}, the key off while plugs are apart: "
                "does the fault go along?",
                sum(_reach_min(circuit, u) + CHANGE_MIN for u in (unit, other)),
                tuple(
                    Answer(
                        WENT_WORDS[went],
                        cls(
                            id="new",
                            component=unit.component,
                            unit=unit.name,
                            other_component=other.component,
                            other_unit=other.name,
                            went=went,
                        ),
                    )
                    for went in answers
                ),
                np.stack([along, 1.0 - along]),
            )


def units_of(circuit: Circuit) -> tuple[Unit, ...]:
    """Everything that can be changed with something like it, in a fixed order."""
    found: dict[Unit, None] = {}
    for part in circuit.components:
        for mode in _modes(part):
            if mode.goes_with:
                found[Unit(part.id, mode.goes_with)] = None
    return tuple(found)


def likes(circuit: Circuit, unit: Unit) -> tuple[Unit, ...]:
    """The other units that fit in a unit's place."""
    own = _fit(circuit, unit)
    return tuple(u for u in units_of(circuit) if u != unit and _fit(circuit, u) == own)


def goes_along(population: Population, units: Sequence[Unit]) -> Array:
    """(C,) probability that a candidate's fault goes along with one of the units."""
    found = np.full(population.count, GONE_ALONG_BY_CHANCE)
    for hypothesis, rows in zip(population.hypotheses, population.members, strict=True):
        chance = max((_along(f, units) for f in hypothesis.faults), default=0.0)
        found[rows] = max(chance, GONE_ALONG_BY_CHANCE)
    return found


def unit_label(circuit: Circuit, unit: Unit) -> str:
    """A unit as people call it: a relay by its own name, a coil by its valve's."""
    label = circuit.component(unit.component).label
    sort, _, side = unit.name.partition("_")
    return label if sort == "relay" else f"{sort.capitalize()} {side} of {label}".replace("  ", " ")


def _along(fault: Fault, units: Sequence[Unit]) -> float:
    """How surely a fault goes along with one of the units; nothing where it is not theirs."""
    own = Unit(fault.component_id, fault.mode.goes_with)
    return fault.mode.goes_surely if fault.mode.goes_with and own in units else 0.0


def _modes(part: Component) -> Iterator[FaultMode]:
    yield from component_type(part.type).fault_modes


def _known(circuit: Circuit, unit: Unit) -> Unit:
    if unit not in units_of(circuit):
        known = ", ".join(f"{u.component}:{u.name}" for u in units_of(circuit)) or "none"
        raise ObservationError(
            f"“{unit.component}:{unit.name}” is nothing that is changed with a like one; of this "
            f"machine: {known}"
        )
    return unit


def _fit(circuit: Circuit, unit: Unit) -> Hashable:
    """What has to be the same of two units: their sort, and the numbers on them."""
    part = circuit.component(unit.component)
    kind = component_type(part.type)
    values = kind.Parameters.model_validate(part.parameters).model_dump()
    if unit.sort == "coil":
        return unit.sort, values["rated_v"], values["nominal_ohm"]
    return unit.sort, kind.type_name, tuple(sorted(values.items()))


def _reach_min(circuit: Circuit, unit: Unit) -> float:
    return min(circuit.component(unit.component).service.access_min, MOST_REACH_MIN)
