"""Whether the machine runs hotter than it did."""

from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass
from typing import ClassVar, Literal, get_args

import numpy as np

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components.base import Array
from umweg.core.errors import ObservationError
from umweg.core.observe.exhibits import Exhibits, Suspects
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.base import Answer, Asking, Observed, Proposal
from umweg.core.observe.machine import Machine
from umweg.core.observe.normal import normal_cdf
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import Quantity, quantity_of, worked_out_in
from umweg.core.observe.weights import Told, told

Warmth = Literal["as_usual", "hotter"]
WARMTHS: tuple[Warmth, ...] = get_args(Warmth)
WARMTH_WORDS: dict[Warmth, str] = {"as_usual": "as warm as ever", "hotter": "hotter than it did"}
FELT_FROM_C = 12.0
"""How much warmer the oil has to get until its driver says that the machine runs hot."""
FELT_SPREAD_C = 5.0
ASK_MIN = 4.0
"""The driver has to be found, and asked about an hour that is over."""


class RunsHot(Observed):
    """Whether the oil gets hotter at ordinary work than it did."""

    answered_by: ClassVar[str] = "warmth"

    kind: Literal["warmth"] = "warmth"
    warmth: Warmth

    def topic(self) -> Hashable:
        """The machine as a whole."""
        return self.kind

    def check(self, suspects: Suspects) -> None:
        """Only where a cycle of work is described can it be weighed."""
        if cycle_of(suspects.circuit) is None:
            raise ObservationError(
                "this circuit describes no cycle of work: add a timing of “settled_c” to weigh heat"
            )

    def words(self, circuit: Circuit) -> str:
        """The words."""
        del circuit
        return f"At work the oil gets {WARMTH_WORDS[self.warmth]}"

    def weigh(self, exhibits: Exhibits, instruments: Sequence[Instrument]) -> Told:
        """Against the temperature at which each candidate's oil settles."""
        del instruments
        cycle = cycle_of(exhibits.suspects.circuit)
        if cycle is None:
            raise ObservationError("this circuit describes no cycle of work")
        seen = exhibits.seen(WarmthFelt(cycle))
        return told(self.id, seen[WARMTHS.index(self.warmth)], len(WARMTHS))

    def solved_in(self, circuit: Circuit) -> Iterable[MachineState]:
        """All of the cycle."""
        cycle = cycle_of(circuit)
        return () if cycle is None else worked_out_in(circuit, cycle)

    def witnessed(self, machine: HiddenMachine, instrument: Instrument | None = None) -> "RunsHot":
        """Hotter where its oil settles well above that of the machine as documented."""
        del instrument
        cycle = cycle_of(machine.circuit)
        assert cycle is not None
        here = MachineState(label="an hour's work")
        usual = Machine(machine.circuit, machine.solver).value(cycle, here)
        warmer = machine.value(cycle, here) - usual
        hot = machine.happens(float(normal_cdf((warmer - FELT_FROM_C) / FELT_SPREAD_C)))
        return self.model_copy(update={"warmth": "hotter" if hot else "as_usual"})

    @classmethod
    def sights(cls, circuit: Circuit) -> Iterable[tuple[str, "WarmthFelt", Sequence[MachineState]]]:
        """The cycle that is described first."""
        cycle = cycle_of(circuit)
        if cycle is not None:
            yield "warmth", WarmthFelt(cycle), ()

    @classmethod
    def proposals(cls, asking: Asking) -> Iterable[Proposal]:
        """A question to who drives it."""
        cycle = cycle_of(asking.circuit)
        if cycle is not None:
            yield Proposal(
                cls.model_fields["kind"].default,
                "tank",
                "How warm the oil gets at work",
                "",
                "an hour of ordinary work",
                ASK_MIN,
                tuple(Answer(WARMTH_WORDS[w], cls(id="new", warmth=w)) for w in WARMTHS),
                asking.exhibits.seen(WarmthFelt(cycle)),
            )


@dataclass(frozen=True)
class WarmthFelt:
    """Whether a driver says that the machine runs hot."""

    cycle: Quantity

    @property
    def name(self) -> str:
        """Stable name."""
        return f"warmth-{self.cycle.place}"

    def probability(self, predictor: Predictor) -> Array:
        """(2, C) of ``WARMTHS``; even where it is not known.

        What it did before few remember to the degree: what such machines differ by counts too.
        """
        settled = predictor.timed(self.cycle)
        spread = np.hypot(FELT_SPREAD_C, np.sqrt((settled.slope**2).sum(axis=0)))
        hot = normal_cdf((settled.mean - settled.mean[0] - FELT_FROM_C) / spread)
        hot = np.where(settled.known, hot, 0.5)
        return np.stack([1.0 - hot, hot])


def cycle_of(circuit: Circuit) -> Quantity | None:
    """The cycle of work that heats the oil, if one is described."""
    return next((quantity_of(t) for t in circuit.timings if t.of == "settled_c"), None)
