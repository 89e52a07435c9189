"""The standard normal distribution."""

import math
from typing import Any

import numpy as np

from umweg.core.components.base import Array
from umweg.core.components.kernels import law as compiled


def normal_cdf(z: Array | float) -> Array:
    """Φ(z) of each, ``½·erfc(−z/√2)``, in the shape of ``z``.

    As exact in the tails as the error function of the C library; a library for it alone would be
    loaded longer than a diagnosis weighs.
    """
    flat = np.ravel(np.asarray(z, dtype=float))
    found = np.empty_like(flat)
    _fill(np.ascontiguousarray(flat), found)
    return found.reshape(np.shape(z))


@compiled
def _fill(z: Any, found: Any) -> None:
    for i in range(len(z)):
        found[i] = 0.5 * math.erfc(-z[i] * math.sqrt(0.5))
