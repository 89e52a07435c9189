"""Numbers read from an instrument, a watch or a rule."""

from collections.abc import Hashable, Iterable, Mapping, Sequence
from itertools import pairwise
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from umweg.core.circuit.document import Circuit, Kind, MachineState, ReadKind, Text
from umweg.core.errors import ObservationError
from umweg.core.observe.bands import band_at
from umweg.core.observe.exhibits import Exhibits, Suspects
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument, Number
from umweg.core.observe.kinds.base import Left, Observed, resolve_state
from umweg.core.observe.quantities import (
    Quantity,
    check_quantity,
    from_scale,
    place_label,
    to_scale,
    worked_out_in,
)
from umweg.core.observe.quantity_kinds import KINDS, UNIT_OF_KIND
from umweg.core.observe.recorded import Recorded, agrees
from umweg.core.observe.weights import (
    SAME_GAUGE,
    Measured,
    gauge_sd,
    log_broad,
    log_misread,
    noise_sd,
)
from umweg.core.units import UNITS, to_base

ReadAs = Literal[ReadKind, "time_s"]
DIMENSION: Mapping[str, str] = {
    **{kind: of.dimension for kind, of in KINDS.items()},
    "time_s": "time",
}

TREND_FROM = 3
"""Readings that go one way, so many at least …"""
TREND_SHARE = 0.1
"""… and so far from the first to the last, as a share of the larger, are no scatter."""
WRONG_AGAIN = 0.25
"""Of readings that are wrong, the share that shows the same again."""


