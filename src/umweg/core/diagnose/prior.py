"""What is believed before anything is observed: somebody brought the machine."""

import re
from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence

import numpy as np

from umweg.core.circuit.document import Circuit
from umweg.core.components import component_type
from umweg.core.components.base import Array, WorkKind
from umweg.core.faults.population import PAIR_PRIOR, Fault
from umweg.core.observe.exhibits import Exhibits
from umweg.core.observe.history import Experience, History
from umweg.core.observe.kinds.behaviours import NOTICED

UNNOTICED = 0.15
"""How much likelier a fault is brought in that its operator notices: one in so many that would not
be noticed comes all the same, found in an inspection or complained of for something else."""


BY_HANDS: frozenset[WorkKind] = frozenset(
    {"swap", "set", "refit", "by_hand", "wiring", "wrong_part"}
)
AFTER_WORK: Mapping[WorkKind, float] = {
    "swap": 20.0,
    "set": 3.0,
    "refit": 4.0,
    "by_hand": 4.0,
    "wiring": 3.0,
    "wrong_part": 20.0,
}
"""How much likelier each is on a part that was worked on lately."""
NOBODY_WORKED = 0.2
AIR_AFTER_WORK = 2.0
OIL_WORDS = frozenset({"oil", "refilled", "filled", "topped", "drained"})
OIL_AFTER_FILLING = 6.0
USUAL_HOURS = 5000.0
MOST_ENDS = 3
"""A net with more ends is no place where one part is in another's way: a tank, a common return."""
RENEWED = 0.1
"""How likely what was just renewed is at fault, against before: the wrong part, or fitted wrong; of
what was repaired twice, as often again."""
JOINED_BY_HAND: frozenset[WorkKind] = frozenset({"swap", "refit", "by_hand", "wiring"})
"""What is put together by hand at every such work: a plug, a link, a pair of hoses."""
PUT_BACK = 0.5
"""How likely such a thing is at fault that was just put right, against one that was worked on: it
was looked at, and it was in somebody's hands once more."""
BESIDE_WORK = 2.0
"""How much likelier it is on the parts beside: what was in the way was taken off and put back."""
SUREST_CURE = 1.0 - PAIR_PRIOR
"""However sure a decision was, there may be a second fault that nobody could see before."""
UNKNOWN = History()
COMMON = frozenset(
    {
        "the",
        "and",
        "for",
        "new",
        "valve",
        "hose",
        "line",
        "port",
        "side",
        "left",
        "right",
        "upper",
        "lower",
        "with",
        "from",
        "pump",
    }
)
"""Words of parts' names that say nothing of which part it is."""


def noticed(exhibits: Exhibits) -> Array:
    """(C,) probability that an operator finds anything not as usual, with warm oil."""
    result: Array = exhibits.seen(NOTICED)[0]
    return result


def history_factor(circuit: Circuit, fault: Fault, history: History) -> float:
    """How much likelier a fault is for a machine's hours and what was done to it lately.

    What only hands do (a pair crossed, a check turned round, a setting, a linkage, a plug) is
    likely after work on that part, somewhat beside it, and unlikely where nobody worked; air and dirt
    come in wherever oil was opened; wear grows with hours.
    """
    factor = 1.0
    worked = bool(history.recent_work.strip())
    if fault.mode.work in BY_HANDS:
        worked_on = {r.split(":")[0] for r in history.renewed}
        fitted = fault.component_id in worked_on and fault.mode.work != "set"
        if fitted or _mentions(circuit, fault.component_id, history.recent_work):
            factor *= AFTER_WORK[fault.mode.work]
        elif fault.mode.work in JOINED_BY_HAND and _beside(circuit, fault.component_id, worked_on):
            factor *= BESIDE_WORK
        elif not worked and fault.mode.work in ("swap", "wrong_part"):
            factor *= NOBODY_WORKED
    if worked and fault.mode.oil == "foamy" and fault.mode.work == "reseal":
        factor *= AIR_AFTER_WORK
    if fault.mode.work == "oil" and OIL_WORDS & set(_words(history.recent_work)):
        factor *= OIL_AFTER_FILLING
    if fault.mode.work != "wrong_part":
        again = PUT_BACK if fault.mode.work in JOINED_BY_HAND else RENEWED
        factor *= again ** sum(_cures(circuit, r, fault) for r in history.renewed)
    if history.hours > 0 and fault.mode.work in ("exchange", "reseal"):
        factor *= float(np.clip(0.5 + history.hours / USUAL_HOURS / 2, 0.5, 2.0))
    return factor


def _cures(circuit: Circuit, renewed: str, fault: Fault) -> bool:
    """Would a repair have cured a fault: it was of that part, and as far as it is said what was
    wrong with it, it asked for the same work or for another part."""
    component, _, mode = renewed.partition(":")
    if component != fault.component_id:
        return False
    modes = component_type(circuit.component(component).type).fault_modes
    work = next((m.work for m in modes if m.name == mode), None)
    return work is None or fault.cured_by(component, work)


