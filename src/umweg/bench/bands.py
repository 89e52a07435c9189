"""Do bands hold as often as they say: readings not taken yet, on machines that keep to the model."""

from collections import Counter
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field

import numpy as np

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.plan import Planner, readings_of
from umweg.core.diagnose.play import complaint
from umweg.core.errors import SolveError
from umweg.core.faults.population import SEVERITIES, Fault, faults_of
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.readings import blank
from umweg.core.observe.observations import Observation
from umweg.core.observe.quantities import Quantity

TAKEN = 3
"""Readings that are known of each machine."""
ASKED = 25
"""Readings not taken yet that are held against their bands."""


@dataclass
class BandFigures:
    """What ``bench bands`` prints for one circuit, or for all together: by kind of reading, how
    many were within the 90 % band of what is wrong, of how many."""

    circuit: str
    held: Counter[str] = field(default_factory=Counter)
    asked: Counter[str] = field(default_factory=Counter)

    def add(self, other: "BandFigures") -> None:
        """Count the readings of another circuit along."""
        self.held += other.held
        self.asked += other.asked

    @property
    def share(self) -> float:
        """Share of all bands that held."""
        return self.held.total() / max(self.asked.total(), 1)


def bench_bands(
    circuits: Sequence[Circuit],
    instruments: Sequence[Instrument],
    machines: int = 12,
    seed: int = 1,
    processes: int = 2,
) -> Iterator[BandFigures]:
    """Figures of each circuit as they come.

    Parameters
    ----------
    machines : hidden machines a circuit, each with one fault that is always there
    """
    with ProcessPoolExecutor(processes) as pool:
        parts = [pool.submit(bands_of, c, tuple(instruments), machines, seed) for c in circuits]
        for part in parts:
            yield part.result()


def bands_of(
    circuit: Circuit, instruments: Sequence[Instrument], machines: int, seed: int
) -> BandFigures:
    """How many bands hold on one circuit's hidden machines."""
    generator = np.random.default_rng([seed, *circuit.id.encode()])
    doctor = Diagnostician.of(circuit, instruments)
    doctor.prepare()
    # A plug that comes and goes shows one of two things: a band around both says nothing.
    faults = [f for f in faults_of(doctor.predictor.network) if not f.mode.comes_and_goes]
    rates = np.array([f.rate for f in faults])
    readings = list(readings_of(doctor.predictor))
    figures = BandFigures(circuit.id)
    for _ in range(machines):
        fault = faults[int(generator.choice(len(faults), p=rates / rates.sum()))]
        severity = float(generator.uniform(SEVERITIES[1], 1.0))
        own = np.random.default_rng(generator.integers(2**63))
        machine = HiddenMachine(circuit, [(fault, severity)], own, doctor.predictor.solver)
        order = [readings[i] for i in own.permutation(len(readings))]
        try:
            seen: list[Observation] = complaint(machine)
        except SolveError:
            continue
        for name, quantity in order[:TAKEN]:
            try:
                taken = blank(quantity, name).witnessed(machine)
            except SolveError:
                continue
            seen.append(taken.model_copy(update={"id": f"r{len(seen)}"}))
        planner = doctor.planner(seen)
        for name, quantity in order[TAKEN : TAKEN + ASKED]:
            try:
                holds = _holds(planner, machine, fault, quantity, name)
            except SolveError:
                continue
            figures.held[quantity.kind] += holds
            figures.asked[quantity.kind] += 1
    return figures


def _holds(
    planner: Planner, machine: HiddenMachine, fault: Fault, quantity: Quantity, name: str
) -> bool:
    """Is what a gauge shows within the band of the fault that is there."""
    state = machine.circuit.states[name]
    shown = machine.shown(quantity, machine.value(quantity, state), None)
    band = planner.band_of(fault.key, quantity, state)
    if quantity.of.from_vacuum:
        shown = max(shown, -1.0)
    return band is not None and band.low <= shown <= band.high