class Reading(Observed):
    """A number read at a place in a state; kept as taken, compared in base units.

    ``quantity`` “time_s” is a stroke timed by watch: its speed is what is compared.
    """

    looked: ClassVar[bool] = False

    kind: Literal["reading"] = "reading"
    point: Text
    quantity: ReadAs
    state: Text | MachineState
    value: Number
    unit: Text
    repeats: list[Number] = Field(default_factory=list, max_length=50)
    instrument: Text | None = None
    recorded: Recorded | None = None
    """The curve that its value was read from, where an instrument recorded one."""

    def topic(self) -> Hashable:
        """Which quantity, where, in which state; a timed stroke is a speed."""
        quantity = "speed_mm_s" if self.quantity == "time_s" else self.quantity
        state = self.state if isinstance(self.state, str) else self.state.model_dump_json()
        return self.kind, quantity, self.point, state

    def check(self, suspects: Suspects) -> None:
        """Its place, unit and state are those of this machine."""
        quantity, _ = measured(suspects.circuit, self)
        state = resolve_state(suspects.circuit, self.state)
        if state.passing and not quantity.timed:
            raise ObservationError(
                f"“{state.label}” stands only for a moment: only what is read in time counts there"
            )
        if self.recorded is not None:
            agrees(suspects.circuit, self.point, self.recorded, self.value, self.unit)
        suspects.network.state(state)

    def words(self, circuit: Circuit) -> str:
        """Place, values and state."""
        state = resolve_state(circuit, self.state)
        quantity, _ = measured(circuit, self)
        values = ", ".join(f"{v:g}" for v in self.values)
        trend = f" ({self.trend} each time: the last counts)" if self.trend else ""
        return f"{place_label(circuit, quantity)} {values} {self.unit}{trend} — {state.label}"

    @property
    def values(self) -> tuple[float, ...]:
        """As read, one after the other."""
        return (self.value, *self.repeats)

    @property
    def trend(self) -> Literal["", "falls", "rises"]:
        """Where repeats go one way: what feeds the place does not come back as it is used, or had
        not settled yet. A machine that goes on like that ends at the last, not at their mean."""
        values = self.values
        far = abs(values[-1] - values[0]) > TREND_SHARE * max(abs(v) for v in values)
        if len(values) < TREND_FROM or not far:
            return ""
        steps = [after - before for before, after in pairwise(values)]
        if all(step < 0 for step in steps):
            return "falls"
        return "rises" if all(step > 0 for step in steps) else ""

    def unsettled(self, value_base: float) -> float:
        """How far it may still be from where it ends, if it went one way: its last step, as standard
        deviation in base units."""
        if not self.trend:
            return 0.0
        before, last = (to_base(v, self.unit) for v in self.values[-2:])
        # A stroke's speed is off by the share by which its time is.
        return abs(last - before) * (value_base / last if self.quantity == "time_s" else 1.0)

    @property
    def _seldom_wrong(self) -> float:
        """How much less often it is wrong for having been read more than once alike: a needle that stuck,
        a lever let go too soon and a slip of the pen do not come again alike, a wrong coupling does.
        """
        far = max(self.values) - min(self.values) > TREND_SHARE * max(abs(v) for v in self.values)
        return 0.0 if far or len(self.values) < 2 else float(np.log(WRONG_AGAIN))

    def weigh(self, exhibits: Exhibits, instruments: Sequence[Instrument]) -> Measured:
        """Against what each candidate would show there."""
        circuit = exhibits.suspects.circuit
        quantity, value_base = measured(circuit, self)
        state = resolve_state(circuit, self.state)
        shown = exhibits.shown(quantity, state)
        instrument = next((i for i in instruments if i.id == self.instrument), None)
        value = float(to_scale(quantity, np.asarray(value_base)))
        broad = log_broad(quantity, shown.mean, value)
        band = band_at(exhibits, quantity, state)
        expected = float(from_scale(quantity, np.asarray(shown.mean[0])))
        unsettled = self.unsettled(value_base)
        if quantity.compressed:
            unsettled /= float(np.hypot(1.0, value_base))
        noise = float(np.hypot(noise_sd(quantity, value_base, instrument, expected), unsettled))
        return Measured(
            self.id,
            quantity,
            state,
            value,
            noise if band is None else float(np.hypot(noise, band.sd)),
            shown.mean,
            shown.slope,
            shown.known,
            broad,
            log_misread(quantity, broad, value, instrument) + self._seldom_wrong,
            self.instrument or quantity.kind,
            SAME_GAUGE * gauge_sd(quantity, value_base, instrument, expected),
            band,
        )

    def solved_in(self, circuit: Circuit) -> Iterable[MachineState]:
        """The state it is read in; where it is read in time, those that it is worked out from."""
        quantity, _ = measured(circuit, self)
        if quantity.timed:
            return worked_out_in(circuit, quantity)
        return (resolve_state(circuit, self.state),)

    def witnessed(self, machine: HiddenMachine, instrument: Instrument | None = None) -> "Reading":
        """The true value with its instrument's noise."""
        quantity, _ = measured(machine.circuit, self.model_copy(update={"value": 1.0}))
        true = machine.value(quantity, resolve_state(machine.circuit, self.state))
        value = machine.shown(quantity, true, instrument)
        if instrument is not None and instrument.measures == "pressure":
            # Below where its scale begins a needle lies on its pin.
            value = max(value, to_base(instrument.low, instrument.unit))
        named = None if instrument is None else instrument.id
        found = {"value": value, "unit": UNIT_OF_KIND[quantity.kind], "instrument": named}
        return self.model_copy(update=found)

    def left(self, circuit: Circuit) -> Left | None:
        """The machine stands in its state, and a gauge hangs where one was needed."""
        state = circuit.states.get(self.state) if isinstance(self.state, str) else self.state
        hangs = self.quantity != "time_s" and KINDS[self.quantity].at == "point"
        timed = next((t for t in circuit.timings if t.id == self.point), None)
        if timed is not None and timed.point is not None:
            return Left(state, frozenset({timed.point}))
        warmed = self.quantity == "time_s" or not KINDS[self.quantity].any_oil
        return Left(state, frozenset({self.point} if hangs else ()), warmed)


def blank(quantity: Quantity, state: str) -> Reading:
    """A reading of a quantity in a named state that was not taken yet."""
    return Reading.model_validate(
        {
            "id": "new",
            "point": quantity.place,
            "quantity": quantity.kind,
            "state": state,
            "value": 0.0,
            "unit": UNIT_OF_KIND[quantity.kind],
        }
    )


def measured(circuit: Circuit, reading: Reading) -> tuple[Quantity, float]:
    """The quantity and its value in base units: mean of the repeats, the last of them where they go
    one way, stroke over time for a watch.

    Raises
    ------
    ObservationError : unknown place, unit of the wrong kind, a time without a stroke, or a time
        that is not positive.
    """
    wanted = DIMENSION[reading.quantity]
    if reading.unit not in UNITS or UNITS[reading.unit].kind != wanted:
        fit = ", ".join(u.symbol for u in UNITS.values() if u.kind == wanted)
        raise ObservationError(f"“{reading.unit}” is not a unit of {wanted}; use {fit}")
    values = reading.values
    mean = values[-1] if reading.trend else sum(values) / len(values)
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
    if quantity.timed and reading.state != circuit.timing(reading.point).state:
        raise ObservationError(
            f"“{reading.point}” is read in “{circuit.timing(reading.point).state}”, not elsewhere"
        )
    return quantity, to_base(mean, reading.unit)
