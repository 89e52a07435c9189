"""Compiled work shared among a few threads: it holds no lock of Python's."""

import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from typing import TypeVar

THREADS = 2
"""More gain nothing on the machines this runs on."""

WORTH_SHARING = 16
"""So many at least, or one thread does them all."""

Piece = TypeVar("Piece")


def side_by_side(work: Callable[[Piece], object], pieces: Sequence[Piece]) -> None:
    """Do each piece in a thread, the last one in the caller's.

    Raises
    ------
    Exception : what the work raised, once all of it has ended.
    """
    if not pieces:
        return
    others = [_threads(os.getpid()).submit(work, piece) for piece in pieces[:-1]]
    try:
        work(pieces[-1])
    finally:
        failed = [other.exception() for other in others]
    for error in failed:
        if error is not None:
            raise error


def shared(work: Callable[[slice], None], count: int) -> None:
    """Do a part of so many things in each thread."""
    if count < WORTH_SHARING:
        work(slice(0, count))
        return
    ends = [count * t // THREADS for t in range(THREADS + 1)]
    side_by_side(work, list(map(slice, ends[:-1], ends[1:])))


@cache
def _threads(process: int) -> ThreadPoolExecutor:
    """Kept, for a diagnosis asks for them hundreds of times; a forked process has none of its
    parent's."""
    return ThreadPoolExecutor(THREADS, thread_name_prefix=f"beside-{process}")
