"""Where the search for a steady state begins.

Some faults leave a machine two states to stay in. A lock valve holds a load as long as the pilot
does not open it, and stays open once the load lies at its stop; a worn loop keeps its charge
pressure if it ever had it under load, and never gets it if it is put under load without. A machine
takes the one that it comes to from how it stood before, not the one that the sound machine is in.
So each machine begins where it stands itself, to which it comes from rest. Held against plays in
time from there, that is where most of those end that have two.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from umweg.core.components.base import Array
from umweg.core.network.network import SolvableState
from umweg.core.solve.steady import Cases, Solution, SteadySolver


def stood(solver: SteadySolver, standing: SolvableState, cases: Cases) -> Array:
    """(N, B) where machines stand, to which each comes from rest; no number where one does not settle.

    Parameters
    ----------
    standing : how they stand
    cases : the machines, all in that one state
    """
    stand = solver.solve([standing], cases)
    found: Array = np.where(stand.converged, stand.across, np.nan)[: solver.network.unknown_count]
    return found


def begun(sound: Array, stood: Array, sound_stood: Array, running: NDArray[np.bool_]) -> Array:
    """(N, B) where the search begins.

    Parameters
    ----------
    sound : (N, B) the sound machine in each machine's state
    stood, sound_stood : (N, B) and (N, 1) where each of them stands, and the sound one
    running : (B,) True where the machine runs in its state; what stops comes from wherever it was,
        as far from the sound one as where both stand
    """
    stands = np.isfinite(stood).all(axis=0)
    apart = np.where(stands & np.isfinite(sound_stood).all(axis=0), stood - sound_stood, 0.0)
    return np.where(stands & running, stood, sound + apart)


def settled(
    solver: SteadySolver,
    states: Sequence[SolvableState],
    cases: Cases,
    begun: Array,
    sound: Array,
) -> Solution:
    """Machines in their states; who does not settle from where it began is tried once more from
    where the sound one is.

    Parameters
    ----------
    begun, sound : (N, B)
    """
    found = solver.solve(states, cases, begun)
    lost = np.flatnonzero(~found.converged)
    if len(lost):
        again = solver.solve(states, cases.part(lost), np.ascontiguousarray(sound[:, lost]))
        better = lost[again.converged]
        for whole, part in (
            (found.across, again.across),
            (found.residual_lpm, again.residual_lpm),
            (found.iterations, again.iterations),
            (found.converged, again.converged),
        ):
            whole[..., better] = part[..., again.converged]
    return found
