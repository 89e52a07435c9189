"""A brake worked by foot: pedal, master cylinder, pipes with the air in them, wheels."""

import math
from collections.abc import Mapping
from typing import ClassVar

from umweg.core.components.actuation import SingleActingCylinder
from umweg.core.components.base import (
    AREA_FLOW,
    OUTSIDE,
    TRANSLATION,
    Command,
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Port,
    Symbol,
    quantity,
)
from umweg.core.components.conditioning import Line
from umweg.core.components.kernels import (
    check_flow,
    couple,
    law,
    ramp,
    sliding,
    smooth_step,
    turbulent,
)
from umweg.core.components.storage import End, Gas, Inertia, OilVolume, Place, area_l_per_mm

_TRANS = TRANSLATION
_AREA = AREA_FLOW
_SLIDING_MM_S = 1.0
_FITTINGS_L = 0.0005
"""Brake fittings hold half a cubic centimetre."""
_RESTS_WITHIN_MM_S = 2e-2
_RESTS = 1e6
"""Damping against the inner stop of a rod that its spring has brought back [N·s/mm]."""


@law
def _pedal(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            v = x[c, 0, b]
            t, dt = sliding(v, _SLIDING_MM_S)
            foot = k[c, _PEDAL.foot_n, b] * k[c, _PEDAL.linkage, b]
            drag = k[c, _PEDAL.friction_n, b] * _TRANS
            resting = _RESTS * (1.0 - k[c, _PEDAL.firm, b]) * _TRANS
            back, dback = ramp(-v, _RESTS_WITHIN_MM_S)
            viscous = 0.5 * _TRANS
            f[c, 0, b] = (k[c, _PEDAL.spring_n, b] - foot) * _TRANS + drag * t + viscous * v
            f[c, 0, b] -= resting * back
            j[c, 0, 0, b] = drag * dt + viscous + resting * dback


class Pedal(ComponentType):
    """Pedal with its push rod, seen at the plate where the foot stands; positive speed presses.

    ``F = foot·linkage − spring − friction·sgn(v/1 mm/s) − 0.5 N·s/mm·v``. Let go it rests
    at its stop: in a steady state nothing comes further back.
    """

    type_name = "pedal"
    label = "Pedal"
    words = (
        "brake pedal",
        "foot pedal",
        "treadle",
    )
    roles = (
        "slides",
        "a link",
    )
    cannot: ClassVar[Mapping[str, str]] = {
        "worn": "play is taken up before it presses anything: it is felt, and no pressure shows it",
        "misadjusted or bent": "the length of its rod is the master cylinder's: port_blocked there",
    }
    by_hand = True
    ports = (Port("rod", "translation"),)
    storage = (Inertia("rod", lambda k: 3.0),)
    in_time: ClassVar[Mapping[str, float]] = {"firm": 1.0}

    class Parameters(ParameterSet):
        spring_n: float = quantity(15, "N", "return spring, at the plate", low=0, high=5000)
        friction_n: float = quantity(
            5, "N", "friction of its bearing, at the plate", low=0.1, high=5000, tolerance=0.3
        )
        linkage: float = quantity(1, "1", "how far the rod follows", low=0, high=1)

    commands = (Command("foot_n", 0, 1500, by="pedal"), Command("firm", 0, 1))
    fault_modes = (
        FaultMode(
            name="pin_out",
            label="push rod off the pedal: pin out",
            parameter="linkage",
            scale="switch",
            severe=0.0,
            family="command",
            base_rate=0.3,
            look="Look at the clevis while somebody presses the pedal.",
            remedy="Fit a new pin and its split pin.",
            work="refit",
        ),
        FaultMode(
            name="binds",
            label="pedal binds in its bearing: does not come back",
            parameter="friction_n",
            scale="factor",
            severe=40.0,
            family="load",
            base_rate=0.4,
            look="Move the pedal by hand with the push rod off.",
            remedy="Free and grease the bearing.",
            work="clean",
        ),
    )
    passive = False
    symbol = Symbol(
        1.6,
        1.8,
        {"rod": ("east", 0.9)},
        ("M0.6 0.1 V1.5 L0.2 1.8", "M0.6 0.9 H1.6", "M0.6 0.1 a0.12 0.12 0 1 1 0.01 0"),
    )
    example = Example(
        "300 N less 15 N of spring and 4.994 N of friction, 0.5 N·s/mm at 20 mm/s",
        {"rod": 20.0},
        {"rod": 0.0006 * (15.0 - 300.0 + 4.994 + 10.0)},
        {"foot_n": 300.0},
    )
    law = _pedal


_PEDAL = Pedal.rows()


@law
def _master(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            bore = k[c, _MASTER.bore_mm, b]
            area = _AREA * 0.25e-2 * math.pi * bore * bore / k[c, _MASTER.lever_ratio, b]
            v = x[c, 2, b]
            dp = x[c, 0, b] - x[c, 1, b]
            t, dt = sliding(v, _SLIDING_MM_S)
            friction = k[c, _MASTER.friction_n, b] * _TRANS
            f[c, 0, b] -= area * v
            f[c, 1, b] += 0.0
            f[c, 2, b] += friction * t + area * x[c, 0, b]
            j[c, 0, 2, b] -= area
            j[c, 2, 0, b] += area
            j[c, 2, 2, b] += friction * dt
            passed, _ = smooth_step(k[c, _MASTER.position, b], 0.01, 0.05)
            q, dq = turbulent(dp, k[c, _MASTER.port_k, b] * (1.0 - passed), 0.02)
            couple(f, j, c, b, 0, 1, q, dq)
            q, dq = turbulent(dp, k[c, _MASTER.cup_k, b], 0.5)
            couple(f, j, c, b, 0, 1, q, dq)
            q, dq = check_flow(-dp, k[c, _MASTER.refill_k, b], 0.1, 0.0)
            couple(f, j, c, b, 1, 0, q, dq)


class MasterCylinder(ComponentType):
    """Master cylinder; positive speed presses oil out of port A.

    ``q_out = A·v/i``, ``F = p·A/i + friction·sgn(v/1 mm/s)``, ``i`` the ratio of the lever before
    it, whose end its rod stands for. With the rod out the compensating port
    joins A to the reservoir and is shut over the first 1 to 5 % of the stroke; past the lip of its
    cup oil comes back from the reservoir at 0.1 bar. A cut cup lets it back while the pedal is
    held: the pedal sinks.
    """

    type_name = "master_cylinder"
    fittings_l = _FITTINGS_L
    label = "Master cylinder"
    words = (
        "master cylinder",
        "brake cylinder",
        "clutch master",
    )
    roles = (
        "seal",
        "slides",
    )
    ports = (Port("A"), Port("reservoir"), Port("rod", "translation"))
    stores_oil = True
    storage = (
        OilVolume(
            "A",
            lambda k: 6.0 * area_l_per_mm(k["bore_mm"]),
            "rod",
            lambda k: area_l_per_mm(k["bore_mm"]) / k["lever_ratio"],
            True,
        ),
        Place("rod", "position"),
    )

    class Parameters(ParameterSet):
        bore_mm: float = quantity(22, "mm", "piston diameter", low=5, high=100, guessed=OUTSIDE)
        lever_ratio: float = quantity(
            1, "1", "way of the lever's end over way of its piston", low=0.2, high=20
        )
        friction_n: float = quantity(
            10, "N", "friction of its cups, at the lever's end", low=0.1, high=5000, tolerance=0.25
        )
        port_k: float = quantity(0.8, "L/min/√bar", "compensating port", low=1e-5, high=50)
        refill_k: float = quantity(3, "L/min/√bar", "back past the lip of the cup", low=0, high=50)
        cup_k: float = quantity(1e-5, "L/min/√bar", "past the cup, pressed", low=1e-8, high=10)

    commands = (Command("position", 0, 1),)
    fault_modes = (
        FaultMode(
            name="cup_leaks",
            label="primary cup passes: the pedal sinks",
            parameter="cup_k",
            scale="decades",
            severe=0.6,
            family="detour",
            base_rate=1.2,
            look="Hold the pedal: it sinks and nothing is wet; oil moves in the reservoir.",
            remedy="Reseal or replace the master cylinder; bleed.",
            work="reseal",
        ),
        FaultMode(
            name="port_blocked",
            label="compensating port shut: no free travel, or swollen cup",
            parameter="port_k",
            scale="factor",
            severe=1e-4,
            family="dam",
            base_rate=0.6,
            look="Free travel at the pedal; no ripple in the reservoir at the first press.",
            remedy="Set the free travel; flush swollen rubber out with the specified fluid.",
            work="set",
        ),
        FaultMode(
            name="binds",
            label="piston of the master cylinder binds",
            parameter="friction_n",
            scale="factor",
            severe=30.0,
            family="load",
            base_rate=0.3,
            look="Corroded bore; the pedal comes back slowly.",
            remedy="Replace the master cylinder; bleed.",
        ),
    )
    symbol = Symbol(
        3.4,
        1.8,
        {"A": ("north", 0.6), "reservoir": ("north", 1.9), "rod": ("west", 1.15)},
        (
            "M0.3 0.7 H3 V1.6 H0.3 Z",
            "M1.1 0.7 V1.6",
            "M1.3 0.7 V1.6",
            "M0 1.15 H1.1",
            "M0.6 0 V0.7 M1.9 0 V0.7",
        ),
    )
    example = Example(
        "22 mm: 3.8013 cm², 50 mm/s = 1.1404 L/min out; 40 bar, port shut: 1520.5 N and 10 N",
        {"A": 40.0, "reservoir": 0.0, "rod": 50.0},
        {"A": -1.14035, "reservoir": -0.00006, "rod": 0.0006 * (1520.53 + 9.998)},
        {"position": 0.5},
    )
    law = _master


_MASTER = MasterCylinder.rows()


class BrakeLine(Line):
    """Brake pipe or hose; oil as in any line, and the air that was left in it.

    Air at no pressure is pressed together by Boyle's law: ``V·p₀/(p₀ + p)``, ``p₀`` 1.013 bar.
    ``rise_m`` is how much higher its outlet lies than its inlet, for bleeding.
    """

    type_name = "brake_line"
    fittings_l = _FITTINGS_L
    label = "Brake pipe or hose"
    words = (
        "brake line",
        "brake hose",
        "bundy tube",
    )
    storage = (*Line.storage, Gas("outlet", "air_l", "air_bar"))

    class Parameters(Line.Parameters):
        bore_mm: float = quantity(4.5, "mm", "inside diameter", low=1, high=40)
        air_l: float = quantity(1e-5, "L", "air left in it, at no pressure", low=1e-7, high=2)
        air_bar: float = quantity(
            0, "bar", "pressure at which that air was measured", low=0, high=1
        )
        rise_m: float = quantity(0, "m", "outlet above inlet", low=-10, high=10)

    fault_modes = (
        FaultMode(
            name="air",
            label="air in it: soft, spongy pedal",
            parameter="air_l",
            scale="factor",
            severe=2000.0,
            family="load",
            base_rate=1.6,
            look="Bubbles in a clear hose at the bleeder.",
            remedy="Bleed, upward where it can be done; clear hose, end under oil.",
            work="by_hand",
        ),
        *Line.fault_modes,
    )
    example = Example(
        "1 m of 10 mm at 46 mm²/s and 10 L/min, Re 461: 0.27176 bar + 0.03918·(1 + 320/461) in fittings",
        {"inlet": 0.33811, "outlet": 0.0},
        {"inlet": 10.0, "outlet": -10.0},
        {"length_m": 1.0, "bore_mm": 10.0, "fittings_zeta": 2.0},
    )


class WheelCylinder(SingleActingCylinder):
    """Wheel cylinder: presses the shoes apart; what passes its cup is outside.

    ``q = A·v + leakage``, ``F = p·A − friction``.
    """

    type_name = "wheel_cylinder"
    pushed_one_way = True
    fittings_l = _FITTINGS_L
    label = "Wheel cylinder"
    words = (
        "wheel cylinder",
        "slave of a drum brake",
        "caliper piston",
    )

    class Parameters(SingleActingCylinder.Parameters):
        bore_mm: float = quantity(20, "mm", "piston diameter", low=5, high=100, guessed=OUTSIDE)
        friction_n: float = quantity(
            40, "N", "friction of its cups", low=0.1, high=500000, tolerance=0.25
        )
        seal_lpm_per_bar: float = quantity(
            2e-7, "L/min/bar", "cup leakage at 46 mm²/s", low=1e-9, high=5
        )

    fault_modes = (
        FaultMode(
            name="leaks",
            label="wheel cylinder leaks outside",
            parameter="tear_k",
            scale="decades",
            severe=0.4,
            family="detour",
            base_rate=1.0,
            look="Wet backing plate, wet linings; a falling level.",
            remedy="Replace the wheel cylinders and wet linings of both sides; bleed.",
            work="outside",
        ),
        FaultMode(
            name="seized",
            label="wheel cylinder seized",
            parameter="friction_n",
            scale="factor",
            severe=100.0,
            family="load",
            base_rate=0.8,
            look="Boot off: rust; it does not move while the pedal is pressed.",
            remedy="Replace the wheel cylinder; bleed.",
        ),
    )
    example = Example(
        "20 mm: 3.1416 cm²; 10 mm/s = 0.18850 L/min; 50 bar less 40 N",
        {"A": 50.0, "vent": 0.0, "rod": 10.0},
        {"A": 0.188506, "vent": -0.00001, "rod": -0.0006 * (1570.80 - 39.80)},
        rel=2e-3,
    )


@law
def _shoes(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            v = x[c, 0, b]
            t, dt = sliding(v, _SLIDING_MM_S)
            drag = (k[c, _SHOES.resistance_n, b] + k[c, _SHOES.binding_n, b]) * _TRANS
            firm = 1.0 + 999.0 * k[c, _SHOES.firm, b]
            resting = _RESTS * (1.0 - k[c, _SHOES.firm, b]) * _TRANS
            back, dback = ramp(-v, _RESTS_WITHIN_MM_S)
            viscous = (10.0 + 1e6 * firm * k[c, _SHOES.stop, b]) * _TRANS
            f[c, 0, b] = k[c, _SHOES.spring_n, b] * _TRANS + drag * t + viscous * v
            f[c, 0, b] -= resting * back
            j[c, 0, 0, b] = drag * dt + viscous + resting * dback


class BrakeShoes(ComponentType):
    """Shoes with their return spring: free over their clearance, then hard against the drum.

    ``F = spring + (resistance + binding)·sgn(v/1 mm/s) + D·v``; where time runs they stop at the
    drum after ``clearance_mm``, in a steady state the command ``stop`` holds them there and their
    inner stop is where they rest.
    """

    type_name = "brake_shoes"
    resisted_by = ("resistance_n",)
    named_on_demand = True
    label = "Brake shoes"
    words = (
        "drum brake",
        "brake lining",
        "shoes",
        "pads",
    )
    roles = ("slides",)
    ports = (Port("rod", "translation"),)
    storage = (Inertia("rod", lambda k: 2.0), End("rod", "clearance_mm"))
    in_time: ClassVar[Mapping[str, float]] = {"firm": 1.0}
    passive = False

    class Parameters(ParameterSet):
        spring_n: float = quantity(180, "N", "return spring", low=0, high=20000, tolerance=0.05)
        binding_n: float = quantity(5, "N", "pivots and backing plate", low=0, high=50000)
        clearance_mm: float = quantity(
            0.8, "mm", "way to the drum", low=0.05, high=40, tolerance=0.12
        )

    commands = (
        Command("resistance_n", 0, 1e5),
        Command("stop", 0, 1),
        Command("firm", 0, 1),
    )
    fault_modes = (
        FaultMode(
            name="clearance",
            label="linings worn or out of adjustment: a long way to the drum",
            parameter="clearance_mm",
            scale="factor",
            severe=5.0,
            family="load",
            base_rate=1.4,
            look="Turns of the adjuster until the drum drags; thickness of the linings.",
            remedy="Adjust both sides alike; renew linings below their limit.",
            work="set",
        ),
        FaultMode(
            name="spring_broken",
            label="return spring weak or broken: the wheel drags",
            parameter="spring_n",
            scale="factor",
            severe=0.05,
            family="load",
            base_rate=0.5,
            look="Drum off: the spring; a warm wheel after a run without braking.",
            remedy="Renew the springs of both sides.",
            work="clean",
        ),
        FaultMode(
            name="binding",
            label="shoes bind on their pivots",
            parameter="binding_n",
            scale="to",
            severe=1500.0,
            family="load",
            base_rate=0.5,
            remarks=("jerky",),
            look="Drum off: shoes that do not move freely by hand.",
            remedy="Clean and grease the pivots.",
            work="clean",
        ),
    )
    symbol = Symbol(
        1.6,
        1.6,
        {"rod": ("west", 0.8)},
        ("M0 0.8 H0.5", "M0.5 0.3 A0.9 0.9 0 0 1 0.5 1.3", "M0.9 0.1 A1 1 0 0 1 0.9 1.5"),
    )
    example = Example(
        "180 N of spring, 5 N of pivots and 10 N·s/mm at 20 mm/s",
        {"rod": 20.0},
        {"rod": 0.0006 * (180.0 + 4.994 + 200.0)},
    )
    law = _shoes


_SHOES = BrakeShoes.rows()
