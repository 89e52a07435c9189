"""Which of two steps comes first, and whether two of them pay where neither does: two steps deep.

Steps stand by information per minute. By that alone many quick ones, which change no decision, come
before the slow one that settles it and that is taken in any case. What leads is therefore held
against each rival: both orders are followed to the second step, which is taken only where the
answer of the first leaves it worth its minutes.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from umweg.core.circuit.document import Circuit
from umweg.core.components.base import Array
from umweg.core.diagnose.ladder import Rung
from umweg.core.diagnose.setup import setup_after
from umweg.core.diagnose.steps import Step
from umweg.core.diagnose.worth import Money, Stakes
from umweg.core.observe.kinds.base import Observed
from umweg.core.observe.normal import normal_cdf
from umweg.core.observe.quantities import Quantity

RIVALS = 6
"""How many steps are held against the one that leads: those that save most."""
CLEARLY = 1.0
"""Money by which a rival's order must be better, and from which a step pays: no price is known so
well that less than this were a saving."""
ROUGHLY = 0.1
"""So well is known what a repair costs: what saves less of it is no reason to put it off."""
TIED = 0.05
"""Steps that tell as much in a minute to so much of a share stand in the order of the trade."""
CELLS = 10
"""Outcomes of a reading that are told apart here."""


@dataclass(frozen=True)
class Order:
    """The steps as they are offered, best first, refused ones last; and whether any of them pays.

    ``pays`` : by itself, or with another one after it
    """

    steps: tuple[Step, ...]
    pays: bool


@dataclass(frozen=True)
class Spread:
    """What each live candidate would show (L,): mean, and standard deviation with the noise."""

    mean: Array
    sd: Array

    def outcomes(self, weight: Array) -> "Outcomes":
        """Outcomes that are about equally likely."""
        values = (self.mean[:, None] + self.sd[:, None] * _Z).ravel()
        share = np.repeat(weight / weight.sum() / len(_Z), len(_Z))
        order = np.argsort(values, kind="stable")
        places = np.cumsum(share[order]) - 0.5 * share[order]
        inner = np.interp(np.arange(1, CELLS) / CELLS, places, values[order])
        middle = np.interp((np.arange(CELLS) + 0.5) / CELLS, places, values[order])
        edges = np.concatenate([[-np.inf], inner, [np.inf]])
        chances = _between(edges[None], self.mean[:, None], self.sd[:, None])
        return Outcomes(edges, middle, chances)


@dataclass(frozen=True)
class Outcomes:
    """What a reading may come to, in cells: ``edges (G + 1,)`` between them, their ``middle (G,)``,
    and the ``chances (L, G)`` of each for each live candidate."""

    edges: Array
    middle: Array
    chances: Array


_Z = np.array([-1.65, -1.0, -0.5, 0.0, 0.5, 1.0, 1.65])


class Outlook(Protocol):
    """What is known of the steps of one belief."""

    circuit: Circuit
    stakes: Stakes
    money: Money

    @property
    def live_weight(self) -> Array:
        """(L,) of the candidates that count."""

    def spread(self, step: Step) -> Spread:
        """What a reading would show."""

    def covariance(self, first: Step, second: Step) -> Array:
        """(L,) of two readings, by what they share of the machine's own unknowns."""

    def rung(self, step: Step) -> Rung:
        """Where it stands in the order of the trade."""


