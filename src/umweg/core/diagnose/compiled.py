"""Loops over candidates that are turned into machine code once."""

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from typing import Any, cast

import numba

from umweg.core.solve.steady import THREADS

WORTH_SHARING = 16
"""So many at least, or one thread does them all."""


def compiled(function: Any) -> Any:
    """Compile when first called, without Python's lock; kept beside the laws."""
    return cast(Any, numba.njit(nogil=True, cache=True, error_model="numpy")(function))


def side_by_side(work: Callable[[slice], None], count: int) -> None:
    """Do a part of so many things in each thread: compiled work holds no lock of Python's."""
    if count < WORTH_SHARING:
        work(slice(0, count))
        return
    ends = [count * t // THREADS for t in range(THREADS + 1)]
    for _ in _threads(os.getpid()).map(work, map(slice, ends[:-1], ends[1:])):
        pass


@cache
def _threads(process: int) -> ThreadPoolExecutor:
    """Kept, for a plan asks for them forty times; a forked process has none of its parent's."""
    return ThreadPoolExecutor(THREADS, thread_name_prefix=f"judging-{process}")
