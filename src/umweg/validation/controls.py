"""Pumps and valves that control themselves, and what is wired: each beside what its text promises."""

from collections.abc import Callable, Iterator
from math import pi, sqrt

from umweg.validation.compare import Point, through, validates

_NM_RPM = 2.0 * pi / 100.0
"""1 Nm·rpm in bar·L/min."""
_WATT = 0.6
"""1 W in bar·L/min."""


def _root(function: Callable[[float], float], low: float, high: float) -> float:
    from scipy.optimize import brentq

    return float(brentq(function, low, high))


@validates(
    "A pressure-compensated pump against shut valves",
    "`pressure_compensated_pump`",
    "it destrokes at its setting; from full stroke to none within its droop (ISO 4409 curves)",
    "bar",
    0.0,
    floor=8.0,
)
def cuts_off() -> Iterator[Point]:
    for set_bar in (120.0, 200.0, 280.0):

        def given(bar: float, set_bar: float = set_bar) -> float:
            at = {"inlet": 0.0, "outlet": bar, "shaft": 1500.0}
            return through("pressure_compensated_pump", at, set_bar=set_bar)["outlet"]

        yield Point(f"set to {set_bar:g} bar", _root(given, 0.0, 400.0), set_bar)


@validates(
    "A load-sensing pump stays its margin above the demand",
    "`load_sensing_pump`",
    "its spool stands where outlet less demand is the spring, within its droop",
    "bar",
    0.0,
    floor=6.0,
)
def margin() -> Iterator[Point]:
    for demand in (30.0, 90.0, 160.0):

        def spare(bar: float, demand: float = demand) -> float:
            at = {"inlet": 0.0, "outlet": bar, "LS": demand, "case": 0.0, "shaft": 1800.0}
            return through("load_sensing_pump", at)["outlet"] + 45.0

        yield Point(f"demand {demand:g} bar, 45 L/min", _root(spare, 0.0, 400.0) - demand, 22.0)


@validates(
    "A flow regulator lets its flow pass whatever the pressure",
    "`flow_regulator`",
    "pressure-compensated: the set flow from some bar of drop on (ISO 6403)",
    "L/min",
    0.02,
)
def regulated() -> Iterator[Point]:
    for set_lpm, drop in ((6.0, 10.0), (12.0, 40.0), (12.0, 200.0), (25.0, 150.0)):
        at = {"inlet": drop, "outlet": 0.0}
        ours = through("flow_regulator", at, set_lpm=set_lpm)["inlet"]
        yield Point(f"{set_lpm:g} L/min at {drop:g} bar", ours, set_lpm)


@validates(
    "A reducing valve holds its outlet",
    "`reducing_valve`",
    "balance of its spring and what it lets through, within its band (ISO 6403)",
    "bar",
    0.0,
    floor=3.0,
)
def reduced() -> Iterator[Point]:
    for inlet, set_bar in ((80.0, 30.0), (200.0, 30.0), (200.0, 60.0)):

        def drawn(bar: float, inlet: float = inlet, set_bar: float = set_bar) -> float:
            at = {"inlet": inlet, "outlet": bar, "tank": 0.0}
            return through("reducing_valve", at, set_bar=set_bar)["outlet"] + 1.0

        yield Point(f"{inlet:g} bar in, 1 L/min drawn", _root(drawn, 0.0, inlet), set_bar)


@validates(
    "A flow divider shares",
    "`flow_divider`",
    "half to each side, whatever the sides press (any text)",
    "L/min",
    0.06,
)
def shares() -> Iterator[Point]:
    for left, right in ((20.0, 20.0), (20.0, 120.0)):

        def fed(bar: float, left: float = left, right: float = right) -> float:
            at = {"inlet": bar, "A": left, "B": right}
            return through("flow_divider", at)["inlet"] - 30.0

        inlet = _root(fed, max(left, right), 400.0)
        ours = -through("flow_divider", {"inlet": inlet, "A": left, "B": right})["A"]
        yield Point(f"30 L/min, sides at {left:g} and {right:g} bar", ours, 15.0)


