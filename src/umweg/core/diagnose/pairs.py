"""Which of thousands of pairs of faults are worth a closer look, and how close a look."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from umweg.core.diagnose.ranking import Ranking, Reach
from umweg.core.faults.population import PAIR_SEVERITIES, SEVERITIES, Fault, Grid, close_to
from umweg.core.network.network import Indices

COARSE_PAIRS = 32
"""Pairs that are screened because of what each of their two explains alone."""
CHOSEN_SHARE = 0.95
"""So much of what all of them weigh is chosen at the end: where a second fault could be one of a
dozen, eight of them would leave a third of it out, …"""
FINE_PAIRS = (6, 16)
"""… but so many at least, for a quick look is none too sure, and at most."""
BESIDE = (8, 2)
"""Of the best pairs, what stands best beside so many of their faults, each as bad as it is there, is
looked for among all; once more beside the two of a best one that was found so …"""
BESIDE_SEVERITIES = (0.5, 1.0)
"""… at these severities …"""
BESIDE_PAIRS = 32
"""… and so many of those are screened like the others."""
CHOSEN_STEPS = 4
"""Where a fault has a cliff, pairs are screened with its likeliest severity beside the grid's, and
those that are chosen with so many of the finest steps about it: to the next ones of the grid."""

Grids = Sequence[tuple[Grid, Grid]]
"""For each pair, the severities at which its two faults are looked at."""


@dataclass(frozen=True)
class Drawn:
    """Two faults that may both be there, and the severities that explain most."""

    faults: tuple[Fault, Fault]
    severity: tuple[float, float]

    @cached_property
    def names(self) -> frozenset[str]:
        """The same, whichever is named first."""
        return frozenset(f.key for f in self.faults)


Weighed = Callable[[Sequence[Drawn], Grids], list[tuple[Drawn, float]]]
"""Some pairs at their likeliest severities, best first, with their log weights."""


def chosen_pairs(ranking: Ranking, bent: frozenset[str], weighed: Weighed) -> list[Drawn]:
    """The pairs that explain most, as far as a quick look tells.

    Those that could by what each of the two explains alone; then whatever stands best beside either
    fault of the best of them: beside a second one the first has another severity than alone, and
    two may do together what neither does.

    Parameters
    ----------
    ranking : of the single faults
    bent : those of which a straight line between two severities is no answer
    """

    def screened(pairs: Sequence[Drawn]) -> list[tuple[Drawn, float]]:
        return weighed(pairs, _looked_at(pairs, PAIR_SEVERITIES, bent))

    def beside(best: Sequence[tuple[Drawn, float]], count: int) -> list[Drawn]:
        known = {pair.names for pair, _ in best}
        around = dict.fromkeys(
            ranking.nearest(fault, severity)
            for pair, _ in best
            for fault, severity in zip(pair.faults, pair.severity, strict=True)
        )
        reach = ranking.reach(np.array(list(around)[:count], dtype=np.intp))
        fresh = [p for p in _all(ranking, reach) if p.names not in known]
        # How bad the first of the two is is known already.
        grids = [
            ((p.severity[0],), other)
            for p, (_, other) in zip(fresh, _looked_at(fresh, BESIDE_SEVERITIES, bent), strict=True)
        ]
        best_of: dict[frozenset[str], Drawn] = {}
        for pair, _ in weighed(fresh, grids):
            best_of.setdefault(pair.names, pair)
        return list(best_of.values())[:BESIDE_PAIRS]

    found = screened(_hopeful(ranking, ranking.hopes, COARSE_PAIRS))
    for count in BESIDE:
        known = {pair.names for pair, _ in found}
        more = screened(beside(found, count))
        found = sorted(found + more, key=lambda f: -f[1])
        if not found or found[0][0].names in known:
            break
    weight = np.exp([log_weight - found[0][1] for _, log_weight in found])
    enough = 1 + int(np.searchsorted(np.cumsum(weight), CHOSEN_SHARE * weight.sum()))
    return [pair for pair, _ in found[: int(np.clip(enough, *FINE_PAIRS))]]


def chosen_grids(pairs: Sequence[Drawn], bent: frozenset[str]) -> Grids:
    """The severities at which pairs that were chosen are looked at."""
    return _looked_at(pairs, SEVERITIES, bent, CHOSEN_STEPS)


def _looked_at(pairs: Sequence[Drawn], grid: Grid, bent: frozenset[str], steps: int = 0) -> Grids:
    """The grid's severities, and more about the likeliest where a straight line between two of the
    grid's is no answer."""

    def own(fault: Fault, severity: float) -> Grid:
        if fault.key not in bent:
            return grid
        return tuple(sorted({*grid, *close_to(severity, steps)}))

    found = []
    for pair in pairs:
        a, b = (own(f, s) for f, s in zip(pair.faults, pair.severity, strict=True))
        found.append((a, b))
    return found


def _hopeful(ranking: Ranking, reach: Reach, count: int) -> list[Drawn]:
    """So many of the pairs that could explain most, each once."""
    pairs: dict[frozenset[str], Drawn] = {}
    best = np.argsort(-reach.log_odds, axis=None, kind="stable")
    best = best[np.isfinite(reach.log_odds.ravel()[best])]
    # Each is found twice at the most, with either of the two as the leader.
    for some in np.split(best, range(2 * count, len(best), 2 * count)):
        for drawn in _drawn(ranking, reach, some):
            if len(pairs) < count:
                pairs.setdefault(drawn.names, drawn)
        if len(pairs) == count:
            break
    return sorted(pairs.values(), key=lambda p: tuple(f.key for f in p.faults))


def _all(ranking: Ranking, reach: Reach) -> list[Drawn]:
    """Everyone else beside each of the candidates."""
    return list(_drawn(ranking, reach, np.flatnonzero(np.isfinite(reach.log_odds))))


def _drawn(ranking: Ranking, reach: Reach, places: Indices) -> Iterator[Drawn]:
    """Candidates and what goes best with them of other hypotheses, by their places in ``log_odds``;
    without those of which both are one part's same fault the other way round."""
    population = ranking.population
    row, other = np.unravel_index(places, reach.log_odds.shape)
    two = np.stack([reach.candidates[row], reach.beside[row, other]])
    apart = population.slot[two[0], 0] != population.slot[two[1], 0]
    owners = population.hypothesis[two[:, apart]].T.tolist()
    severities = population.severity[two[:, apart], 0].T.tolist()
    for (a, b), (first, second) in zip(owners, severities, strict=True):
        (one,), (another,) = population.hypotheses[a].faults, population.hypotheses[b].faults
        yield Drawn((one, another), (first, second))
