"""Hidden machines, diagnosed by following the program's own steps until it says enough."""

from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from umweg.bench.cured import Cured, Followed, follow, until_cured
from umweg.bench.real import RealMachine
from umweg.bench.ways import WAYS, Own, Way
from umweg.core.circuit.document import Circuit
from umweg.core.components.base import Array
from umweg.core.diagnose.diagnosis import Diagnosis, Diagnostician
from umweg.core.diagnose.play import complaint
from umweg.core.diagnose.worth import action_of
from umweg.core.errors import SolveError
from umweg.core.faults.population import (
    HEALTHY,
    HEALTHY_PRIOR,
    SEVERITIES,
    Fault,
    faults_of,
)
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.observations import Observation
from umweg.core.observe.quantities import Quantity

As = Literal["model", "real"]
KINDS: dict[As, type[HiddenMachine]] = {"model": HiddenMachine, "real": RealMachine}
SURE = 0.97
BINS = (0.0, 0.5, 0.7, 0.85, 0.95, 0.97, 1.01)
CHANCES = 400


@dataclass(frozen=True)
class Played:
    """One hidden machine: what was wrong, what was claimed, and what it took.

    ``first``: a fault that is there leads, and ``claimed`` is how sure of that the program was, the
    pairs counted that it is one of; ``in_three``: all that are there are named by the first
    three groups.
    """

    hidden: str
    first: bool
    in_three: bool
    component: bool
    claimed: float
    claim: str
    readings: int
    looks: int
    minutes: float
    slip: bool
    """Brought in for a wrong word alone: nothing of what is wrong was to be noticed."""
    spent: float
    """Money for mending what was advised, in its order, until the machine was cured."""
    masked: bool = False
    """Two faults of which one alone shows its operator all that both do."""
    cured: Cured | None = None
    """What it took to mend it in turn; of the program's own steps, and where that was played."""


@dataclass
class IsolateFigures:
    """What ``bench isolate`` prints for one circuit, or for all together."""

    circuit: str
    played: list[Played] = field(default_factory=list)
    others: dict[str, list[Played]] = field(default_factory=dict)
    """The same machines by the other ways of going about it, in the same order."""

    def add(self, other: "IsolateFigures") -> None:
        """Count the machines of another circuit along."""
        self.played += other.played
        for name, played in other.others.items():
            self.others.setdefault(name, []).extend(played)

    def by(self, way: str) -> "IsolateFigures":
        """The figures of one of the other ways."""
        return IsolateFigures(way, self.others[way])

    def share(self, what: str) -> float:
        """Share of the machines for which ``first``, ``in_three`` or ``component`` is true."""
        return float(np.mean([getattr(p, what) for p in self.played]))

    def mean(self, what: str) -> float:
        """Mean of ``claimed``, ``readings``, ``looks``, ``minutes`` or ``spent``."""
        return float(np.mean([getattr(p, what) for p in self.played]))

    def calibration(self) -> list[tuple[float, float, int, float, float]]:
        """For each band of claims: its ends, how many, what was claimed, what was right."""
        claimed, right = self._claims()
        return [
            (low, min(high, 1.0), int(here.sum()), claimed[here].mean(), right[here].mean())
            for (low, high), here in zip(pairwise(BINS), _banded(claimed), strict=True)
            if here.any()
        ]

    @property
    def calibration_error(self) -> float:
        """Mean distance between what was claimed and what was right, weighed by how often."""
        return _calibration_error(*self._claims())

    @property
    def calibration_by_chance(self) -> float:
        """What claims that are exactly as good as they say would show with so many machines, on
        average: a few in a band are seldom right as often as they should be."""
        claimed, _ = self._claims()
        drawn = np.random.default_rng(0).random((CHANCES, len(claimed))) < claimed
        return float(np.mean([_calibration_error(claimed, right) for right in drawn]))

    def _claims(self) -> tuple[Array, NDArray[np.bool_]]:
        claimed = np.array([p.claimed for p in self.played])
        return claimed, np.array([p.first for p in self.played])

    @property
    def cured(self) -> list[Cured]:
        """Of the machines that were mended in turn, what that took."""
        return [p.cured for p in self.played if p.cured is not None]

    @property
    def sure_right(self) -> float:
        """How often claims above ``SURE`` were right."""
        sure = [p.first for p in self.played if p.claimed > SURE]
        return float(np.mean(sure)) if sure else float("nan")


