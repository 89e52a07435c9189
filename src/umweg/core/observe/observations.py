"""Observations as people enter them: readings, how a function behaves, looks."""

from typing import Annotated, Literal

from pydantic import Field

from umweg.core.circuit.document import Circuit, Document, MachineState, Text
from umweg.core.errors import ObservationError
from umweg.core.observe.quantities import Kind, Quantity, check_quantity
from umweg.core.units import UNITS, to_base

How = Literal["as_usual", "slow", "weak", "dead", "reversed", "drifts"]
When = Literal["cold", "warm", "hot"]
OilLook = Literal["clear", "foamy", "milky", "dark"]

OIL_C_OF_WHEN: dict[str, float] = {"cold": 15.0, "warm": 50.0, "hot": 80.0}


Number = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]


class Instrument(Document):
    """What a reading is taken with; ``accuracy_pct`` is of full scale, two standard deviations."""

    id: str
    label: str
    measures: Literal["pressure", "flow", "time", "length", "voltage", "speed"]
    low: Number = 0
    high: Number = Field(gt=0)
    unit: Text
    accuracy_pct: float = Field(default=1.6, gt=0, le=20)


class Reading(Document):
    """A number read at a place in a state; kept as taken, compared in base units.

    ``quantity`` “time_s” is a stroke timed by watch: its speed is what is compared.
    """

    kind: Literal["reading"] = "reading"
    id: Text
    point: Text
    quantity: Literal[
        "pressure_bar",
        "flow_lpm",
        "speed_mm_s",
        "speed_rpm",
        "drift_mm_min",
        "time_s",
        "voltage_v",
    ]
    state: Text | MachineState
    value: Number
    unit: Text
    repeats: list[Number] = Field(default_factory=list, max_length=50)
    instrument: Text | None = None


class Behaviour(Document):
    """How a function behaves, in the operator's words."""

    kind: Literal["behaviour"] = "behaviour"
    id: Text
    function: Text
    move: Text
    how: How
    when: When = "warm"


class IndicatorLook(Document):
    """A filter indicator seen tripped or not, in a state."""

    kind: Literal["indicator"] = "indicator"
    id: Text
    component: Text
    state: Text | MachineState
    tripped: bool


class Look(Document):
    """How the oil looks."""

    kind: Literal["oil"] = "oil"
    id: Text
    look: OilLook


Observation = Annotated[Reading | Behaviour | IndicatorLook | Look, Field(discriminator="kind")]


def resolve_state(circuit: Circuit, state: str | MachineState) -> MachineState:
    """A named state of the circuit, or the state itself.

    Raises
    ------
    ObservationError : the circuit has no state of that name.
    """
    if isinstance(state, MachineState):
        return state
    if state not in circuit.states:
        raise ObservationError(
            f"there is no state “{state}”; the circuit has {', '.join(circuit.states)}"
        )
    return circuit.states[state]


def measured(circuit: Circuit, reading: Reading) -> tuple[Quantity, float]:
    """The quantity and its value in base units: mean of the repeats, stroke over time for a watch.

    Raises
    ------
    ObservationError : unknown place, unit of the wrong kind, a time without a stroke, or a time
        that is not positive.
    """
    wanted = {
        "pressure_bar": "pressure",
        "flow_lpm": "flow",
        "time_s": "time",
        "drift_mm_min": "drift",
        "speed_mm_s": "velocity",
        "speed_rpm": "speed",
        "voltage_v": "voltage",
    }[reading.quantity]
    if reading.unit not in UNITS or UNITS[reading.unit].kind != wanted:
        fit = ", ".join(u.symbol for u in UNITS.values() if u.kind == wanted)
        raise ObservationError(f"“{reading.unit}” is not a unit of {wanted}; use {fit}")
    values = [reading.value, *reading.repeats]
    mean = sum(values) / len(values)
    if reading.quantity == "time_s":
        quantity = Quantity("speed_mm_s", reading.point)
        check_quantity(circuit, quantity)
        stroke = circuit.function(reading.point).stroke_mm
        if stroke <= 0:
            raise ObservationError(f"function “{reading.point}” has no stroke, time it as a speed")
        if mean <= 0:
            raise ObservationError("a time must be more than 0 s")
        return quantity, stroke / to_base(mean, reading.unit)
    kind: Kind = reading.quantity
    quantity = Quantity(kind, reading.point)
    check_quantity(circuit, quantity)
    return quantity, to_base(mean, reading.unit)
