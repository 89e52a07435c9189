"""How the oil looks."""

from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import ClassVar, Literal, get_args

import numpy as np

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components.base import Array, OilLook
from umweg.core.observe.exhibits import Exhibits, Suspects
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.base import Answer, Asking, Observed, Proposal
from umweg.core.observe.normal import normal_cdf
from umweg.core.observe.predict import Predictor
from umweg.core.observe.weights import Told, told

OIL_LOOKS: tuple[OilLook, ...] = get_args(OilLook)
LOOK_MIN = 2.0
DRAWS_AIR_BELOW_BAR = -0.08
"""Pressure at the pick-up below which air is drawn."""
SEEN_ABOVE: Mapping[OilLook, float] = {"foamy": 0.15, "milky": 0.4, "dark": 0.4, "metal": 0.6}
"""Severity from which a fault that changes the oil's look is seen: a little air foams much."""
BY_ITSELF: Mapping[OilLook, float] = {"foamy": 0.03, "milky": 0.01, "dark": 0.08, "metal": 0.02}
"""How often oil is called so without a cause: old oil is dark on many a machine."""
SURE: Mapping[OilLook, float] = {"foamy": 0.8, "milky": 0.8, "dark": 0.8, "metal": 0.4}
"""How much more surely where the worst cause is there: what wears slowly goes into the filter."""
OIL_WORDS: Mapping[OilLook, str] = {
    "clear": "clear",
    "foamy": "foamy",
    "milky": "milky",
    "dark": "dark, burnt",
    "metal": "full of glitter, or the filter bowl of chips: metal",
}
BEFORE_TESTS: Mapping[OilLook, str] = {
    "clear": "",
    "foamy": "Air in the oil: stop it before anything is judged by a reading. Level in the posture it "
    "is specified for, then joints and hose of the suction side; a pump that goes on drawing air is "
    "ruined.",
    "milky": "Water in the oil: no test under load with it. Drain it, find where it came in (breather, "
    "cooler, wiped-in past the rods), new filters and oil, then test.",
    "dark": "Dark, burnt oil: smell it, and look for what heats it. Where it is burnt, change oil and "
    "filters before seals and valves are judged by it.",
    "metal": "Metal in the oil: stop the machine here. Every minute carries it into every part. Open the "
    "filter, find whose metal it is; drain, flush the lines, new filters and oil before anything runs "
    "under pressure again.",
}
"""What such oil asks for before any test."""
LOOKED_AT = MachineState(label="neutral at rated speed", engine="rated", oil_c=50)
"""How the machine has run before its oil is looked at."""


class Look(Observed):
    """How the oil looks."""

    answered_by: ClassVar[str] = "look"

    kind: Literal["oil"] = "oil"
    look: OilLook

    def topic(self) -> Hashable:
        """The oil."""
        return self.kind

    def check(self, suspects: Suspects) -> None:
        """Every machine has oil."""

    def words(self, circuit: Circuit) -> str:
        """The word."""
        del circuit
        return f"Oil looks {OIL_WORDS[self.look]}"

    @property
    def before_tests(self) -> str:
        """What such oil asks for first."""
        return BEFORE_TESTS[self.look]

    def weigh(self, exhibits: Exhibits, instruments: Sequence[Instrument]) -> Told:
        """Against the foam that each candidate makes."""
        del instruments
        seen = exhibits.seen(OilSeen())
        return told(self.id, seen[OIL_LOOKS.index(self.look)], len(OIL_LOOKS))

    def solved_in(self, circuit: Circuit) -> Iterable[MachineState]:
        """In which the machine has run."""
        del circuit
        return (LOOKED_AT,)

    def witnessed(self, machine: HiddenMachine, instrument: Instrument | None = None) -> "Look":
        """As its fault makes it look, foamy when a pick-up draws air, clear otherwise."""
        del instrument
        for fault, severity in machine.faults:
            look = fault.mode.oil
            if look == "clear" or severity <= SEEN_ABOVE[look]:
                continue
            # What is worn away slowly goes into the filter: only now and then is it seen.
            if look != "metal" or machine.happens(SURE[look]):
                return self.model_copy(update={"look": fault.mode.oil})
        across = machine.across(LOOKED_AT)
        for part in machine.network.parts:
            if part.type == "reservoir":
                row = machine.network.net_index[part.connections["suction"]]
                if across[row] < DRAWS_AIR_BELOW_BAR:
                    return self.model_copy(update={"look": "foamy"})
        return self.model_copy(update={"look": "clear"})

    @classmethod
    def sights(cls, circuit: Circuit) -> Iterable[tuple[str, "OilSeen", Sequence[MachineState]]]:
        """The oil."""
        del circuit
        yield "oil", OilSeen(), ()

    @classmethod
    def proposals(cls, asking: Asking) -> Iterable[Proposal]:
        """A look at the sight glass."""
        yield Proposal(
            cls.model_fields["kind"].default,
            "tank",
            "Oil at the sight glass",
            "",
            "engine off, level posture",
            LOOK_MIN,
            tuple(Answer(OIL_WORDS[look], cls(id="new", look=look)) for look in OIL_LOOKS),
            asking.exhibits.seen(OilSeen()),
        )


@dataclass(frozen=True)
class OilSeen:
    """How the oil looks after the machine has run."""

    @property
    def name(self) -> str:
        """Stable name."""
        return "oil"

    def probability(self, predictor: Predictor) -> Array:
        """(5, C) of ``OIL_LOOKS``."""
        degree = degrees(predictor)
        words = {look: share + SURE[look] * degree[look] for look, share in BY_ITSELF.items()}
        words["clear"] = np.maximum(1.0 - sum(words.values()), 0.02)
        result: Array = np.stack([words[look] for look in OIL_LOOKS])
        shares: Array = result / result.sum(axis=0)
        return shares


def degrees(predictor: Predictor) -> dict[OilLook, Array]:
    """(C,) how much each candidate's oil looks like each: as the faults declare, and foam where the
    pick-up falls low."""
    table = predictor[LOOKED_AT]
    network, population = predictor.network, predictor.population
    degree = {look: np.zeros(population.count) for look in BY_ITSELF}
    for part in network.parts:
        if part.type == "reservoir":
            pressure = table.solution.across[network.net_index[part.connections["suction"]]]
            low = normal_cdf((DRAWS_AIR_BELOW_BAR - pressure) / 0.03)
            degree["foamy"] = np.maximum(degree["foamy"], low)
    for index, hypothesis in enumerate(population.hypotheses):
        for w, fault in enumerate(hypothesis.faults):
            if fault.mode.oil in degree:
                rows = population.members[index]
                above = SEEN_ABOVE[fault.mode.oil]
                shown = np.minimum(0.6 * population.severity[rows, w] / above, 1)
                seen = degree[fault.mode.oil]
                seen[rows] = np.maximum(seen[rows], shown)
    return degree
