"""Oil that gives way, and oil that parts."""

from collections.abc import Iterator
from math import log

from umweg.core.components.kernels import compressed
from umweg.core.fluid import ATMOSPHERE_BAR, viscosity_mm2_s
from umweg.validation.compare import Point, validates
from umweg.validation.machines import OFF, RUN, machine, part, played, steady

VACUUM_BAR = -1.01325


@validates(
    "Oil with half a percent of air gives way",
    "`kernels.compressed`",
    "closed form: each bar presses oil by 1/K and air by its polytropic law, n = 1.2, in parallel",
    "cm³/L",
    0.002,
    floor=1e-3,
)
def compressibility() -> Iterator[Point]:
    for bar in (1.0, 10.0, 50.0, 200.0, 400.0):
        # The air of a litre at rest takes 5 cm³; V·p^(1/n) stays the same.
        air = 5.0 * (1.0 - (1.01325 / (1.01325 + bar)) ** (1.0 / 1.2))
        yield Point(f"{bar:g} bar", 1e3 * compressed(bar)[0], air + 1e3 * bar / 12_000.0)


@validates(
    "Viscosity is a straight line of ASTM D341 between its two values",
    "`fluid.viscosity_mm2_s`",
    "ASTM D341: the oil at the temperature halfway in log T has the mean of the double logarithms",
    "mm²/s",
    0.002,
)
def viscosity() -> Iterator[Point]:
    middle_c = (313.15 * 373.15) ** 0.5 - 273.15
    for at_40, at_100 in ((22.0, 4.3), (46.0, 6.8), (68.0, 8.7), (150.0, 14.6)):
        mean = 0.5 * (log(log(at_40 + 0.7, 10), 10) + log(log(at_100 + 0.7, 10), 10))
        read = 10.0 ** (10.0**mean) - 0.7
        yield Point(
            f"{at_40:g} and {at_100:g} mm²/s", viscosity_mm2_s(middle_c, at_40, at_100), read
        )


@validates(
    "Nothing is below absolute vacuum",
    "`solve.elimination.form_cavities`",
    f"absolute zero lies {-VACUUM_BAR:.3f} bar below the air (standard atmosphere, ISO 2533)",
    "bar",
    0.0,
    floor=1e-6,
    kind="at_least",
)
def vacuum() -> Iterator[Point]:
    for lpm in (2.0, 20.0, 100.0, 400.0):
        # A motor turned by force draws from a shut line.
        driven = part("driven", "hydraulic_motor", {"A": "shut", "B": "p", "shaft": "engine"},
                      displacement_cm3=lpm, friction_nm=0.01)  # fmt: skip
        nets = steady(
            machine([driven, part("open", "orifice", {"inlet": "p", "outlet": "tank"}, k=900.0)])
        )
        yield Point(f"{lpm:g} L/min drawn from a shut line", nets["shut"], VACUUM_BAR)


@validates(
    "Pressed into a hose",
    "`solve.transient`, `line`",
    "closed form: a pump's flow over what the oil and its air in 3.14 L give way to 200 bar",
    "s",
    0.03,
)
def pressed() -> Iterator[Point]:
    hose = part("hose", "line", {"inlet": "p", "outlet": "end"}, length_m=10.0, bore_mm=20.0,
                fittings_zeta=0.0)  # fmt: skip
    relief = part("relief", "relief_valve", {"inlet": "p", "outlet": "tank"}, set_bar=280.0)
    curves = played(machine([hose, relief], rpm=100.0, states={"off": OFF, "run": RUN}),
                    [("off", 0.1), ("run", 3.0)], ["end"], 6201)  # fmt: skip
    litres = 3.1416 + 0.02 * 6 + 2 * 0.04
    for bar in (50.0, 100.0, 200.0):
        at = next(t for t, p in zip(curves.time_s, curves.across[0, :, 0], strict=True) if p >= bar)
        air = 0.005 * (1.0 - (ATMOSPHERE_BAR / (ATMOSPHERE_BAR + bar)) ** (1.0 / 1.2))
        yield Point(
            f"{bar:g} bar at 2 L/min", float(at) - 0.1, 30.0 * litres * (air + bar / 12_000.0)
        )
