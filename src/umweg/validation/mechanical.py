"""Brakes, clutches, fans, levers: what turns, holds and slips."""

from collections.abc import Iterator
from math import pi

from umweg.validation.compare import Point, through, validates

_ROT = 2.0 * pi / 100.0


@validates(
    "A wet clutch slips above what it can carry",
    "`clutch`",
    "Coulomb friction: torque in proportion to the pressure over its springs, whatever the slip",
    "Nm",
    0.03,
)
def slips() -> Iterator[Point]:
    for bar in (6.0, 12.0, 18.0):
        at = {"supply": bar, "drain": 0.0, "driver": 1500.0, "driven": 1000.0}
        yield Point(f"{bar:g} bar, 500 rpm of slip",
                    through("clutch", at, seal_lpm_per_bar=1e-6)["driver"] / _ROT,
                    60.0 * (bar - 2.0))  # fmt: skip


@validates(
    "… and holds below it",
    "`clutch`",
    "a plate that holds turns with its driver: slip under one in a hundred at half its torque",
    "rpm",
    0.0,
    kind="at_most",
)
def holds() -> Iterator[Point]:
    from scipy.optimize import brentq

    for bar in (8.0, 16.0):
        torque = 30.0 * (bar - 2.0)

        def over(slip: float, bar: float = bar, torque: float = torque) -> float:
            at = {"supply": bar, "drain": 0.0, "driver": 1500.0, "driven": 1500.0 - slip}
            return through("clutch", at)["driver"] / _ROT - torque

        yield Point(f"{bar:g} bar, {torque:g} Nm", float(brentq(over, 0.0, 400.0)), 15.0)


@validates(
    "A brake that is on holds",
    "`spring_brake`",
    "at two thirds of its torque the motor's shaft turns less than once in a minute",
    "rpm",
    0.0,
    kind="at_most",
)
def brake_holds() -> Iterator[Point]:
    from scipy.optimize import brentq

    for torque in (100.0, 400.0, 3000.0):

        def over(rpm: float, torque: float = torque) -> float:
            at = {"release": 0.0, "drain": 0.0, "shaft": rpm}
            return through("spring_brake", at, torque_nm=torque)["shaft"] / _ROT - torque / 1.5

        yield Point(f"{torque:g} Nm brake", float(brentq(over, 0.0, 100.0)), 1.0)


@validates(
    "A fan's power grows with the cube of its speed",
    "`fan_load`",
    "affinity laws (ISO 5801): torque with the square, power with the cube",
    "kW",
    0.01,
)
def fan() -> Iterator[Point]:
    one = through("fan_load", {"shaft": 1000.0}, drag_nm_at_1000=1e-3)["shaft"] * 1000.0 / 6e5
    for rpm in (1400.0, 2000.0, 2800.0):
        ours = through("fan_load", {"shaft": rpm}, drag_nm_at_1000=1e-3)["shaft"] * rpm / 6e5
        yield Point(f"{rpm:g} rpm", ours, one * (rpm / 1000.0) ** 3)


@validates(
    "Force of a cylinder",
    "`cylinder`",
    "ISO 3320's bores: `F = p·A` (10 bar on 1 cm² are 100 N)",
    "kN",
    1e-3,
)
def force() -> Iterator[Point]:
    # Theoretical forces at 160 bar: 63 mm 49.88 kN, 80 mm 80.42 kN, 100 mm 125.66 kN.
    for bore, kn in ((63.0, 49.876), (80.0, 80.425), (100.0, 125.664)):
        pushes = through(
            "cylinder", {"A": 160.0, "B": 0.0, "rod": 0.0}, bore_mm=bore, friction_n=1.0
        )
        yield Point(f"{bore:g} mm at 160 bar", -pushes["rod"] / 6e-4 / 1e3, kn)


@validates(
    "A steering unit without a pump is one that an arm turns",
    "`steering_unit`",
    "hand pump: `q = q_hand·(1 − Δp/p_hand)` out of the return, nothing above what an arm presses",
    "L/min",
    0.02,
    floor=0.12,
)
def steers_by_hand() -> Iterator[Point]:
    for bar in (0.0, 8.0, 16.0, 40.0):
        at = {"P": 0.0, "T": 0.0, "L": bar, "R": 0.0}
        ours = -through("steering_unit", at, wheel=1.0, leak_lpm_per_bar=1e-6)["L"]
        yield Point(f"engine off, line at {bar:g} bar", ours, max(6.0 * (1.0 - bar / 25.0), 0.0))


@validates(
    "A telescopic cylinder's stages",
    "`telescopic_cylinder`",
    "`v = q/A`, `p = F/A` with the area of the stage that moves (any text)",
    "mm/s per L/min",
    1e-3,
)
def stages() -> Iterator[Point]:
    for place, bore in ((0.1, 120.0), (0.5, 100.0), (0.9, 80.0)):
        at = {"A": 0.0, "vent": 0.0, "rod": 60.0}
        taken = through("telescopic_cylinder", at, position=place)["A"]
        yield Point(f"{place:.0%} out", 60.0 / taken, 1e6 / 60.0 / (0.25 * pi * bore * bore))
