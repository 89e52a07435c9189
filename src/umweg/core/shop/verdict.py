"""Good or bad: a reading against the specification for its point and state."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from umweg.core.circuit.document import Circuit, MachineState, Specification
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.readings import Reading, measured
from umweg.core.observe.quantities import Quantity
from umweg.core.observe.weights import uncertainty

Word = Literal["pass", "low", "high", "marginal"]


@dataclass(frozen=True)
class Verdict:
    """The word, and the specification it was judged by."""

    word: Word
    specification: Specification


def specification_for(
    circuit: Circuit, quantity: str, place: str, state: str | MachineState
) -> Specification | None:
    """The specification for a quantity in a state of the circuit; None when there is none.

    A reading in another state is not answered by it: idle does not answer rated speed.
    """
    for spec in circuit.specifications:
        named = circuit.states.get(spec.state)
        same = spec.state == state or (isinstance(state, MachineState) and named == state)
        if same and (spec.quantity, spec.point) == (quantity, place):
            return spec
    return None


def judge(spec: Specification, value: float, uncertainty: float) -> Verdict:
    """Compare a value with a specification.

    Parameters
    ----------
    value : in base units
    uncertainty : one standard deviation of the reading; outside a limit by less than that is marginal
    """
    if spec.low is not None and value < spec.low - uncertainty:
        return Verdict("low", spec)
    if spec.high is not None and value > spec.high + uncertainty:
        return Verdict("high", spec)
    inside_low = spec.low is None or value >= spec.low
    inside_high = spec.high is None or value <= spec.high
    return Verdict("pass" if inside_low and inside_high else "marginal", spec)


def verdict_of(
    circuit: Circuit, reading: Reading, instruments: Sequence[Instrument]
) -> tuple[Quantity, float, Verdict | None]:
    """What a reading is of, its value in base units, and its verdict where there is a specification.

    Raises
    ------
    UmwegError : it does not fit the circuit.
    """
    quantity, value = measured(circuit, reading)
    spec = specification_for(circuit, quantity.kind, quantity.place, reading.state)
    if spec is None:
        return quantity, value, None
    instrument = next((i for i in instruments if i.id == reading.instrument), None)
    sd = float(np.hypot(uncertainty(quantity, value, instrument), reading.unsettled(value)))
    return quantity, value, judge(spec, value, sd)
