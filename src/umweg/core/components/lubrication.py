"""Central lubrication with grease: electric pump, lines with a yield stress, progressive dividers, pins.

Grease moves only once a line's pressure difference passes what its yield stress holds; flows are
cubic centimetres a minute.
"""

from collections.abc import Mapping
from typing import Any, ClassVar

from umweg.core.components.base import (
    ELECTRIC,
    ROTATION,
    Command,
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Port,
    Symbol,
    quantity,
)
from umweg.core.components.kernels import couple, cracking, law, ramp, smooth_step
from umweg.core.components.sources import filling
from umweg.core.components.storage import OilVolume
from umweg.core.components.symbols import CIRCLE, OUTWARD

_EL = ELECTRIC
_ROT = ROTATION
_CM3 = 1e-3
"""L/min for a cm³/min."""
DOSE_L_PER_CM3 = 1e-3 * 14000 / 100
"""Litres of oil that give by as much as a dose does while its line rises by 100 bar."""


@law
def _grease_pump(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            volts = x[c, 2, b] - x[c, 3, b]
            g = _EL / k[c, _GREASE_PUMP.motor_ohm, b]
            couple(f, j, c, b, 2, 3, g * volts, g)
            nominal = k[c, _GREASE_PUMP.nominal_v, b]
            runs, druns = smooth_step(volts / nominal, 0.45, 0.85)
            fill, dfill = filling(x[c, 0, b], -0.6)
            oil = 1.0 - k[c, _GREASE_PUMP.air_share, b]
            turns, _ = smooth_step(k[c, _GREASE_PUMP.turns, b], 0.2, 0.8)
            full = k[c, _GREASE_PUMP.cm3_per_min, b] * _CM3 * oil * turns
            q = full * runs * fill
            f[c, 0, b] += q
            f[c, 1, b] -= q
            by_in, by_volt = full * runs * dfill, full * druns * fill / nominal
            j[c, 0, 0, b] += by_in
            j[c, 1, 0, b] -= by_in
            j[c, 0, 2, b] += by_volt
            j[c, 0, 3, b] -= by_volt
            j[c, 1, 2, b] -= by_volt
            j[c, 1, 3, b] += by_volt
            leak = k[c, _GREASE_PUMP.leak_cm3_per_bar, b] * _CM3
            couple(f, j, c, b, 1, 0, leak * (x[c, 1, b] - x[c, 0, b]), leak)


class GreasePump(ComponentType):
    """Electric piston pump for grease: ``q = q_0·S(U/U_0)·(1 − air)·fill(p_in) − G·Δp``.

    It pushes whatever the pressure; what it loses past its piston and check grows with pressure.
    """

    type_name = "grease_pump"
    rated_volts = 24.0
    label = "Grease pump"
    words = (
        "lube pump",
        "grease pump",
        "auto greaser",
        "central lubrication pump",
        "barrel pump",
    )
    roles = (
        "turns oil",
        "draws",
        "wired",
    )
    aerated = "air_share"
    ports = (
        Port("inlet"),
        Port("outlet"),
        Port("plus", "electrical"),
        Port("minus", "electrical"),
    )
    storage = (OilVolume("outlet", lambda k: 0.01),)

    class Parameters(ParameterSet):
        cm3_per_min: float = quantity(4, "cm³/min", "delivery", low=0.05, high=500, tolerance=0.04)
        leak_cm3_per_bar: float = quantity(
            0.001, "cm³/min/bar", "past its piston and check", low=1e-6, high=50, tolerance=0.3
        )
        motor_ohm: float = quantity(12, "Ω", "motor, running", low=0.1, high=1e5, of_supply=2)
        nominal_v: float = quantity(24, "V", "nominal voltage", low=3, high=60, of_supply=1)
        turns: float = quantity(1, "1", "1: its motor turns its eccentric", low=0, high=1)
        air_share: float = quantity(0, "1", "share of its chamber filled with air", low=0, high=1)

    fault_modes = (
        FaultMode(
            name="element_worn",
            label="pump element worn or its check does not seat",
            parameter="leak_cm3_per_bar",
            scale="factor",
            severe=600.0,
            family="detour",
            base_rate=1.0,
            look="Grease at the element's weep hole; it does not reach the relief against a plug.",
            remedy="Exchange the pump element.",
        ),
        FaultMode(
            name="motor_dead",
            label="pump motor does not run",
            parameter="turns",
            scale="switch",
            severe=0.0,
            family="source",
            base_rate=0.5,
            look="Voltage at its plug and the stirrer stands still.",
            remedy="Replace the motor.",
        ),
        FaultMode(
            name="draws_air",
            label="air in the grease: reservoir run empty or a hole beneath the stirrer",
            parameter="air_share",
            scale="to",
            severe=1.0,
            family="source",
            base_rate=0.8,
            look="Bubbles where the pump's outlet is opened.",
            remedy="Fill through the strainer, bleed at the outlet until no bubbles come.",
            work="by_hand",
        ),
    )
    passive = False
    makes_flow = True
    symbol = Symbol(
        2.4,
        2.4,
        {
            "inlet": ("south", 1.2),
            "outlet": ("north", 1.2),
            "plus": ("west", 0.8),
            "minus": ("west", 1.6),
        },
        (CIRCLE, "M0 0.8 H0.3", "M0 1.6 H0.3", "M0.75 1.5 V1 L1.2 1.35 L1.65 1 V1.5"),
        (),
        (OUTWARD,),
    )
    example = Example(
        "24 V: 24/12 A ×0.6 = 1.2; 4 cm³/min less 0.001·100",
        {"inlet": 0.0, "outlet": 100.0, "plus": 24.0, "minus": 0.0},
        {"inlet": 0.0039, "outlet": -0.0039, "plus": 1.2, "minus": -1.2},
        rel=2e-3,
    )
    law = _grease_pump


_GREASE_PUMP = GreasePump.rows()


@law
def _grease_line(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            dp = x[c, 0, b] - x[c, 1, b]
            way = 1.0 if dp >= 0.0 else -1.0
            yields = k[c, _GREASE_LINE.yield_bar, b]
            head, dhead = ramp(way * dp - yields, 0.5 * yields + 0.1)
            g = k[c, _GREASE_LINE.cm3_per_min_per_bar, b] * _CM3
            trace = 1e-3 * g
            couple(f, j, c, b, 0, 1, way * g * head + trace * dp, g * dhead + trace)
            out = k[c, _GREASE_LINE.leak_cm3_per_bar, b] * _CM3
            f[c, 0, b] += out * x[c, 0, b]
            j[c, 0, 0, b] += out


class GreaseLine(ComponentType):
    """Line for grease: ``q = G·(Δp − Δp_yield)``, a thousandth of ``G·Δp`` below it.

    Below its yield stress grease all but stands still: it creeps by a thousandth. What leaks at its couplings
    goes outside. Source: Bingham's law for a tube, its corner rounded.
    """

    type_name = "grease_line"
    label = "Grease line"
    words = (
        "lube line",
        "grease hose",
        "feed line",
    )
    roles = (
        "a way for oil",
        "bursts",
    )
    named_on_demand = True
    ports = (Port("inlet"), Port("outlet"))
    stores_oil = True
    storage = (OilVolume("inlet", lambda k: 0.02),)

    class Parameters(ParameterSet):
        yield_bar: float = quantity(
            6, "bar", "difference that moves the grease", low=0.01, high=200, tolerance=0.15
        )
        cm3_per_min_per_bar: float = quantity(
            0.4, "cm³/min/bar", "flow per pressure above it", low=1e-12, high=500, tolerance=0.15
        )
        leak_cm3_per_bar: float = quantity(
            1e-6, "cm³/min/bar", "to the outside at its couplings", low=1e-9, high=50
        )

    fault_modes = (
        FaultMode(
            name="plugged",
            label="line or its bearing plugged: hardened grease, squeezed tube",
            parameter="cm3_per_min_per_bar",
            scale="factor",
            severe=1e-9,
            family="dam",
            base_rate=1.2,
            look="Undo it at the bearing: nothing comes; undo it at the divider: it comes.",
            remedy="Free the bearing with a hand pump, or replace the line.",
            work="refit",
        ),
        FaultMode(
            name="leaks_outside",
            label="line broken or its coupling off: grease beside the machine",
            parameter="leak_cm3_per_bar",
            scale="decades",
            severe=1.0,
            family="detour",
            base_rate=1.0,
            look="Grease outside, none at the bearing.",
            remedy="Renew the line, fill it before it is joined.",
            work="outside",
        ),
    )
    symbol = Symbol(
        1,
        1.6,
        {"inlet": ("south", 0.5), "outlet": ("north", 0.5)},
        ("M0.5 1.6 V0", "M0.3 0.5 H0.7", "M0.3 0.8 H0.7", "M0.3 1.1 H0.7"),
    )
    example = Example(
        "0.4·(50 − 6 − 1.55) = 16.98 cm³/min, and a thousandth of 0.4·50",
        {"inlet": 50.0, "outlet": 0.0},
        {"inlet": 0.017, "outlet": -0.017},
    )
    law = _grease_line


_GREASE_LINE = GreaseLine.rows()

SECTIONS = 6
_COUNTED = _ROT * 1e-3


@law
def _divider(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            friction = k[c, _DIVIDER.friction_bar, b]
            gain = k[c, _DIVIDER.cm3_per_min_per_bar, b] * _CM3
            # The pistons go one after the other: the time of a cycle is the sum of their times.
            slow = 0.0
            for n in range(1, 7):
                head, _ = ramp(x[c, 0, b] - x[c, n, b] - friction, 4.0)
                slow += 1.0 / (6.0 * (gain * head + 1e-9))
            q = 1.0 / slow
            f[c, 0, b] += q
            for n in range(1, 7):
                head, dhead = ramp(x[c, 0, b] - x[c, n, b] - friction, 4.0)
                one = gain * head + 1e-9
                by = q * q / (6.0 * one * one) * gain * dhead
                f[c, n, b] -= q / 6.0
                j[c, 0, 0, b] += by
                j[c, 0, n, b] -= by
                for m in range(1, 7):
                    j[c, m, 0, b] -= by / 6.0
                    j[c, m, n, b] += by / 6.0
            # Its stem turns nothing: the number of strokes is there to be counted.
            count = 1.0 / (k[c, _DIVIDER.stroke_cm3, b] * _CM3)
            f[c, 7, b] += _COUNTED * (x[c, 7, b] - count * q)
            j[c, 7, 7, b] += _COUNTED
            for n in range(1, 7):
                head, dhead = ramp(x[c, 0, b] - x[c, n, b] - friction, 4.0)
                one = gain * head + 1e-9
                by = _COUNTED * count * q * q / (6.0 * one * one) * gain * dhead
                j[c, 7, 0, b] -= by
                j[c, 7, n, b] += by
            lost = k[c, _DIVIDER.bypass_cm3_per_bar, b] * _CM3
            for n in range(1, 7):
                couple(f, j, c, b, 0, n, lost * (x[c, 0, b] - x[c, n, b]), lost)


def _outlet(n: int) -> Any:
    return Port(f"out_{n}")


class ProgressiveDivider(ComponentType):
    """Progressive divider with six outlets: its pistons move in turn, each opens the way of the next.

    Each outlet gets a sixth, whatever its pressure; a cycle takes the sum of the times that the
    single pistons take, ``1/Q = Σ (1/6)/[G·(p_in − p_i − p_friction)]``: one outlet that takes
    nothing stops all of them. The stem that can be seen moving makes so many strokes a minute.
    """

    type_name = "progressive_divider"
    label = "Progressive divider"
    words = (
        "distributor block",
        "series divider",
        "progressive block",
        "metering block",
        "grease divider",
    )
    roles = ("seal",)
    ports = (
        Port("inlet"),
        *(_outlet(n) for n in range(1, SECTIONS + 1)),
        Port("stem", "rotation"),
    )
    passive = False

    class Parameters(ParameterSet):
        friction_bar: float = quantity(
            8, "bar", "to move a piston", low=0.1, high=200, tolerance=0.15
        )
        cm3_per_min_per_bar: float = quantity(
            1.5, "cm³/min/bar", "flow per pressure above it", low=1e-3, high=500, tolerance=0.15
        )
        stroke_cm3: float = quantity(0.1, "cm³", "grease per stroke of its stem", low=1e-3, high=99)
        bypass_cm3_per_bar: float = quantity(
            1e-5, "cm³/min/bar", "past each piston", low=1e-8, high=50
        )

    fault_modes = (
        FaultMode(
            name="over_torqued",
            label="sections over-torqued or dirt in a bore: a piston jams",
            parameter="friction_bar",
            scale="to",
            severe=600.0,
            family="dam",
            base_rate=0.8,
            look="No pin is out; slacken the tie bolts to the maker's torque and it moves.",
            remedy="Take it apart clean, torque the bolts as stated.",
            work="clean",
        ),
        FaultMode(
            name="pistons_worn",
            label="pistons worn: grease passes them",
            parameter="bypass_cm3_per_bar",
            scale="factor",
            severe=5000.0,
            family="detour",
            base_rate=0.3,
            look="Cycle counts fall while the pump delivers.",
            remedy="Exchange the divider.",
        ),
    )
    symbol = Symbol(
        7,
        1.8,
        {
            "inlet": ("south", 3.5),
            **{f"out_{n}": ("north", float(n)) for n in range(1, SECTIONS + 1)},
            "stem": ("east", 0.9),
        },
        (
            "M0.4 0.5 H6.6 V1.3 H0.4 Z",
            "M3.5 1.8 V1.3",
            *(f"M{n} 0.5 V0 M{n - 0.3} 0.9 H{n + 0.3}" for n in range(1, SECTIONS + 1)),
        ),
    )
    example = Example(
        "each 50 bar − 8 − 2 = 40: 1.5·40 = 60 cm³/min through one, 60 through all in turn",
        {"inlet": 50.0, **{f"out_{n}": 0.0 for n in range(1, SECTIONS + 1)}, "stem": 600.0},
        {
            "inlet": 0.060003,
            **{f"out_{n}": -0.0100005 for n in range(1, SECTIONS + 1)},
            "stem": 0.0,
        },
    )
    law = _divider


_DIVIDER = ProgressiveDivider.rows()


@law
def _pin(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            g = k[c, _PIN.seal_cm3_per_bar, b] * _CM3
            couple(f, j, c, b, 0, 1, g * (x[c, 0, b] - x[c, 1, b]), g)


class IndicatorPin(ComponentType):
    """Overpressure pin at a divider's outlet: out once the outlet stands above its spring."""

    type_name = "indicator_pin"
    label = "Overpressure pin"
    words = (
        "overpressure pin",
        "blown pin",
        "tell-tale",
    )
    cannot: ClassVar[Mapping[str, str]] = {
        "anything": "it shows and does nothing: what it shows is compared where it is read"
    }
    named_on_demand = True
    indicator_words = ("pin out", "pin in")
    ports = (Port("inlet", line="pilot"), Port("outlet", line="drain"))

    class Parameters(ParameterSet):
        indicator_bar: float = quantity(150, "bar", "spring of the pin", low=1, high=600)
        seal_cm3_per_bar: float = quantity(1e-6, "cm³/min/bar", "past its seal", low=1e-9, high=1)

    symbol = Symbol(
        1,
        1.4,
        {"inlet": ("south", 0.5), "outlet": ("north", 0.5)},
        ("M0.2 0.4 H0.8 V1 H0.2 Z", "M0.5 1.4 V1", "M0.5 0.9 V0.15"),
        ("M0.5 0.1 V0",),
    )
    example = Example("1e-6·100", {"inlet": 100.0, "outlet": 0.0}, {"inlet": 1e-7, "outlet": -1e-7})
    law = _pin


_PIN = IndicatorPin.rows()


@law
def _counter(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            drag = _ROT * k[c, _COUNTER.drag_nm_at_1000, b] * 1e-3
            f[c, 0, b] += drag * x[c, 0, b]
            j[c, 0, 0, b] += drag


class StrokeCounter(ComponentType):
    """What counts a divider's strokes: a pin under a finger, or the cycle switch's lamp."""

    type_name = "stroke_counter"
    label = "Stroke counter"
    words = (
        "cycle counter",
        "cycle pin",
        "stroke counter",
    )
    cannot: ClassVar[Mapping[str, str]] = {
        "anything": "it counts and does nothing: a count that is wrong shows beside the pins"
    }
    named_on_demand = True
    ports = (Port("stem", "rotation"),)

    class Parameters(ParameterSet):
        drag_nm_at_1000: float = quantity(1e-6, "Nm", "next to nothing", low=1e-9, high=1)

    symbol = Symbol(
        1.4,
        1.2,
        {"stem": ("west", 0.6)},
        ("M0.3 0.2 H1.3 V1 H0.3 Z", "M0 0.6 H0.3", "M0.5 0.8 V0.4 M0.8 0.8 V0.4 M1.1 0.8 V0.4"),
    )
    example = Example("1e-6·0.04 Nm", {"stem": 40.0}, {"stem": 0.0628319 * 4e-8})
    law = _counter


_COUNTER = StrokeCounter.rows()


@law
def _grease_relief(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            g = k[c, _GREASE_RELIEF.cm3_per_min_per_bar, b] * _CM3
            dp = x[c, 0, b] - x[c, 1, b]
            head, dhead = cracking(dp - k[c, _GREASE_RELIEF.set_bar, b], 8.0)
            lost = k[c, _GREASE_RELIEF.seat_cm3_per_bar, b] * _CM3
            couple(f, j, c, b, 0, 1, g * head + lost * dp, g * dhead + lost)


class GreaseRelief(ComponentType):
    """Relief of a pump element: ``q = G·(Δp − p_set)``; grease at its outlet says that it blew."""

    type_name = "grease_relief"
    label = "Grease relief"
    words = (
        "grease relief",
        "lube relief",
    )
    roles = (
        "adjustable",
        "seat",
        "held by a spring",
    )
    relieves = True
    ports = (Port("inlet"), Port("outlet", line="drain"))

    class Parameters(ParameterSet):
        set_bar: float = quantity(280, "bar", "opens at", low=5, high=600, tolerance=0.03)
        cm3_per_min_per_bar: float = quantity(
            1.0, "cm³/min/bar", "flow per pressure above it", low=1e-3, high=100
        )
        seat_cm3_per_bar: float = quantity(1e-6, "cm³/min/bar", "past its seat", low=1e-9, high=10)

    fault_modes = (
        FaultMode(
            name="set_low",
            label="opens early: spring weak or broken",
            parameter="set_bar",
            scale="factor",
            severe=0.1,
            family="detour",
            base_rate=0.5,
            look="Grease at its outlet while the lines still take some.",
            remedy="Replace it: it is not set on the machine.",
        ),
        FaultMode(
            name="seat_leaks",
            label="dirt on its seat",
            parameter="seat_cm3_per_bar",
            scale="decades",
            severe=1.0,
            family="detour",
            base_rate=0.4,
            look="Grease at its outlet at any pressure.",
            remedy="Clean or replace it.",
            work="clean",
        ),
        FaultMode(
            name="set_high",
            label="opens too late: set too high, or seized",
            parameter="set_bar",
            scale="factor",
            severe=1.6,
            family="dam",
            base_rate=0.2,
            look="Gauge in the main line with a shut outlet.",
            remedy="Replace it.",
        ),
    )
    symbol = Symbol(
        1.6,
        1.6,
        {"inlet": ("south", 0.7), "outlet": ("north", 0.7)},
        (
            "M0.2 0.4 H1.2 V1.2 H0.2 Z",
            "M0.7 1.6 V1.2 M0.7 0.4 V0",
            "M0.45 1.1 V0.5 M0.35 0.7 L0.45 0.5 L0.55 0.7",
            "M1.2 0.6 l0.1 0.1 l-0.1 0.1 l0.2 0.1 l-0.1 0.1",
        ),
    )
    example = Example(
        "1·(290 − 280) = 10 cm³/min and 1e-6·290",
        {"inlet": 290.0, "outlet": 0.0},
        {"inlet": 0.0100003, "outlet": -0.0100003},
    )
    law = _grease_relief


_GREASE_RELIEF = GreaseRelief.rows()


@law
def _reverser(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            to_b, _ = smooth_step(k[c, _REVERSER.line_b, b] * k[c, _REVERSER.shifts, b], 0.35, 0.65)
            g = k[c, _REVERSER.cm3_per_min_per_bar, b] * _CM3
            lost = k[c, _REVERSER.bypass_cm3_per_bar, b] * _CM3
            # From P to one line, from the other to T; past its spool from P to both.
            for side in range(2):
                line = 2 + side
                on = to_b if side == 1 else 1.0 - to_b
                shut = k[c, _REVERSER.between, b]
                feed = g * (on + (1.0 - on) * shut) + lost
                couple(f, j, c, b, 0, line, feed * (x[c, 0, b] - x[c, line, b]), feed)
                back = g * (1.0 - on) * (1.0 - shut)
                couple(f, j, c, b, line, 1, back * (x[c, line, b] - x[c, 1, b]), back)


class GreaseReverser(ComponentType):
    """Reversing valve of a dual-line system: the pump to one line, the other back to the reservoir.

    ``q = G·Δp`` along each open way; past its spool a trace from the pump to both. Where it stands
    between, the pump feeds both lines and the way back is shut.
    """

    type_name = "grease_reverser"
    label = "Reversing valve"
    words = (
        "change-over of a dual line",
        "reverser",
    )
    roles = ("spool",)
    ports = (Port("P"), Port("T", line="drain"), Port("A"), Port("B"))

    class Parameters(ParameterSet):
        cm3_per_min_per_bar: float = quantity(
            60, "cm³/min/bar", "flow per pressure, open", low=0.01, high=1e5
        )
        bypass_cm3_per_bar: float = quantity(
            1e-4, "cm³/min/bar", "from the pump to the line at rest", low=1e-8, high=1e4
        )
        shifts: float = quantity(1, "1", "how far it follows its command", low=0, high=1)
        between: float = quantity(0, "1", "how far it stands between its places", low=0, high=1)

    commands = (Command("line_b", 0, 1, by="lever"),)
    fault_modes = (
        FaultMode(
            name="bypass",
            label="reversing valve passes to both lines",
            parameter="bypass_cm3_per_bar",
            scale="factor",
            severe=1e6,
            family="detour",
            base_rate=0.8,
            look="Both lines' gauges rise together.",
            remedy="Exchange the reversing valve: spool and bore are a pair.",
        ),
        FaultMode(
            name="stays_between",
            label="reversing valve stays between: feeds both lines, way back shut",
            parameter="between",
            scale="to",
            severe=1.0,
            family="command",
            base_rate=0.4,
            look="Both lines' gauges rise together, and neither falls.",
            remedy="Free its spool and drive; let both lines' pressure go first.",
            work="clean",
        ),
        FaultMode(
            name="does_not_shift",
            label="reversing valve does not shift: motor, cam or wire",
            parameter="shifts",
            scale="switch",
            severe=0.0,
            family="command",
            base_rate=0.7,
            look="The same line rises cycle after cycle.",
            remedy="Follow its command; free its drive.",
            work="wiring",
        ),
    )
    symbol = Symbol(
        3,
        2,
        {"P": ("south", 0.9), "T": ("south", 2.1), "A": ("north", 0.9), "B": ("north", 2.1)},
        (
            "M0.3 0.4 H2.7 V1.6 H0.3 Z",
            "M1.5 0.4 V1.6",
            "M0.9 2 V0 M2.1 0 V2",
            "M0.75 0.7 L0.9 0.4 L1.05 0.7",
            "M1.95 1.3 L2.1 1.6 L2.25 1.3",
        ),
    )
    example = Example(
        "line A: 60·1 cm³/min from P, B to T 60·2; past the spool 1e-4·1 and 1e-4·99",
        {"P": 101.0, "T": 0.0, "A": 100.0, "B": 2.0},
        {"P": 0.06001, "T": -0.12, "A": -0.06, "B": 0.11999},
    )
    law = _reverser


_REVERSER = GreaseReverser.rows()


@law
def _dual_feeder(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            lost = k[c, _DUAL_FEEDER.bypass_cm3_per_bar, b] * _CM3
            couple(f, j, c, b, 0, 1, lost * (x[c, 0, b] - x[c, 1, b]), lost)


class DualLineFeeder(ComponentType):
    """Feeder between the two lines: each rise of a line pushes one dose to its bearing.

    Seen from the lines it is a volume that has to be filled before the pressure rises further, and a
    gap between its piston and its bore that joins both lines. Where it has doses stuck the volume is
    gone and the far end rises sooner; the outlet itself is watched by its pin.
    """

    type_name = "dual_line_feeder"
    label = "Dual-line feeder"
    words = (
        "dual line injector",
        "injector",
        "feeder",
        "doser",
    )
    roles = ("seal",)
    ports = (Port("A"), Port("B"))
    stores_oil = True
    storage = (
        OilVolume("A", lambda k: DOSE_L_PER_CM3 * k["dose_cm3"]),
        OilVolume("B", lambda k: DOSE_L_PER_CM3 * k["dose_cm3"]),
    )

    class Parameters(ParameterSet):
        dose_cm3: float = quantity(3, "cm³", "doses of the block together", low=0.05, high=200)
        bypass_cm3_per_bar: float = quantity(
            1e-5, "cm³/min/bar", "past its pistons", low=1e-9, high=1e3
        )

    fault_modes = (
        FaultMode(
            name="pistons_worn",
            label="feeder worn: joins both lines",
            parameter="bypass_cm3_per_bar",
            scale="factor",
            severe=2e6,
            family="detour",
            base_rate=0.8,
            look="Shut it off at its block: the lines rise apart again.",
            remedy="Exchange the feeder.",
        ),
        FaultMode(
            name="stuck",
            label="its pistons stuck: nothing comes",
            parameter="dose_cm3",
            scale="factor",
            severe=0.02,
            family="dam",
            base_rate=0.5,
            look="Its indicator pins stand still.",
            remedy="Replace it; use the grease that is specified.",
        ),
    )
    symbol = Symbol(
        2,
        1.6,
        {"A": ("south", 0.5), "B": ("south", 1.5)},
        ("M0.2 0.3 H1.8 V1.2 H0.2 Z", "M0.5 1.6 V1.2 M1.5 1.6 V1.2", "M0.5 0.75 H1.5 M1 0.5 V1"),
    )
    example = Example("1e-5·200 through its gap", {"A": 200.0, "B": 0.0}, {"A": 2e-6, "B": -2e-6})
    law = _dual_feeder


_DUAL_FEEDER = DualLineFeeder.rows()
