"""Clutches, brakes, single-acting cylinders, and loads that depend on where they are."""

import math
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
from umweg.core.components.kernels import (
    couple,
    cracking,
    law,
    scalar,
    sliding,
    smooth_step,
    turbulent,
)
from umweg.core.components.overload import LADEN, OVERLOADED, over
from umweg.core.components.storage import Inertia, OilVolume, Place, area_l_per_mm
from umweg.core.fluid import REFERENCE_VISCOSITY_MM2_S as NU_REF

_AREA = AREA_FLOW
_TRANS = TRANSLATION
_ROT = ROTATION


@scalar
def _ram(x, env, f, j, c, b, bore_mm, friction_n, seal_lpm_per_bar, tear_k):
    """A piston that oil pushes one way, ports oil, vent and rod; what passes it leaves by the vent."""
    area = _AREA * 0.25e-2 * 3.141592653589793 * bore_mm * bore_mm
    v = x[c, 2, b]
    t, dt = sliding(v, 1.0)
    friction = friction_n * _TRANS
    f[c, 0, b] += area * v
    f[c, 2, b] += friction * t - area * x[c, 0, b]
    j[c, 0, 2, b] += area
    j[c, 2, 0, b] -= area
    j[c, 2, 2, b] += friction * dt
    dp = x[c, 0, b] - x[c, 1, b]
    leak = seal_lpm_per_bar * NU_REF / env[0, b]
    couple(f, j, c, b, 0, 1, leak * dp, leak)
    q, dq = turbulent(dp, tear_k, 0.5)
    couple(f, j, c, b, 0, 1, q, dq)


