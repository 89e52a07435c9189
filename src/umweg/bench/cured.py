"""A hidden machine mended as advised, tried, and diagnosed again until nobody complains of it."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from umweg.bench.ways import Own, Way
from umweg.core.diagnose.diagnosis import Diagnosis, Diagnostician
from umweg.core.diagnose.play import complaint, observe
from umweg.core.diagnose.worth import TRY_MIN, Repair, action_of
from umweg.core.faults.population import Fault
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.history import History
from umweg.core.observe.observations import Observation

MOST_REPAIRS = 6

Brought = Callable[[HiddenMachine, Sequence[Observation]], bool]
"""Is a machine brought in, by what its operator tells."""


@dataclass(frozen=True)
class Followed:
    """What it took until the program said enough."""

    diagnosis: Diagnosis
    readings: int
    looks: int
    minutes: float


@dataclass(frozen=True)
class Cured:
    """What it took until nobody complained any more.

    ``whole``: nothing is wrong that was; ``repairs``, and how many of them cured nothing;
    ``minutes`` of all observations and tries, ``money`` for all repairs and their tries.
    """

    whole: bool
    repairs: int
    in_vain: int
    minutes: float
    money: float


def follow(machine: HiddenMachine, seen: list[Observation], way: Way) -> Followed:
    """Observe on a machine what is asked for, until that is enough; ``seen`` grows by it."""
    told, looks, minutes = len(seen), 0, 0.0
    diagnosis, step = way.begun(seen)
    while step is not None:
        seen.append(observe(machine, step, f"s{len(seen) - told:03d}"))
        minutes += step.minutes
        looks += step.kind != "reading"
        diagnosis, step = way.then(seen)
    return Followed(diagnosis, len(seen) - told - looks, looks, minutes)


def until_cured(
    doctor: Diagnostician, machine: HiddenMachine, found: Followed, brought: Brought
) -> Cured:
    """Do the first repair that is advised, try the machine, and begin anew where it is complained of.

    What was observed before a repair speaks of the machine that was: only what was done to it, and
    how sure that was, is taken along.

    Parameters
    ----------
    found : what was known of it when the program said enough

    Raises
    ------
    SolveError : it cannot be played as it is after a repair.
    """
    renewed: list[str] = []
    in_vain, minutes, money = 0, found.minutes, 0.0
    while len(renewed) < MOST_REPAIRS and machine.faults and found.diagnosis.repairs:
        leader = found.diagnosis.suspects[0]
        if not leader.hypothesis.faults:
            # It is given back as it is.
            break
        repair = found.diagnosis.repairs[0]
        left = [(f, s) for f, s in machine.faults if not _cures(repair, f)]
        in_vain += len(left) == len(machine.faults)
        money += repair.cost + TRY_MIN * doctor.money.labour_per_min
        minutes += TRY_MIN
        renewed.append(repair.component_id)
        machine = machine.mended(left)
        seen = complaint(machine)
        if not brought(machine, seen):
            break
        history = History(renewed=tuple(dict.fromkeys(renewed)), cured=min(leader.there, 1.0))
        again = Diagnostician(
            doctor.predictor, doctor.instruments, doctor.money.labour_per_min, history
        )
        found = follow(machine, seen, Own(again))
        again.put_aside()
        minutes += found.minutes
    return Cured(not machine.faults, len(renewed), in_vain, minutes, money)


def _cures(repair: Repair, fault: Fault) -> bool:
    """Does a repair cure a fault: what it asks for, or another part in its place."""
    same = repair.component_id == fault.component_id
    return same and (repair.work == "exchange" or action_of(fault)[1] == repair.work)
