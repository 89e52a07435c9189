"""How the oil looks."""

from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
from scipy.special import ndtr

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components.base import Array
from umweg.core.observe.exhibits import Exhibits, Suspects
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.base import Answer, Asking, Observed, Proposal
from umweg.core.observe.predict import Predictor
from umweg.core.observe.weights import Told, told

OilLook = Literal["clear", "foamy", "milky", "dark"]
OIL_LOOKS: tuple[OilLook, ...] = get_args(OilLook)
LOOK_MIN = 2.0
DRAWS_AIR_BELOW_BAR = -0.08
"""Pressure at the pick-up below which air is drawn."""
FOAMS_ABOVE = 0.4
"""Severity from which a fault that draws air foams the oil."""
LOOKED_AT = MachineState(label="neutral at rated speed", engine="rated", oil_c=50)
"""How the machine has run before its oil is looked at."""


class Look(Observed):
    """How the oil looks."""

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
        return f"Oil looks {self.look}"

    def weigh(self, exhibits: Exhibits, instruments: Sequence[Instrument]) -> Told:
        """Against the foam that each candidate makes."""
        del instruments
        seen = exhibits.seen(OilSeen())
        return told(self.id, seen[OIL_LOOKS.index(self.look)], len(OIL_LOOKS))

    def witnessed(self, machine: HiddenMachine, instrument: Instrument | None = None) -> "Look":
        """Foamy when a pick-up draws air, clear otherwise."""
        del instrument
        if any(f.mode.foams and severity > FOAMS_ABOVE for f, severity in machine.faults):
            return self.model_copy(update={"look": "foamy"})
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
            tuple(Answer(look, cls(id="new", look=look)) for look in OIL_LOOKS),
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
        """(4, C) of ``OIL_LOOKS``: foam where the pick-up falls low, or by a fault itself.

        Water and heat have no cause among the modelled faults: they say nothing about them.
        """
        table = predictor[LOOKED_AT]
        network, population = predictor.network, predictor.population
        foam = np.zeros(population.count)
        for part in network.parts:
            if part.type == "reservoir":
                pressure = table.solution.across[network.net_index[part.connections["suction"]]]
                foam = np.maximum(foam, ndtr((DRAWS_AIR_BELOW_BAR - pressure) / 0.03))
        for index, hypothesis in enumerate(population.hypotheses):
            for w, fault in enumerate(hypothesis.faults):
                if fault.mode.foams:
                    rows = population.members[index]
                    foam[rows] = np.maximum(
                        foam[rows], np.minimum(1.5 * population.severity[rows, w], 1)
                    )
        foamy = 0.03 + 0.8 * foam
        others = (1.0 - foamy) / (len(OIL_LOOKS) - 1)
        result: Array = np.stack([foamy if look == "foamy" else others for look in OIL_LOOKS])
        return result
