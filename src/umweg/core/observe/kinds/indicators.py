"""A filter's clogging indicator."""

from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from umweg.core.circuit.document import Circuit, MachineState, Text
from umweg.core.components import component_type
from umweg.core.components.base import Array
from umweg.core.network.network import Network
from umweg.core.observe.exhibits import Exhibits, Suspects, state_digest
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.base import Answer, Asking, Observed, Proposal, resolve_state
from umweg.core.observe.normal import normal_cdf
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import Quantity, check_quantity, quantities_of
from umweg.core.observe.weights import Told, told

INDICATOR_SPREAD = 0.12
"""How far its trip point is off, as a share of it."""
WARM_C = 40.0
"""Cold oil trips an indicator whose element is clean."""


class IndicatorLook(Observed):
    """A filter indicator seen tripped or not, in a state."""

    answered_by: ClassVar[str] = "tripped"

    kind: Literal["indicator"] = "indicator"
    component: Text
    state: Text | MachineState
    tripped: bool

    def topic(self) -> Hashable:
        """Which filter."""
        return self.kind, self.component

    def check(self, suspects: Suspects) -> None:
        """The part has an indicator, and the machine this state."""
        check_quantity(suspects.circuit, Quantity("filter_drop_bar", self.component))
        suspects.network.state(resolve_state(suspects.circuit, self.state))

    def words(self, circuit: Circuit) -> str:
        """Filter and what its indicator shows, in the words of its type."""
        check_quantity(circuit, Quantity("filter_drop_bar", self.component))
        resolve_state(circuit, self.state)
        part = circuit.component(self.component)
        yes, no = component_type(part.type).indicator_words
        return f"{part.label}: {yes if self.tripped else no}"

    def weigh(self, exhibits: Exhibits, instruments: Sequence[Instrument]) -> Told:
        """Against each candidate's pressure drop."""
        del instruments
        circuit = exhibits.suspects.circuit
        check_quantity(circuit, Quantity("filter_drop_bar", self.component))
        state = resolve_state(circuit, self.state)
        seen = exhibits.seen(Tripped(self.component, state))
        return told(self.id, seen[0 if self.tripped else 1], 2)

    def solved_in(self, circuit: Circuit) -> Iterable[MachineState]:
        """In which it is looked at."""
        return (resolve_state(circuit, self.state),)

    def witnessed(
        self, machine: HiddenMachine, instrument: Instrument | None = None
    ) -> "IndicatorLook":
        """Is it tripped."""
        del instrument
        state = resolve_state(machine.circuit, self.state)
        drop_bar = machine.value(Quantity("filter_drop_bar", self.component), state)
        limit_bar = indicator_limit_bar(machine.network, self.component)
        return self.model_copy(update={"tripped": drop_bar > limit_bar})

    @classmethod
    def sights(cls, circuit: Circuit) -> Iterable[tuple[str, "Tripped", Sequence[MachineState]]]:
        """Every indicator in every named state."""
        for name, state in circuit.steady.items():
            for quantity in quantities_of(circuit):
                if quantity.kind == "filter_drop_bar":
                    yield name, Tripped(quantity.place, state), ()

    @classmethod
    def proposals(cls, asking: Asking) -> Iterable[Proposal]:
        """Every indicator, in the state in which it tells most for its minutes."""
        circuit = asking.circuit
        running = [
            (name, state)
            for name, state in circuit.undisturbed(rated=True).items()
            if state.oil_c >= WARM_C or not circuit.prime_movers
        ]
        for quantity in quantities_of(circuit):
            if quantity.kind != "filter_drop_bar" or not running:
                continue
            seen = [asking.exhibits.seen(Tripped(quantity.place, s)) for _, s in running]
            per_min = [
                asking.tells(p) / asking.minutes(s) for p, (_, s) in zip(seen, running, strict=True)
            ]
            best = int(np.argmax(per_min))
            name, state = running[best]
            part = circuit.component(quantity.place)
            words = component_type(part.type).indicator_words
            yield Proposal(
                cls.model_fields["kind"].default,
                part.id,
                part.label,
                name,
                state.label,
                asking.minutes(state),
                tuple(
                    Answer(word, cls(id="new", component=part.id, state=name, tripped=tripped))
                    for word, tripped in zip(words, (True, False), strict=True)
                ),
                seen[best],
            )


@dataclass(frozen=True)
class Tripped:
    """Whether an indicator is tripped in a state."""

    component: str
    state: MachineState

    @property
    def name(self) -> str:
        """Stable name."""
        return f"tripped/{self.component}/{state_digest(self.state)}"

    def probability(self, predictor: Predictor) -> Array:
        """(2, C) tripped, not tripped."""
        table = predictor[self.state]
        row = table.row(Quantity("filter_drop_bar", self.component))
        limit_bar = indicator_limit_bar(predictor.network, self.component)
        machine_sd = np.sqrt((table.slope[row] ** 2).sum(axis=0))
        spread = np.hypot(machine_sd, INDICATOR_SPREAD * limit_bar)
        tripped = normal_cdf((table.mean[row] - limit_bar) / spread)
        result: Array = np.stack([tripped, 1.0 - tripped])
        return result


def indicator_limit_bar(network: Network, component_id: str) -> float:
    """Pressure drop at which a filter's indicator trips."""
    slot = network.slot[f"{component_id}.indicator_bar"]
    return network.parameters[slot].value
