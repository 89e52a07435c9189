"""Screens, filters, coolers, lines, couplings, sight glasses, stores."""

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import ClassVar

import numpy as np

from umweg.core.components.base import (
    Array,
    Command,
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Port,
    Symbol,
    quantity,
)
from umweg.core.components.kernels import (
    check_flow,
    couple,
    law,
    pipe_flow,
    ramp,
    smooth_step,
    turbulent,
)
from umweg.core.components.storage import Gas, Head, OilVolume, Storage, Values, tube_l
from umweg.core.components.symbols import DIAMOND, TWO_PORTS
from umweg.core.fluid import REFERENCE_VISCOSITY_MM2_S as NU_REF


@law
def _screen(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            q, dq = turbulent(x[c, 0, b] - x[c, 1, b], k[c, _SCREEN.k, b], 0.01)
            couple(f, j, c, b, 0, 1, q, dq)


class SuctionScreen(ComponentType):
    """Screen in the suction line, without bypass: ``q = K·√Δp``."""

    type_name = "suction_screen"
    label = "Suction screen"
    words = (
        "suction strainer",
        "sump screen",
        "suction filter",
        "wire mesh",
        "pick-up strainer",
        "gauze",
    )
    roles = (
        "filters",
        "a way for oil",
    )
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        k: float = quantity(350, "L/min/√bar", "flow at 1 bar", low=0.01, high=5000, tolerance=0.1)

    fault_modes = (
        FaultMode(
            name="clogged",
            label="suction screen clogged",
            parameter="k",
            scale="factor",
            severe=1 / 80,
            family="dam",
            base_rate=1.2,
            look="Draw the screen: lint, sealant, sludge on its outside.",
            remedy="Clean or replace the screen and find out what came loose.",
            work="clean",
        ),
    )
    symbol = Symbol(
        2,
        2,
        TWO_PORTS,
        (DIAMOND, "M1 0 V0.2", "M1 1.8 V2"),
        ("M0.2 1 H1.8",),
    )
    example = Example(
        "350·√0.04 = 70",
        {"inlet": 0.0, "outlet": -0.04},
        {"inlet": 68.947, "outlet": -68.947},
    )
    law = _screen


_SCREEN = SuctionScreen.rows()


LAMINAR_LINE = 5.9078
"""128·ρ·ν·L/(π·d⁴) in bar per L/min, for ν [mm²/s], L [m], d [mm], ρ = 870 kg/m³."""
TURBULENT_LINE = 1.95888
"""ρ/2·(4/π/d²)² in bar per (L/min)², for d [mm]."""
RE_LINE = 21220.66
"""4·q/(π·d·ν) for q [L/min], d [mm], ν [mm²/s]."""
BLASIUS = 0.3164
RE_FITTINGS = 320.0
"""Re at which fittings lose twice as much as at high Re. Two-K method (Hooper, 1981): in at a sharp
edge 160/Re + 0.5, out freely 1.0, half a drilled right angle ½·(1000/Re + 1.15)."""


@law
def _line(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            length = k[c, _LINE.length_m, b]
            bore = k[c, _LINE.bore_mm, b]
            bore4 = bore * bore * bore * bore
            laminar = LAMINAR_LINE * env[0, b] * length / bore4
            re = RE_LINE / (bore * env[0, b])
            head = TURBULENT_LINE / bore4
            fittings = head * k[c, _LINE.fittings_zeta, b]
            blasius = BLASIUS * head * length * 1e3 / (bore * math.sqrt(math.sqrt(re)))
            q, dq = pipe_flow(
                x[c, 0, b] - x[c, 1, b],
                laminar,
                blasius,
                fittings * RE_FITTINGS / re,
                fittings,
                re,
            )
            couple(f, j, c, b, 0, 1, q, dq)
            # Outside is at no pressure; what is below it draws air, and no oil comes in.
            q, dq = check_flow(x[c, 0, b], k[c, _LINE.leak_k, b], 0.0, 0.0)
            f[c, 0, b] += q
            j[c, 0, 0, b] += dq


def _half_l(k: Values) -> float:
    return 0.5 * tube_l(k["bore_mm"], k["length_m"])


class Line(ComponentType):
    """Hose or pipe: ``Δp = (λ(Re)·L/d + ζ·(1 + 320/Re))·ρ/2·v²``, solved for q.

    λ is 64/Re up to Re 2000 and 0.3164/Re^¼ from Re 3000, a smooth pipe, with a cubic step between
    them; fittings lose on their own, at low Re more. Sources: Hagen–Poiseuille; Blasius, 1913;
    Hooper's two-K method, 1981.
    """

    type_name = "line"
    named_on_demand = True
    label = "Hose or pipe"
    words: ClassVar[tuple[str, ...]] = (
        "hose",
        "pipe",
        "tube",
        "hose reel",
        "fitting",
        "elbow",
        "bulkhead",
        "manifold passage",
        "gallery",
    )
    roles = (
        "a way for oil",
        "bursts",
    )
    ports = (Port("inlet"), Port("outlet"))
    storage: ClassVar[tuple[Storage, ...]] = (
        OilVolume("inlet", _half_l),
        OilVolume("outlet", _half_l),
    )

    class Parameters(ParameterSet):
        length_m: float = quantity(2, "m", "length", low=0.05, high=100)
        bore_mm: float = quantity(16, "mm", "inside diameter", low=2, high=120)
        fittings_zeta: float = quantity(
            2, "1", "sum of loss coefficients of its fittings", low=0, high=50, tolerance=0.25
        )
        leak_k: float = quantity(0, "L/min/√bar", "leaks outside, at its inlet", low=0, high=50)

    fault_modes: ClassVar[tuple[FaultMode, ...]] = (
        FaultMode(
            name="leaks_outside",
            label="hose or fitting leaks outside",
            parameter="leak_k",
            scale="square",
            severe=1.2,
            family="detour",
            base_rate=0.1,
            look="Oil outside and a falling level; hold paper or wood to it, never a hand.",
            remedy="Replace the hose or reseal the fitting, without pressure.",
            work="outside",
        ),
        FaultMode(
            name="collapsed",
            label="hose kinked or its liner collapsed",
            parameter="bore_mm",
            scale="factor",
            severe=1 / 4.5,
            family="dam",
            base_rate=0.05,
            look="Kink, crush or a soft spot outside; a loose liner when it is cut.",
            remedy="Replace the hose.",
        ),
    )
    symbol = Symbol(
        0.4,
        1.6,
        {"inlet": ("south", 0.2), "outlet": ("north", 0.2)},
        ("M0.2 0 C0.75 0.55 -0.35 1.05 0.2 1.6",),
    )
    example = Example(
        "1 m of 10 mm at 46 mm²/s and 10 L/min, Re 461: 0.27176 bar + 0.03918·(1 + 320/461) in fittings",
        {"inlet": 0.33811, "outlet": 0.0},
        {"inlet": 10.0, "outlet": -10.0},
        {"length_m": 1.0, "bore_mm": 10.0, "fittings_zeta": 2.0},
    )
    law = _line


_LINE = Line.rows()


@law
def _bypassed(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            dp = x[c, 0, b] - x[c, 1, b]
            laminar = k[c, _BYPASSED.element_lpm_per_bar, b] * NU_REF / env[0, b]
            q, dq = check_flow(dp, k[c, _BYPASSED.bypass_k, b], k[c, _BYPASSED.bypass_bar, b], 1e-4)
            couple(f, j, c, b, 0, 1, q + laminar * dp, dq + laminar)


class ReturnFilter(ComponentType):
    """Return filter with bypass: a laminar element, ``q = G·(ν_ref/ν)·Δp``, beside a check.

    The indicator trips on the same pressure difference, a little before the bypass opens.
    """

    type_name = "return_filter"
    label = "Return filter"
    words: ClassVar[tuple[str, ...]] = (
        "return line filter",
        "tank filter",
        "spin-on filter",
        "oil filter",
    )
    roles = (
        "filters",
        "a way for oil",
    )
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        element_lpm_per_bar: float = quantity(
            140, "L/min/bar", "clean element at 46 mm²/s", low=0.01, high=5000, tolerance=0.15
        )
        bypass_bar: float = quantity(2.0, "bar", "bypass opens", low=0.2, high=10)
        bypass_k: float = quantity(60, "L/min/√bar", "bypass, flow at 1 bar", low=0.1, high=2000)
        indicator_bar: float = quantity(1.6, "bar", "indicator trips", low=0.1, high=10)

    fault_modes: ClassVar[tuple[FaultMode, ...]] = (
        FaultMode(
            name="clogged",
            label="return filter clogged",
            parameter="element_lpm_per_bar",
            scale="factor",
            severe=1 / 120,
            family="dam",
            base_rate=1.6,
            look="Indicator; cut the element open and look at the pleats.",
            remedy="Change the element; look for the source of the dirt.",
            work="clean",
        ),
        FaultMode(
            name="bypass_open",
            label="filter bypass stuck open",
            parameter="bypass_bar",
            scale="factor",
            severe=0.02,
            family="detour",
            base_rate=0.1,
            look="Dirt under the bypass poppet, or its spring broken; a clean element in dirty oil.",
            remedy="Clean or replace the bypass; look for the source of the dirt.",
            work="clean",
        ),
    )
    symbol = Symbol(
        3,
        2,
        {"inlet": ("south", 1.0), "outlet": ("north", 1.0)},
        (
            DIAMOND,
            "M1 0 V0.2",
            "M1 1.8 V2",
            "M1 0.1 H2.5 V0.8",
            "M2.5 1.2 V1.9 H1",
            "M2.2 0.85 L2.5 1.15 L2.8 0.85",
        ),
        ("M0.2 1 H1.8",),
    )
    example = Example(
        "140·0.5 = 70 L/min through the clean element, bypass shut",
        {"inlet": 0.5, "outlet": 0.0},
        {"inlet": 70.0, "outlet": -70.0},
    )
    law = _bypassed


_BYPASSED = ReturnFilter.rows()


class PressureFilter(ReturnFilter):
    """Filter in a pressure line, with bypass and indicator: as the return filter, its element tighter.

    ``q = G·(ν_ref/ν)·Δp`` through the element, ``K·√(Δp − p_bypass)`` past it.
    """

    type_name = "pressure_filter"
    label = "Pressure filter"
    words = (
        "in-line filter",
        "high pressure filter",
        "pressure line filter",
        "filter with indicator",
        "last chance filter",
        "pressure strainer",
    )

    class Parameters(ReturnFilter.Parameters):
        element_lpm_per_bar: float = quantity(
            80, "L/min/bar", "clean element at 46 mm²/s", low=0.01, high=5000, tolerance=0.15
        )
        bypass_bar: float = quantity(6.0, "bar", "bypass opens", low=0.2, high=30)
        indicator_bar: float = quantity(5.0, "bar", "indicator trips", low=0.1, high=30)

    fault_modes = tuple(
        replace(m, label=m.label.replace("return filter", "pressure filter"))
        for m in ReturnFilter.fault_modes
    )
    example = Example(
        "80·0.5 = 40 L/min through the clean element, bypass shut",
        {"inlet": 0.5, "outlet": 0.0},
        {"inlet": 40.0, "outlet": -40.0},
    )


@law
def _union(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            for a, z in ((0, 1), (2, 3)):
                q, dq = turbulent(x[c, a, b] - x[c, z, b], k[c, _UNION.k, b], 0.05)
                couple(f, j, c, b, a, z, q, dq)
            q, dq = turbulent(x[c, 0, b] - x[c, 2, b], k[c, _UNION.between_k, b], 0.5)
            couple(f, j, c, b, 0, 2, q, dq)
            for port in (0, 2):
                q, dq = check_flow(x[c, port, b], k[c, _UNION.leak_k, b], 0.0, 0.0)
                f[c, port, b] += q
                j[c, port, port, b] += dq


class RotaryUnion(ComponentType):
    """Rotary union of two passages between what stands and what turns.

    ``q = K·√Δp`` through each passage; seals leak from one to the other, and outside.
    """

    type_name = "rotary_union"
    label = "Rotary union"
    words = (
        "swivel",
        "rotary union",
        "centre joint",
        "rotary manifold",
        "swivel joint",
        "rotating joint",
        "turret joint",
        "hose reel swivel",
    )
    roles = (
        "seal",
        "bursts",
    )
    ports = (Port("in_1"), Port("out_1"), Port("in_2"), Port("out_2"))
    leaks_past = ("in_1", "in_2")

    class Parameters(ParameterSet):
        k: float = quantity(45, "L/min/√bar", "each passage, flow at 1 bar", low=0.1, high=2000)
        between_k: float = quantity(
            1e-4, "L/min/√bar", "from one passage to the other", low=1e-8, high=50
        )
        leak_k: float = quantity(0, "L/min/√bar", "leaks outside", low=0, high=50)

    fault_modes = (
        FaultMode(
            name="seal_between",
            label="seal between its passages leaks",
            parameter="between_k",
            scale="decades",
            severe=3.0,
            family="detour",
            base_rate=0.6,
            look="Block both lines behind it: the pressure falls all the same.",
            remedy="Reseal it; look at the sleeve for scores.",
            work="reseal",
        ),
        FaultMode(
            name="leaks_outside",
            label="leaks outside at its seal",
            parameter="leak_k",
            scale="square",
            severe=1.5,
            family="detour",
            base_rate=0.5,
            look="Wet where it turns.",
            remedy="Reseal it.",
            work="reseal",
        ),
    )
    symbol = Symbol(
        2.4,
        1.6,
        {
            "in_1": ("south", 0.6),
            "out_1": ("north", 0.6),
            "in_2": ("south", 1.8),
            "out_2": ("north", 1.8),
        },
        (
            "M0.6 0 V1.6",
            "M1.8 0 V1.6",
            "M0.3 0.8 A0.3 0.3 0 1 1 0.9 0.8",
            "M1.5 0.8 A0.3 0.3 0 1 1 2.1 0.8",
        ),
    )
    example = Example(
        "45·√1 each; 1e-4·√100 between",
        {"in_1": 101.0, "out_1": 100.0, "in_2": 1.0, "out_2": 0.0},
        {"in_1": 45.001, "out_1": -45.0, "in_2": 44.999, "out_2": -45.0},
        rel=2e-3,
    )
    law = _union


_UNION = RotaryUnion.rows()


class Cooler(ComponentType):
    """Oil cooler with a bypass check; the core is laminar, ``q = G·(ν_ref/ν)·Δp``."""

    type_name = "cooler"
    label = "Oil cooler"
    words = (
        "oil cooler",
        "heat exchanger",
        "radiator",
        "intercooler",
    )
    roles = ("a way for oil",)
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        core_lpm_per_bar: float = quantity(
            90, "L/min/bar", "clean core at 46 mm²/s", low=0.01, high=5000, tolerance=0.1
        )
        bypass_bar: float = quantity(4.0, "bar", "bypass opens", low=0.2, high=20)
        bypass_k: float = quantity(45, "L/min/√bar", "bypass, flow at 1 bar", low=0.1, high=2000)
        air_kw_per_k: float = quantity(
            0.35, "kW/K", "heat to the air per degree", low=1e-4, high=50, tolerance=0.08
        )

    cools = "air_kw_per_k"

    fault_modes = (
        FaultMode(
            name="air_clogged",
            label="cooler fins clogged on the air side",
            parameter="air_kw_per_k",
            scale="factor",
            severe=1 / 10,
            family="dam",
            base_rate=1.2,
            look="Light through the core; dust, oil and chaff between the fins.",
            remedy="Blow the fins out against the way of the air; mend what oils them.",
            work="by_hand",
        ),
        FaultMode(
            name="fan_slow",
            label="its fan turns too slowly: belt, motor or blades",
            parameter="air_kw_per_k",
            scale="factor",
            severe=1 / 5,
            family="source",
            base_rate=0.5,
            look="Speed of the fan; a slack belt, blades the wrong way round.",
            remedy="Tighten or renew the belt; mend the drive of the fan.",
            work="refit",
        ),
        FaultMode(
            name="clogged",
            label="cooler core blocked on the oil side",
            parameter="core_lpm_per_bar",
            scale="factor",
            severe=1 / 120,
            family="dam",
            base_rate=0.2,
            look="Cold and hot rows side by side on the core.",
            remedy="Flush or replace the cooler.",
        ),
        FaultMode(
            name="bypass_open",
            label="cooler bypass stuck open",
            parameter="bypass_bar",
            scale="factor",
            severe=0.02,
            family="detour",
            base_rate=0.15,
            look="The core stays cold while the oil beside it is hot.",
            remedy="Clean or replace the bypass.",
            work="clean",
        ),
    )
    symbol = Symbol(
        2,
        2,
        TWO_PORTS,
        (DIAMOND, "M1 0 V0.2", "M1 1.8 V2", "M0.75 1.25 L0.1 1.9", "M1.25 1.25 L1.9 1.9"),
        (),
        ("M0.1 1.9 L0.22 1.6 L0.4 1.78 Z", "M1.9 1.9 L1.78 1.6 L1.6 1.78 Z"),
    )
    example = Example(
        "90·0.5 = 45 L/min, bypass shut",
        {"inlet": 0.5, "outlet": 0.0},
        {"inlet": 45.0, "outlet": -45.0},
    )
    law = _bypassed

    @classmethod
    def cooling(
        cls, k: Mapping[str, Array], across: Mapping[str, Array], viscosity_mm2_s: Array
    ) -> Array:
        """As much as of the oil goes through the core and not past it."""
        dp = np.maximum(across["inlet"] - across["outlet"], 1e-6)
        core = k["core_lpm_per_bar"] * NU_REF / viscosity_mm2_s * dp
        past = k["bypass_k"] * np.sqrt(np.maximum(dp - k["bypass_bar"], 0.0))
        cooled: Array = k[cls.cools] * core / (core + past)
        return cooled


@law
def _restriction(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            q, dq = turbulent(x[c, 0, b] - x[c, 1, b], k[c, _RESTRICTION.k, b], 0.05)
            couple(f, j, c, b, 0, 1, q, dq)


class QuickCoupling(ComponentType):
    """Quick coupling: two poppets that push each other open, ``q = K·√Δp``."""

    type_name = "quick_coupling"
    label = "Quick coupling"
    words = (
        "quick coupler",
        "quick disconnect",
        "remote coupling",
        "breakaway",
        "flat face coupler",
        "snap coupling",
    )
    roles = ("a way for oil",)
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        k: float = quantity(45, "L/min/√bar", "flow at 1 bar, coupled", low=0.1, high=1000)

    fault_modes = (
        FaultMode(
            name="not_home",
            label="coupling not pushed home, or its poppet does not open",
            parameter="k",
            scale="factor",
            severe=1 / 400,
            family="dam",
            base_rate=0.8,
            look="Uncouple, look at both poppets, couple until the sleeve snaps.",
            remedy="Couple it again without pressure; replace a coupling whose poppet hangs.",
            work="by_hand",
        ),
    )
    symbol = Symbol(
        1,
        1.8,
        {"inlet": ("south", 0.5), "outlet": ("north", 0.5)},
        (
            "M0.5 1.8 V1.3",
            "M0.5 0.5 V0",
            "M0.15 1.05 L0.5 1.3 L0.85 1.05",
            "M0.15 0.75 L0.5 0.5 L0.85 0.75",
            "M0.1 0.9 H0.9",
        ),
    )
    example = Example("45·√4 = 90", {"inlet": 4.0, "outlet": 0.0}, {"inlet": 90.0, "outlet": -90.0})
    law = _restriction


_RESTRICTION = QuickCoupling.rows()


class SightGlass(ComponentType):
    """Window in a line, or the open end of a pipe in a tank: is there flow or not.

    ``q = K·√Δp``; flow is seen once the drop across it passes ``indicator_bar``.
    """

    type_name = "sight_glass"
    label = "Sight glass"
    words = (
        "sight glass",
        "level gauge",
        "flow indicator",
    )
    cannot: ClassVar[Mapping[str, str]] = {
        "anything": "a window: what passes it is seen, and nothing else"
    }
    ports = (Port("inlet"), Port("outlet"))
    indicator_words = ("flow seen", "no flow seen")

    class Parameters(ParameterSet):
        k: float = quantity(20, "L/min/√bar", "flow at 1 bar", low=0.1, high=1000)
        indicator_bar: float = quantity(0.01, "bar", "drop at which flow is seen", low=1e-4, high=1)

    symbol = Symbol(
        1.4,
        1.4,
        {"inlet": ("south", 0.7), "outlet": ("north", 0.7)},
        (
            "M0.7 1.4 V1.2 M0.7 0.2 V0",
            "M0.7 0.2 a0.5 0.5 0 1 0 0.01 0",
            "M0.45 0.45 L0.95 0.95 M0.95 0.45 L0.45 0.95",
        ),
    )
    example = Example("20·√1 = 20", {"inlet": 1.0, "outlet": 0.0}, {"inlet": 20.0, "outlet": -20.0})
    law = _restriction


@law
def _header_tank(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            q, dq = turbulent(x[c, 0, b] - x[c, 1, b], k[c, _HEADER_TANK.k, b], 0.01)
            couple(f, j, c, b, 0, 1, q, dq)
            q, dq = check_flow(
                x[c, 1, b] - x[c, 2, b],
                k[c, _HEADER_TANK.overflow_k, b],
                k[c, _HEADER_TANK.head_bar, b],
                1e-5,
            )
            couple(f, j, c, b, 1, 2, q, dq)


class HeaderTank(ComponentType):
    """Tank above the pump, kept full by a feed; what it does not need runs over.

    Full it gives the pump the height of its oil, ``head_bar``; the surplus leaves by the overflow.
    When the feed is less than what is drawn it empties: steadily it then gives only what comes in, and
    where time runs it lasts as long as its oil.
    """

    type_name = "header_tank"
    label = "Header tank"
    words = (
        "header tank",
        "day tank",
        "gravity tank",
        "expansion tank",
        "make-up tank",
        "second sump",
        "intermediate sump",
        "filled by an internal pump",
    )
    roles = (
        "holds oil",
        "a way for oil",
    )
    ports = (Port("feed"), Port("outlet"), Port("overflow"))
    storage = (Head("outlet", "store_l", "head_bar"),)

    class Parameters(ParameterSet):
        k: float = quantity(150, "L/min/√bar", "feed to outlet", low=1, high=5000)
        overflow_k: float = quantity(90, "L/min/√bar", "overflow pipe", low=1, high=5000)
        head_bar: float = quantity(0.08, "bar", "height of its oil", low=0, high=1)
        store_l: float = quantity(6, "L", "oil it holds above its outlet", low=0, high=500)

    fault_modes = (
        FaultMode(
            name="outlet_blocked",
            label="its outlet or screen blocked",
            parameter="k",
            scale="factor",
            severe=1 / 300,
            family="dam",
            base_rate=0.4,
            look="Overflow runs while the pump starves; draw its screen.",
            remedy="Clean it; find what came loose.",
            work="clean",
        ),
    )
    symbol = Symbol(
        3,
        1.8,
        {"feed": ("south", 0.75), "outlet": ("south", 2.25), "overflow": ("east", 0.6)},
        ("M0.2 0.2 V1.4 H2.8 V0.2", "M0.75 1.8 V0.7", "M2.25 1.8 V1.4", "M3 0.6 H2.4"),
    )
    example = Example(
        "overflow: 90·√(0.53 − 0.08 − 0.15) with smoothing; 150·√0.47 in",
        {"feed": 1.0, "outlet": 0.53, "overflow": 0.0},
        {"feed": 102.82, "outlet": -102.82 + 35.36, "overflow": -35.36},
    )
    law = _header_tank


_HEADER_TANK = HeaderTank.rows()


@law
def _accumulator(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            filling, empty = k[c, _ACCUMULATOR.charging, b], k[c, _ACCUMULATOR.empty, b]
            head, dhead = ramp(x[c, 0, b] - k[c, _ACCUMULATOR.gas_bar, b], 1.0)
            full = (1.0 - filling) * (1.0 - empty)
            gain = k[c, _ACCUMULATOR.take_lpm_per_bar, b]
            before, precharge = (
                k[c, _ACCUMULATOR.stored_bar, b],
                k[c, _ACCUMULATOR.precharge_bar, b],
            )
            gas_l = k[c, _ACCUMULATOR.volume_l, b] * precharge / before
            left = before * gas_l / (gas_l + k[c, _ACCUMULATOR.drawn_l, b])
            left *= smooth_step(left / precharge, 0.95, 1.05)[0]
            f[c, 0, b] = gain * (filling * head + full * (x[c, 0, b] - left))
            j[c, 0, 0, b] = gain * (filling * dhead + full)


class Accumulator(ComponentType):
    """Gas-loaded accumulator, seen at one moment.

    Full it holds its stored pressure whatever leaks and however much gas is left, for the charging
    valve fills it up to its cut-out: ``G·(p − p_stored)``. Gas shows when oil is drawn: at rest
    again, the gas as warm as before (Boyle), ``p = p_stored·V_gas/(V_gas + V_drawn)`` with
    ``V_gas = V·p_precharge/p_stored``, and nothing once the bladder has pressed all oil out.
    While ``charging`` it takes ``G·(p − p_gas)``, with the gas as far as it is by then; ``empty``
    it takes and gives nothing. How long each lasts follows from its volume and the flow; in time
    its gas warms up as it is pressed and cools down to its wall with ``cooling_s``.
    """

    type_name = "accumulator"
    label = "Accumulator"
    words = (
        "accumulator",
        "nitrogen bottle",
        "bladder",
        "boom suspension",
        "ride control",
        "pulsation damper",
        "gas spring",
        "energy store",
    )
    roles = ("stores gas",)
    ports = (Port("port"),)
    stores_oil = True
    passive = False

    emptied_by = "empty"
    drawn_by = "drawn_l"
    storage = (Gas("port", "volume_l", "precharge_bar", "cooling_s"),)
    in_time: ClassVar[Mapping[str, float]] = {"empty": 1.0, "charging": 0.0}

    class Parameters(ParameterSet):
        gas_bar: float = quantity(120, "bar", "gas while it charges", low=1, high=600)
        stored_bar: float = quantity(150, "bar", "oil pressure when full", low=1, high=600)
        take_lpm_per_bar: float = quantity(2, "L/min/bar", "stiffness", low=0.01, high=100)
        volume_l: float = quantity(1, "L", "nominal volume", low=0.02, high=100)
        precharge_bar: float = quantity(
            80, "bar", "gas with the oil side empty", low=0.5, high=500, tolerance=0.06
        )
        cooling_s: float = quantity(
            15,
            "s",
            "time constant of its gas's temperature, 0: always as its wall",
            low=0,
            high=1e6,
        )

    commands = (Command("charging", 0, 1), Command("empty", 0, 1), Command("drawn_l", 0, 50))
    fault_modes = (
        FaultMode(
            name="gas_lost",
            label="gas charge lost",
            parameter="precharge_bar",
            scale="factor",
            severe=0.03,
            family="source",
            base_rate=1.5,
            look="Gas pressure at its valve, oil side at zero; bladder or piston passes.",
            remedy="Discharge the oil side and see zero; then recharge with nitrogen or replace it.",
            work="clean",
        ),
        FaultMode(
            name="gas_high",
            label="charged with too much gas",
            parameter="precharge_bar",
            scale="factor",
            severe=1.8,
            family="source",
            base_rate=0.2,
            look="Gas pressure with the oil side empty.",
            remedy="Let gas off to the specification, by its maker's procedure.",
            work="set",
        ),
    )
    symbol = Symbol(
        1.4,
        2.2,
        {"port": ("south", 0.7)},
        (
            "M0.2 0.7 a0.5 0.5 0 0 1 1 0 v0.8 a0.5 0.5 0 0 1 -1 0 Z",
            "M0.2 1.1 H1.2",
            "M0.7 2.2 V2",
        ),
    )
    example = Example("1 bar over its stored pressure: 2·1", {"port": 151.0}, {"port": 2.0})
    law = _accumulator


_ACCUMULATOR = Accumulator.rows()
