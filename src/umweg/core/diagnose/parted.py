"""Whom a step parts: what it may come to, and who would then be likelier than now."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from umweg.core.components.base import Array
from umweg.core.diagnose.further import share_below
from umweg.core.faults.population import Hypothesis
from umweg.core.network.network import Indices

NAMED_ABOVE = 0.03
"""Share of the belief from which a suspect is worth a word."""
INNER = 0.6
"""What a suspect shows as often as this, its middle, is held against what the others show."""
SAID_OFTEN = 0.25
"""An answer that a suspect calls for less often than this is not the one that it is known by."""


@dataclass(frozen=True)
class Parted:
    """One thing that a step may come to, and the hypotheses that would then be likelier.

    ``low``, ``high`` : the reading lies between these [scale of comparison], None where it is open
    ``answer`` : for looks and questions, by its place among the answers
    """

    hypotheses: tuple[Hypothesis, ...]
    low: float | None = None
    high: float | None = None
    answer: int | None = None


@dataclass(frozen=True)
class Owners:
    """Who is under suspicion: of each live candidate (L,) whose it is, and its weight."""

    hypotheses: Sequence[Hypothesis]
    hypothesis: Indices
    weight: Array

    def each(self) -> Iterator[tuple[int, float, Indices]]:
        """Those worth a word, the likeliest first: hypothesis, share, rows among the live ones."""
        whole = float(self.weight.sum())
        names = np.unique(self.hypothesis)
        rows = [np.flatnonzero(self.hypothesis == h) for h in names]
        shares = [float(self.weight[r].sum()) / whole for r in rows]
        for i in np.argsort([-s for s in shares], kind="stable"):
            if shares[i] >= NAMED_ABOVE:
                yield int(names[i]), shares[i], rows[i]

    def named(self, places: Sequence[int]) -> tuple[Hypothesis, ...]:
        """Some of them, by their places, the likeliest first."""
        order = [h for h, _, _ in self.each()]
        return tuple(self.hypotheses[h] for h in sorted(places, key=order.index))


def by_reading(owners: Owners, mean: Array, sd: Array) -> tuple[Parted, ...]:
    """Whom a reading parts; none where the middles of what they show run into one another.

    Parameters
    ----------
    mean, sd : (L,) what each live candidate shows, noise included
    """
    tail = (1.0 - INNER) / 2.0
    middles = []
    for h, _, rows in owners.each():
        of = mean[rows], sd[rows], owners.weight[rows]
        middles.append((share_below(*of, tail), share_below(*of, 1.0 - tail), h))
    groups: list[list[tuple[float, float, int]]] = []
    reach = -np.inf
    for middle in sorted(middles):
        if middle[0] > reach:
            groups.append([])
        groups[-1].append(middle)
        reach = max(reach, middle[1])
    if len(groups) < 2:
        return ()
    limits = [0.5 * (max(m[1] for m in below) + above[0][0]) for below, above in pairwise(groups)]
    ends: list[float | None] = [None, *limits, None]
    return tuple(
        Parted(owners.named([h for _, _, h in group]), ends[i], ends[i + 1])
        for i, group in enumerate(groups)
    )


def by_answer(owners: Owners, chances: Array) -> tuple[Parted, ...]:
    """Whom a look or a question parts: each suspect by the answer that speaks for it most.

    Parameters
    ----------
    chances : (L, G) probability of each answer for each live candidate
    """
    usual = owners.weight @ chances / owners.weight.sum()
    of_answer: dict[int, list[int]] = {}
    for h, _, rows in owners.each():
        own = owners.weight[rows] @ chances[rows] / owners.weight[rows].sum()
        lift = np.where(own >= min(SAID_OFTEN, float(own.max())), own / usual, 0.0)
        of_answer.setdefault(int(np.argmax(lift)), []).append(h)
    if len(of_answer) < 2:
        return ()
    return tuple(Parted(owners.named(of_answer[a]), answer=a) for a in sorted(of_answer))
