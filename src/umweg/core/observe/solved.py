"""Solutions that are worth keeping while a question goes on, as many as fit."""

import threading
from collections import OrderedDict, defaultdict
from collections.abc import Hashable, Mapping, Sequence
from typing import NamedTuple

from umweg.core.solve.steady import Solution

MOST_BYTES = 96 * 2**20


class Place(NamedTuple):
    """Some neighbouring cases of a solution."""

    solution: Solution
    cases: slice


class SolvedBefore:
    """Solutions by what was solved; those asked for longest ago make room.

    Which pairs of faults are looked at changes with every reading, but most of them, and nearly all
    states, are those of the reading before. What was solved together is kept together.
    """

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self._most_bytes = most_bytes
        self._lock = threading.Lock()
        self._kept: OrderedDict[int, tuple[Solution, str, Sequence[Hashable]]] = OrderedDict()
        self._places: defaultdict[str, dict[Hashable, tuple[int, slice]]] = defaultdict(dict)
        self._bytes = self._number = 0

    def __len__(self) -> int:
        return sum(len(places) for places in self._places.values())

    def find(self, state: str, names: Sequence[Hashable]) -> list[Place | None]:
        """Where each stands that was solved in a state, as far as it is still kept."""
        with self._lock:
            places = self._places[state]
            found = [places.get(name) for name in names]
            for number in sorted({at[0] for at in found if at is not None}):
                self._kept.move_to_end(number)
            return [at and Place(self._kept[at[0]][0], at[1]) for at in found]

    def keep(self, state: str, parts: Mapping[Hashable, slice], solution: Solution) -> None:
        """Keep one, which owns its arrays, with where in it each stands."""
        with self._lock:
            self._number += 1
            self._kept[self._number] = solution, state, tuple(parts)
            self._bytes += _size(solution)
            places = self._places[state]
            for name, cases in parts.items():
                places[name] = self._number, cases
            while self._bytes > self._most_bytes:
                number, (oldest, of, names) = self._kept.popitem(last=False)
                self._bytes -= _size(oldest)
                for name in names:
                    if self._places[of][name][0] == number:
                        del self._places[of][name]

    def clear(self) -> None:
        """Throw all of them away."""
        with self._lock:
            self._kept.clear()
            self._places.clear()
            self._bytes = 0


def put_together(places: Sequence[Place]) -> Solution:
    """All of them behind one another; what stands behind one another already is not moved."""
    runs: list[Place] = []
    for solution, cases in places:
        last = runs[-1] if runs else None
        if last is not None and last.solution is solution and last.cases.stop == cases.start:
            runs[-1] = Place(solution, slice(last.cases.start, cases.stop))
        else:
            runs.append(Place(solution, cases))
    if len(runs) == 1 and runs[0].cases == slice(0, len(runs[0].solution.converged)):
        return runs[0].solution
    return Solution.joined(runs)


def _size(solution: Solution) -> int:
    arrays = (solution.across, solution.converged, solution.residual_lpm, solution.iterations)
    return sum(int(a.nbytes) for a in arrays)
