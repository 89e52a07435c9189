"""Ways from net to net: what can be reached from where."""

from collections.abc import Iterable, Sequence
from itertools import pairwise


class Ways:
    """Nets and the ways between them. A graph library would be most of the time a command takes."""

    def __init__(self) -> None:
        self._onward: dict[str, set[str]] = {}

    @property
    def nets(self) -> frozenset[str]:
        """All that were named."""
        return frozenset(self._onward)

    def lead(self, start: str, end: str) -> None:
        """A way from one net to another, and none back."""
        self._onward.setdefault(start, set()).add(end)
        self._onward.setdefault(end, set())

    def join(self, nets: Sequence[str]) -> None:
        """Ways through all of these nets, one behind the other, and back."""
        for net in nets[:1]:
            self._onward.setdefault(net, set())
        for start, end in pairwise(nets):
            self.lead(start, end)
            self.lead(end, start)

    def reached(self, starts: Iterable[str]) -> set[str]:
        """The nets that a way leads to from any of these, themselves among them."""
        found = set(starts)
        left = list(found)
        while left:
            new = self._onward.get(left.pop(), set()) - found
            found |= new
            left.extend(new)
        return found