@law
def _single_acting(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            _ram(
                x, env, f, j, c, b,
                k[c, _SINGLE_ACTING.bore_mm, b],
                k[c, _SINGLE_ACTING.friction_n, b],
                k[c, _SINGLE_ACTING.seal_lpm_per_bar, b],
                k[c, _SINGLE_ACTING.tear_k, b],
            )  # fmt: skip


class SingleActingCylinder(ComponentType):
    """Single-acting cylinder or ram; positive speed extends, the load brings it back.

    ``q = A·v + leakage``, ``F = p·A − friction``; what passes the seal leaves by the vent.
    """

    type_name = "single_acting_cylinder"
    pushed_one_way = True
    label = "Single-acting cylinder"
    words: ClassVar[tuple[str, ...]] = (
        "single acting ram",
        "plunger",
        "displacement cylinder",
        "hoist ram",
        "lift jack",
        "jack leg",
        "slave cylinder",
    )
    roles = (
        "seal",
        "slides",
    )
    ports = (Port("A"), Port("vent", line="drain"), Port("rod", "translation"))
    stores_oil = True
    storage = (
        OilVolume(
            "A",
            lambda k: 10.0 * area_l_per_mm(k["bore_mm"]),
            "rod",
            lambda k: area_l_per_mm(k["bore_mm"]),
        ),
    )

    class Parameters(ParameterSet):
        bore_mm: float = quantity(80, "mm", "piston diameter", low=5, high=500, guessed=OUTSIDE)
        friction_n: float = quantity(
            500, "N", "seal and guide friction", low=0.1, high=500000, tolerance=0.25
        )
        seal_lpm_per_bar: float = quantity(
            5e-6, "L/min/bar", "seal leakage at 46 mm²/s", low=1e-9, high=5
        )
        tear_k: float = quantity(0, "L/min/√bar", "opening of a torn seal", low=0, high=50)

    fault_modes = (
        FaultMode(
            name="seal_leaks",
            label="piston seal leaks",
            parameter="tear_k",
            scale="decades",
            severe=4.0,
            family="detour",
            base_rate=1.2,
            look="Oil from its vent or back in the housing while the load hangs.",
            remedy="Reseal the cylinder; measure tube and piston.",
            work="reseal",
        ),
        FaultMode(
            name="binding",
            label="piston binds in its bore",
            parameter="friction_n",
            scale="factor",
            severe=60.0,
            family="load",
            base_rate=0.4,
            remarks=("jerky",),
            look="Scored tube, bent rod.",
            remedy="Free or replace it.",
            work="clean",
        ),
    )
    symbol = Symbol(
        4.4,
        1.6,
        {"A": ("south", 0.6), "vent": ("south", 2.6), "rod": ("east", 0.6)},
        (
            "M0.2 0.1 H3 V1.1 H0.2 Z",
            "M1.4 0.1 V1.1",
            "M1.7 0.1 V1.1",
            "M1.7 0.5 H4.4",
            "M1.7 0.7 H4.4",
            "M0.6 1.6 V1.1",
        ),
        ("M2.6 1.6 V1.1",),
    )
    example = Example(
        "80 mm: 50.265 cm²; 50 mm/s = 15.08 L/min; 100 bar less 500 N",
        {"A": 100.0, "vent": 0.0, "rod": 50.0},
        {"A": 15.080, "vent": -0.0005, "rod": -0.0006 * (50265.5 - 499.9)},
    )
    law = _single_acting


_SINGLE_ACTING = SingleActingCylinder.rows()


@law
def _telescopic(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            place = k[c, _TELESCOPIC.position, b]
            second, _ = smooth_step(place - k[c, _TELESCOPIC.share_1, b], -0.01, 0.01)
            third, _ = smooth_step(place - k[c, _TELESCOPIC.share_2, b], -0.01, 0.01)
            second = max(second, k[c, _TELESCOPIC.hangs, b])
            bore = (
                k[c, _TELESCOPIC.bore_1_mm, b] * (1.0 - second)
                + k[c, _TELESCOPIC.bore_2_mm, b] * (second - third)
                + k[c, _TELESCOPIC.bore_3_mm, b] * third
            )
            _ram(
                x, env, f, j, c, b, bore,
                k[c, _TELESCOPIC.friction_n, b],
                k[c, _TELESCOPIC.seal_lpm_per_bar, b],
                k[c, _TELESCOPIC.tear_k, b],
            )  # fmt: skip


class TelescopicCylinder(ComponentType):
    """Single-acting cylinder of three stages, the widest out first; the load brings it back.

    ``q = A·v``, ``F = p·A − friction``, with the area of the stage that moves where the rod stands: at
    the same flow every stage is faster than the one before, and takes more pressure. Where the first
    hangs, the second moves in its place.
    """

    type_name = "telescopic_cylinder"
    pushed_one_way = True
    label = "Telescopic cylinder"
    words = (
        "telescopic ram",
        "tipping ram",
        "tipper ram",
        "multi-stage ram",
        "hoist cylinder",
    )
    roles = (
        "seal",
        "slides",
    )
    ports = (Port("A"), Port("vent", line="drain"), Port("rod", "translation"))
    stores_oil = True
    storage = (
        OilVolume(
            "A",
            lambda k: 10.0 * area_l_per_mm(k["bore_1_mm"]),
            "rod",
            lambda k: (
                area_l_per_mm(k["bore_1_mm"]) * k["share_1"]
                + area_l_per_mm(k["bore_2_mm"]) * (k["share_2"] - k["share_1"])
                + area_l_per_mm(k["bore_3_mm"]) * (1.0 - k["share_2"])
            ),
        ),
        Place("rod", "position"),
    )

    class Parameters(ParameterSet):
        bore_1_mm: float = quantity(120, "mm", "widest stage, out first", low=10, high=500)
        bore_2_mm: float = quantity(100, "mm", "second stage", low=8, high=500)
        bore_3_mm: float = quantity(80, "mm", "narrowest stage, out last", low=5, high=500)
        share_1: float = quantity(0.34, "1", "of the stroke: the first is out", low=0.02, high=0.98)
        share_2: float = quantity(
            0.67, "1", "of the stroke: the second is out", low=0.02, high=0.99
        )
        friction_n: float = quantity(
            1500, "N", "seals and guides", low=0.1, high=500000, tolerance=0.25
        )
        seal_lpm_per_bar: float = quantity(
            5e-6, "L/min/bar", "seal leakage at 46 mm²/s", low=1e-9, high=5
        )
        tear_k: float = quantity(0, "L/min/√bar", "opening of a torn seal", low=0, high=50)
        hangs: float = quantity(0, "1", "the first stage stays in", low=0, high=1)

    commands = (Command("position", 0, 1, 0.2),)
    fault_modes = (
        *SingleActingCylinder.fault_modes,
        FaultMode(
            name="stage_hangs",
            label="first stage hangs: bent, dry or scored",
            parameter="hangs",
            scale="switch",
            severe=1.0,
            family="load",
            base_rate=0.5,
            remarks=("jerky",),
            look="The second stage comes out before the first; it lifts fast, and less.",
            remedy="Set it down, prop it; free, straighten or replace the stage.",
            work="clean",
        ),
    )
    symbol = Symbol(
        4.4,
        1.6,
        {"A": ("south", 0.6), "vent": ("south", 2.6), "rod": ("east", 0.6)},
        (
            "M0.2 0 H2.6 V1.2 H0.2 Z",
            "M0.8 0.2 H3.2 V1 H0.8 Z",
            "M1.4 0.4 H3.8 V0.8 H1.4 Z",
            "M3.8 0.6 H4.4",
            "M0.6 1.6 V1.2",
        ),
        ("M2.6 1.6 V1",),
    )
    example = Example(
        "first stage, 120 mm: 113.1 cm²; 50 mm/s = 33.93 L/min; 100 bar less 1500 N",
        {"A": 100.0, "vent": 0.0, "rod": 50.0},
        {"A": 33.930, "vent": -0.0005, "rod": -0.0006 * (113097.3 - 1499.7)},
    )
    law = _telescopic


_TELESCOPIC = TelescopicCylinder.rows()


@law
def _lever_load(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            place = min(max(k[c, _LEVER_LOAD.position, b], 0.0), 1.0) * 4.0
            cell = min(int(place), 3)
            part = place - cell
            levers = (
                k[c, _LEVER_LOAD.lever_0, b],
                k[c, _LEVER_LOAD.lever_25, b],
                k[c, _LEVER_LOAD.lever_50, b],
                k[c, _LEVER_LOAD.lever_75, b],
                k[c, _LEVER_LOAD.lever_100, b],
            )
            lever = levers[cell] * (1.0 - part) + levers[cell + 1] * part
            v = x[c, 0, b]
            t, dt = sliding(v, 1.0)
            drag = (k[c, _LEVER_LOAD.resistance_n, b] + k[c, _LEVER_LOAD.binding_n, b]) * _TRANS
            viscous = (10.0 + 1e6 * k[c, _LEVER_LOAD.stop, b]) * _TRANS
            f[c, 0, b] = (
                k[c, _LEVER_LOAD.weight_n, b]
                * k[c, _LEVER_LOAD.scale, b]
                * (1.0 + k[c, _LEVER_LOAD.laden, b] * k[c, _LEVER_LOAD.over, b])
                * lever
                * _TRANS
                + drag * t
                + viscous * v
            )
            j[c, 0, 0, b] = drag * dt + viscous


class LeverLoad(ComponentType):
    """A weight on a lever: the force at the rod follows the position, and changes its sign.

    ``F = scale·(1 + over)·weight·lever(position)``, ``over`` only where it is laden; the lever, rod force over weight, is a table of five
    values along the stroke, negative beyond the balance point. Add friction and ``stop``.
    """

    type_name = "lever_load"
    named_on_demand = True
    label = "Load on a lever"
    words = (
        "arm",
        "boom on a pivot",
        "tailgate",
        "bucket arm",
    )
    roles = ("slides",)
    ports = (Port("rod", "translation"),)

    carried_by = ("weight_n",)
    resisted_by = ("resistance_n",)
    storage = (Inertia("rod", lambda k: k["mass_kg"]), Place("rod", "position"))

    class Parameters(ParameterSet):
        lever_0: float = quantity(2, "1", "rod force over weight, rod in", low=-50, high=50)
        lever_25: float = quantity(1.6, "1", "at a quarter of the stroke", low=-50, high=50)
        lever_50: float = quantity(1.1, "1", "at half the stroke", low=-50, high=50)
        lever_75: float = quantity(0.5, "1", "at three quarters", low=-50, high=50)
        lever_100: float = quantity(-0.2, "1", "rod out", low=-50, high=50)
        binding_n: float = quantity(200, "N", "friction of the mechanism", low=0, high=1e6)
        scale: float = quantity(
            1, "1", "true weight over the weight named", low=0, high=5, tolerance=0.06, guessed=0.06
        )
        over: float = over()
        mass_kg: float = quantity(500, "kg", "what is set in motion, at the rod", low=1, high=1e6)

    commands = (
        Command("weight_n", 0, 1e6),
        Command("position", 0, 1),
        Command("resistance_n", 0, 1e6),
        Command("stop", 0, 1),
        LADEN,
    )
    fault_modes = (
        FaultMode(
            name="binding",
            label="mechanism binds: seized pivot or bent frame",
            parameter="binding_n",
            scale="to",
            severe=60000.0,
            family="load",
            base_rate=0.5,
            remarks=("jerky",),
            look="Dry or scored pivots; frame out of line.",
            remedy="Free, align and grease the mechanism.",
            work="clean",
        ),
        OVERLOADED,
    )
    passive = False
    symbol = Symbol(
        2,
        1.4,
        {"rod": ("west", 0.8)},
        ("M0 0.8 H0.5 L1.8 0.2", "M0.5 0.8 l-0.2 0.4 h0.4 Z", "M1.5 0.4 V1.1 h0.5 v-0.4 h-0.5"),
    )
    example = Example(
        "rod in: 2·10 kN, 10 N·s/mm and 200 N friction at 20 mm/s",
        {"rod": 20.0},
        {"rod": 0.0006 * (20000 + 199.75 + 200)},
        {"weight_n": 10000.0},
    )
    law = _lever_load


_LEVER_LOAD = LeverLoad.rows()


_AIR_NM_PER_RPM, _AIR_NM_PER_RPM2 = 5e-4, 3e-7
"""What grease and air hold back: an inertia alone has no bearing to speak of, and a load that runs away
is held by the air at last."""


@law
def _rotary_load(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            n = x[c, 0, b]
            t, dt = sliding(n, 5.0)
            scale = k[c, _ROTARY_LOAD.scale, b] * (
                1.0 + k[c, _ROTARY_LOAD.laden, b] * k[c, _ROTARY_LOAD.over, b]
            )
            drag = scale * k[c, _ROTARY_LOAD.resistance_nm, b] + k[c, _ROTARY_LOAD.binding_nm, b]
            viscous = _AIR_NM_PER_RPM + 100.0 * k[c, _ROTARY_LOAD.stop, b]
            air = _AIR_NM_PER_RPM2 * abs(n)
            torque = scale * k[c, _ROTARY_LOAD.torque_nm, b] + drag * t + (viscous + air) * n
            f[c, 0, b] = _ROT * torque
            j[c, 0, 0, b] = _ROT * (drag * dt + viscous + 2.0 * air)


class RotaryLoad(ComponentType):
    """What a motor turns: a constant torque (downhill it drives), a resistance, or a stop.

    ``T = w·torque + (w·resistance + binding)·s/√(1 + s²) + (D + E·|n|)·n`` with ``w = scale·(1 + over)``,
    ``over`` only where it is laden, and ``s = n/5 rpm``; D is 0.0005 Nm/rpm, E 3·10⁻⁷ Nm/rpm², and 100 Nm/rpm more at
    a stop.
    """

    type_name = "rotary_load"
    named_on_demand = True
    label = "Load on a shaft"
    words = (
        "winch",
        "drum",
        "turntable",
        "conveyor",
        "auger",
        "rotor",
        "wheel",
    )
    roles = ("slides",)
    ports = (Port("shaft", "rotation"),)

    carried_by = ("torque_nm",)
    resisted_by = ("resistance_nm",)
    storage = (Inertia("shaft", lambda k: k["inertia_kgm2"]),)

    class Parameters(ParameterSet):
        binding_nm: float = quantity(0, "Nm", "resistance of the drive itself", low=0, high=1e5)
        scale: float = quantity(
            1, "1", "true load over the load named", low=0, high=5, tolerance=0.08, guessed=0.08
        )
        over: float = over()
        inertia_kgm2: float = quantity(
            1, "kg·m²", "what is set in motion, at the shaft", low=1e-4, high=1e5
        )

    commands = (
        Command("torque_nm", -1e5, 1e5),
        Command("resistance_nm", 0, 1e5),
        Command("stop", 0, 1),
        LADEN,
    )
    fault_modes = (
        FaultMode(
            name="binding",
            label="drive binds: seized bearing, or a brake that stays on",
            parameter="binding_nm",
            scale="to",
            severe=500.0,
            family="load",
            base_rate=0.6,
            remarks=("jerky",),
            look="Hot bearing or hub; hard to turn by hand.",
            remedy="Free it; find out why it seized.",
            work="clean",
        ),
        OVERLOADED,
    )
    passive = False
    symbol = Symbol(
        1.8,
        1.4,
        {"shaft": ("west", 0.7)},
        ("M0 0.62 H0.6 M0 0.78 H0.6", "M1.1 0.1 a0.6 0.6 0 1 0 0.01 0", "M1.1 0.7 L1.5 0.4"),
    )
    example = Example(
        "80 Nm, 0.0005 Nm/rpm and 3e-7 Nm/rpm² at 500 rpm", {"shaft": 500.0}, {"shaft": 0.0628319 * 80.325},
        {"torque_nm": 80.0},
    )  # fmt: skip
    law = _rotary_load


_ROTARY_LOAD = RotaryLoad.rows()


_GENTLE_NM = 5.0
"""Torque below which plates that hardly touch are dragged along more gently."""


@law
def _clutch(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            head, dhead = cracking(x[c, 0, b] - k[c, _CLUTCH.spring_bar, b], 0.5)
            most = k[c, _CLUTCH.nm_per_bar, b] * head + 0.05
            slip = x[c, 2, b] - x[c, 3, b]
            soft = most + _GENTLE_NM
            s = k[c, _CLUTCH.stiffness_nm_per_rpm, b] * slip / soft
            root = math.sqrt(1.0 + s * s)
            cube = root * root * root
            couple(
                f,
                j,
                c,
                b,
                2,
                3,
                _ROT * most * s / root,
                _ROT * k[c, _CLUTCH.stiffness_nm_per_rpm, b] * most / (soft * cube),
            )
            by = _ROT * k[c, _CLUTCH.nm_per_bar, b] * dhead * (s / root - most * s / (soft * cube))
            j[c, 2, 0, b] += by
            j[c, 3, 0, b] -= by
            dp = x[c, 0, b] - x[c, 1, b]
            leak = k[c, _CLUTCH.seal_lpm_per_bar, b] * NU_REF / env[0, b]
            couple(f, j, c, b, 0, 1, leak * dp, leak)
            q, dq = turbulent(dp, k[c, _CLUTCH.tear_k, b], 0.5)
            couple(f, j, c, b, 0, 1, q, dq)


class Clutch(ComponentType):
    """Plate clutch pressed by oil: it carries torque in proportion to its pressure.

    ``T_max = G·(p − p_spring)``, torque rises with slip as ``T_max·s/√(1 + s²)``,
    ``s = stiffness·Δn/(T_max + 5 Nm)``; its piston seals
    leak to the housing.
    """

    type_name = "clutch"
    label = "Clutch"
    words = (
        "wet clutch",
        "multi-plate clutch",
        "PTO clutch",
        "clutch pack",
        "power shift clutch",
    )
    roles = (
        "carries a torque",
        "seal",
    )
    ports = (
        Port("supply"),
        Port("drain", line="drain"),
        Port("driver", "rotation"),
        Port("driven", "rotation"),
    )

    class Parameters(ParameterSet):
        nm_per_bar: float = quantity(
            60, "Nm/bar", "torque per pressure", low=0.1, high=5000, tolerance=0.06
        )
        spring_bar: float = quantity(2, "bar", "pressure against its springs", low=0.05, high=20)
        seal_lpm_per_bar: float = quantity(
            0.02, "L/min/bar", "rings and seals at 46 mm²/s", low=1e-6, high=5, tolerance=0.3
        )
        tear_k: float = quantity(0, "L/min/√bar", "opening of a torn seal", low=0, high=50)
        stiffness_nm_per_rpm: float = quantity(
            100, "Nm/rpm", "torque per slip while it holds", low=1, high=5000
        )

    fault_modes = (
        FaultMode(
            name="seal_leaks",
            label="piston seal leaks inside",
            parameter="tear_k",
            scale="square",
            severe=8.0,
            family="detour",
            base_rate=1.2,
            look="Clutch pressure below supply pressure; torn seal when it is open.",
            remedy="Open the clutch and reseal its piston.",
            work="reseal",
        ),
        FaultMode(
            name="plates_worn",
            label="plates worn or glazed: slips at full pressure",
            parameter="nm_per_bar",
            scale="factor",
            severe=0.15,
            family="load",
            base_rate=0.8,
            look="Pressure good and it still slips; thickness of the plate pack.",
            remedy="Replace the plates.",
        ),
    )
    symbol = Symbol(
        2.4,
        2,
        {
            "supply": ("south", 0.8),
            "drain": ("south", 1.6),
            "driver": ("west", 0.8),
            "driven": ("east", 0.8),
        },
        ("M0 0.8 H1", "M1 0.2 V1.4", "M1.4 0.2 V1.4", "M1.4 0.8 H2.4", "M0.8 2 V1.4 H1"),
        ("M1.6 2 V1.5",),
    )
    example = Example(
        "(16 − 2)·60 + 0.05; s = 100·4/845.05: 840.05·0.42784; seal 0.32",
        {"supply": 16.0, "drain": 0.0, "driver": 1500.0, "driven": 1496.0},
        {"supply": 0.32, "drain": -0.32, "driver": 22.582, "driven": -22.582},
        rel=2e-3,
    )
    law = _clutch


_CLUTCH = Clutch.rows()


_BRAKE_CREEPS_RPM = 0.5
"""What is held at seven tenths of what a brake can hold turns so slowly: nobody sees it move."""


@law
def _spring_brake(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            free, dfree = smooth_step(
                x[c, 0, b], k[c, _SPRING_BRAKE.begin_bar, b], k[c, _SPRING_BRAKE.free_bar, b]
            )
            most = _ROT * k[c, _SPRING_BRAKE.torque_nm, b]
            t, dt = sliding(x[c, 2, b], _BRAKE_CREEPS_RPM)
            f[c, 2, b] += most * (1.0 - free) * t
            j[c, 2, 0, b] -= most * dfree * t
            j[c, 2, 2, b] += most * (1.0 - free) * dt
            dp = x[c, 0, b] - x[c, 1, b]
            leak = k[c, _SPRING_BRAKE.seal_lpm_per_bar, b]
            couple(f, j, c, b, 0, 1, leak * dp, leak)
            q, dq = turbulent(dp, k[c, _SPRING_BRAKE.tear_k, b], 0.5)
            couple(f, j, c, b, 0, 1, q, dq)


class SpringBrake(ComponentType):
    """Spring-applied brake, released by pressure.

    ``T = T_max·(1 − S(p))·s/√(1 + s²)``, S a cubic step from ``begin_bar`` to ``free_bar``,
    ``s = n/0.5 rpm``: it holds what is less. Its seal leaks into the case.
    """

    type_name = "spring_brake"
    holds_load = "shaft"
    label = "Spring-applied brake"
    words = (
        "parking brake",
        "SAHR brake",
        "fail-safe brake",
        "spring applied brake",
        "swing brake",
        "winch brake",
        "negative brake",
        "disc pack brake",
    )
    roles = (
        "carries a torque",
        "seal",
        "held by a spring",
    )
    ports = (Port("release"), Port("drain", line="drain"), Port("shaft", "rotation"))

    class Parameters(ParameterSet):
        torque_nm: float = quantity(400, "Nm", "holding torque", low=1, high=50000, tolerance=0.08)
        begin_bar: float = quantity(8, "bar", "starts to release", low=0.5, high=100)
        free_bar: float = quantity(14, "bar", "wholly released", low=1, high=200, tolerance=0.03)
        seal_lpm_per_bar: float = quantity(1e-4, "L/min/bar", "seal leakage", low=1e-8, high=5)
        tear_k: float = quantity(0, "L/min/√bar", "opening of a torn seal", low=0, high=50)

    fault_modes = (
        FaultMode(
            name="seal_leaks",
            label="release piston leaks into the case",
            parameter="tear_k",
            scale="square",
            severe=3.0,
            family="detour",
            base_rate=0.8,
            look="Oil from the case drain with the brake released.",
            remedy="Reseal the release piston.",
            work="reseal",
        ),
        FaultMode(
            name="does_not_free",
            label="brake drags: warped or seized plates",
            parameter="free_bar",
            scale="factor",
            severe=3.0,
            family="load",
            base_rate=0.5,
            look="Release pressure good, hub hot.",
            remedy="Open the brake; replace plates and springs.",
        ),
        FaultMode(
            name="does_not_hold",
            label="brake does not hold: worn plates or oil",
            parameter="torque_nm",
            scale="factor",
            severe=0.15,
            family="load",
            base_rate=0.5,
            look="Creeps with the brake on.",
            remedy="Replace the plates.",
        ),
    )
    symbol = Symbol(
        2,
        1.8,
        {"release": ("south", 0.6), "drain": ("south", 1.4), "shaft": ("east", 0.7)},
        (
            "M0.2 0.2 H1.4 V1.2 H0.2 Z",
            "M0.6 1.8 V1.2",
            "M1.4 0.7 H2",
            "M0.4 0.3 l0.3 0.8 l0.3 -0.8",
        ),
        ("M1.4 1.8 V1.2",),
    )
    example = Example(
        "no pressure: 400 Nm at a creep of 0.5 rpm, /√2",
        {"release": 0.0, "drain": 0.0, "shaft": 0.5},
        {"release": 0.0, "drain": 0.0, "shaft": 17.7715},
    )
    law = _spring_brake


_SPRING_BRAKE = SpringBrake.rows()
