"""A simulated machine with a hidden fault: it shows what the real one would, noise and all."""

from collections.abc import Sequence
from copy import copy
from typing import Self

import numpy as np

from umweg.core.circuit.document import Circuit
from umweg.core.components.base import Array
from umweg.core.faults.population import Fault, unknowns_of
from umweg.core.network.network import Indices, Network
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.machine import Machine
from umweg.core.observe.normal import normal_cdf
from umweg.core.observe.quantities import How, Quantity
from umweg.core.observe.weights import noise_sd
from umweg.core.solve.steady import Cases, SteadySolver


class HiddenMachine(Machine):
    """One machine: faults at a severity, every unknown drawn within its tolerance.

    Parameters
    ----------
    faults : what is wrong, with severities 0 … 1
    generator : draws this machine's own unknowns and the noise of each reading
    """

    def __init__(
        self,
        circuit: Circuit,
        faults: Sequence[tuple[Fault, float]],
        generator: np.random.Generator,
        solver: SteadySolver | None = None,
    ) -> None:
        solver = solver or SteadySolver(Network(circuit))
        super().__init__(circuit, solver)
        self.faults = tuple(faults)
        self.as_documented = Machine(circuit, solver)
        self.seen: list[How] = []
        """What its operator saw of it, whatever they said."""
        self._random = generator
        unknowns = unknowns_of(self.network)
        drawn = self.network.base_parameters[unknowns.slot] + unknowns.sigma * np.clip(
            generator.standard_normal(len(unknowns.slot)), -2.0, 2.0
        )
        self.own = self._broken(unknowns.slot, drawn)

    def cases(self, oil_c: float) -> Cases:
        """This machine, without what is there only hot, or comes and goes and is gone just now."""
        own = dict(self.own)
        for fault, _ in self.faults:
            mode = fault.mode
            cold = mode.from_oil_c is not None and oil_c < mode.from_oil_c
            if cold or (mode.comes_and_goes and self.happens(0.5)):
                own[fault.slot] = self._sound.get(fault.slot, fault.healthy)
        return Cases.one(own)

    @property
    def in_order(self) -> Self:
        """The same machine before anything was wrong with it: what its operator is used to."""
        return self.mended(())

    def mended(self, left: Sequence[tuple[Fault, float]]) -> Self:
        """The same machine after a repair: what is left wrong; its own unknowns stay."""
        after = copy(self)
        after.faults, after.seen = tuple(left), []
        drawn = np.array(list(self._sound.values()))
        after.own = after._broken(np.array(list(self._sound), dtype=np.intp), drawn)
        return after

    def _broken(self, slots: Indices, drawn: Array) -> dict[int, float]:
        """Drawn values of the unknowns, and on them what is wrong."""
        own = dict(zip(slots.tolist(), drawn.tolist(), strict=True))
        self._sound = dict(own)
        for fault, severity in self.faults:
            as_drawn = own.get(fault.slot, fault.healthy)
            own[fault.slot] = float(fault.mode.value(as_drawn, severity))
        return own

    def shown(self, quantity: Quantity, true: float, instrument: Instrument | None) -> float:
        """What an instrument shows of a true value in base units."""
        if quantity.compressed:
            spread = noise_sd(quantity, true, instrument) if quantity.timed else 0.2
            return true * float(np.exp(spread * self.draw()))
        return true + noise_sd(quantity, true, instrument) * self.draw()

    def said(self, word: How) -> How:
        """What its operator says of what they saw."""
        self.seen.append(word)
        return word

    def happens(self, chance: float) -> bool:
        """Something that happens so often."""
        return bool(normal_cdf(self.draw()) < chance)

    def draw(self) -> float:
        """A standard normal number of this machine's own stream."""
        return float(self._random.standard_normal())
