"""Which of the shop's instruments a reading is taken with."""

from collections.abc import Sequence

import numpy as np

from umweg.core.components.base import Array
from umweg.core.diagnose.hazards import REFUSE_TEST_ABOVE
from umweg.core.observe.instruments import Instrument
from umweg.core.units import to_base


def highest_bar(pressure: Array, weight: Array) -> float:
    """The pressure that all but a share too small to refuse a test for stay below.

    Parameters
    ----------
    pressure : (L,) of each live candidate; weight : (L,) their shares of the belief
    """
    order = np.argsort(pressure)[::-1]
    above = np.cumsum(weight[order])
    first = int(np.searchsorted(above, REFUSE_TEST_ABOVE))
    return float(pressure[order][min(first, len(order) - 1)])


def first_that(instruments: Sequence[Instrument], measures: str) -> Instrument | None:
    """The shop's first instrument of a kind."""
    return next((i for i in instruments if i.measures == measures and not i.retired), None)


def gauge_for(
    instruments: Sequence[Instrument], highest_bar: float, lowest_bar: float
) -> Instrument | None:
    """The finest gauge whose range holds the highest pressure any live candidate could make.

    Suction needs a gauge that shows vacuum: one from 0 upward would stand on its stop.
    """
    holds = [
        i
        for i in instruments
        if i.measures == "pressure" and not i.retired and to_base(i.high, i.unit) >= highest_bar
    ]
    fit = [i for i in holds if to_base(i.low, i.unit) <= max(lowest_bar, -0.9)]
    # A wide gauge shows nothing below zero, but that it is nothing: better than no reading.
    chosen = fit or holds
    return min(chosen, key=lambda i: to_base(i.high, i.unit) * i.accuracy_pct, default=None)