class Pairs:
    """What two steps save in money, the second only where it still pays."""

    def __init__(
        self, outlook: Outlook, observations: Sequence[Observed], stakes: Stakes | None = None
    ) -> None:
        self._outlook, self._observations = outlook, observations
        self._stakes = outlook.stakes if stakes is None else stakes
        self._now = setup_after(outlook.circuit, observations)
        self._found: dict[int, Outcomes] = {}

    def saved(self, first: Step, second: Step) -> float:
        """Expected money saved by both in this order, less the minutes of those that are taken."""
        per_min = self._outlook.money.labour_per_min
        chances, alone = self._chances(first), self.alone(first)
        both = chances[:, :, None] * self._after(first, second)
        price = (second.minutes - self._spared_min(first, second)) * per_min
        return alone + self._stakes.then(both, price)

    def alone(self, step: Step) -> float:
        """Expected money saved by one, less its minutes."""
        per_min = self._outlook.money.labour_per_min
        return self._stakes.information(self._chances(step))[1] - step.minutes * per_min

    def _chances(self, step: Step) -> Array:
        """(L, G) probability of each outcome for each live candidate."""
        return self._outcomes(step).chances if step.chances is None else step.chances

    def _outcomes(self, step: Step) -> Outcomes:
        """Of a reading; the steps that are held against each other are few and stay in hand."""
        if id(step) not in self._found:
            spread = self._outlook.spread(step)
            self._found[id(step)] = spread.outcomes(self._outlook.live_weight)
        return self._found[id(step)]

    def _after(self, first: Step, second: Step) -> Array:
        """(L, A or 1, B) probability of each outcome of the second, given the first one's."""
        if first.chances is not None or second.chances is not None:
            return self._chances(second)[:, None, :]
        # Two readings of one machine share what is not known of it: the second tells less, and
        # the same once more next to nothing.
        a, b = self._outlook.spread(first), self._outlook.spread(second)
        seen, edges = self._outcomes(first).middle, self._outcomes(second).edges
        slope = self._outlook.covariance(first, second) / a.sd**2
        left = np.sqrt(np.maximum(b.sd**2 - (slope * a.sd) ** 2, 1e-12))
        mean = b.mean[:, None] + slope[:, None] * (seen[None] - a.mean[:, None])
        return _between(edges[None, None], mean[:, :, None], left[:, None, None])

    def _spared_min(self, first: Step, second: Step) -> float:
        """Minutes of set-up that the second finds done by the first."""
        if second.chances is not None:
            return 0.0
        circuit = self._outlook.circuit
        state, point = circuit.states[second.state], second.gauge_point or None
        after = setup_after(circuit, (*self._observations, first.asks))
        any_oil = Quantity.named(second.quantity, second.point).of.any_oil
        before, then = (s.minutes(circuit, state, point, any_oil) for s in (self._now, after))
        return before - then


class MendFirst:
    """What steps save that are taken only once the first repair has changed nothing.

    Where hardly anything but one part is left and its first remedy is cheap, mending it is the test:
    a step comes before it only by as much as it saves more than it would afterwards.
    """

    def __init__(self, outlook: Outlook, observations: Sequence[Observed]) -> None:
        in_vain, cost = outlook.stakes.in_vain, outlook.stakes.first_repair
        self._pairs = None
        if in_vain is not None and cost is not None:
            self._least = max(CLEARLY, ROUGHLY * cost)
            self._chance, stakes = in_vain
            self._pairs = Pairs(outlook, observations, stakes)

    def comes_after(self, step: Step, alone: Callable[[Step], float]) -> bool:
        """Is the mending better put off until a step was taken, by what that saves at once."""
        if self._pairs is None:
            return True
        return alone(step) > self._least + self._chance * max(self._pairs.alone(step), 0.0)

    def later(self, first: Step, second: Step) -> float:
        """What two steps save afterwards, as expected now; nothing where nobody mends first."""
        if self._pairs is None:
            return 0.0
        return self._chance * max(self._pairs.saved(first, second), 0.0)


def in_order(steps: Sequence[Step], outlook: Outlook, observations: Sequence[Observed]) -> Order:
    """Steps in the order in which they are offered.

    Parameters
    ----------
    steps : all that could be observed, each judged for itself
    observations : what was observed already, in its order
    """
    ranked = sorted(
        steps, key=lambda s: (bool(s.refused), _tier(s), outlook.rung(s), s.kind, s.point)
    )
    offered = [s for s in ranked if not s.refused]
    if not offered or outlook.stakes.sure:
        return Order(tuple(ranked), pays=False)
    pairs = Pairs(outlook, observations)
    mend_first = MendFirst(outlook, observations)
    pays = any(s.saving > CLEARLY and mend_first.comes_after(s, pairs.alone) for s in offered)
    rivals = sorted(offered, key=lambda s: -s.saving)[:RIVALS]
    leader = offered[0]
    if pays:
        for rival in rivals:
            if rival is leader or _risk(rival) > _risk(leader):
                continue
            if pairs.saved(rival, leader) > pairs.saved(leader, rival) + CLEARLY:
                leader = rival
    else:
        both = [
            (pairs.saved(a, b) - mend_first.later(a, b), i)
            for i, a in enumerate(rivals)
            for b in rivals
            if a is not b
        ]
        best, first = max(both, default=(0.0, 0))
        if best > CLEARLY:
            pays, leader = True, rivals[first]
    return Order((leader, *(s for s in ranked if s is not leader)), pays)


def _tier(step: Step) -> int:
    """The same for steps that tell as good as the same in a minute; the more, the lower."""
    return -round(float(np.log(max(step.bits_per_minute, 1e-9))) / TIED)


def _risk(step: Step) -> float:
    return 0.0 if step.hazard is None else step.hazard.share


def _between(edges: Array, mean: Array, sd: Array) -> Array:
    """Probability of each cell, by its edges on the last axis."""
    below = normal_cdf((edges - mean) / sd)
    result: Array = np.diff(below, axis=-1) + 1e-12
    return result
