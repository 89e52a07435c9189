"""What pipes, hoses, fittings and orifices lose."""

from collections.abc import Iterator
from math import pi, sqrt

from scipy.optimize import brentq

from umweg.validation.compare import Point, through, validates

DENSITY = 870.0
ONE_FITTING = "Elbow, 90°, Mitered (R/D = 1.5), 1 weld (90° angle)"


def _drop_bar(q_lpm: float, viscosity_mm2_s: float, **pipe: float) -> float:
    """What our pipe loses at a flow: its law gives the flow at a pressure."""

    def over(bar: float) -> float:
        return (
            through("line", {"inlet": bar, "outlet": 0.0}, viscosity_mm2_s, **pipe)["inlet"] - q_lpm
        )

    return float(brentq(over, 0.0, 1e4, xtol=1e-12, rtol=1e-12))


def _flow(re: float, bore_mm: float, viscosity_mm2_s: float) -> tuple[float, float]:
    """Speed [m/s] and flow [L/min] at a Reynolds number."""
    speed = re * viscosity_mm2_s * 1e-6 / (bore_mm * 1e-3)
    return speed, speed * 0.25 * pi * bore_mm**2 * 1e-6 * 6e4


def _friction(re: float) -> float:
    """Our Darcy factor at a Reynolds number: 10 m of 16 mm, 46 mm²/s, no fittings."""
    speed, q = _flow(re, 16.0, 46.0)
    bar = _drop_bar(q, 46.0, length_m=10.0, bore_mm=16.0, fittings_zeta=0.0)
    return bar * 1e5 * 0.016 / 10.0 / (0.5 * DENSITY * speed**2)


@validates(
    "Friction factor of a smooth pipe",
    "`line`",
    "fluids 1.3: 64/Re below Re 2040, above it the exact solution of Colebrook's equation (Clamond)",
    "1",
    0.05,
)
def friction() -> Iterator[Point]:
    from fluids.friction import friction_factor

    for re in (1.0, 10.0, 100.0, 500.0, 1000.0, 2000.0, 4000.0, 6000.0, 1e4, 3e4, 1e5):
        yield Point(f"Re {re:,.0f}", _friction(re), float(friction_factor(Re=re)))


@validates(
    "… and between laminar and turbulent",
    "`line`",
    "fluids 1.3: Churchill, 1977, one curve through all regimes",
    "1",
    0.2,
)
def change_over() -> Iterator[Point]:
    from fluids.friction import Churchill_1977

    for re in (2200.0, 2400.0, 2600.0, 2800.0, 3000.0):
        yield Point(f"Re {re:,.0f}", _friction(re), float(Churchill_1977(Re=re, eD=0.0)))


@validates(
    "Whole hoses",
    "`line`",
    "Darcy–Weisbach with fluids' friction factor; fittings none",
    "bar",
    0.05,
)
def hoses() -> Iterator[Point]:
    from fluids.friction import friction_factor

    for bore, length, q, nu in (
        (25.0, 4.0, 80.0, 46.0),
        (16.0, 4.0, 60.0, 46.0),
        (10.0, 2.0, 40.0, 20.0),
        (38.0, 1.0, 150.0, 400.0),
        (12.0, 6.0, 90.0, 15.0),
    ):
        speed = q / 6e4 / (0.25e-6 * pi * bore**2)
        re = speed * bore * 1e3 / nu
        loss = float(friction_factor(Re=re)) * length / bore * 1e3 * 0.5 * DENSITY * speed**2 * 1e-5
        ours = _drop_bar(q, nu, length_m=length, bore_mm=bore, fittings_zeta=0.0)
        yield Point(f"{bore:g} mm, {length:g} m, {q:g} L/min, {nu:g} mm²/s", ours, loss)


@validates(
    "Fittings of a hose at low and high Re",
    "`line`",
    "two-K method (Hooper, 1981), its right angle from fluids 1.3: in 160/Re + 0.5, out 1.0, half of a right angle",
    "1",
    0.08,
)
def fittings() -> Iterator[Point]:
    from fluids.fittings import Hooper

    at_low, at_high = (float(k) for k in Hooper[ONE_FITTING])
    zeta = 0.5 + 1.0 + 0.5 * at_high
    for re in (50.0, 200.0, 1000.0, 1e4):
        speed, q = _flow(re, 16.0, 46.0)
        dynamic = 0.5 * DENSITY * speed**2 * 1e-5
        with_them = _drop_bar(q, 46.0, length_m=1.0, bore_mm=16.0, fittings_zeta=zeta)
        without = _drop_bar(q, 46.0, length_m=1.0, bore_mm=16.0, fittings_zeta=0.0)
        source = 160.0 / re + 0.5 + 1.0 + 0.5 * (at_low / re + at_high)
        yield Point(f"Re {re:,.0f}", (with_them - without) / dynamic, source)


@validates(
    "Orifice",
    "`orifice`",
    "`q = Cd·A·√(2Δp/ρ)` (any text), Cd 0.6, 870 kg/m³, 1 mm² for K = 0.546",
    "L/min",
    0.02,
)
def orifice() -> Iterator[Point]:
    for bar in (2.0, 10.0, 50.0, 200.0):
        sharp = 0.6 * 1e-6 * sqrt(2.0 * bar * 1e5 / DENSITY) * 6e4
        ours = through("orifice", {"inlet": bar, "outlet": 0.0}, k=0.546)["inlet"]
        yield Point(f"{bar:g} bar", ours, sharp)
