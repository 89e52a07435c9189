"""What a machine showed while it was in order: its own baseline.

A reading of then binds the machine's own unknowns, which are the same now but for the hours and
the work since: an unknown of then is ρ times that of now and a part of its own, with
ρ = exp(−Δt/τ) (a first-order Gauss–Markov drift), and of a renewed component nothing is left.
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from umweg.core.faults.population import unknowns_of
from umweg.core.observe.exhibits import Exhibits
from umweg.core.observe.history import Earlier
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.weights import Measured
from umweg.core.solve.respond import CONDITIONS

SETTLED_HOURS = 3000.0
"""Hours after which a machine is as much another one as it is itself (τ)."""


def weigh_earlier(
    earlier: Earlier,
    hours: float,
    exhibits: Exhibits,
    instruments: Sequence[Instrument],
    banded: bool = True,
) -> Measured:
    """An earlier reading as evidence about the machine's own unknowns.

    The machine was in order: each candidate is held against what the healthy one shows, so that
    it speaks for nobody; it tells what is to be expected of this machine.

    Parameters
    ----------
    hours : of the machine now
    banded : it lies somewhere in the maker's band; else its own numbers account for all of it

    Raises
    ------
    UmwegError : the circuit of now has no such point or state.
    """
    found = earlier.reading.weigh(exhibits, instruments)
    if not banded:
        found = found.without_band()
    suspects = exhibits.suspects
    renewed = set(earlier.renewed_since)
    keys = unknowns_of(suspects.network).keys
    kept = np.exp(-max(hours - earlier.hours, 0.0) / SETTLED_HOURS)
    share = np.array([0.0 if key.split(".")[0] in renewed else kept for key in keys])
    healthy = found.slope[:, 0]
    own = healthy[: len(keys)]
    # Timings' slopes are as far off now as then; engine and oil were those of another day.
    timings = healthy[len(keys) : suspects.slope_count - CONDITIONS - 2]
    of_the_day = healthy[len(keys) + len(timings) :]
    slope = np.concatenate([own * share, timings, np.zeros(len(of_the_day))])
    gone = float(((1.0 - share**2) * own**2).sum() + (of_the_day**2).sum())
    count = found.mean.shape[0]
    band = found.band
    if band is not None:
        # Where it lies in its band is the machine's own as well, and goes the way of the rest.
        left = float(np.sqrt((slope[: len(keys)] ** 2).sum() / max((own**2).sum(), 1e-300)))
        band = band.kept(left)
    return replace(
        found,
        band=band,
        mean=np.full(count, found.mean[0]),
        slope=np.repeat(slope[:, None], count, axis=1),
        known=np.full(count, bool(found.known[0])),
        noise_sd=float(np.sqrt(found.noise_sd**2 + gone)),
    )
