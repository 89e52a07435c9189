"""Is a repair proved: what made the case, shown again on the machine as it is now.

A case is made of the moves that were complained of, of what was read outside its specification, and
of everything that spoke for the part that was repaired. Proved is what of all that was shown again,
each as a sound machine shows it; nothing else is.
"""

from collections.abc import Callable, Collection, Hashable, Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

from umweg.core.observe.kinds.base import Observed

Why = Literal["complaint", "outside", "spoke"]
Shown = Literal["open", "sound", "not_sound", "not_known"]
Word = Literal["proved", "open", "contradicted"]


@dataclass(frozen=True)
class Kept:
    """An observation that stands in a record, and its place there."""

    sequence: int
    observed: Observed


@dataclass(frozen=True)
class Again:
    """One thing that has to be shown again: by its entry before the repair, and the one after it."""

    before: str
    why: Why
    after: str | None
    shown: Shown


@dataclass(frozen=True)
class Proof:
    """What is asked for, and what of it was shown."""

    asked: tuple[Again, ...]
    against: tuple[str, ...]
    """Entries after the repair that no sound machine shows, whatever was asked."""

    @property
    def word(self) -> Word:
        """Proved only where something was asked for, and all of it was shown."""
        if self.against or any(a.shown == "not_sound" for a in self.asked):
            return "contradicted"
        if self.asked and all(a.shown == "sound" for a in self.asked):
            return "proved"
        return "open"

    @property
    def left(self) -> tuple[Again, ...]:
        """What is still to be shown."""
        return tuple(a for a in self.asked if a.shown in ("open", "not_known"))


Sound = Callable[[Observed], bool | None]
"""Whether a sound machine shows that; None where that is not known."""


def proof_of(
    kept: Sequence[Kept],
    began: int,
    repaired: int,
    spoke: Collection[str],
    sound: Sound,
    accepted: Collection[str] = (),
) -> Proof:
    """How far a repair is proved.

    Parameters
    ----------
    kept : all observations that stand, in their order
    began, repaired : sequence of the repair before this one (0: none), and of this one
    spoke : entries that spoke for what was repaired with a weight that mattered
    accepted : readings outside their specification that are accepted with a reason
    """
    before = _newest(k for k in kept if began < k.sequence < repaired)
    after = _newest(k for k in kept if k.sequence > repaired)
    asked = []
    for topic, observed in before.items():
        why = _why(observed, spoke, sound, accepted)
        if why is None:
            continue
        again = after.get(topic)
        asked.append(
            Again(observed.id, why, None if again is None else again.id, _shown(again, sound))
        )
    # What is told of the machine as it is now counts, asked for or not.
    against = [
        o.id for o in after.values() if (o.complains or o.id not in accepted) and sound(o) is False
    ]
    order: tuple[Why, ...] = ("complaint", "outside", "spoke")
    return Proof(tuple(sorted(asked, key=lambda a: order.index(a.why))), tuple(against))


def _newest(kept: Iterable[Kept]) -> dict[Hashable, Observed]:
    """By what would show it again, the last of each."""
    return {one.observed.shown_again_by: one.observed for one in kept}


def _why(
    observed: Observed, spoke: Collection[str], sound: Sound, accepted: Collection[str]
) -> Why | None:
    if observed.lasting or observed.undone:
        # Seen on the part itself: mended or renewed, it is another one now. What was tried for a
        # moment is undone: the move itself is shown.
        return None
    if observed.complains:
        return "complaint"
    if observed.id in spoke:
        return "spoke"
    if observed.id not in accepted and sound(observed) is False:
        return "outside"
    return None


def _shown(again: Observed | None, sound: Sound) -> Shown:
    if again is None:
        return "open"
    found = sound(again)
    if found is None:
        return "not_known"
    return "sound" if found else "not_sound"
