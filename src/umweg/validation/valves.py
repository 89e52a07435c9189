"""Valves against the balance of their springs and areas."""

from collections.abc import Iterator
from math import sqrt

from umweg.validation.compare import Point, through, validates
from umweg.validation.machines import machine, part, steady


@validates(
    "Relief valve: setting and override",
    "`relief_valve`",
    "ISO 4411: pressure at a flow is the setting and its rise per flow",
    "bar",
    2e-3,
)
def relief() -> Iterator[Point]:
    for set_bar, rise in ((150.0, 0.5), (210.0, 0.12), (280.0, 1.0)):
        valve = part("relief", "relief_valve", {"inlet": "p", "outlet": "tank"}, set_bar=set_bar,
                     override_bar_per_lpm=rise, seat_k=1e-6)  # fmt: skip
        yield Point(f"{set_bar:g} bar, {rise:g} bar for each of 20 L/min",
                    steady(machine([valve]))["p"], set_bar + 20.0 * rise)  # fmt: skip


@validates(
    "Orifices in series and side by side",
    "`solve.steady`, `orifice`",
    "closed form: drops add as (q/K)², conductances add",
    "bar",
    3e-3,
)
def orifices() -> Iterator[Point]:
    def of(name: str, a: str, b: str, k: float) -> dict[str, object]:
        return part(name, "orifice", {"inlet": a, "outlet": b}, k=k)

    for one, two in ((2.0, 4.0), (1.5, 1.5), (3.0, 1.2)):
        row = steady(machine([of("a", "p", "m", one), of("b", "m", "tank", two)]))
        yield Point(f"K {one:g} and {two:g} in series", row["p"], (20 / one) ** 2 + (20 / two) ** 2)
        beside = steady(machine([of("a", "p", "tank", one), of("b", "p", "tank", two)]))
        yield Point(f"K {one:g} and {two:g} side by side", beside["p"], (20 / (one + two)) ** 2)


@validates(
    "Load-holding valve: what its pilot needs",
    "`counterbalance_valve`",
    "balance of areas: it opens where p_load + ratio·p_pilot is its setting (any text on load holding)",
    "bar",
    0.02,
    floor=0.5,
)
def load_holding() -> Iterator[Point]:
    from scipy.optimize import brentq

    for set_bar, ratio, load in ((210.0, 4.0, 150.0), (280.0, 3.0, 100.0), (250.0, 8.0, 190.0)):

        def passed(
            pilot: float, set_bar: float = set_bar, ratio: float = ratio, load: float = load
        ) -> float:
            at = {"valve": 0.0, "cylinder": load, "pilot": pilot}
            given = {"set_bar": set_bar, "pilot_ratio": ratio, "seat_k": 1e-7}
            return through("counterbalance_valve", at, **given)["cylinder"] - 0.2

        opens = float(brentq(passed, 0.0, 300.0))
        yield Point(
            f"{set_bar:g} bar, {ratio:g} : 1, load {load:g} bar", opens, (set_bar - load) / ratio
        )


@validates(
    "Pilot-operated check: what opens it",
    "`pilot_check_valve`",
    "balance of areas: ratio·p_pilot over the pressure behind it (any text)",
    "bar",
    0.02,
    floor=0.5,
)
def pilot_check() -> Iterator[Point]:
    from scipy.optimize import brentq

    for ratio, behind in ((3.5, 140.0), (3.0, 60.0), (6.0, 210.0)):

        def passed(pilot: float, ratio: float = ratio, behind: float = behind) -> float:
            at = {"inlet": 0.0, "outlet": behind, "pilot": pilot}
            given = {"pilot_ratio": ratio, "seat_k": 1e-7}
            return through("pilot_check_valve", at, **given)["outlet"] - 0.2

        yield Point(
            f"{ratio:g} : 1 behind {behind:g} bar",
            float(brentq(passed, 0.0, 300.0)),
            behind / ratio,
        )


@validates(
    "Regenerative cylinder",
    "`cylinder`, `solve.steady`",
    "closed form: both sides on the pump, the rod's area alone counts, v = q/A_rod",
    "mm/s",
    5e-3,
)
def regenerative() -> Iterator[Point]:
    for bore, rod in ((80.0, 45.0), (100.0, 70.0)):
        cylinder = part("cylinder", "cylinder", {"A": "p", "B": "p", "rod": "rod"}, bore_mm=bore,
                        rod_mm=rod, friction_n=1.0)  # fmt: skip
        load = part("load", "mechanical_load", {"rod": "rod"})
        relief = part("relief", "relief_valve", {"inlet": "p", "outlet": "tank"}, set_bar=250.0)
        push = {"id": "push", "label": "Push", "actuator": "cylinder", "stroke_mm": 500.0,
                "load": "load", "moves": {"out": {"label": "Out", "commands": {}}}, "loads": {}}  # fmt: skip
        area_cm2 = 0.25e-2 * 3.14159265 * rod * rod
        nets = steady(machine([cylinder, load, relief], functions=[push]))
        yield Point(f"{bore:g}/{rod:g} mm, 20 L/min", nets["rod"], 20.0 / 0.006 / area_cm2)


@validates(
    "Leak past a torn seal under a load",
    "`cylinder`",
    "`q = K·√Δp` over the piston (any text)",
    "L/min",
    5e-3,
)
def torn_seal() -> Iterator[Point]:
    for bar in (30.0, 120.0, 250.0):
        ours = through("cylinder", {"A": bar, "B": 0.0, "rod": 0.0}, tear_k=0.4)["A"]
        yield Point(f"K 0.4, {bar:g} bar", ours, 0.4 * sqrt(bar))
