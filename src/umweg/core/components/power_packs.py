"""What a reversible electric power pack is made of: pump, changeover relays, pressure switch, release."""

import math
from typing import ClassVar

from umweg.core.components.base import (
    ELECTRIC,
    Command,
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Port,
    Symbol,
    quantity,
)
from umweg.core.components.flow_sharing import ShutOffValve
from umweg.core.components.kernels import couple, law, slip, smooth_step, steer, turbulent
from umweg.core.components.sources import FixedPump, filling
from umweg.core.components.storage import between, chambers

_EL = ELECTRIC
_OPEN_S = 1e-9


@law
def _reversible_pump(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            displacement = k[c, _REVERSIBLE_PUMP.displacement_cm3, b] * 1e-3
            oil = 1.0 - k[c, _REVERSIBLE_PUMP.air_share, b]
            n = x[c, 2, b]
            forth, back = max(n, 0.0), min(n, 0.0)
            half = k[c, _REVERSIBLE_PUMP.half_fill_bar, b]
            fill_a, dfill_a = filling(x[c, 0, b], half)
            fill_b, dfill_b = filling(x[c, 1, b], half)
            dp = x[c, 1, b] - x[c, 0, b]
            lost, leak = slip(dp, k[c, _REVERSIBLE_PUMP.leakage_lpm_per_bar, b], env[0, b])
            swept = displacement * oil
            q = swept * (forth * fill_a + back * fill_b) - lost
            by_a = swept * forth * dfill_a + leak
            by_b = swept * back * dfill_b - leak
            by_n = swept * (fill_a if n >= 0.0 else fill_b)
            f[c, 0, b] = q
            f[c, 1, b] = -q
            f[c, 2, b] = displacement * dp
            j[c, 0, 0, b] = by_a
            j[c, 0, 1, b] = by_b
            j[c, 0, 2, b] = by_n
            j[c, 1, 0, b] = -by_a
            j[c, 1, 1, b] = -by_b
            j[c, 1, 2, b] = -by_n
            j[c, 2, 0, b] = -displacement
            j[c, 2, 1, b] = displacement


class ReversiblePump(FixedPump):
    """Gear pump for both directions: from A to B at positive speed, from B to A at negative.

    ``q = V·n·(1 − air)·fill(p of the side that sucks) − slip(p_B − p_A, ν)``;
    ``T = V·(p_B − p_A)/(20π)``. Slip and filling as in the gear pump.
    """

    type_name = "reversible_pump"
    label = "Reversible gear pump"
    words = (
        "bidirectional pump",
        "reversible pump",
        "mini power pack",
        "tilt pump",
    )
    ports = (Port("A"), Port("B"), Port("shaft", "rotation"))
    storage = chambers("A", "B")

    class Parameters(FixedPump.Parameters):
        displacement_cm3: float = quantity(
            1.2, "cm³", "displacement per revolution", low=0.05, high=100, tolerance=0.012
        )
        leakage_lpm_per_bar: float = quantity(
            0.002, "L/min/bar", "internal leakage at 46 mm²/s", low=1e-6, high=5, tolerance=0.2
        )

    symbol = Symbol(
        2.4,
        2.4,
        {"A": ("south", 1.2), "B": ("north", 1.2), "shaft": ("west", 1.2)},
        ("M1.2 0.2 A1 1 0 1 1 1.2 2.2 A1 1 0 1 1 1.2 0.2", "M0 1.12 H0.2", "M0 1.28 H0.2"),
        (),
        ("M1.2 0.2 L0.8 0.75 L1.6 0.75 Z", "M1.2 2.2 L0.8 1.65 L1.6 1.65 Z"),
    )
    example = Example(
        "backward, 1.2 cm³ at 2000 rpm = 2.4 L/min from B, less 0.002·(0.4·100 + 0.6·√150·√100)",
        {"A": 100.0, "B": 0.0, "shaft": -2000.0},
        {"A": -2.4 + 0.22697, "B": 2.4 - 0.22697, "shaft": -0.12},
    )
    law = _reversible_pump


_REVERSIBLE_PUMP = ReversiblePump.rows()


@law
def _changeover(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            nominal = k[c, _CHANGEOVER.nominal_v, b]
            volts = x[c, 0, b] - x[c, 1, b]
            g = _EL / k[c, _CHANGEOVER.coil_ohm, b]
            couple(f, j, c, b, 0, 1, g * volts, g)
            welded, _ = smooth_step(k[c, _CHANGEOVER.welded, b], 0.35, 0.65)
            free = 1.0 - welded
            let_go, dlet_go = smooth_step(volts / nominal, 0.3, 0.45)
            pulled, dpulled = smooth_step(volts / nominal, 0.5, 0.65)
            rest = _EL / k[c, _CHANGEOVER.rest_ohm, b]
            work = _EL / k[c, _CHANGEOVER.work_ohm, b]
            # The arm leaves one contact before it makes the other; both are open between.
            for side in range(2):
                if side == 0:
                    port, made, slope, full = 2, (1.0 - let_go) * free, -dlet_go * free, rest
                else:
                    port, made, slope, full = 3, pulled * free + welded, dpulled * free, work
                across = x[c, port, b] - x[c, 4, b]
                contact = full * made + _EL * _OPEN_S
                couple(f, j, c, b, port, 4, contact * across, contact)
                by = full * slope / nominal * across
                j[c, port, 0, b] += by
                j[c, port, 1, b] -= by
                j[c, 4, 0, b] -= by
                j[c, 4, 1, b] += by


class ChangeoverRelay(ComponentType):
    """Relay whose arm lies on one contact at rest and on the other while its coil is energised.

    It leaves the rest contact between 30 and 45 % of the nominal voltage and makes the other between
    50 and 65 %. Two of them turn a motor's poles round.
    """

    type_name = "changeover_relay"
    label = "Changeover relay"
    words = (
        "reversing relay",
        "changeover relay",
        "reversing contactor",
    )
    roles = (
        "contact",
        "wired",
    )
    ports = (
        Port("plus", "electrical"),
        Port("minus", "electrical"),
        Port("rest", "electrical"),
        Port("work", "electrical"),
        Port("arm", "electrical"),
    )

    class Parameters(ParameterSet):
        coil_ohm: float = quantity(20, "Ω", "coil", low=1, high=1e6, of_supply=2)
        nominal_v: float = quantity(12, "V", "nominal voltage", low=3, high=60, of_supply=1)
        work_ohm: float = quantity(0.002, "Ω", "work contact", low=1e-5, high=1000)
        rest_ohm: float = quantity(0.002, "Ω", "rest contact", low=1e-5, high=1000)
        welded: float = quantity(0, "1", "arm welded to the work contact", low=0, high=1)

    fault_modes = (
        FaultMode(
            name="coil_open",
            label="relay coil open or its wire off",
            parameter="nominal_v",
            scale="factor",
            severe=4.0,
            family="command",
            base_rate=0.4,
            look="No click; resistance of the coil.",
            remedy="Replace the relay.",
            work="wiring",
            goes_with="relay",
            goes_surely=0.75,
        ),
        FaultMode(
            name="work_burnt",
            label="work contact burnt",
            parameter="work_ohm",
            scale="factor",
            severe=3000.0,
            family="command",
            base_rate=0.9,
            look="Voltage drop across the made contact.",
            remedy="Replace the relay.",
            work="wiring",
            goes_with="relay",
        ),
        FaultMode(
            name="rest_burnt",
            label="rest contact burnt: the other direction has no return",
            parameter="rest_ohm",
            scale="factor",
            severe=3000.0,
            family="command",
            base_rate=0.5,
            look="Voltage at the motor terminal that should lie on the frame.",
            remedy="Replace the relay.",
            work="wiring",
            goes_with="relay",
        ),
        FaultMode(
            name="welded",
            label="arm welded to the work contact",
            parameter="welded",
            scale="switch",
            severe=1.0,
            family="command",
            base_rate=0.2,
            look="Motor runs on, or neither direction works; voltage with the coil off.",
            remedy="Replace the relay; look for what drew so much current.",
            work="wiring",
            goes_with="relay",
        ),
    )
    symbol = Symbol(
        3,
        1.8,
        {
            "plus": ("south", 0.6),
            "minus": ("north", 0.6),
            "rest": ("south", 1.8),
            "work": ("south", 2.6),
            "arm": ("north", 2.2),
        },
        (
            "M0.2 0.5 H1 V1.3 H0.2 Z",
            "M0.6 0 V0.5",
            "M0.6 1.3 V1.8",
            "M1.8 1.8 V1.3",
            "M2.6 1.8 V1.3",
            "M2.2 0 V0.6 L1.8 1.25",
        ),
        ("M1 0.9 H1.95",),
    )
    example = Example(
        "coil 12/20 A ×0.6 = 0.36; work contact: 0.01 V over 0.002 Ω = 5 A, ×0.6 = 3",
        {"plus": 12.0, "minus": 0.0, "rest": 0.0, "work": 12.0, "arm": 11.99},
        {"plus": 0.36, "minus": -0.36, "rest": 0.0, "work": 3.0, "arm": -3.0},
    )
    law = _changeover


_CHANGEOVER = ChangeoverRelay.rows()

_CLOSING_BAR, _CLOSING = 12.0, 12.0
"""Below its setting a steady pressure switch is taken to conduct less and less, by so many powers of
e: between stopping and starting again a pack stands somewhere, on the average."""


@law
def _pressure_switch(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            eased = 1.0 - k[c, _PRESSURE_SWITCH.switched, b]
            over, dover = smooth_step(
                x[c, 2, b] - k[c, _PRESSURE_SWITCH.set_bar, b], -_CLOSING_BAR, 0.0
            )
            called = k[c, _PRESSURE_SWITCH.made, b]
            reach = k[c, _PRESSURE_SWITCH.reach, b]
            stuck, _ = smooth_step(k[c, _PRESSURE_SWITCH.stuck, b], 0.35, 0.65)
            made, _ = smooth_step(called * reach, 0.35, 0.65)
            less = math.exp(-_CLOSING * over * eased)
            full = _EL / k[c, _PRESSURE_SWITCH.contact_ohm, b]
            g = full * (made * less * (1.0 - stuck) + stuck) + _EL * _OPEN_S
            across = x[c, 0, b] - x[c, 1, b]
            couple(f, j, c, b, 0, 1, g * across, g)
            slope = -full * made * less * (1.0 - stuck) * _CLOSING * eased * dover * across
            j[c, 0, 2, b] += slope
            j[c, 1, 2, b] -= slope


class PressureSwitch(ComponentType):
    """Switch that oil opens at its set pressure, and lets make again at a lower one.

    Where time runs it is made below ``reset_bar`` and open above ``set_bar``, and stays as it was
    between. In a steady state it conducts less and less over the last 12 bar below its setting, and not
    at all in a state that says the pack has stopped (``made`` 0).
    """

    type_name = "pressure_switch"
    label = "Pressure switch"
    words = (
        "pressure switch",
        "pressostat",
        "oil pressure switch",
    )
    roles = (
        "adjustable",
        "contact",
        "senses",
    )
    ports = (Port("inlet", "electrical"), Port("outlet", "electrical"), Port("X", line="pilot"))
    storage = (between("made", "X", "reset_bar", "set_bar"),)
    in_time: ClassVar = {"switched": 1.0}

    class Parameters(ParameterSet):
        set_bar: float = quantity(160, "bar", "opens above", low=0.5, high=600, tolerance=0.015)
        reset_bar: float = quantity(
            130, "bar", "makes again below", low=0.2, high=600, tolerance=0.02
        )
        contact_ohm: float = quantity(0.05, "Ω", "closed contact and wire", low=1e-4, high=1000)
        reach: float = quantity(1, "1", "how far it moves its contact", low=0, high=1)
        stuck: float = quantity(0, "1", "made whatever the pressure", low=0, high=1)

    commands = (Command("made", 0, 1, 1.0), Command("switched", 0, 1))
    fault_modes = (
        FaultMode(
            name="never_makes",
            label="pressure switch never makes: stuck open or wire off",
            parameter="reach",
            scale="switch",
            severe=0.0,
            family="command",
            base_rate=0.8,
            look="No voltage behind it at zero pressure.",
            remedy="Mend the wire or replace the switch.",
            work="wiring",
        ),
        FaultMode(
            name="stays_made",
            label="pressure switch stays made: the motor runs on",
            parameter="stuck",
            scale="switch",
            severe=1.0,
            family="command",
            base_rate=0.5,
            look="Voltage behind it above its set pressure; the relief blows off.",
            remedy="Replace the switch.",
            work="wiring",
        ),
        FaultMode(
            name="set_low",
            label="pressure switch opens early",
            parameter="set_bar",
            scale="factor",
            severe=0.85,
            family="command",
            base_rate=0.6,
            look="Pressure at which the motor stops.",
            remedy="Set it with a gauge, or replace it.",
            work="set",
        ),
        FaultMode(
            name="narrow",
            label="pressure switch makes again too soon: its difference is lost",
            parameter="reset_bar",
            scale="factor",
            severe=1.2,
            family="command",
            base_rate=0.4,
            look="Pressure at which the motor starts again.",
            remedy="Replace the switch.",
        ),
        FaultMode(
            name="set_high",
            label="switches too late: set too high",
            parameter="set_bar",
            scale="factor",
            severe=1.15,
            family="command",
            base_rate=0.3,
            look="Pressure at which it clicks.",
            remedy="Set it with a gauge.",
            work="set",
        ),
    )
    adjustable = ("set_bar",)
    symbol = Symbol(
        1.8,
        1.8,
        {"inlet": ("south", 0.5), "outlet": ("north", 0.5), "X": ("east", 0.9)},
        (
            "M0.5 1.8 V1.3",
            "M0.5 0.5 V0",
            "M0.5 1.3 L0.9 0.55",
            "M0.35 0.5 H0.65",
            "M1.2 0.6 H1.6 V1.2 H1.2 Z",
        ),
        ("M1.8 0.9 H1.6 M1.2 0.9 H0.75",),
    )
    example = Example(
        "made at 20 bar: 0.1 V over 0.05 Ω = 2 A, ×0.6",
        {"inlet": 12.0, "outlet": 11.9, "X": 20.0},
        {"inlet": 1.2, "outlet": -1.2, "X": 0.0},
    )
    law = _pressure_switch


_PRESSURE_SWITCH = PressureSwitch.rows()


class ReleaseValve(ShutOffValve):
    """Emergency release: a screw or a lever that lets a locked side go, shut in use.

    ``q = K·open·√Δp``, and a trace when it is shut.
    """

    type_name = "release_valve"
    label = "Emergency release"
    words = (
        "emergency lowering",
        "bleed-down valve",
        "dump valve",
        "accumulator dump",
        "manual release",
        "bypass screw",
        "shared bypass",
        "hand lowering valve",
    )
    lets_go_by = "open"
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        k: float = quantity(3, "L/min/√bar", "open, flow at 1 bar", low=0.01, high=2000)
        rest_k: float = quantity(1e-6, "L/min/√bar", "shut, flow at 1 bar", low=1e-8, high=100)
        turned: float = quantity(1, "1", "how far it follows its handle", low=0, high=1.2)

    commands = (Command("open", 0, 1, by="hand_valve"),)
    fault_modes = (
        FaultMode(
            name="leaks",
            label="release does not shut tight: dirt or a marked seat",
            parameter="rest_k",
            scale="decades",
            severe=1.0,
            family="detour",
            base_rate=0.7,
            look="Screw it home by hand and see whether the loss stops.",
            remedy="Open and shut it once to flush the seat; renew its seal.",
            work="clean",
        ),
        FaultMode(
            name="left_open",
            label="release left open after use",
            parameter="rest_k",
            scale="switch",
            severe=1.5,
            family="detour",
            base_rate=0.5,
            look="Position of its screw or lever.",
            remedy="Shut it; seal it.",
            work="by_hand",
        ),
        FaultMode(
            name="stuck_shut",
            label="does not open: stem, seat or coil",
            parameter="turned",
            scale="to",
            severe=1 / 500,
            family="dam",
            base_rate=0.3,
            look="Move it by hand: pressure does not fall.",
            remedy="Free or replace it. Until then what it should let go stays.",
            work="clean",
        ),
    )
    example = Example(
        "shut: 1e-6·√100",
        {"inlet": 100.0, "outlet": 0.0},
        {"inlet": 1e-5, "outlet": -1e-5},
    )


@law
def _return_shuttle(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            for side in range(2):
                other = 1 - side
                opening, dopening = smooth_step(x[c, other, b] - x[c, side, b], 2.0, 8.0)
                root, droot = turbulent(x[c, side, b] - x[c, 2, b], k[c, _RETURN_SHUTTLE.k, b], 0.3)
                lost = k[c, _RETURN_SHUTTLE.leak_k, b]
                passed, dpassed = turbulent(x[c, side, b] - x[c, 2, b], lost, 0.5)
                couple(f, j, c, b, side, 2, opening * root + passed, opening * droot + dpassed)
                steer(j, c, b, side, 2, other, dopening * root)
                steer(j, c, b, side, 2, side, -dopening * root)


class ReturnShuttle(ComponentType):
    """Shuttle of a reversible pack: opens the side that does not push to the tank.

    From the lower side ``q = K·S·√Δp``, S a cubic over 2 … 8 bar of difference between the sides:
    what a cylinder's cap side gives back is more than the pump draws, and must have a way.
    """

    type_name = "return_shuttle"
    label = "Return shuttle"
    words = (
        "pack shuttle",
        "decompression valve",
        "tilt valve block",
    )
    roles = (
        "spool",
        "seat",
    )
    ports = (Port("A"), Port("B"), Port("tank", line="drain"))

    class Parameters(ParameterSet):
        k: float = quantity(4, "L/min/√bar", "open, flow at 1 bar", low=0.01, high=200)
        leak_k: float = quantity(
            1e-4, "L/min/√bar", "both sides to the tank past its spool", low=1e-7, high=50
        )

    fault_modes = (
        FaultMode(
            name="sticks",
            label="shuttle does not open: no way back to the tank",
            parameter="k",
            scale="factor",
            severe=1 / 200,
            family="dam",
            base_rate=0.6,
            look="Spool does not slide under its own weight.",
            remedy="Clean the spool and its bore.",
            work="clean",
        ),
        FaultMode(
            name="leaks",
            label="shuttle hangs between: the side that pushes leaks to the tank",
            parameter="leak_k",
            scale="decades",
            severe=1.5,
            family="detour",
            base_rate=0.5,
            look="Dirt under the spool; a scored bore.",
            remedy="Clean or replace it.",
            work="clean",
        ),
    )
    symbol = Symbol(
        2.4,
        1.8,
        {"A": ("south", 0.6), "B": ("south", 1.8), "tank": ("north", 1.2)},
        (
            "M0.2 0.4 H2.2 V1.4 H0.2 Z",
            "M0.6 1.8 V1.4 M1.8 1.8 V1.4 M1.2 0.4 V0",
            "M1.2 0.9 a0.22 0.22 0 1 0 0.01 0",
        ),
    )
    example = Example(
        "A 100 bar, B 4 bar: 4·√4 with smoothing from B, 1e-4·√100 and 1e-4·√4 past the spool",
        {"A": 100.0, "B": 4.0, "tank": 0.0},
        {"A": 0.001, "B": 7.9889, "tank": -7.9899},
        rel=2e-3,
    )
    law = _return_shuttle


_RETURN_SHUTTLE = ReturnShuttle.rows()
