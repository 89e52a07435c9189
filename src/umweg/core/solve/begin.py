"""Where the search for a steady state begins.

Some faults leave a machine two states to stay in: a clutch that slips drives a pump at standby,
but never brings one there that is still on stroke. It takes the one that it comes to from rest,
not the one that the sound machine is in. So each machine begins where the sound one is in that
state, moved by as much as the two are apart where both stand, to which each comes from rest.
"""

import numpy as np

from umweg.core.components.base import Array
from umweg.core.network.network import SolvableState
from umweg.core.solve.steady import Cases, SteadySolver


def apart(solver: SteadySolver, standing: SolvableState, cases: Cases) -> Array:
    """(N, B) how far machines are from the sound one where all of them stand, in base units.

    Parameters
    ----------
    standing : how they stand
    cases : the machines, all in that one state

    Returns zeros for a machine that does not settle there, and for all where the sound one does not.
    """
    stand = solver.solve([standing], cases)
    sound = solver.solve([standing], Cases.as_documented(1))
    found: Array = (stand.across - sound.across)[: solver.network.unknown_count]
    return np.where(stand.converged & sound.converged, found, 0.0)
