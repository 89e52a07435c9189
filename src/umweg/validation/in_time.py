"""Machines in time against closed forms and scipy's integrators."""

from collections.abc import Iterator
from math import exp, pi

import numpy as np
from scipy.integrate import solve_ivp

from umweg.core.fluid import AIR_POLYTROPIC, ATMOSPHERE_BAR, BULK_MODULUS_BAR, FREE_AIR
from umweg.validation.compare import Point, validates
from umweg.validation.machines import OFF, RUN, machine, part, played


def _hose(name: str, a: str, b: str) -> dict[str, object]:
    return part(
        name, "line", {"inlet": a, "outlet": b}, length_m=10.0, bore_mm=20.0, fittings_zeta=0.0
    )


@validates(
    "A closed hose empties through a leak",
    "`solve.transient`",
    "scipy's Radau on `V·c(p)·dp/dt = −K·√p`",
    "bar",
    0.02,
    floor=0.3,
)
def emptying() -> Iterator[Point]:
    k = 0.02
    parts = [
        part("relief", "relief_valve", {"inlet": "p", "outlet": "tank"}, set_bar=200.0),
        part("hold", "check_valve", {"inlet": "p", "outlet": "v"}, leak_lpm_per_bar=1e-7),
        part("bleed", "orifice", {"inlet": "p", "outlet": "tank"}, k=0.5),
        _hose("store", "v", "w"),
        part("leak", "orifice", {"inlet": "w", "outlet": "tank"}, k=k),
    ]
    curves = played(
        machine(parts, states={"run": RUN, "off": OFF}), [("run", 1.0), ("off", 20.0)], ["w"], 2101
    )
    litres = 0.25e-3 * pi * 400.0 * 10.0 + 4 * 0.02

    def falls(_: float, p: np.ndarray) -> np.ndarray:
        air = (ATMOSPHERE_BAR / (ATMOSPHERE_BAR + p)) ** (1.0 / AIR_POLYTROPIC)
        gives = 1.0 / BULK_MODULUS_BAR + FREE_AIR * air / AIR_POLYTROPIC / (ATMOSPHERE_BAR + p)
        return np.asarray(-k * np.sqrt(np.maximum(p, 0.0)) / (60.0 * litres * gives))

    start = float(curves.across[0, 100, 0])
    for seconds in (2.0, 5.0, 10.0):
        found = solve_ivp(falls, (0.0, seconds), [start], method="Radau", rtol=1e-8)
        ours = float(np.interp(1.0 + seconds, curves.time_s, curves.across[0, :, 0]))
        yield Point(f"after {seconds:g} s from {start:.0f} bar", ours, float(found.y[0, -1]))


@validates(
    "A mass is set in motion against a damper",
    "`solve.transient`, `mechanical_load`",
    "closed form: `v = F/D·(1 − e^(−D·t/m))`",
    "mm/s",
    0.02,
    floor=0.4,
)
def motion() -> Iterator[Point]:
    cylinder = part("cylinder", "single_acting_cylinder", {"A": "a", "vent": "tank", "rod": "rod"},
                    bore_mm=80.0, friction_n=1.0, seal_lpm_per_bar=1e-9)  # fmt: skip
    lift = {"id": "lift", "label": "Lift", "actuator": "cylinder", "stroke_mm": 600.0, "load": "weight",
            "moves": {"up": {"label": "Up", "commands": {}}}, "loads": {}}  # fmt: skip
    parts = [
        part("relief", "relief_valve", {"inlet": "p", "outlet": "tank"}, set_bar=300.0),
        cylinder,
        part("weight", "mechanical_load", {"rod": "rod"}, mass_kg=5000.0),
        part("open", "orifice", {"inlet": "a", "outlet": "tank"}, k=2000.0),
    ]
    states = {"rest": OFF, "pull": {**OFF, "settings": {"weight.force_n": -400.0}}}
    curves = played(
        machine(parts, states=states, functions=[lift]),
        [("rest", 0.5), ("pull", 2.0)],
        ["rod"],
        2501,
    )
    for seconds in (0.2, 0.5, 1.5):
        ours = float(np.interp(0.5 + seconds, curves.time_s, curves.across[0, :, 0]))
        yield Point(f"{seconds:g} s, 400 N on 5 t", ours, 40.0 * (1.0 - exp(-seconds / 0.5)))


@validates(
    "An accumulator takes what its gas gives way",
    "`accumulator`",
    "Boyle: `V_oil = V·(1 − p_gas/p)`, absolute, as warm as its wall (ISO 5596 gives the volumes)",
    "L",
    0.03,
    floor=0.01,
)
def accumulator() -> Iterator[Point]:
    store = part("store", "accumulator", {"port": "v"}, volume_l=4.0, precharge_bar=80.0, gas_bar=80.0,
                 cooling_s=0.0)  # fmt: skip
    parts = [
        part("relief", "relief_valve", {"inlet": "p", "outlet": "tank"}, set_bar=280.0),
        part("hold", "check_valve", {"inlet": "p", "outlet": "v"}),
        store,
    ]
    states = {
        "off": {**OFF, "settings": {"store.empty": 1.0}},
        "run": {**RUN, "settings": {"store.empty": 1.0}},
    }
    curves = played(
        machine(parts, rpm=500.0, states=states), [("off", 0.1), ("run", 18.0)], ["v"], 3621
    )
    p, t = curves.across[0, :, 0], curves.time_s
    for bar in (120.0, 160.0, 240.0):
        at = float(t[int(np.argmax(p >= bar))])
        yield Point(f"filled to {bar:g} bar at 10 L/min", (at - 0.1) * 10.0 / 60.0,
                    4.0 * (1.0 - (80.0 + ATMOSPHERE_BAR) / (bar + ATMOSPHERE_BAR)))  # fmt: skip
