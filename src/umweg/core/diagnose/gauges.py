"""Which of the shop's instruments a reading is taken with."""

from collections.abc import Iterator, Sequence
from contextlib import suppress
from weakref import WeakKeyDictionary

import numpy as np

from umweg.core.circuit.document import MachineState
from umweg.core.components.base import Array
from umweg.core.diagnose.hazards import REFUSE_TEST_ABOVE
from umweg.core.errors import SolveError
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.predict import Predictor
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


_WITHIN_REACH: WeakKeyDictionary[Predictor, dict[str, Array]] = WeakKeyDictionary()


def within_reach_bar(predictor: Predictor, state: MachineState) -> Array:
    """(N_all,) the most each place of the healthy machine can come to while a gauge hangs there.

    Whoever stands at a gauge with the machine at rest can be moved against: one touch of a lever
    brings the pressures of another named state. Those count in which nothing is fitted or opened
    that is not in this state: that takes somebody with a spanner.
    """
    key = "|".join(sorted(i.model_dump_json() for i in state.interventions))
    known = _WITHIN_REACH.setdefault(predictor, {})
    if key not in known:
        nothing = np.zeros(len(predictor.network.net_index))
        known[key] = np.max([*_reached(predictor, state), nothing], axis=0)
    return known[key]


def _reached(predictor: Predictor, state: MachineState) -> Iterator[Array]:
    for other in predictor.circuit.states.values():
        if not other.passing and all(i in state.interventions for i in other.interventions):
            with suppress(SolveError):
                yield predictor.healthy(other)


def first_that(instruments: Sequence[Instrument], measures: str) -> Instrument | None:
    """The shop's first instrument of a kind."""
    return next((i for i in instruments if i.measures == measures and not i.retired), None)


def gauge_for(
    instruments: Sequence[Instrument], highest_bar: float, lowest_bar: float
) -> Instrument | None:
    """The finest gauge whose range holds the highest pressure that could come upon it.

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