def _banded(claimed: Array) -> list[NDArray[np.bool_]]:
    """Which of the claims (N,) are in each band."""
    return [(low <= claimed) & (claimed < high) for low, high in pairwise(BINS)]


def _calibration_error(claimed: Array, right: NDArray[np.bool_]) -> float:
    """By claims (N,) and whether each was right."""
    off = [abs(float((claimed - right)[here].sum())) for here in _banded(claimed)]
    return sum(off) / max(len(claimed), 1)


def bench_isolate(
    circuits: Sequence[Circuit],
    instruments: Sequence[Instrument],
    machines: int = 24,
    seed: int = 1,
    as_: As = "model",
    faults: int = 1,
    processes: int = 2,
    against: Sequence[str] = (),
) -> Iterator[IsolateFigures]:
    """Figures of each circuit as they come.

    Parameters
    ----------
    machines : hidden machines a circuit, each with something noticeable
    as_ : machines that keep to the model, or as they come
    faults : how many each machine has, one or two, each of them noticeable
    against : other ways of :data:`umweg.bench.ways.WAYS` to go about the same machines
    """
    with ProcessPoolExecutor(processes) as pool:
        kit = tuple(instruments)
        parts = [
            pool.submit(_one, c, kit, machines, seed, as_, faults, tuple(against)) for c in circuits
        ]
        for part in parts:
            yield part.result()


def _one(
    circuit: Circuit,
    instruments: Sequence[Instrument],
    machines: int,
    seed: int,
    as_: As,
    count: int,
    against: Sequence[str],
) -> IsolateFigures:
    generator = np.random.default_rng([seed, *circuit.id.encode()])
    doctor = Diagnostician.of(circuit, instruments)
    doctor.prepare()
    faults = faults_of(doctor.predictor.network)
    rates = np.array([f.rate for f in faults])
    figures = IsolateFigures(circuit.id, others={name: [] for name in against})
    ways = {name: WAYS[name](doctor) for name in against}
    while len(figures.played) < machines:
        chosen = [
            (
                faults[int(generator.choice(len(faults), p=rates / rates.sum()))],
                float(generator.uniform(SEVERITIES[1], 1.0)),
            )
            for _ in range(count)
        ]
        if count == 1 and generator.random() < HEALTHY_PRIOR:
            # Somebody complains of a machine that is in order, as often as the belief expects it.
            chosen = []
        if len({f.slot for f, _ in chosen}) < len(chosen):
            continue
        # Of its own, so that another plan, which asks other things, meets the same machines.
        drawn = np.random.default_rng(generator.integers(2**63))
        try:
            # Of two faults each would be noticed by itself: a second one that shows nothing is
            # nobody's to name.
            alone = [_met(doctor, as_, [c], drawn) for c in chosen] if count > 1 else []
            if not all(_brought(machine, told) for machine, told in alone):
                continue
            # Whoever goes about it in another way meets the same machine, and hears the same.
            before = drawn.bit_generator.state
            machine, seen = _met(doctor, as_, chosen, drawn)
            if not _brought(machine, seen):
                continue
            masked = _masked(machine, [other for other, _ in alone])
            played = _followed(doctor, machine, seen, Own(doctor), to_the_end=count > 1)
            played = replace(played, masked=masked)
            for name, way in ways.items():
                drawn.bit_generator.state = before
                again = _followed(doctor, *_met(doctor, as_, chosen, drawn), way)
                figures.others[name].append(replace(again, masked=masked))
            figures.played.append(played)
        except SolveError:
            continue
    return figures


