"""Valves that sequence, reduce, unload, cut off and share pressure."""

from collections.abc import Mapping
from typing import ClassVar

from umweg.core.components.base import (
    Command,
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Port,
    Side,
    Symbol,
    quantity,
)
from umweg.core.components.kernels import (
    check_flow,
    couple,
    cracking,
    forward,
    law,
    ramp,
    scalar,
    smooth_step,
    steer,
    turbulent,
)
from umweg.core.components.pressure_valves import RELIEF_BOX, ReliefValve
from umweg.core.components.storage import between
from umweg.core.components.symbols import valve

_TWO: dict[str, tuple[Side, float]] = {"inlet": ("south", 1.0), "outlet": ("north", 1.0)}


class CartridgeRelief(ReliefValve):
    """Cartridge relief with a screen and a spring set by shims; flow as the direct relief valve.

    ``q = (Δp − p_set)/override`` above the setting.
    """

    type_name = "cartridge_relief"
    label = "Cartridge relief valve"
    words = (
        "cartridge relief",
        "screw-in relief",
    )
    roles = (
        "adjustable",
        "opens on pressure",
        "held by a spring",
        "filters",
        "seat",
    )
    fault_modes = (
        FaultMode(
            name="spring_weak",
            label="spring tired, or shims missing",
            parameter="set_bar",
            scale="factor",
            severe=0.3,
            family="detour",
            base_rate=1.2,
            look="Free length of the spring; count the shims against the sheet.",
            remedy="Add shims by the pressure per shim; replace a spring shorter than specified.",
            work="set",
        ),
        FaultMode(
            name="seat_leaks",
            label="poppet or seat worn, or held open by dirt",
            parameter="seat_k",
            scale="square",
            severe=9.0,
            family="detour",
            base_rate=1.0,
            look="Dirt or a ring on poppet and seat; damaged ring around the cartridge.",
            remedy="Clean, or replace cartridge and rings.",
            work="clean",
        ),
        FaultMode(
            name="screen_blocked",
            label="screen blocked, opens too late",
            parameter="set_bar",
            scale="factor",
            severe=2.0,
            family="dam",
            base_rate=0.3,
            look="Screen of the cartridge.",
            remedy="Clean the screen; look for the source of the dirt.",
            work="clean",
        ),
        FaultMode(
            name="set_high",
            label="set too high",
            parameter="set_bar",
            scale="factor",
            severe=1.9,
            family="dam",
            base_rate=0.2,
            look="Its own mark or length against the parts list; gauge at its port.",
            remedy="Set or fit the specified one with a gauge.",
            work="set",
        ),
    )


