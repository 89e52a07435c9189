"""Loops over candidates that are turned into machine code once."""

from collections.abc import Callable
from typing import Any, cast

import numba

from umweg.core.solve.threads import THREADS, side_by_side

WORTH_SHARING = 16
"""So many at least, or one thread does them all."""


def compiled(function: Any) -> Any:
    """Compile when first called, without Python's lock; kept beside the laws."""
    return cast(Any, numba.njit(nogil=True, cache=True, error_model="numpy")(function))


def shared(work: Callable[[slice], None], count: int) -> None:
    """Do a part of so many things in each thread: compiled work holds no lock of Python's."""
    if count < WORTH_SHARING:
        work(slice(0, count))
        return
    ends = [count * t // THREADS for t in range(THREADS + 1)]
    side_by_side(work, list(map(slice, ends[:-1], ends[1:])))
