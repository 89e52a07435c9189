"""What a job's record proves: its repair, by what spoke for it and what a sound machine shows."""

import math
from collections.abc import Callable, Collection, Sequence

from umweg.core.diagnose.ranking import rank
from umweg.core.errors import UmwegError
from umweg.core.observe.exhibits import Exhibits, NotPlayedError
from umweg.core.observe.history import History
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.base import Observed
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.weights import Measured
from umweg.core.record.proof import Kept, Proof, proof_of
from umweg.core.shop.verdict import verdict_of

MATTERS_LOG10 = math.log10(3.0)
"""What speaks three to one for a part made the case against it."""
SOUND_SD = 2.0
"""A sound machine shows what is no further off than so many standard deviations, …"""
SOUND_WORD = 0.2
"""… and says a word that so many of its like would say."""


def sound_by(
    exhibits: Exhibits, instruments: Sequence[Instrument]
) -> Callable[[Observed], bool | None]:
    """Whether a sound machine shows an observation: by its specification where it has one, else by
    what is computed of the machine in order."""

    def sound(observed: Observed) -> bool | None:
        if observed.as_usual is not None:
            return observed.as_usual
        try:
            if isinstance(observed, Reading):
                _, _, verdict = verdict_of(exhibits.suspects.circuit, observed, instruments)
                if verdict is not None:
                    return verdict.word in ("pass", "marginal")
            evidence = observed.weigh(exhibits, instruments)
        except (NotPlayedError, UmwegError):
            return None
        if isinstance(evidence, Measured):
            if not evidence.known[0]:
                return None
            spread = math.hypot(float((evidence.slope[:, 0] ** 2).sum() ** 0.5), evidence.noise_sd)
            return abs(evidence.value - float(evidence.mean[0])) <= SOUND_SD * spread
        return math.exp(float(evidence.log_likelihood[0])) >= SOUND_WORD

    return sound


def proved(
    exhibits: Exhibits,
    instruments: Sequence[Instrument],
    kept: Sequence[Kept],
    part: tuple[str, str],
    epochs: tuple[int, int],
    accepted: Collection[str] = (),
    history: History = History(),  # noqa: B008 - nothing of it changes
) -> Proof:
    """How far the repair of a part is proved.

    Parameters
    ----------
    kept : all observations that stand in the record
    part : component and fault mode that was repaired, the mode empty where none is named
    epochs : sequence of the repair before (0: none), and of this one
    accepted : readings outside their specification that are accepted with a reason
    """
    began, repaired = epochs
    case = [k.observed for k in kept if began < k.sequence < repaired]
    try:
        ranking = rank(exhibits, case, instruments, history=history)  # type: ignore[arg-type]
        spoke = ranking.spoke_for(*part, MATTERS_LOG10)
    except (NotPlayedError, UmwegError):
        # As long as nobody knows which of it made the case, all of it did.
        spoke = {o.id for o in case}
    return proof_of(kept, began, repaired, spoke, sound_by(exhibits, instruments), accepted)
