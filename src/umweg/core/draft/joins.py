"""Where the open ports of a list are likely joined: as such ports are on machines that are known."""

import itertools
import math
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from umweg.core.circuit.document import Circuit
from umweg.core.components import component_type
from umweg.core.draft.listing import Listing

End = tuple[str, str]
"""Type of a part, and its port."""
ENGINE: End = ("engine", "shaft")
"""An engine is no part; its shaft is a net of its name."""
OFFERED = 5
HANGING = 3.0
"""How much a net that nothing else leads to yet is worth: it waits for its other end."""
SAME_KIND = 2.0
"""Exact types count this much more than ports of the same name on whatever part."""
SAME_LINE = 0.7
"""What a pilot line is worth to a pilot port, a drain to a drain, where nothing is known of them."""
CALLED_ALIKE = 1.5
AS_OLD = 12
"""Lines after which a net counts half: one works along the oil."""


@dataclass(frozen=True)
class Pairings:
    """How often two ends were found on one net, by their types and by their ports' names alone."""

    exact: Mapping[tuple[End, End], int]
    named: Mapping[tuple[str, str], int]

    @classmethod
    def of(cls, circuits: Iterable[Circuit]) -> "Pairings":
        """Counted over circuits, once for each net."""
        exact: Counter[tuple[End, End]] = Counter()
        named: Counter[tuple[str, str]] = Counter()
        for circuit in circuits:
            nets: dict[str, list[End]] = {e.id: [ENGINE] for e in circuit.prime_movers}
            for part in circuit.components:
                for port, net in part.connections.items():
                    nets.setdefault(net, []).append((part.type, port))
            for ends in nets.values():
                pairs = set(itertools.permutations(ends, 2))
                exact.update(pairs)
                named.update({(a[1], b[1]) for a, b in pairs})
        return cls(exact, named)

    def score(self, end: End, other: End) -> float:
        """How usual it is that the two are joined; 0 where it was never seen."""
        exact = self.exact.get((end, other), 0)
        named = self.named.get((end[1], other[1]), 0)
        return SAME_KIND * math.log1p(exact) + math.log1p(named)


@dataclass(frozen=True)
class OpenPort:
    """A port of a list that waits for its net, and the nets it may be joined to, the likeliest first."""

    line: int
    component: str
    port: str
    nets: tuple[str, ...]


def likely_joins(listing: Listing, pairings: Pairings) -> tuple[OpenPort, ...]:
    """The open ports of a list with the nets of the same domain that they fit.

    A net is the likelier, the more usual the pair of ports is on the machines that are known, the
    fewer ends it has, the nearer it was typed, and the more it is called like the part and the port.
    """
    ends = _ends(listing)
    types = {str(p["id"]): str(p["type"]) for p in listing.parts}
    found = []
    for component, port in listing.open:
        line = listing.lines.get(f"component {component}", 0)
        mine = (types[component], port)
        scores = {
            net: _score(mine, there, line, pairings) + _alike(net, component, port)
            for net, there in ends.items()
            if _port(mine)[0] == _port(there[0][0])[0]
            # A part is not joined to itself.
            and all(owner != component for _, owner, _ in there)
        }
        likely = sorted(scores, key=lambda n: (-scores[n], n))
        found.append(OpenPort(line, component, port, tuple(likely[:OFFERED])))
    return tuple(found)


def _score(
    mine: End, there: Sequence[tuple[End, str, int]], line: int, pairings: Pairings
) -> float:
    usual = max(
        pairings.score(mine, end) + (SAME_LINE if _port(mine)[1] == _port(end)[1] else 0.0)
        for end, _, _ in there
    )
    away = min(abs(line - at) for _, _, at in there)
    return (usual + (HANGING if len(there) == 1 else 0.0)) / (1.0 + away / AS_OLD)


def _alike(net: str, component: str, port: str) -> float:
    """How much a net is called like a part (its first word) and its port (the net's last word)."""
    words = net.split("_")
    own = CALLED_ALIKE if words[0] == component.split("_")[0] else 0.0
    return own + (CALLED_ALIKE if len(words) > 1 and words[-1] == port.lower() else 0.0)


def _ends(listing: Listing) -> dict[str, list[tuple[End, str, int]]]:
    nets = {str(e["id"]): [(ENGINE, "", 0)] for e in listing.engines}
    for part in listing.parts:
        at = listing.lines.get(f"component {part['id']}", 0)
        for port, net in part["connections"].items():
            nets.setdefault(net, []).append(((part["type"], port), part["id"], at))
    return nets


def _port(end: End) -> tuple[str, str]:
    """Domain and kind of line of an end."""
    if end == ENGINE:
        return "rotation", "working"
    kind, port = component_type(end[0]), end[1]
    return next(((p.domain, p.line) for p in kind.ports if p.name == port), ("travel", "working"))
