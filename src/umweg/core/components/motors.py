"""Hydraulic motors with a case drain: fixed, two-speed, pressure-controlled."""

from typing import ClassVar

from umweg.core.components.base import (
    ROTATION,
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Port,
    Symbol,
    quantity,
)
from umweg.core.components.crossing import HOSES_CROSSED, crossed, turn
from umweg.core.components.kernels import couple, law, scalar, sliding, smooth_step
from umweg.core.components.storage import chambers
from umweg.core.components.symbols import CIRCLE, INWARD_DOWN, INWARD_UP, VARIABLE
from umweg.core.fluid import REFERENCE_VISCOSITY_MM2_S as NU_REF

_ROT = ROTATION


@scalar
def motor_flows(x, f, j, c, b, volume, leak, friction):
    """Ports A B case shaft: ``q = V·n``, both sides leak to the case, ``T = V·Δp`` less friction.

    ``volume`` in L per revolution. Changes of it are the caller's to differentiate.
    """
    n = x[c, 3, b]
    dp = x[c, 0, b] - x[c, 1, b]
    f[c, 0, b] += volume * n
    f[c, 1, b] -= volume * n
    t, dt = sliding(n, 5.0)
    f[c, 3, b] += friction * _ROT * t - volume * dp
    j[c, 0, 3, b] += volume
    j[c, 1, 3, b] -= volume
    j[c, 3, 0, b] -= volume
    j[c, 3, 1, b] += volume
    j[c, 3, 3, b] += friction * _ROT * dt
    for side in range(2):
        couple(f, j, c, b, side, 2, leak * (x[c, side, b] - x[c, 2, b]), leak)


@scalar
def volume_slope(x, f, j, c, b, slope, by):
    """Add how the motor answers when ``by`` changes its displacement by ``slope``."""
    n = x[c, 3, b]
    dp = x[c, 0, b] - x[c, 1, b]
    j[c, 0, by, b] += slope * n
    j[c, 1, by, b] -= slope * n
    j[c, 3, by, b] -= slope * dp


