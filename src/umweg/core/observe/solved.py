"""Solutions that are worth keeping while a question goes on, as many as fit."""

import threading
from collections import OrderedDict
from collections.abc import Hashable

from umweg.core.solve.steady import Solution

MOST_BYTES = 96 * 2**20


class SolvedBefore:
    """Solutions by what was solved; those asked for longest ago make room.

    Which pairs of faults are looked at changes with every reading, but most of them, and nearly all
    states, are those of the reading before.
    """

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self._most_bytes = most_bytes
        self._lock = threading.Lock()
        self._kept: OrderedDict[Hashable, Solution] = OrderedDict()
        self._bytes = 0

    def __len__(self) -> int:
        return len(self._kept)

    def get(self, what: Hashable) -> Solution | None:
        """The solution, where it is still kept."""
        with self._lock:
            found = self._kept.get(what)
            if found is not None:
                self._kept.move_to_end(what)
            return found

    def keep(self, what: Hashable, solution: Solution) -> None:
        """Keep one, which owns its arrays."""
        with self._lock:
            gone = self._kept.pop(what, None)
            if gone is not None:
                self._bytes -= _size(gone)
            self._kept[what] = solution
            self._bytes += _size(solution)
            while self._bytes > self._most_bytes:
                self._bytes -= _size(self._kept.popitem(last=False)[1])

    def clear(self) -> None:
        """Throw all of them away."""
        with self._lock:
            self._kept.clear()
            self._bytes = 0


def _size(solution: Solution) -> int:
    arrays = (solution.across, solution.converged, solution.residual_lpm, solution.iterations)
    return sum(int(a.nbytes) for a in arrays)
