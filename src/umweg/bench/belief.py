"""The belief beside exact enumeration: machines drawn from what is believed of a circuit, all solved.

What the program believes takes a candidate's own unknowns for Gaussian and what it shows for straight
lines where the belief stands. Here nothing is: for each drawn machine every fault at every severity
is solved with its numbers, and its evidence has no unknown of its own left. The mean over many
machines is the evidence of a fault as the belief means it.
"""

from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np
from pydantic import ValidationError

from umweg.core.circuit.document import Circuit
from umweg.core.components.base import Array
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.evidence import CLASSES
from umweg.core.diagnose.play import complaint, observe
from umweg.core.diagnose.prior import noticed
from umweg.core.diagnose.ranking import rank
from umweg.core.errors import UmwegError
from umweg.core.faults.population import SEVERITIES, faults_of, single_faults, unknowns_of
from umweg.core.network.network import Network
from umweg.core.observe.exhibits import Played
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.observations import Observation
from umweg.core.observe.predict import Predictor
from umweg.core.solve.steady import SteadySolver

COUNTED_FROM = 0.02
"""Shares that are compared: what is less believed than that tells nobody what to do."""


@dataclass(frozen=True)
class Compared:
    """Shares of the faults, by their keys: as the program has them, and as enumeration does."""

    circuit: str
    hidden: str
    program: dict[str, float]
    exact: dict[str, float]
    machines: int

    @property
    def worst(self) -> float:
        """The largest factor between the two, of those that either believes from a fiftieth on."""
        keys = {k for s in (self.program, self.exact) for k, v in s.items() if v > COUNTED_FROM}
        pairs = [(self.program.get(k, 0.0) + 1e-3, self.exact.get(k, 0.0) + 1e-3) for k in keys]
        return max((max(a / b, b / a) for a, b in pairs), default=1.0)


def drawn_circuit(circuit: Circuit, generator: np.random.Generator) -> Circuit:
    """The same machine with every unknown number drawn from what is believed of it."""
    network = Network(circuit)
    unknowns = unknowns_of(network)
    factors, shares = zip(*CLASSES, strict=True)
    away = generator.standard_normal(len(unknowns.slot)) * generator.choice(factors, p=shares)
    nominal = network.base_parameters[unknowns.slot]
    values = nominal * unknowns.grown(nominal, away)
    changed: dict[str, dict[str, float]] = {}
    for key, value in zip(unknowns.keys, values.tolist(), strict=True):
        part, parameter = key.split(".", 1)
        changed.setdefault(part, {})[parameter] = value
    components = [
        c.model_copy(update={"parameters": {**c.parameters, **changed.get(c.id, {})}})
        for c in circuit.components
    ]
    return circuit.model_copy(update={"components": components})


def enumerated(
    circuit: Circuit,
    observations: Sequence[Observation],
    instruments: Sequence[Instrument],
    seen: Array,
    machines: int,
    generator: np.random.Generator,
) -> tuple[dict[str, float], int]:
    """Shares of all single faults by enumeration, and of how many drawn machines.

    Parameters
    ----------
    seen : (C,) how likely each candidate is noticed
    """
    total: Array | None = None
    count = 0
    keys: list[str] = []
    for _ in range(machines):
        try:
            network = Network(drawn_circuit(circuit, generator))
            alone = Predictor(
                network.circuit, single_faults(network), SteadySolver(network), certain=True
            )
            weights = rank(Played(alone), observations, instruments, seen).belief.log_weight
        except (UmwegError, ValidationError):
            # Numbers that no part is made with, or a machine without a steady state.
            continue
        population = alone.population
        keys = [h.key for h in population.hypotheses]
        fits = np.array([np.logaddexp.reduce(weights[rows]) for rows in population.members])
        total = fits if total is None else np.logaddexp(total, fits)
        count += 1
    if total is None:
        return {}, 0
    shares = np.exp(total - np.logaddexp.reduce(total))
    return dict(zip(keys, shares.tolist(), strict=True)), count


def compared(
    circuit: Circuit,
    instruments: Sequence[Instrument],
    seed: int,
    machines: int = 120,
    steps: int = 4,
    as_: type[HiddenMachine] = HiddenMachine,
) -> Compared:
    """One hidden machine, observed for some steps; then what is believed, both ways."""
    generator = np.random.default_rng([seed, *circuit.id.encode()])
    doctor = Diagnostician.of(circuit, instruments)
    faults = faults_of(doctor.predictor.network)
    rates = np.array([f.rate for f in faults])
    while True:
        fault = faults[int(generator.choice(len(faults), p=rates / rates.sum()))]
        severity = float(generator.uniform(SEVERITIES[1], 1.0))
        drawn = np.random.default_rng(generator.integers(2**63))
        try:
            machine = as_(circuit, [(fault, severity)], drawn, doctor.predictor.solver)
            seen = complaint(machine)
            if all(getattr(o, "how", "") == "as_usual" for o in seen):
                continue
            for number in range(steps):
                step = next((s for s in doctor.diagnose(seen).steps if not s.refused), None)
                if step is None:
                    break
                seen.append(observe(machine, step, f"s{number}"))
        except UmwegError:
            continue
        break
    ranking = rank(doctor.exhibits, seen, instruments, noticed(doctor.exhibits))
    program = {
        h.key: float(s) for h, s in zip(ranking.population.hypotheses, ranking.shares, strict=True)
    }
    exact, count = enumerated(
        circuit, seen, instruments, noticed(doctor.exhibits), machines, generator
    )
    return Compared(circuit.id, f"{fault.key}={severity:.2f}", program, exact, count)


def bench_belief(
    circuits: Sequence[Circuit],
    instruments: Sequence[Instrument],
    cases: int = 2,
    seed: int = 1,
    machines: int = 120,
    processes: int = 2,
) -> Iterator[Compared]:
    """Several hidden machines of each circuit, as they come."""
    kit = tuple(instruments)
    with ProcessPoolExecutor(processes) as pool:
        parts = [
            pool.submit(compared, circuit, kit, seed + n, machines)
            for circuit in circuits
            for n in range(cases)
        ]
        for part in parts:
            yield part.result()