@law
def _drained(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            leak = k[c, _DRAINED.leakage_lpm_per_bar, b] * NU_REF / env[0, b]
            volume = k[c, _DRAINED.displacement_cm3, b] * 1e-3 * turn(k[c, _DRAINED.crossed, b])
            motor_flows(x, f, j, c, b, volume, leak, k[c, _DRAINED.friction_nm, b])


class DrainParameters(ParameterSet):
    """What every motor with a case drain has."""

    displacement_cm3: float = quantity(
        28, "cm³", "largest displacement per revolution", low=0.5, high=5000, tolerance=0.01
    )
    leakage_lpm_per_bar: float = quantity(
        0.006, "L/min/bar", "each side to case at 46 mm²/s", low=1e-5, high=10, tolerance=0.25
    )
    friction_nm: float = quantity(
        2, "Nm", "friction of the shaft", low=0.01, high=5000, tolerance=0.2
    )
    crossed: float = crossed("its hoses are swapped")


class DrainedMotor(ComponentType):
    """Fixed motor whose leakage leaves by a case drain: ``q = V·n``, ``T = V·Δp/(20π) − friction``."""

    type_name = "drained_motor"
    label = "Motor with case drain"
    words: ClassVar[tuple[str, ...]] = (
        "winch motor",
        "axial motor",
        "case drain motor",
        "hub motor",
        "track motor",
        "final drive",
        "slew motor",
        "swing motor",
        "travel motor",
    )
    roles: ClassVar[tuple[str, ...]] = (
        "turns oil",
        "two hoses alike",
    )
    ports: ClassVar[tuple[Port, ...]] = (
        Port("A"),
        Port("B"),
        Port("case", line="drain"),
        Port("shaft", "rotation"),
    )
    storage = chambers("A", "B")

    class Parameters(DrainParameters):
        pass

    fault_modes: ClassVar[tuple[FaultMode, ...]] = (
        FaultMode(
            name="worn",
            label="motor worn, oil passes to its case",
            parameter="leakage_lpm_per_bar",
            scale="factor",
            severe=50.0,
            family="detour",
            base_rate=1.0,
            look="Flow from the case drain; scored faces when it is open.",
            remedy="Exchange the motor; flush first.",
            oil="metal",
        ),
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
        2.8,
        2.4,
        {
            "A": ("south", 1.2),
            "B": ("north", 1.2),
            "case": ("west", 1.8),
            "shaft": ("east", 1.2),
        },
        (CIRCLE, "M2.2 1.12 H2.8", "M2.2 1.28 H2.8"),
        ("M0 1.8 H0.4",),
        (INWARD_UP, INWARD_DOWN),
    )
    example = Example(
        "28 cm³ at 1000 rpm 28 L/min and 0.006·150 to case; 66.845 Nm less 2 Nm",
        {"A": 150.0, "B": 0.0, "case": 0.0, "shaft": 1000.0},
        {"A": 28.9, "B": -28.0, "case": -0.9, "shaft": -0.0628319 * 64.845},
    )
    law = _drained


_DRAINED = DrainedMotor.rows()


@law
def _two_speed(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            leak = k[c, _TWO_SPEED.leakage_lpm_per_bar, b] * NU_REF / env[0, b]
            least = k[c, _TWO_SPEED.small_share, b]
            shift, dshift = smooth_step(
                x[c, 4, b] - x[c, 2, b],
                0.6 * k[c, _TWO_SPEED.shift_bar, b],
                k[c, _TWO_SPEED.shift_bar, b],
            )
            small = k[c, _TWO_SPEED.reach, b] * shift
            full = k[c, _TWO_SPEED.displacement_cm3, b] * 1e-3 * turn(k[c, _TWO_SPEED.crossed, b])
            motor_flows(
                x,
                f,
                j,
                c,
                b,
                full * (1.0 - small * (1.0 - least)),
                leak,
                k[c, _TWO_SPEED.friction_nm, b],
            )
            slope = -full * (1.0 - least) * k[c, _TWO_SPEED.reach, b] * dshift
            volume_slope(x, f, j, c, b, slope, 4)
            volume_slope(x, f, j, c, b, -slope, 2)


class TwoSpeedMotor(DrainedMotor):
    """Motor with two displacements: pilot pressure takes it to the small one, the fast speed."""

    type_name = "two_speed_motor"
    label = "Two-speed motor"
    words = (
        "two-speed motor",
        "two-speed hub",
        "tortoise hare motor",
        "shift motor",
    )
    roles = (
        "turns oil",
        "pilot fed",
    )
    ports = (*DrainedMotor.ports, Port("pilot", line="pilot"))

    class Parameters(DrainParameters):
        small_share: float = quantity(0.5, "1", "small over large displacement", low=0.05, high=1)
        shift_bar: float = quantity(15, "bar", "pilot pressure that shifts it", low=1, high=300)
        reach: float = quantity(1, "1", "how far the servo follows", low=0, high=1)

    fault_modes = (
        *DrainedMotor.fault_modes,
        FaultMode(
            name="does_not_shift",
            label="stays in the slow speed: servo sticks",
            parameter="reach",
            scale="to",
            severe=0.0,
            family="command",
            base_rate=0.6,
            look="Pilot pressure good at its port, speed does not change.",
            remedy="Free the servo; clean its orifice.",
            work="clean",
        ),
    )
    symbol = Symbol(
        2.8,
        2.4,
        {**DrainedMotor.symbol.ports, "pilot": ("west", 0.6)},
        (*DrainedMotor.symbol.strokes, VARIABLE),
        (*DrainedMotor.symbol.dashed, "M0 0.6 H0.5"),
        DrainedMotor.symbol.filled,
    )
    example = Example(
        "no pilot pressure: the large displacement",
        {"A": 150.0, "B": 0.0, "case": 0.0, "shaft": 1000.0, "pilot": 0.0},
        {"A": 28.9, "B": -28.0, "case": -0.9, "shaft": -0.0628319 * 64.845, "pilot": 0.0},
    )
    law = _two_speed


_TWO_SPEED = TwoSpeedMotor.rows()


@law
def _pressure_controlled(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            leak = k[c, _PRESSURE_CONTROLLED.leakage_lpm_per_bar, b] * NU_REF / env[0, b]
            dp = x[c, 0, b] - x[c, 1, b]
            first, span = (
                k[c, _PRESSURE_CONTROLLED.begin_bar, b],
                k[c, _PRESSURE_CONTROLLED.span_bar, b],
            )
            grow, dgrow = smooth_step(abs(dp), first, first + span)
            least = k[c, _PRESSURE_CONTROLLED.small_share, b]
            full = (
                k[c, _PRESSURE_CONTROLLED.displacement_cm3, b]
                * 1e-3
                * turn(k[c, _PRESSURE_CONTROLLED.crossed, b])
            )
            reach = k[c, _PRESSURE_CONTROLLED.reach, b]
            share = least + (1.0 - least) * (1.0 - reach + reach * grow)
            motor_flows(
                x, f, j, c, b, full * share, leak, k[c, _PRESSURE_CONTROLLED.friction_nm, b]
            )
            slope = full * (1.0 - least) * reach * dgrow
            slope = slope if dp >= 0.0 else -slope
            volume_slope(x, f, j, c, b, slope, 0)
            volume_slope(x, f, j, c, b, -slope, 1)


class PressureControlledMotor(DrainedMotor):
    """Variable motor that grows with its working pressure: fast while it is light, strong when not.

    Displacement from the small share to the full one by a cubic step between ``begin_bar`` and
    ``begin_bar + span_bar`` of working pressure.
    """

    type_name = "pressure_controlled_motor"
    label = "Pressure-controlled motor"
    words = (
        "bent axis variable motor",
        "automatic motor",
        "HA motor",
    )
    roles = (
        "turns oil",
        "adjustable",
        "pilot fed",
    )

    class Parameters(DrainParameters):
        small_share: float = quantity(0.45, "1", "smallest over largest", low=0.05, high=1)
        begin_bar: float = quantity(
            180, "bar", "working pressure where it begins to grow", low=5, high=500, tolerance=0.02
        )
        span_bar: float = quantity(30, "bar", "until it is full", low=1, high=300)
        reach: float = quantity(1, "1", "how far its control can make it small", low=0, high=1)

    fault_modes = (
        *DrainedMotor.fault_modes,
        FaultMode(
            name="begin_high",
            label="change-over set too high: stays small, weak on a slope",
            parameter="begin_bar",
            scale="factor",
            severe=2.2,
            family="command",
            base_rate=0.5,
            look="Working pressure where the motor changes, against the specification.",
            remedy="Set the beginning of control with a gauge.",
            work="set",
        ),
        FaultMode(
            name="stays_large",
            label="control sticks at the large displacement: never fast",
            parameter="reach",
            scale="to",
            severe=0.0,
            family="command",
            base_rate=0.5,
            look="Speed on the flat; control piston does not slide.",
            remedy="Free the control piston.",
            work="clean",
        ),
        FaultMode(
            name="begin_low",
            label="goes to its large displacement too early",
            parameter="begin_bar",
            scale="factor",
            severe=0.5,
            family="command",
            base_rate=0.2,
            look="Pressure at which its speed falls off.",
            remedy="Set it with a gauge.",
            work="set",
        ),
    )
    adjustable = ("begin_bar",)
    symbol = Symbol(
        2.8,
        2.4,
        DrainedMotor.symbol.ports,
        (*DrainedMotor.symbol.strokes, VARIABLE, "M2.2 0.3 h0.5 v0.5 h-0.5 Z"),
        (*DrainedMotor.symbol.dashed, "M2.45 0.8 V1"),
        DrainedMotor.symbol.filled,
    )
    example = Example(
        "195 bar, middle of 180 … 210: 0.45 + 0.55·½ of 28 cm³ = 20.3; 0.006·195; 63.0 − 2 Nm",
        {"A": 195.0, "B": 0.0, "case": 0.0, "shaft": 1000.0},
        {"A": 21.47, "B": -20.3, "case": -1.17, "shaft": -3.9585 + 2 * 0.0628319},
        rel=2e-3,
    )
    law = _pressure_controlled


_PRESSURE_CONTROLLED = PressureControlledMotor.rows()
