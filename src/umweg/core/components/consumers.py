"""Cylinders and motors, and the loads that they move."""

import math
from collections.abc import Mapping
from typing import ClassVar

from umweg.core.components.base import (
    AREA_FLOW,
    OUTSIDE,
    ROTATION,
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
from umweg.core.components.crossing import HOSES_CROSSED, crossed, turn
from umweg.core.components.kernels import couple, law, soft_sign, turbulent
from umweg.core.components.overload import LADEN, OVERLOADED, over
from umweg.core.components.storage import Inertia, OilVolume, Values, area_l_per_mm, chambers
from umweg.core.fluid import REFERENCE_VISCOSITY_MM2_S as NU_REF

_AREA = AREA_FLOW
_TRANS = TRANSLATION
_ROT = ROTATION
_COULOMB_SPEED_MM_S = 1.0


@law
def _cylinder(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            bore_area = 0.25e-2 * math.pi * k[c, _CYLINDER.bore_mm, b] * k[c, _CYLINDER.bore_mm, b]
            ring_area = (
                bore_area
                - 0.25e-2 * math.pi * k[c, _CYLINDER.rod_mm, b] * k[c, _CYLINDER.rod_mm, b]
            )
            cap = _AREA * bore_area
            ring = _AREA * ring_area
            as_drawn = k[c, _CYLINDER.crossed, b] <= 0.5
            at_a = cap if as_drawn else -ring
            at_b = -ring if as_drawn else cap
            v = x[c, 2, b]
            t, dt = soft_sign(v / _COULOMB_SPEED_MM_S)
            friction = k[c, _CYLINDER.friction_n, b] * _TRANS
            f[c, 0, b] += at_a * v
            f[c, 1, b] += at_b * v
            f[c, 2, b] += friction * t - at_a * x[c, 0, b] - at_b * x[c, 1, b]
            j[c, 0, 2, b] += at_a
            j[c, 1, 2, b] += at_b
            j[c, 2, 0, b] -= at_a
            j[c, 2, 1, b] -= at_b
            j[c, 2, 2, b] += friction * dt / _COULOMB_SPEED_MM_S
            dp = x[c, 0, b] - x[c, 1, b]
            leak = k[c, _CYLINDER.seal_lpm_per_bar, b] * NU_REF / env[0, b]
            couple(f, j, c, b, 0, 1, leak * dp, leak)
            q, dq = turbulent(dp, k[c, _CYLINDER.tear_k, b], 0.5)
            couple(f, j, c, b, 0, 1, q, dq)


def _dead_l(k: Values) -> float:
    """Oil left in an end of a cylinder at its stop: ten millimetres of its bore."""
    return 10.0 * area_l_per_mm(k["bore_mm"])


class Cylinder(ComponentType):
    """Double-acting differential cylinder; positive speed extends.

    ``q_A = A·v + leakage``, ``q_B = −(A − A_rod)·v − leakage``,
    ``F = p_A·A − p_B·(A − A_rod) − F_friction·sgn(v/1 mm/s)``; the piston seal leaks in
    proportion to Δp/ν, and a torn one as an orifice.
    """

    type_name = "cylinder"
    label = "Cylinder"
    words = (
        "ram",
        "jack",
        "piston rod",
        "double acting cylinder",
        "hydraulic ram",
        "tilt cylinder",
        "lift ram",
        "dipper ram",
        "steering ram",
    )
    roles = (
        "seal",
        "slides",
        "two hoses alike",
    )
    ports = (Port("A"), Port("B"), Port("rod", "translation"))
    stores_oil = True
    leaks_past = ("A", "B")
    storage = (
        OilVolume("A", _dead_l, "rod", lambda k: area_l_per_mm(k["bore_mm"])),
        OilVolume("B", _dead_l, "rod", lambda k: area_l_per_mm(k["bore_mm"], k["rod_mm"]), True),
    )

    class Parameters(ParameterSet):
        bore_mm: float = quantity(80, "mm", "piston diameter", low=10, high=500, guessed=OUTSIDE)
        rod_mm: float = quantity(45, "mm", "rod diameter", low=1, high=400, guessed=OUTSIDE)
        friction_n: float = quantity(
            900, "N", "seal and guide friction", low=1, high=500000, tolerance=0.25
        )
        seal_lpm_per_bar: float = quantity(
            5e-6, "L/min/bar", "piston seal leakage at 46 mm²/s", low=1e-8, high=5
        )
        tear_k: float = quantity(0, "L/min/√bar", "opening of a torn seal", low=0, high=50)
        crossed: float = crossed("its hoses are swapped")

    fault_modes = (
        FaultMode(
            name="piston_bypass",
            label="piston seal leaks",
            parameter="tear_k",
            scale="decades",
            severe=5.0,
            family="detour",
            base_rate=1.2,
            look="Torn seal or scored tube when the cylinder is open.",
            remedy="Reseal the cylinder; measure tube and piston.",
            work="reseal",
        ),
        FaultMode(
            name="binding",
            label="cylinder binds: bent rod or dry pins",
            parameter="friction_n",
            scale="factor",
            severe=60.0,
            family="load",
            base_rate=0.4,
            remarks=("jerky",),
            look="Rod runout, polished stripe on one side, dry pins.",
            remedy="Grease or replace pins; replace a bent rod.",
            work="reseal",
        ),
        HOSES_CROSSED,
    )
    symbol = Symbol(
        5,
        1.6,
        {"A": ("south", 0.6), "B": ("south", 3.0), "rod": ("east", 0.6)},
        (
            "M0.2 0.1 H3.4 V1.1 H0.2 Z",
            "M1.4 0.1 V1.1",
            "M1.7 0.1 V1.1",
            "M1.7 0.5 H5",
            "M1.7 0.7 H5",
            "M0.6 1.6 V1.1",
            "M3 1.6 V1.1",
        ),
    )
    example = Example(
        "80/45 mm: A = 50.265 cm², ring 34.361 cm²; 50 mm/s: 15.08 and 10.31 L/min; force of "
        "100 bar against 5 bar less 900 N friction",
        {"A": 100.0, "B": 5.0, "rod": 50.0},
        {"A": 15.080, "B": -10.309, "rod": -0.0006 * (50265.5 - 1718.1 - 900.0)},
    )
    law = _cylinder


_CYLINDER = Cylinder.rows()


@law
def _mechanical_load(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            v = x[c, 0, b]
            t, dt = soft_sign(v / _COULOMB_SPEED_MM_S)
            scale = k[c, _MECHANICAL_LOAD.scale, b] * (
                1.0 + k[c, _MECHANICAL_LOAD.laden, b] * k[c, _MECHANICAL_LOAD.over, b]
            )
            drag = (
                scale * k[c, _MECHANICAL_LOAD.resistance_n, b] + k[c, _MECHANICAL_LOAD.binding_n, b]
            ) * _TRANS
            firm = 1.0 + 999.0 * k[c, _MECHANICAL_LOAD.firm, b]
            viscous = (10.0 + 1e6 * firm * k[c, _MECHANICAL_LOAD.stop, b]) * _TRANS
            f[c, 0, b] = scale * k[c, _MECHANICAL_LOAD.force_n, b] * _TRANS + drag * t + viscous * v
            j[c, 0, 0, b] = drag * dt / _COULOMB_SPEED_MM_S + viscous


class MechanicalLoad(ComponentType):
    """What the rods push: a constant force, a resistance against motion, or a stop.

    ``F = s·force + (s·resistance + binding)·sgn(v/1 mm/s) + D·v`` with ``s = scale·(1 + over)``,
    ``over`` only where it is laden; D is 10 N·s/mm, and 10⁶ N·s/mm more when the function stands against its stop, and a thousand times that where time
    runs: ten minutes of creep would be taken for a leak.
    """

    type_name = "mechanical_load"
    named_on_demand = True
    label = "Load"
    words = (
        "load",
        "weight",
        "boom",
        "platform",
        "blade",
    )
    roles = ("slides",)
    ports = (Port("rod", "translation"),)

    carried_by = ("force_n",)
    resisted_by = ("resistance_n",)
    storage = (Inertia("rod", lambda k: k["mass_kg"]),)
    in_time: ClassVar[Mapping[str, float]] = {"firm": 1.0}

    class Parameters(ParameterSet):
        binding_n: float = quantity(0, "N", "resistance of the mechanism itself", low=0, high=1e6)
        scale: float = quantity(
            1, "1", "true load over the load named", low=0, high=5, tolerance=0.08, guessed=0.08
        )
        over: float = over()
        mass_kg: float = quantity(300, "kg", "what is set in motion, at the rod", low=1, high=1e6)

    commands = (
        Command("resistance_n", 0, 1e6),
        Command("force_n", -1e6, 1e6),
        Command("stop", 0, 1),
        Command("firm", 0, 1),
        LADEN,
    )
    fault_modes = (
        FaultMode(
            name="binding",
            label="mechanism binds: dry guide or bent frame",
            parameter="binding_n",
            scale="to",
            severe=120000.0,
            family="load",
            base_rate=0.5,
            remarks=("jerky",),
            look="Scored guides, dry pivots; it moves freely only part of the way.",
            remedy="Free, align and grease the mechanism.",
            work="clean",
        ),
        OVERLOADED,
    )
    passive = False
    symbol = Symbol(
        1.6,
        1.2,
        {"rod": ("west", 0.6)},
        ("M0.3 0 V1.2", "M0 0.6 H0.3", "M0.3 0.3 L0.7 0 M0.3 0.7 L1 0.1 M0.3 1.1 L1.2 0.3"),
    )
    example = Example(
        "20 kN constant and 10 N·s/mm at 50 mm/s = 20.5 kN",
        {"rod": 50.0},
        {"rod": 12.3},
        {"force_n": 20000.0},
    )
    law = _mechanical_load


_MECHANICAL_LOAD = MechanicalLoad.rows()


@law
def _motor(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            displacement = k[c, _MOTOR.displacement_cm3, b] * 1e-3 * turn(k[c, _MOTOR.crossed, b])
            leak = k[c, _MOTOR.leakage_lpm_per_bar, b] * NU_REF / env[0, b]
            n = x[c, 2, b]
            dp = x[c, 0, b] - x[c, 1, b]
            t, dt = soft_sign(n / 5.0)
            couple(f, j, c, b, 0, 1, leak * dp, leak)
            f[c, 0, b] += displacement * n
            f[c, 1, b] -= displacement * n
            f[c, 2, b] += k[c, _MOTOR.friction_nm, b] * _ROT * t - displacement * dp
            j[c, 0, 2, b] += displacement
            j[c, 1, 2, b] -= displacement
            j[c, 2, 0, b] -= displacement
            j[c, 2, 1, b] += displacement
            j[c, 2, 2, b] += k[c, _MOTOR.friction_nm, b] * _ROT * dt / 5.0


WRONG_MOTOR = FaultMode(
    name="wrong_size",
    label="a larger motor than specified was fitted",
    parameter="displacement_cm3",
    scale="factor",
    severe=1.8,
    family="load",
    base_rate=0.02,
    look="Plate or stamped size against the parts list.",
    remedy="Fit the specified one.",
    work="wrong_part",
)


class HydraulicMotor(ComponentType):
    """Fixed motor, either direction: ``q = V·n + G·(ν_ref/ν)·Δp``, ``T = V·Δp/(20π) − friction``."""

    type_name = "hydraulic_motor"
    label = "Hydraulic motor"
    words = (
        "orbit motor",
        "gear motor",
        "rotator",
        "gerotor motor",
        "auger motor",
        "broom motor",
        "motor",
    )
    roles = (
        "turns oil",
        "of a size",
        "two hoses alike",
    )
    ports = (Port("A"), Port("B"), Port("shaft", "rotation"))
    storage = chambers("A", "B")

    class Parameters(ParameterSet):
        displacement_cm3: float = quantity(
            28, "cm³", "displacement per revolution", low=0.5, high=5000, tolerance=0.01
        )
        leakage_lpm_per_bar: float = quantity(
            0.01, "L/min/bar", "internal leakage at 46 mm²/s", low=1e-5, high=10, tolerance=0.25
        )
        friction_nm: float = quantity(
            2, "Nm", "friction of the shaft", low=0.01, high=5000, tolerance=0.2
        )
        crossed: float = crossed("its hoses are swapped")

    fault_modes = (
        FaultMode(
            name="worn",
            label="motor worn, oil passes inside",
            parameter="leakage_lpm_per_bar",
            scale="factor",
            severe=30.0,
            family="detour",
            base_rate=1.0,
            look="Flow from the case drain; scored faces when it is open.",
            remedy="Exchange the motor; flush first.",
        ),
        WRONG_MOTOR,
        FaultMode(
            name="binding",
            label="motor or its bearing binds",
            parameter="friction_nm",
            scale="factor",
            severe=25.0,
            family="load",
            base_rate=0.4,
            remarks=("jerky",),
            look="Hard to turn by hand; hot bearing.",
            remedy="Replace the bearing or the motor.",
        ),
        HOSES_CROSSED,
    )
    symbol = Symbol(
        2.4,
        2.4,
        {"A": ("south", 1.2), "B": ("north", 1.2), "shaft": ("east", 1.2)},
        ("M1.2 0.2 A1 1 0 1 1 1.2 2.2 A1 1 0 1 1 1.2 0.2", "M2.2 1.12 H2.4", "M2.2 1.28 H2.4"),
        (),
        ("M1.2 1.6 L0.8 2.15 L1.6 2.15 Z", "M1.2 0.8 L0.8 0.25 L1.6 0.25 Z"),
    )
    example = Example(
        "28 cm³ at 1000 rpm 28 L/min and 0.01·150 = 1.5; 28·150/62.832 = 66.845 Nm less 2 Nm",
        {"A": 150.0, "B": 0.0, "shaft": 1000.0},
        {"A": 29.5, "B": -29.5, "shaft": -0.0628319 * 64.845},
    )
    law = _motor


_MOTOR = HydraulicMotor.rows()


@law
def _fan(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            n = x[c, 0, b] * 1e-3
            torque = (
                k[c, _FAN.torque_nm_at_1000, b] * n * abs(n) + k[c, _FAN.drag_nm_at_1000, b] * n
            )
            f[c, 0, b] = _ROT * torque
            j[c, 0, 0, b] = (
                _ROT
                * (2.0 * k[c, _FAN.torque_nm_at_1000, b] * abs(n) + k[c, _FAN.drag_nm_at_1000, b])
                * 1e-3
            )


class FanLoad(ComponentType):
    """Fan: torque with the square of its speed, ``T = c·(n/1000)² + d·n/1000``."""

    type_name = "fan_load"
    label = "Fan"
    words = (
        "fan",
        "blower",
        "impeller",
    )
    roles = ("slides",)
    ports = (Port("shaft", "rotation"),)
    storage = (Inertia("shaft", lambda k: k["inertia_kgm2"]),)

    class Parameters(ParameterSet):
        torque_nm_at_1000: float = quantity(
            12, "Nm", "torque at 1000 rpm", low=0.01, high=5000, tolerance=0.05
        )
        drag_nm_at_1000: float = quantity(0.2, "Nm", "bearing drag at 1000 rpm", low=1e-3, high=500)
        inertia_kgm2: float = quantity(0.3, "kg·m²", "of fan and hub", low=1e-4, high=1e4)

    fault_modes = (
        FaultMode(
            name="blocked",
            label="fan rubs its shroud or its bearing seizes",
            parameter="drag_nm_at_1000",
            scale="factor",
            severe=400.0,
            family="load",
            base_rate=0.4,
            remarks=("rattles",),
            look="Rub marks on the shroud, hot bearing.",
            remedy="Free the fan, replace the bearing.",
            work="clean",
        ),
    )
    symbol = Symbol(
        1.6,
        1.6,
        {"shaft": ("west", 0.8)},
        ("M0 0.8 H0.7", "M0.8 0.8 C0.3 0.1 1.3 0.1 0.8 0.8", "M0.8 0.8 C0.3 1.5 1.3 1.5 0.8 0.8"),
    )
    example = Example("12·2² + 0.2·2 = 48.4 Nm", {"shaft": 2000.0}, {"shaft": 0.0628319 * 48.4})
    law = _fan


_FAN = FanLoad.rows()
