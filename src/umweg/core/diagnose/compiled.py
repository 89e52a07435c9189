"""Loops over candidates that are turned into machine code once."""

from typing import Any, cast

import numba


def compiled(function: Any) -> Any:
    """Compile when first called, without Python's lock; kept beside the laws."""
    return cast(Any, numba.njit(nogil=True, cache=True, error_model="numpy")(function))
