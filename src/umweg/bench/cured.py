"""A hidden machine mended as advised, tried, and diagnosed again until nobody complains of it."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from umweg.bench.ways import Own, Way
from umweg.core.diagnose.diagnosis import Diagnosis, Diagnostician
from umweg.core.diagnose.play import complaint, observe
from umweg.core.diagnose.worth import action_of, try_min
from umweg.core.faults.population import faults_of
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

    ``whole``: nothing is wrong that was; ``quiet``: nobody complains, though something may be wrong
    still that its operator does not notice; ``repairs``, and how many of them cured nothing;
    ``minutes`` of all observations and tries, ``money`` for all repairs and their tries.
    """

    whole: bool
    quiet: bool
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
    """Do the first repair that is advised, or both where two faults at once lead, try the machine,
    and begin anew where it is complained of.

    What was observed before a repair speaks of the machine that was: only what was done to it, and
    how sure that was, is taken along.

    Parameters
    ----------
    found : what was known of it when the program said enough

    Raises
    ------
    SolveError : it cannot be played as it is after a repair.
    """
    by_action = {action_of(f): f.key for f in faults_of(doctor.predictor.network)}
    money, in_vain, minutes = 0.0, 0, found.minutes
    renewed: list[str] = []
    quiet = not machine.faults
    while len(renewed) < MOST_REPAIRS and machine.faults and found.diagnosis.repairs:
        leader = found.diagnosis.suspects[0]
        actions = [action_of(f) for f in leader.hypothesis.faults]
        if not actions:
            # It is given back as it is.
            break
        if len(actions) == 1:
            first = found.diagnosis.repairs[0]
            actions = [(first.component_id, first.work)]
        for action in dict.fromkeys(actions):
            left = [(f, s) for f, s in machine.faults if not f.cured_by(*action)]
            in_vain += len(left) == len(machine.faults)
            machine = machine.mended(left)
            money += doctor.money.cost(action)
            renewed.append(by_action[action])
        tried_min = max(try_min(a) for a in actions)
        money += tried_min * doctor.money.labour_per_min
        minutes += tried_min
        seen = complaint(machine)
        quiet = not brought(machine, seen)
        if quiet:
            break
        history = History(renewed=tuple(renewed), cured=leader.share)
        again = Diagnostician(
            doctor.predictor, doctor.instruments, doctor.money.labour_per_min, history
        )
        found = follow(machine, seen, Own(again))
        again.put_aside()
        minutes += found.minutes
    return Cured(not machine.faults, quiet, len(renewed), in_vain, minutes, money)
