"""Machines that do not keep to the model.

Nothing here is shared with the inference: spreads, tails, offsets and slips are drawn by
distributions of their own, so that a benchmark on them cannot flatter.
"""

from collections.abc import Sequence

import numpy as np

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.faults.population import Fault, unknowns_of
from umweg.core.network.network import engine_rpm
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.quantities import How, Quantity
from umweg.core.solve.steady import SteadySolver
from umweg.core.units import to_base

WIDER = 1.4
"""Spread of a machine's unknowns, times what their types declare."""
TAIL_FREEDOM = 4
FARTHEST_OFF = (-0.6, 1.5)
"""No part is sold further off than this, as a share of its nominal value."""
ENGINE_SHARE = 0.03
OIL_C = 6.0
GAUGE_OFFSET_SHARE = 0.006
"""Standard deviation of a gauge's own offset, of its full scale."""
NEEDLE_SHARE = 0.004
CONDITIONS_SHARE = 0.012
WATCH = 0.05
"""A stop watch in a hand, a rule at a rod: share of what they show."""
GROSSLY_WRONG = 1 / 20
NEIGHBOUR_WORD = 1 / 10
MISSEEN = 1 / 20
"""A look that comes out the other way: dirt in the eye, another line warm beside it."""
NEXT_TO: dict[How, tuple[How, ...]] = {
    "as_usual": ("slow", "drifts"),
    "slow": ("as_usual", "weak"),
    "weak": ("slow", "dead"),
    "dead": ("weak",),
    "reversed": ("dead",),
    "drifts": ("as_usual",),
}


class RealMachine(HiddenMachine):
    """A machine, its day, its gauges and its operator as they come."""

    def __init__(
        self,
        circuit: Circuit,
        faults: Sequence[tuple[Fault, float]],
        generator: np.random.Generator,
        solver: SteadySolver | None = None,
    ) -> None:
        super().__init__(circuit, (), generator, solver)
        self.faults = tuple(faults)
        unknowns = unknowns_of(self.network)
        tails = generator.standard_t(TAIL_FREEDOM, len(unknowns.slot)) / np.sqrt(2.0)
        nominal = self.network.base_parameters[unknowns.slot]
        # As a factor: what is a third too much is as common as what is a third too little.
        off = np.clip(np.expm1(WIDER * tails * unknowns.sigma / np.abs(nominal)), *FARTHEST_OFF)
        self.own = self._broken(unknowns.slot, nominal * (1.0 + off))
        self._engine = 1.0 + generator.uniform(-ENGINE_SHARE, ENGINE_SHARE)
        self._oil_c = generator.uniform(-OIL_C, OIL_C)
        self._offsets: dict[str, float] = {}

    def actual(self, state: MachineState) -> MachineState:
        """Engine a little off, oil a little warmer or colder than stated."""
        changed: dict[str, object] = {"oil_c": state.oil_c + self._oil_c}
        movers = self.circuit.prime_movers
        if len(movers) == 1:
            changed["engine"] = engine_rpm(self.circuit, state, movers[0].id) * self._engine
        return state.model_copy(update=changed)

    def shown(self, quantity: Quantity, true: float, instrument: Instrument | None) -> float:
        """What the instrument shows, offset, needle, slips and all."""
        if quantity.compressed:
            value = true * float(np.exp((WATCH if quantity.timed else 0.25) * self.draw()))
        elif instrument is None:
            value = true * (1.0 + 0.03 * self.draw())
        else:
            scale = to_base(instrument.high, instrument.unit)
            if instrument.id not in self._offsets:
                self._offsets[instrument.id] = GAUGE_OFFSET_SHARE * scale * self.draw()
            value = (
                true * (1.0 + CONDITIONS_SHARE * self.draw())
                + self._offsets[instrument.id]
                + NEEDLE_SHARE * scale * self.draw()
            )
        if not (quantity.of.signed or quantity.of.from_vacuum):
            value = max(value, 0.0)
        if self._random.random() < GROSSLY_WRONG:
            value *= float(self._random.choice([0.0, 0.3, 0.5, 1.6, 2.0]))
        return value

    def said(self, word: How) -> How:
        """The word, or now and then the one next to it."""
        super().said(word)
        if self._random.random() < NEIGHBOUR_WORD:
            return NEXT_TO[word][int(self._random.integers(len(NEXT_TO[word])))]
        return word

    def happens(self, chance: float) -> bool:
        """What a look finds, or now and then the contrary."""
        return super().happens(chance) != (self._random.random() < MISSEEN)