def kind_of(circuit: Circuit, fault: Fault) -> tuple[str, str]:
    """Type of part and mode: what a shop's experience is counted by."""
    return circuit.component(fault.component_id).type, fault.mode.name


def _mentions(circuit: Circuit, component_id: str, text: str) -> bool:
    """Does a text speak of a part: by a word of its name that is not a common one."""
    named = _words(circuit.component(component_id).label)
    return bool(set(_words(text)) & set(named) - COMMON)


def _beside(circuit: Circuit, component_id: str, others: Collection[str]) -> bool:
    """Is a part joined to one of some others by a net of two ends or three: a hose, a plug."""
    if not others:
        return False
    own = set(circuit.component(component_id).connections.values())
    ends = Counter(net for part in circuit.components for net in part.connections.values())
    near = {net for net in own if ends[net] <= MOST_ENDS}
    return any(
        near & set(part.connections.values()) for part in circuit.components if part.id in others
    )


def _words(text: str) -> list[str]:
    return re.findall(r"\w{3,}", text.lower())


def log_prior(exhibits: Exhibits, seen: Array | None = None, history: History = UNKNOWN) -> Array:
    """(C,) log prior of every candidate, given that the machine was brought in.

    A fault too slight to be noticed is seldom what a machine is brought for: what such candidates
    lose, the others gain; the healthy machine keeps its share.

    Parameters
    ----------
    seen : (C,) of :func:`noticed`, where it is known already
    history : of this machine
    """
    population = exhibits.suspects.population
    seen = noticed(exhibits) if seen is None else seen
    weight = np.exp(population.log_prior) * (UNNOTICED + (1.0 - UNNOTICED) * seen)
    if history != UNKNOWN:
        circuit = exhibits.suspects.circuit
        shop = {(e.type, e.mode): e.factor for e in history.experience}

        # What a shop found elsewhere says nothing of what was done to this machine.
        told = history.model_copy(update={"experience": ()}) != UNKNOWN

        def factor(fault: Fault) -> float:
            usual = shop.get(kind_of(circuit, fault), 1.0)
            return usual * (history_factor(circuit, fault, history) if told else 1.0)

        factors = [float(np.prod([factor(f) for f in h.faults])) for h in population.hypotheses]
        weight *= np.array(factors)[population.hypothesis]
    faults = np.array([len(h.faults) for h in population.hypotheses])[population.hypothesis]
    # By the single faults alone, so that a pair weighs the same whichever others are drawn with it.
    faulty, single = faults > 0, faults == 1
    before = float(np.exp(population.log_prior[single]).sum())
    after = float(weight[single].sum())
    if after > 0.0:
        weight[faulty] *= before / after
    weight[~faulty] = np.exp(population.log_prior[~faulty])
    if history.cured > 0.0 and after > 0.0:
        # A machine after its repair is not one that was brought in: it is in order as surely as
        # the decision was.
        cured = min(history.cured, SUREST_CURE)
        weight[faulty] *= (1.0 - cured) / float(weight[single].sum())
        weight[~faulty] *= cured / float(weight[~faulty].sum())
    result: Array = np.log(weight)
    return result


def with_pairs(seen: Array, count: int) -> Array:
    """The same for a population of so many with pairs of faults behind the singles: noticed."""
    return np.concatenate([seen, np.ones(count - len(seen))])


def expected_shares(exhibits: Exhibits) -> dict[tuple[str, str], float]:
    """Share of each fault, by type of part and mode, among machines brought in with one fault."""
    suspects = exhibits.suspects
    weight = np.exp(log_prior(exhibits))
    found: defaultdict[tuple[str, str], float] = defaultdict(float)
    for hypothesis, members in zip(
        suspects.population.hypotheses, suspects.population.members, strict=True
    ):
        if len(hypothesis.faults) == 1:
            found[kind_of(suspects.circuit, hypothesis.faults[0])] += float(weight[members].sum())
    whole = sum(found.values())
    return {kind: share / whole for kind, share in found.items()}


def experience_of(
    finds: Iterable[tuple[Mapping[tuple[str, str], float], Sequence[tuple[str, str]]]],
) -> tuple[Experience, ...]:
    """What a shop's finds tell beside what was to be expected of the machines they were made on.

    Parameters
    ----------
    finds : for each circuit its :func:`expected_shares`, and the type and mode of each find there
    """
    expected: defaultdict[tuple[str, str], float] = defaultdict(float)
    found: Counter[tuple[str, str]] = Counter()
    for shares, there in finds:
        for kind, share in shares.items():
            expected[kind] += share * len(there)
        found.update(there)
    return tuple(
        Experience(type=t, mode=m, found=found[t, m], expected=expected[t, m])
        for t, m in sorted(expected.keys() | found.keys())
        if found[t, m] or expected[t, m] > 0.0
    )