@law
def _pilot_operated_relief(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            p, t, v = x[c, 0, b], x[c, 1, b], x[c, 2, b]
            q, dq = turbulent(p - v, k[c, _PILOT_OPERATED_RELIEF.screen_k, b], 0.5)
            couple(f, j, c, b, 0, 2, q, dq)
            head, dhead = cracking(v - t - k[c, _PILOT_OPERATED_RELIEF.set_bar, b], 1.0)
            gain = 1.0 / k[c, _PILOT_OPERATED_RELIEF.pilot_bar_per_lpm, b]
            couple(f, j, c, b, 2, 1, head * gain, dhead * gain)
            lift, dlift = ramp(p - v - k[c, _PILOT_OPERATED_RELIEF.spring_bar, b], 0.5)
            root, droot = forward(p - t, k[c, _PILOT_OPERATED_RELIEF.main_k_per_bar, b])
            couple(f, j, c, b, 0, 1, lift * root, lift * droot)
            steer(j, c, b, 0, 1, 0, dlift * root)
            steer(j, c, b, 0, 1, 2, -dlift * root)
            seat, dseat = turbulent(p - t, k[c, _PILOT_OPERATED_RELIEF.seat_k, b], 0.5)
            couple(f, j, c, b, 0, 1, seat, dseat)


class PilotOperatedRelief(ComponentType):
    """Relief whose main poppet is balanced over an orifice and let go by a small pilot relief.

    Orifice ``q = K·√(p − p_vent)``; pilot opens at its setting over tank; the main poppet opens in
    proportion to ``p − p_vent − spring``. Venting it unloads the pump to the spring's pressure.
    """

    type_name = "pilot_operated_relief"
    label = "Pilot-operated relief valve"
    words = (
        "two-stage relief",
        "pilot relief",
        "main stage relief",
        "vented relief",
    )
    roles = (
        "adjustable",
        "opens on pressure",
        "held by a spring",
        "pilot fed",
        "seat",
    )
    ports = (Port("inlet"), Port("outlet"), Port("vent", line="pilot"))

    class Parameters(ParameterSet):
        set_bar: float = quantity(
            200, "bar", "pilot cracking pressure", low=1, high=700, tolerance=0.012
        )
        spring_bar: float = quantity(5, "bar", "main spring", low=0.5, high=40)
        screen_k: float = quantity(0.7, "L/min/√bar", "orifice to the vent", low=1e-4, high=20)
        main_k_per_bar: float = quantity(
            2.5, "L/min/√bar/bar", "main opening per bar over its spring", low=0.01, high=100
        )
        seat_k: float = quantity(0.005, "L/min/√bar", "seat leakage at 1 bar", low=1e-6, high=50)
        pilot_bar_per_lpm: float = quantity(
            2, "bar/(L/min)", "rise of the pilot per flow", low=0.05, high=100
        )

    fault_modes = (
        FaultMode(
            name="set_low",
            label="pilot opens early: weak spring or backed off",
            parameter="set_bar",
            scale="factor",
            severe=0.25,
            family="detour",
            base_rate=1.2,
            look="Spring length, lock nut and paint mark on the screw.",
            remedy="Set to the specification with a gauge; replace a weak spring.",
            work="set",
        ),
        FaultMode(
            name="screen_plugged",
            label="main orifice plugged: opens at its main spring",
            parameter="screen_k",
            scale="factor",
            severe=1 / 500,
            family="detour",
            base_rate=0.6,
            look="Look through the orifice of the main poppet.",
            remedy="Clean the orifice; change the oil that plugged it.",
            work="clean",
        ),
        FaultMode(
            name="seat_leaks",
            label="main poppet held open by dirt",
            parameter="seat_k",
            scale="square",
            severe=9.0,
            family="detour",
            base_rate=0.8,
            look="Dirt or a ring on poppet and seat.",
            remedy="Clean or replace the cartridge.",
            work="clean",
        ),
        FaultMode(
            name="set_high",
            label="pilot set too high",
            parameter="set_bar",
            scale="factor",
            severe=1.9,
            family="dam",
            base_rate=0.25,
            look="Screw turned in past its mark; lock nut moved.",
            remedy="Back it off and set it with a gauge.",
            work="set",
        ),
    )
    adjustable = ("set_bar",)
    relieves = True
    one_way = True
    symbol = Symbol(
        2.6,
        3,
        {**_TWO, "vent": ("east", 1.0)},
        RELIEF_BOX,
        ("M1 2.6 H0.1 V1.5 H0.2", "M2.6 1 H1.8"),
        ("M1.35 0.75 L1.25 1.05 L1.45 1.05 Z",),
    )
    example = Example(
        "pilot shut at 50 bar, vent at 50: seat 0.005·√50",
        {"inlet": 50.0, "outlet": 0.0, "vent": 50.0},
        {"inlet": 0.03535, "outlet": -0.03535, "vent": 0.0},
    )
    law = _pilot_operated_relief


_PILOT_OPERATED_RELIEF = PilotOperatedRelief.rows()


@law
def _unloading(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            opening, slope = smooth_step(
                x[c, 2, b] - x[c, 1, b],
                k[c, _UNLOADING.set_bar, b],
                k[c, _UNLOADING.set_bar, b] + k[c, _UNLOADING.span_bar, b],
            )
            root, droot = turbulent(x[c, 0, b] - x[c, 1, b], k[c, _UNLOADING.k, b], 0.5)
            couple(f, j, c, b, 0, 1, root * opening, droot * opening)
            steer(j, c, b, 0, 1, 2, root * slope)
            steer(j, c, b, 0, 1, 1, -root * slope)
            seat, dseat = turbulent(x[c, 0, b] - x[c, 1, b], k[c, _UNLOADING.seat_k, b], 0.5)
            couple(f, j, c, b, 0, 1, seat, dseat)


class UnloadingValve(ComponentType):
    """Opens its way to tank when a remote pressure passes its setting, over ``span_bar``.

    ``q = K·S(p_pilot − p_set)·√Δp``. In a closed loop it is the pressure cut-off: piloted by the
    higher side, it takes the control pressure away.
    """

    type_name = "unloading_valve"
    label = "Unloading valve"
    words = (
        "unloader",
        "unloading valve",
        "dump valve of a pump",
        "high-low valve",
    )
    roles = (
        "adjustable",
        "opens on pressure",
        "held by a spring",
        "seat",
    )
    ports = (Port("inlet"), Port("outlet"), Port("pilot", line="pilot"))

    class Parameters(ParameterSet):
        set_bar: float = quantity(
            180, "bar", "pilot pressure where it opens", low=1, high=700, tolerance=0.012
        )
        span_bar: float = quantity(10, "bar", "pilot pressure from shut to open", low=0.5, high=80)
        k: float = quantity(20, "L/min/√bar", "open, flow at 1 bar", low=0.01, high=1000)
        seat_k: float = quantity(1e-4, "L/min/√bar", "seat leakage at 1 bar", low=1e-7, high=50)

    fault_modes = (
        FaultMode(
            name="set_low",
            label="opens early: weak spring or backed off",
            parameter="set_bar",
            scale="factor",
            severe=0.3,
            family="detour",
            base_rate=0.9,
            look="Spring length, lock nut and paint mark on the screw.",
            remedy="Set to the specification with a gauge.",
            work="set",
        ),
        FaultMode(
            name="seat_leaks",
            label="held open by dirt",
            parameter="seat_k",
            scale="square",
            severe=4.0,
            family="detour",
            base_rate=0.7,
            look="Dirt or a ring on poppet and seat.",
            remedy="Clean or replace the valve.",
            work="clean",
        ),
        FaultMode(
            name="stuck_shut",
            label="does not open",
            parameter="set_bar",
            scale="factor",
            severe=3.0,
            family="dam",
            base_rate=0.3,
            look="Piston or poppet does not slide.",
            remedy="Clean or replace the valve.",
            work="clean",
        ),
        FaultMode(
            name="set_high",
            label="unloads too late: set too high",
            parameter="set_bar",
            scale="factor",
            severe=1.8,
            family="dam",
            base_rate=0.2,
            look="Screw turned in past its mark.",
            remedy="Set it with a gauge.",
            work="set",
        ),
    )
    adjustable = ("set_bar",)
    symbol = Symbol(
        2.6,
        3,
        {**_TWO, "pilot": ("west", 1.5)},
        tuple(s for s in RELIEF_BOX),
        ("M0 1.5 H0.2",),
        ("M1.35 0.75 L1.25 1.05 L1.45 1.05 Z",),
    )
    example = Example(
        "half open: pilot at 185 of 180 … 190; 20·½·√100",
        {"inlet": 100.0, "outlet": 0.0, "pilot": 185.0},
        {"inlet": 100.001, "outlet": -100.001, "pilot": 0.0},
    )
    law = _unloading


_UNLOADING = UnloadingValve.rows()


@law
def _sequence(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            head, dhead = cracking(x[c, 0, b] - x[c, 2, b] - k[c, _SEQUENCE.set_bar, b], 1.0)
            opening = head / k[c, _SEQUENCE.span_bar_per_k, b]
            root, droot = forward(x[c, 0, b] - x[c, 1, b], 1.0)
            couple(f, j, c, b, 0, 1, opening * root, opening * droot)
            slope = dhead / k[c, _SEQUENCE.span_bar_per_k, b] * root
            steer(j, c, b, 0, 1, 0, slope)
            steer(j, c, b, 0, 1, 2, -slope)
            free, dfree = check_flow(x[c, 1, b] - x[c, 0, b], k[c, _SEQUENCE.check_k, b], 0.3, 1e-6)
            couple(f, j, c, b, 1, 0, free, dfree)


class SequenceValve(ComponentType):
    """Lets oil on to the next consumer once its own inlet has reached a pressure.

    Opening in proportion to ``p_in − p_drain − p_set``; free flow back through its check. In front
    of the lesser consumers it is a static priority valve: what is upstream is served first.
    """

    type_name = "sequence_valve"
    label = "Sequence valve"
    words = (
        "sequence valve",
        "kick-down valve",
        "phasing valve",
    )
    roles = (
        "adjustable",
        "opens on pressure",
        "held by a spring",
    )
    ports = (Port("inlet"), Port("outlet"), Port("drain", line="drain"))

    class Parameters(ParameterSet):
        set_bar: float = quantity(80, "bar", "opens at", low=1, high=700, tolerance=0.02)
        span_bar_per_k: float = quantity(
            1.5, "bar/(L/min/√bar)", "excess pressure per opening", low=0.02, high=200
        )
        check_k: float = quantity(30, "L/min/√bar", "free flow back at 1 bar", low=1e-4, high=1000)

    fault_modes = (
        FaultMode(
            name="stuck_shut",
            label="sticks shut, the next consumer gets nothing",
            parameter="set_bar",
            scale="factor",
            severe=5.0,
            family="dam",
            base_rate=0.6,
            look="Spool does not slide in its bore.",
            remedy="Clean or replace the valve.",
            work="clean",
        ),
        FaultMode(
            name="set_low",
            label="opens early: weak or broken spring",
            parameter="set_bar",
            scale="factor",
            severe=0.1,
            family="detour",
            base_rate=0.7,
            look="Spring length; broken coils.",
            remedy="Replace the spring, set with a gauge.",
        ),
        FaultMode(
            name="set_high",
            label="opens too late: set too high",
            parameter="set_bar",
            scale="factor",
            severe=2.5,
            family="dam",
            base_rate=0.25,
            look="Screw turned in past its mark.",
            remedy="Set it with a gauge.",
            work="set",
        ),
    )
    adjustable = ("set_bar",)
    one_way = True
    symbol = Symbol(
        2.6,
        3,
        {**_TWO, "drain": ("east", 2.2)},
        (*RELIEF_BOX, "M1 2.7 H2.3 V0.3 H1", "M2.1 1.35 L2.3 1.65 L2.5 1.35"),
        ("M1 2.6 H0.1 V1.5 H0.2", "M2.6 2.2 H1.8"),
        ("M1.35 0.75 L1.25 1.05 L1.45 1.05 Z",),
    )
    example = Example(
        "95 − 80 = 15 bar over 1.5: 10 L/min/√bar·√(25 − 0.15)",
        {"inlet": 95.0, "outlet": 70.0, "drain": 0.0},
        {"inlet": 49.85, "outlet": -49.85, "drain": 0.0},
    )
    law = _sequence


_SEQUENCE = SequenceValve.rows()


@scalar
def reduce_pressure(x, f, j, c, b, wanted, band, k, relieving_k, dead):
    """Ports 0 inlet, 1 reduced, 2 tank: feed the outlet below ``wanted``, drain it above."""
    p, a, t = x[c, 0, b], x[c, 1, b], x[c, 2, b]
    over, dover = smooth_step(a - t, wanted - band, wanted + band)
    feed = 1.0 - over
    root, droot = turbulent(p - a, k, 0.5)
    couple(f, j, c, b, 0, 1, root * feed, droot * feed)
    steer(j, c, b, 0, 1, 1, -root * dover)
    steer(j, c, b, 0, 1, 2, root * dover)
    relief, drelief = smooth_step(a - t, wanted + dead, wanted + dead + 2.0 * band)
    root, droot = turbulent(a - t, relieving_k, 0.5)
    couple(f, j, c, b, 1, 2, root * relief, droot * relief + root * drelief)


@law
def _reducing(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            reduce_pressure(
                x,
                f,
                j,
                c,
                b,
                k[c, _REDUCING.set_bar, b],
                k[c, _REDUCING.band_bar, b],
                k[c, _REDUCING.k, b],
                k[c, _REDUCING.relieving_k, b],
                k[c, _REDUCING.dead_bar, b],
            )
            leak = k[c, _REDUCING.leak_lpm_per_bar, b]
            couple(f, j, c, b, 0, 1, leak * (x[c, 0, b] - x[c, 1, b]), leak)


class ReducingValve(ComponentType):
    """Reducing-relieving valve: holds its outlet at a pressure above tank, both ways.

    Feed ``q = K·(1 − S)·√(p − p_red)``, S a cubic step over ± band about the setting; above it by
    ``dead_bar`` the outlet is let to tank. With a small relieving opening it only reduces.
    """

    type_name = "reducing_valve"
    label = "Pressure reducing valve"
    words = (
        "reducer",
        "pressure reducing valve",
        "PRV",
        "pilot supply valve",
    )
    roles = (
        "adjustable",
        "closes on pressure",
        "held by a spring",
        "spool",
    )
    cannot: ClassVar[Mapping[str, str]] = {
        "leaks": "what it lets by lifts the reduced pressure until it drains it again; what is left is stuck_open"
    }
    ports = (Port("inlet"), Port("outlet"), Port("tank", line="drain"))

    class Parameters(ParameterSet):
        set_bar: float = quantity(30, "bar", "reduced pressure", low=1, high=400, tolerance=0.02)
        band_bar: float = quantity(1.5, "bar", "from open to shut, each side", low=0.1, high=30)
        k: float = quantity(6, "L/min/√bar", "feed wide open", low=0.01, high=500)
        relieving_k: float = quantity(4, "L/min/√bar", "relieving wide open", low=1e-5, high=500)
        dead_bar: float = quantity(3, "bar", "above the setting before it relieves", low=0, high=50)
        leak_lpm_per_bar: float = quantity(
            1e-4, "L/min/bar", "past its spool to the outlet", low=1e-8, high=10
        )

    fault_modes = (
        FaultMode(
            name="set_low",
            label="spring weak or shims missing: reduces too far",
            parameter="set_bar",
            scale="factor",
            severe=0.25,
            family="dam",
            base_rate=0.9,
            look="Spring length; count the shims.",
            remedy="Add shims by the pressure per shim, or replace the spring.",
            work="set",
        ),
        FaultMode(
            name="stuck_shut",
            label="spool stuck shut or its feed screen blocked",
            parameter="k",
            scale="factor",
            severe=1 / 5000,
            family="dam",
            base_rate=0.6,
            look="Screen at its inlet; spool does not slide.",
            remedy="Clean screen and spool.",
            work="clean",
        ),
        FaultMode(
            name="stuck_open",
            label="spool stuck open: does not reduce",
            parameter="set_bar",
            scale="factor",
            severe=4.0,
            family="detour",
            base_rate=0.4,
            look="Spool does not slide; broken spring across it.",
            remedy="Free or replace the valve.",
            work="clean",
        ),
        FaultMode(
            name="set_high",
            label="turned in too far: reduced pressure too high",
            parameter="set_bar",
            scale="factor",
            severe=2.2,
            family="detour",
            base_rate=0.3,
            look="Screw turned in past its mark; gauge behind it.",
            remedy="Back it off and set it with a gauge behind it.",
            work="set",
        ),
    )
    adjustable = ("set_bar",)
    one_way = True
    symbol = Symbol(
        2.6,
        3,
        {**_TWO, "tank": ("east", 1.5)},
        (
            "M0.2 0.7 H1.8 V2.3 H0.2 Z",
            "M1 0 V3",
            "M1.8 1.2 l0.2 0.15 l-0.15 0.15 l0.3 0.15 l-0.3 0.15 l0.15 0.15",
            "M1.8 1.9 L2.4 1.5",
        ),
        ("M1 0.4 H0.1 V1.5 H0.2", "M2.6 1.5 H2.4"),
        ("M1 0.75 L0.9 1.05 L1.1 1.05 Z",),
    )
    example = Example(
        "at its setting: half open, 6·½·√90",
        {"inlet": 120.0, "outlet": 30.0, "tank": 0.0},
        {"inlet": 28.469, "outlet": -28.469, "tank": 0.0},
    )
    law = _reducing


_REDUCING = ReducingValve.rows()


@law
def _joystick(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            lever = k[c, _JOYSTICK.lever, b] * k[c, _JOYSTICK.linkage_gain, b]
            on, _ = smooth_step(lever, 0.02, 0.12)
            wanted = on * (
                k[c, _JOYSTICK.start_bar, b] + k[c, _JOYSTICK.span_bar, b] * lever
            ) - 2.0 * (1.0 - on)
            reduce_pressure(
                x,
                f,
                j,
                c,
                b,
                wanted,
                k[c, _JOYSTICK.band_bar, b],
                k[c, _JOYSTICK.k, b],
                k[c, _JOYSTICK.relieving_k, b],
                0.5,
            )


class JoystickValve(ComponentType):
    """One direction of a pilot joystick: a reducing-relieving valve whose spring the lever presses.

    ``p_out = start + span·lever``; at rest the outlet is open to tank.
    """

    type_name = "joystick_valve"
    label = "Joystick pilot valve"
    words = (
        "joystick",
        "pilot controller",
        "pilot valve",
        "hand controller",
        "foot pilot",
        "remote control valve",
    )
    roles = (
        "shifted by hand",
        "pilot fed",
        "spool",
    )
    cannot: ClassVar[Mapping[str, str]] = {
        "leaks": "what its plunger lets by goes back to the tank and is made up by the pilot supply"
    }
    ports = (Port("inlet", line="pilot"), Port("outlet", line="pilot"), Port("tank", line="drain"))

    class Parameters(ParameterSet):
        start_bar: float = quantity(5, "bar", "when the lever leaves its rest", low=0, high=50)
        span_bar: float = quantity(20, "bar", "added over the lever's travel", low=1, high=100)
        band_bar: float = quantity(1, "bar", "from open to shut, each side", low=0.1, high=20)
        k: float = quantity(2, "L/min/√bar", "feed wide open", low=0.001, high=100)
        relieving_k: float = quantity(2, "L/min/√bar", "to tank at rest", low=0.001, high=100)
        linkage_gain: float = quantity(1, "1", "plunger travel per lever", low=0, high=1.2)

    commands = (Command("lever", 0, 1, by="lever"),)
    fault_modes = (
        FaultMode(
            name="plunger_sticks",
            label="plunger sticks or its boot is torn and dirty",
            parameter="linkage_gain",
            scale="to",
            severe=0.0,
            family="command",
            base_rate=0.6,
            remarks=("jerky",),
            look="Plunger does not follow the lever.",
            remedy="Clean the plunger, replace the boot.",
            work="clean",
        ),
        FaultMode(
            name="feed_blocked",
            label="feed of the pilot valve blocked",
            parameter="k",
            scale="factor",
            severe=1 / 5000,
            family="command",
            base_rate=0.4,
            look="Screen in its inlet.",
            remedy="Clean the screen.",
            work="clean",
        ),
    )
    one_way = True
    symbol = Symbol(
        2.6,
        3,
        {**_TWO, "tank": ("east", 1.5)},
        (
            "M0.2 0.7 H1.8 V2.3 H0.2 Z",
            "M1 0 V3",
            "M1.8 1.2 l0.2 0.15 l-0.15 0.15 l0.3 0.15",
            "M2.1 1 L2.5 0.5 M2.4 0.35 a0.15 0.15 0 1 0 0.2 0.2",
        ),
        ("M1 0.4 H0.1 V1.5 H0.2", "M2.6 1.5 H1.8"),
        ("M1 0.75 L0.9 1.05 L1.1 1.05 Z",),
    )
    example = Example(
        "at rest the outlet at 1 bar goes to tank: 2·√1 with smoothing",
        {"inlet": 30.0, "outlet": 1.0, "tank": 0.0},
        {"inlet": 0.0, "outlet": 1.8915, "tank": -1.8915},
    )
    law = _joystick


_JOYSTICK = JoystickValve.rows()


@law
def _charging(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            p, acc, out = x[c, 0, b], x[c, 1, b], x[c, 2, b]
            full, dfull = smooth_step(
                acc - k[c, _CHARGING.cut_out_bar, b], -k[c, _CHARGING.band_bar, b], 0.0
            )
            eased = 1.0 - k[c, _CHARGING.switched, b]
            called = k[c, _CHARGING.charging, b] * (1.0 - full * eased)
            stuck = k[c, _CHARGING.stuck, b]
            want = called + (1.0 - called) * stuck
            fall = k[c, _CHARGING.charging, b] * dfull * eased * (1.0 - stuck)
            free, dfree = forward(p - acc, k[c, _CHARGING.k, b])
            couple(f, j, c, b, 0, 1, free * want, dfree * want)
            steer(j, c, b, 0, 1, 1, -free * fall)
            base = k[c, _CHARGING.outlet_k, b]
            head, dhead = ramp(p - want * (acc + k[c, _CHARGING.margin_bar, b]) - 0.3, 4.0)
            opening = base * head / 4.0
            limit = 1.0 / (1.0 + head / 4.0)
            opening = opening * limit
            dopening = base * dhead / 4.0 * limit * limit
            root, droot = turbulent(p - out, 1.0, 0.5)
            couple(f, j, c, b, 0, 2, opening * root, opening * droot)
            steer(j, c, b, 0, 2, 0, dopening * root)
            steer(
                j,
                c,
                b,
                0,
                2,
                1,
                dopening * root * (fall * (acc + k[c, _CHARGING.margin_bar, b]) - want),
            )
            leak = k[c, _CHARGING.leak_lpm_per_bar, b]
            couple(f, j, c, b, 1, 3, leak * (acc - x[c, 3, b]), leak)


class ChargingValve(ComponentType):
    """Brake charging valve: fills the accumulators first, then passes everything on.

    ``charging`` (it cut in and has not cut out yet) it feeds the accumulator through ``K·√Δp`` and
    throttles its outlet until its inlet stands a margin above it, ending over a band below the
    cut-out pressure; where time runs (``switched``) it cuts out at once and in again. Cut out, its outlet is free and a check keeps the accumulator's oil.
    """

    type_name = "charging_valve"
    label = "Brake charging valve"
    words = (
        "charging valve",
        "accumulator charging valve",
        "cut-in cut-out valve",
        "brake charge valve",
    )
    roles = (
        "adjustable",
        "closes on pressure",
        "held by a spring",
        "seat",
    )
    ports = (Port("inlet"), Port("accumulator"), Port("outlet"), Port("tank", line="drain"))
    storage = (between("charging", "accumulator", "cut_in_bar", "cut_out_bar"),)
    in_time: ClassVar[Mapping[str, float]] = {"switched": 1.0}

    class Parameters(ParameterSet):
        cut_out_bar: float = quantity(
            160, "bar", "accumulator pressure that ends charging", low=5, high=400, tolerance=0.015
        )
        cut_in_bar: float = quantity(
            130, "bar", "accumulator pressure at which charging begins again", low=3, high=400
        )
        band_bar: float = quantity(10, "bar", "over which it lets go", low=1, high=80)
        k: float = quantity(2, "L/min/√bar", "feed to the accumulator", low=0.01, high=100)
        margin_bar: float = quantity(15, "bar", "inlet above accumulator", low=1, high=60)
        outlet_k: float = quantity(45, "L/min/√bar", "outlet, free", low=1, high=1000)
        leak_lpm_per_bar: float = quantity(
            1e-4, "L/min/bar", "accumulator to tank", low=1e-7, high=10
        )
        stuck: float = quantity(0, "1", "held in the charging position", low=0, high=1)

    commands = (Command("charging", 0, 1), Command("switched", 0, 1))
    fault_modes = (
        FaultMode(
            name="never_cuts_out",
            label="does not cut out: keeps throttling the rest",
            parameter="stuck",
            scale="to",
            severe=1.0,
            family="dam",
            base_rate=0.6,
            look="Pressure at the accumulator keeps rising; hot valve.",
            remedy="Clean or replace the cut-out pilot.",
            work="clean",
        ),
        FaultMode(
            name="feed_blocked",
            label="feed to the accumulators blocked",
            parameter="k",
            scale="factor",
            severe=1 / 200,
            family="dam",
            base_rate=0.5,
            look="Orifice and screen in the feed.",
            remedy="Clean them.",
            work="clean",
        ),
        FaultMode(
            name="leaks_down",
            label="accumulator leaks down through the valve",
            parameter="leak_lpm_per_bar",
            scale="square",
            severe=0.05,
            family="detour",
            base_rate=0.7,
            look="Charging starts again and again with the brake untouched.",
            remedy="Replace the check in the valve.",
        ),
        FaultMode(
            name="cut_out_low",
            label="cuts out too early",
            parameter="cut_out_bar",
            scale="factor",
            severe=0.85,
            family="source",
            base_rate=0.4,
            look="Pressure at cut-out against the specification.",
            remedy="Set it, or replace its spring.",
            work="set",
        ),
        FaultMode(
            name="cut_out_high",
            label="cuts out too late",
            parameter="cut_out_bar",
            scale="factor",
            severe=1.35,
            family="dam",
            base_rate=0.15,
            look="Pressure at cut-out against the specification.",
            remedy="Set it.",
            work="set",
        ),
        FaultMode(
            name="cut_in_low",
            label="comes in too late",
            parameter="cut_in_bar",
            scale="factor",
            severe=0.6,
            family="source",
            base_rate=0.4,
            look="Pressure at which it begins to charge again.",
            remedy="Clean or replace its pilot.",
            work="clean",
        ),
    )
    adjustable = ("cut_out_bar",)
    symbol = valve(
        2,
        {
            "inlet": ("south", 3.6),
            "accumulator": ("north", 3.2),
            "outlet": ("north", 4.0),
            "tank": ("south", 4.2),
        },
        ("M3.6 2.4 V0.2", "M3.2 0 V0.2", "M1.6 2.2 V0.2", "M1 0.2 V0.9", "M4 0 V0.4"),
        ("M3.2 0.5 H4.8",),
    )
    example = Example(
        "cut out: outlet head 5 − 0.3 − 2 = 2.7 of 4 bar: 45·0.675/1.675·√5, leak 0.016",
        {"inlet": 5.0, "accumulator": 160.0, "outlet": 0.0, "tank": 0.0},
        {"inlet": 40.45, "accumulator": 0.016, "outlet": -40.45, "tank": -0.016},
        rel=2e-3,
    )
    law = _charging


_CHARGING = ChargingValve.rows()