@validates(
    "Pressure under a pedal",
    "`master_cylinder`",
    "Pascal: p = F/A",
    "N",
    1e-3,
)
def pedal() -> Iterator[Point]:
    for bar, bore in ((20.0, 22.0), (80.0, 19.0)):
        at = {"A": bar, "reservoir": 0.0, "rod": 0.0}
        ours = through("master_cylinder", at, bore_mm=bore, position=1.0)["rod"] / 6e-4
        yield Point(
            f"master, {bore:g} mm at {bar:g} bar", ours, 0.1 * bar * 0.25 * pi * bore * bore
        )


@validates(
    "Current through a strap",
    "`earth_strap`, `power_supply`",
    "Ohm: I = U/R",
    "A",
    1e-3,
)
def ohm() -> Iterator[Point]:
    for volts, ohm_ in ((0.1, 0.001), (2.0, 0.05)):
        at = {"inlet": volts, "frame": 0.0}
        ours = through("earth_strap", at, resistance_ohm=ohm_)["inlet"] / _WATT
        yield Point(f"{volts:g} V over {ohm_:g} Ω", ours, volts / ohm_)


@validates(
    "A direct-current motor",
    "`dc_motor`",
    "I = (U − k·ω)/R, T = k·I less its drag (any text)",
    "Nm",
    0.01,
)
def motor() -> Iterator[Point]:
    for volts, rpm in ((12.0, 0.0), (12.0, 2000.0), (24.0, 3000.0)):
        at = {"plus": volts, "minus": 0.0, "shaft": rpm}
        ours = -through("dc_motor", at, drag_nm_at_1000=1e-4)["shaft"] / _NM_RPM
        current = (volts - 0.035 * rpm * 2.0 * pi / 60.0) / 0.012
        yield Point(f"{volts:g} V at {rpm:g} rpm", ours, 0.035 * current)


@validates(
    "A spool's land, a throttle, a check that is open",
    "`directional_valve`, `throttle`, `check_valve`",
    "turbulent orifice: `q = K·√Δp` (ISO 4411)",
    "L/min",
    0.03,
)
def turbulent() -> Iterator[Point]:
    for drop in (4.0, 25.0, 100.0):
        ours = through("throttle", {"inlet": drop, "outlet": 0.0})["inlet"]
        yield Point(f"throttle K 3 at {drop:g} bar", ours, 3.0 * sqrt(drop))
    for drop in (4.0, 9.0):
        ours = through("check_valve", {"inlet": drop + 0.5, "outlet": 0.0})["inlet"]
        yield Point(f"check K 35, {drop:g} bar over its spring", ours, 35.0 * sqrt(drop))


@validates(
    "Two displacements, two speeds",
    "`two_speed_motor`",
    "V = q/n: half the displacement takes half the oil at one speed",
    "L/min",
    0.01,
)
def two_speeds() -> Iterator[Point]:
    for pilot, share in ((0.0, 1.0), (30.0, 0.5)):
        at = {"A": 100.0, "B": 100.0, "case": 100.0, "shaft": 1000.0, "pilot": pilot + 100.0}
        ours = through("two_speed_motor", at)["A"]
        yield Point(f"pilot {pilot:g} bar over the case", ours, share * 28.0)


@validates(
    "A load-sensing section's flow does not answer to its load",
    "`ls_section`",
    "pressure compensation before the spool: the set flow with enough drop (ISO 6403)",
    "L/min",
    0.05,
)
def section() -> Iterator[Point]:
    for load in (20.0, 90.0, 180.0):
        at = {"P": load + 22.0, "T": 0.0, "A": load, "B": 1.0, "LS": load}
        ours = -through("ls_section", at, lever=1.0)["A"]
        yield Point(f"load {load:g} bar", ours, 60.0)