def _met(
    doctor: Diagnostician,
    as_: As,
    faults: Sequence[tuple[Fault, float]],
    generator: np.random.Generator,
) -> tuple[HiddenMachine, list[Observation]]:
    """A hidden machine, and what its operator tells."""
    machine = KINDS[as_](doctor.circuit, faults, generator, doctor.predictor.solver)
    return machine, complaint(machine)


def _brought(machine: HiddenMachine, seen: Sequence[Observation]) -> bool:
    """Is a machine brought in: for what its operator tells, or for its own gauges."""
    if not machine.circuit.functions:
        return bool(_out_of_specification(machine))
    return any(isinstance(o, Behaviour) and o.how != "as_usual" for o in seen)


def _masked(machine: HiddenMachine, alone: Sequence[HiddenMachine]) -> bool:
    """Does one of its faults alone show its operator all that they see, or where nobody commands
    it, its own gauges."""
    if machine.circuit.functions:
        return any(other.seen == machine.seen for other in alone)
    shown = _out_of_specification(machine)
    return any(_out_of_specification(other) == shown for other in alone)


def _out_of_specification(machine: HiddenMachine) -> dict[str, str]:
    """Of a machine that nobody commands: what its own gauges would show, by specification."""
    circuit = machine.circuit
    found = {}
    for spec in circuit.specifications:
        shown = machine.value(Quantity.named(spec.quantity, spec.point), circuit.states[spec.state])
        if spec.low is not None and shown < spec.low:
            found[spec.id] = "low"
        elif spec.high is not None and shown > spec.high:
            found[spec.id] = "high"
    return found


def _followed(
    doctor: Diagnostician,
    machine: HiddenMachine,
    seen: list[Observation],
    way: Way,
    to_the_end: bool = False,
) -> Played:
    slip = bool(machine.seen) and all(word == "as_usual" for word in machine.seen)
    found = follow(machine, seen, way)
    diagnosis = found.diagnosis
    there = {f.key: f for f, _ in machine.faults}
    true = set(there) or {HEALTHY}
    group = diagnosis.suspects[0].group if diagnosis.suspects else ()
    leading = {name for key in group for name in key.split("+")}
    groups = list(dict.fromkeys(s.group for s in diagnosis.suspects))
    three = {name for keys in groups[:3] for key in keys for name in key.split("+")}
    parts = {name.split(":")[0] for name in leading}
    return Played(
        hidden=" + ".join(f"{f.key}={severity:.2f}" for f, severity in machine.faults) or HEALTHY,
        first=bool(true & leading),
        in_three=true <= three,
        component=bool({name.split(":")[0] for name in true} & parts),
        claimed=diagnosis.suspects[0].there if diagnosis.suspects else 0.0,
        claim=" | ".join(group),
        readings=found.readings,
        looks=found.looks,
        minutes=found.minutes,
        slip=slip,
        spent=_spent(doctor, diagnosis, list(there.values())),
        cured=_to_the_end(doctor, machine, found) if to_the_end else None,
    )


def _to_the_end(doctor: Diagnostician, machine: HiddenMachine, found: Followed) -> Cured | None:
    """None where it cannot be played as it is after a repair: what was found before counts."""
    try:
        return until_cured(doctor, machine, found, _brought)
    except SolveError:
        return None


def _spent(doctor: Diagnostician, diagnosis: Diagnosis, faults: Sequence[Fault]) -> float:
    """Mending what is advised, in its order, until the machine is cured."""
    left, total = list(faults), 0.0
    for repair in diagnosis.repairs:
        if not left:
            break
        total += repair.cost
        left = [f for f in left if not f.cured_by(repair.component_id, repair.work)]
    return total + sum(doctor.money.cost(action) for action in {action_of(f) for f in left})
