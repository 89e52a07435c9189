"""Spool valves by lever and pilot oil; steering valves."""

from typing import ClassVar

from umweg.core.components.base import (
    Command,
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Port,
    quantity,
)
from umweg.core.components.crossing import PILOTS_CROSSED, WORK_HOSES_CROSSED, crossed, turn
from umweg.core.components.kernels import (
    check_flow,
    couple,
    couple_either,
    forward,
    law,
    limited,
    ramp,
    scalar,
    smooth_step,
    steer,
    turbulent,
)
from umweg.core.components.symbols import LEVER, four_way, valve
from umweg.core.fluid import REFERENCE_VISCOSITY_MM2_S as NU_REF

NEUTRAL = {"P": 60.0, "T": 0.0, "A": 20.0, "B": 0.0}


@scalar
def land(x, f, j, c, b, a, z, k, opening, rise, movers):
    """One land from port ``a`` to ``z``; ``rise`` is its opening per travel.

    ``movers`` are the ports that move the spool, each with the travel per its across variable.
    """
    root, droot = turbulent(x[c, a, b] - x[c, z, b], k, 0.5)
    couple(f, j, c, b, a, z, root * opening, droot * opening)
    for by, slope in movers:
        steer(j, c, b, a, z, by, root * rise * slope)


@scalar
def spool(x, f, j, c, b, travel, movers, work_k, drain_k, centre_k, float_k, leak):
    """A three-position four-way spool, ports P T A B.

    Positive travel joins P to A and B to T. In its centre P is joined to T by ``centre_k`` and
    both work ports to T by ``float_k``: none of them closed centre, the first tandem, the second
    float, both open centre.
    """
    for side in range(2):
        sign = 1.0 - 2.0 * side
        opening, rise = smooth_step(sign * travel, 0.1, 0.95)
        land(x, f, j, c, b, 0, 2 + side, work_k, opening, rise * sign, movers)
        land(x, f, j, c, b, 3 - side, 1, drain_k, opening, rise * sign, movers)
    away, rise = smooth_step(abs(travel), 0.05, 0.6)
    closing = -rise if travel >= 0.0 else rise
    land(x, f, j, c, b, 0, 1, centre_k, 1.0 - away, closing, movers)
    land(x, f, j, c, b, 2, 1, float_k, 1.0 - away, closing, movers)
    land(x, f, j, c, b, 3, 1, float_k, 1.0 - away, closing, movers)
    for work in range(2, 4):
        couple(f, j, c, b, work, 1, leak * (x[c, work, b] - x[c, 1, b]), leak)
        half = 0.1 * leak
        couple(f, j, c, b, 0, work, half * (x[c, 0, b] - x[c, work, b]), half)


@law
def _lever_spool(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            travel, _ = limited(
                turn(k[c, _LEVER_SPOOL.crossed, b])
                * (
                    k[c, _LEVER_SPOOL.lever, b] * k[c, _LEVER_SPOOL.linkage_gain, b]
                    + k[c, _LEVER_SPOOL.offset, b]
                )
            )
            leak = k[c, _LEVER_SPOOL.leak_lpm_per_bar, b] * NU_REF / env[0, b]
            sizes = (
                k[c, _LEVER_SPOOL.work_k, b],
                k[c, _LEVER_SPOOL.return_k, b],
                k[c, _LEVER_SPOOL.centre_k, b],
                k[c, _LEVER_SPOOL.float_k, b],
            )
            spool(x, f, j, c, b, travel, ((0, 0.0),), sizes[0], sizes[1], sizes[2], sizes[3], leak)


class SpoolParameters(ParameterSet):
    """What every three-position four-way spool has."""

    work_k: float = quantity(
        18, "L/min/√bar", "P to work port, open", low=0.01, high=1000, tolerance=0.05
    )
    return_k: float = quantity(18, "L/min/√bar", "work port to T, open", low=0.01, high=1000)
    centre_k: float = quantity(0, "L/min/√bar", "P to T in the centre", low=0, high=1000)
    float_k: float = quantity(0, "L/min/√bar", "work ports to T in the centre", low=0, high=1000)
    leak_lpm_per_bar: float = quantity(
        0.0006, "L/min/bar", "work port to T at 46 mm²/s", low=1e-7, high=2, tolerance=0.4
    )


SPOOL_WORN = FaultMode(
    name="spool_worn",
    label="spool or bore worn",
    parameter="leak_lpm_per_bar",
    scale="factor",
    severe=900.0,
    family="detour",
    base_rate=0.6,
    look="Bright bands on the lands; clearance by feel with clean oil.",
    remedy="Exchange the section; spool and bore are a pair.",
)
SPOOL_SHIFTED = FaultMode(
    name="stuck_shifted",
    label="spool hangs off neutral towards A",
    parameter="offset",
    scale="to",
    severe=0.8,
    family="command",
    base_rate=0.25,
    look="Spool does not return to its centre.",
    remedy="Free the spool, check the centring springs and the bolts' torque.",
    work="clean",
)


class DirectionalValve(ComponentType):
    """Three-position four-way spool by lever, its centre closed, tandem, open or float.

    Each land ``q = K(travel)·√Δp``; travel = linkage_gain·lever + offset, +1 joins P to A.
    """

    type_name = "directional_valve"
    label = "Directional control valve"
    words: ClassVar[tuple[str, ...]] = (
        "spool valve",
        "control valve",
        "lever valve",
        "4/3 valve",
        "4-way valve",
        "valve bank",
        "float valve",
        "float",
        "detent valve",
        "manual valve",
        "selector lever",
    )
    roles = (
        "spool",
        "shifted by hand",
        "two hoses alike",
    )
    ports = (Port("P"), Port("T"), Port("A"), Port("B"))

    class Parameters(SpoolParameters):
        linkage_gain: float = quantity(1, "1", "spool travel per lever travel", low=0, high=1.2)
        offset: float = quantity(0, "1", "spool position at lever neutral", low=-1, high=1)
        crossed: float = crossed("the hoses on its work ports are swapped")

    commands: ClassVar[tuple[Command, ...]] = (Command("lever", -1, 1, by="lever"),)
    levers: ClassVar[tuple[str, ...]] = ("lever",)
    fault_modes: ClassVar[tuple[FaultMode, ...]] = (
        SPOOL_WORN,
        FaultMode(
            name="linkage_off",
            label="lever or linkage off its spool",
            parameter="linkage_gain",
            scale="to",
            severe=0.0,
            family="command",
            base_rate=0.9,
            look="Move the lever and watch the spool's end.",
            remedy="Refit or adjust the linkage.",
            work="refit",
            own_lever="lever",
        ),
        SPOOL_SHIFTED,
        WORK_HOSES_CROSSED,
        FaultMode(
            name="detent_worn",
            label="lever does not stay: detent or holding arm worn",
            parameter="linkage_gain",
            scale="switch",
            severe=0.0,
            family="command",
            base_rate=0.2,
            look="Lever springs back when it is let go.",
            remedy="Replace the detent.",
        ),
    )
    symbol = four_way({"lever": ("west", 0.6)}, (LEVER,))
    example = Example(
        "closed centre: the clearances, 0.0006·20 to tank, 0.00006·(60 − 20) and ·60 in",
        NEUTRAL,
        {"P": 0.006, "T": -0.012, "A": 0.0096, "B": -0.0036},
    )
    law = _lever_spool


_LEVER_SPOOL = DirectionalValve.rows()


class FeedbackSteeringValve(DirectionalValve):
    """Steering valve with mechanical feedback: the steered wheels close it again.

    Its travel is the wheel's turn less the wheels' answer; shims centre it. Wrong shims leave it
    off centre, and the machine steers by itself.
    """

    type_name = "feedback_steering_valve"
    label = "Steering valve with feedback"
    words = (
        "follow-up steering valve",
        "servo steering valve",
        "steering box",
    )
    commands = (Command("wheel", -1, 1, by="wheel"),)
    levers = ("wheel",)
    fault_modes = (
        SPOOL_WORN,
        FaultMode(
            name="linkage_off",
            label="drop arm or feedback link off",
            parameter="linkage_gain",
            scale="to",
            severe=0.0,
            family="command",
            base_rate=0.6,
            look="Turn the wheel and watch the valve's lever.",
            remedy="Refit the link; secure it.",
            work="refit",
            own_lever="wheel",
        ),
        FaultMode(
            name="shims_wrong",
            label="wrong shims: steers by itself",
            parameter="offset",
            scale="to",
            severe=0.7,
            family="command",
            base_rate=0.5,
            look="Shim pack against the sheet; wheels creep with the wheel held.",
            remedy="Shim by the maker's procedure until it stands still.",
            work="set",
        ),
        WORK_HOSES_CROSSED,
    )
    symbol = four_way({"wheel": ("west", 0.6)}, (LEVER,))


@law
def _pilot_spool(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            one, done = smooth_step(
                x[c, 4, b] - x[c, 5, b],
                k[c, _PILOT_SPOOL.begin_bar, b],
                k[c, _PILOT_SPOOL.full_bar, b],
            )
            two, dtwo = smooth_step(
                x[c, 5, b] - x[c, 4, b],
                k[c, _PILOT_SPOOL.begin_bar, b],
                k[c, _PILOT_SPOOL.full_bar, b],
            )
            reach = k[c, _PILOT_SPOOL.reach, b] * turn(k[c, _PILOT_SPOOL.crossed, b])
            travel, free = limited(reach * (one - two) + k[c, _PILOT_SPOOL.offset, b])
            slope = free * reach * (done + dtwo)
            leak = k[c, _PILOT_SPOOL.leak_lpm_per_bar, b] * NU_REF / env[0, b]
            sizes = (
                k[c, _PILOT_SPOOL.work_k, b],
                k[c, _PILOT_SPOOL.return_k, b],
                k[c, _PILOT_SPOOL.centre_k, b],
                k[c, _PILOT_SPOOL.float_k, b],
            )
            movers = ((4, slope), (5, -slope))
            spool(x, f, j, c, b, travel, movers, sizes[0], sizes[1], sizes[2], sizes[3], leak)
            trace = k[c, _PILOT_SPOOL.pilot_lpm_per_bar, b]
            couple(f, j, c, b, 4, 1, trace * (x[c, 4, b] - x[c, 1, b]), trace)
            couple(f, j, c, b, 5, 1, trace * (x[c, 5, b] - x[c, 1, b]), trace)


class PilotDirectionalValve(ComponentType):
    """Main spool shifted by pilot oil against its centring springs.

    Travel = S(p_X − p_Y) − S(p_Y − p_X), S a cubic step between begin and full pilot pressure.
    Without pilot pressure it does nothing, whatever the lever does.
    """

    type_name = "pilot_directional_valve"
    piloted = True
    label = "Pilot-operated directional valve"
    words = (
        "pilot spool",
        "piloted valve",
        "regeneration valve",
        "main spool",
        "travel straight spool",
    )
    roles = (
        "spool",
        "pilot fed",
        "two hoses alike",
    )
    ports = (
        Port("P"),
        Port("T"),
        Port("A"),
        Port("B"),
        Port("X", line="pilot"),
        Port("Y", line="pilot"),
    )

    class Parameters(SpoolParameters):
        begin_bar: float = quantity(5, "bar", "pilot pressure that moves it", low=0.5, high=50)
        full_bar: float = quantity(
            20, "bar", "pilot pressure for full travel", low=1, high=100, tolerance=0.04
        )
        reach: float = quantity(1, "1", "how far the spool follows", low=0, high=1)
        offset: float = quantity(0, "1", "spool position without pilot", low=-1, high=1)
        pilot_lpm_per_bar: float = quantity(
            0.004, "L/min/bar", "pilot chambers to tank", low=1e-7, high=5
        )
        crossed: float = crossed("its pilot hoses are swapped")

    fault_modes = (
        SPOOL_WORN,
        FaultMode(
            name="spool_sticks",
            label="main spool sticks",
            parameter="reach",
            scale="to",
            severe=0.0,
            family="command",
            base_rate=0.5,
            remarks=(
                "jerky",
                "starts_late",
            ),
            look="Pilot pressure good at its cap, spool does not move.",
            remedy="Free the spool; look for burrs and dirt.",
            work="clean",
        ),
        FaultMode(
            name="pilot_cap_leaks",
            label="pilot chamber leaks to tank",
            parameter="pilot_lpm_per_bar",
            scale="square",
            severe=3.0,
            family="command",
            base_rate=0.4,
            look="Pilot pressure at the cap against the pilot valve's.",
            remedy="Replace the cap's seals.",
            work="reseal",
        ),
        SPOOL_SHIFTED,
        PILOTS_CROSSED,
    )
    symbol = four_way(
        {"X": ("west", 1.2), "Y": ("east", 1.2)},
        (),
        ("M0 1.2 H0.6", "M7.2 1.2 H6.6"),
        ("M0.6 1.2 L0.35 1.05 L0.35 1.35 Z", "M6.6 1.2 L6.85 1.05 L6.85 1.35 Z"),
    )
    example = Example(
        "no pilot: the clearances as in the lever valve",
        {**NEUTRAL, "X": 0.0, "Y": 0.0},
        {"P": 0.006, "T": -0.012, "A": 0.0096, "B": -0.0036, "X": 0.0, "Y": 0.0},
    )
    law = _pilot_spool


_PILOT_SPOOL = PilotDirectionalValve.rows()


@law
def _selector(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            travel = min(max(k[c, _SELECTOR.lever, b] * k[c, _SELECTOR.linkage_gain, b], 0.0), 1.0)
            # The land is as wide as the port: it shuts the return before it opens the feed.
            fed = smooth_step(travel, 0.5, 0.9)[0]
            let_go = 1.0 - smooth_step(travel, 0.1, 0.5)[0]
            q, dq = turbulent(x[c, 0, b] - x[c, 1, b], k[c, _SELECTOR.k, b] * fed, 0.5)
            couple(f, j, c, b, 0, 1, q, dq)
            q, dq = turbulent(x[c, 1, b] - x[c, 2, b], k[c, _SELECTOR.return_k, b] * let_go, 0.5)
            couple(f, j, c, b, 1, 2, q, dq)
            leak = k[c, _SELECTOR.leak_lpm_per_bar, b] * NU_REF / env[0, b]
            couple(f, j, c, b, 1, 2, leak * (x[c, 1, b] - x[c, 2, b]), leak)
            couple(f, j, c, b, 0, 1, 0.1 * leak * (x[c, 0, b] - x[c, 1, b]), 0.1 * leak)


class SelectorValve(ComponentType):
    """Three-way spool by lever: shifted P feeds A, at rest A is open to T; clutches, brakes, lifts.

    Half way all three are shut off: a link that has slipped leaves a brake or a clutch with what
    it holds, it does not bleed the supply to the tank.
    """

    type_name = "selector_valve"
    label = "Selector valve"
    words = (
        "diverter",
        "changeover",
        "selector",
        "mode valve",
        "six-port valve",
        "lock-out valve",
    )
    roles = (
        "spool",
        "shifted by hand",
    )
    ports = (Port("P"), Port("A"), Port("T"))

    class Parameters(ParameterSet):
        k: float = quantity(8, "L/min/√bar", "P to A, flow at 1 bar", low=0.01, high=500)
        return_k: float = quantity(8, "L/min/√bar", "A to T, flow at 1 bar", low=1e-6, high=500)
        leak_lpm_per_bar: float = quantity(
            0.0006, "L/min/bar", "A to T at 46 mm²/s", low=1e-7, high=2, tolerance=0.4
        )
        linkage_gain: float = quantity(1, "1", "spool travel per lever", low=0, high=1.2)

    commands = (Command("lever", 0, 1, by="lever"),)
    levers = ("lever",)
    fault_modes = (
        SPOOL_WORN,
        FaultMode(
            name="linkage_off",
            label="link or pin off its spool",
            parameter="linkage_gain",
            scale="to",
            severe=0.0,
            family="command",
            base_rate=0.8,
            look="Move the lever and watch the spool's end.",
            remedy="Refit link and pin; secure it.",
            work="refit",
            own_lever="lever",
        ),
    )
    symbol = valve(
        2,
        {"P": ("south", 3.3), "T": ("south", 3.9), "A": ("north", 3.3), "lever": ("west", 0.6)},
        ("M1.3 2.2 V0.2", "M3.3 2.4 V1.7", "M3.3 0 V0.2 L3.9 2.2 V2.4", LEVER),
        (),
        ("M1.3 0.22 L1.2 0.55 L1.4 0.55 Z",),
    )
    example = Example(
        "at rest A goes to tank: 8·√16 and 0.0096",
        {"P": 16.0, "A": 16.0, "T": 0.0},
        {"P": 0.0, "A": 32.002, "T": -32.002},
    )
    law = _selector


_SELECTOR = SelectorValve.rows()


@law
def _steering_unit(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            wheel, _ = limited(k[c, _STEERING_UNIT.wheel, b] * k[c, _STEERING_UNIT.linkage_gain, b])
            size = abs(wheel)
            to_left = 1.0 if wheel >= 0.0 else 0.0
            fed = x[c, 2, b] if wheel >= 0.0 else x[c, 3, b]
            drained = x[c, 3, b] if wheel >= 0.0 else x[c, 2, b]
            shut, _ = smooth_step(size, 0.02, 0.3)
            metering = k[c, _STEERING_UNIT.metering_k, b] * size
            q, dq = forward(x[c, 0, b] - fed, metering)
            # Where the pump gives nothing, the arm does: as a pump of its own, out of the return. A
            # pump that gives what the metering needs has more than half of the spring's pressure.
            arm, spring = k[c, _STEERING_UNIT.hand_bar, b], k[c, _STEERING_UNIT.spring_bar, b]
            gone, dgone = smooth_step(x[c, 0, b] - x[c, 1, b], 0.1 * spring, 0.5 * spring)
            pushed, dpushed = ramp(arm * (1.0 - gone) - (fed - x[c, 0, b]), 1.0)
            gain = k[c, _STEERING_UNIT.hand_lpm, b] / arm * size
            q, dq = q + gain * (1.0 - gone) * pushed, dq + gain * (1.0 - gone) * dpushed
            couple_either(f, j, c, b, 0, (2, 3), to_left, q, dq)
            slope = -gain * dgone * (pushed + (1.0 - gone) * arm * dpushed)
            for side in range(2):
                into = slope * (to_left if side == 0 else 1.0 - to_left)
                steer(j, c, b, 0, 2 + side, 0, into)
                steer(j, c, b, 0, 2 + side, 1, -into)
            drawn, ddrawn = check_flow(
                x[c, 1, b] - x[c, 0, b], k[c, _STEERING_UNIT.bypass_k, b], 0.05, 0.0
            )
            couple(f, j, c, b, 1, 0, drawn, ddrawn)
            back = k[c, _STEERING_UNIT.return_k, b] * shut
            q, dq = turbulent(x[c, 1, b] - drained, back, 0.5)
            couple_either(f, j, c, b, 1, (3, 2), to_left, q, dq)
            q, dq = turbulent(
                x[c, 0, b] - x[c, 1, b], k[c, _STEERING_UNIT.bypass_k, b] * (1.0 - shut), 0.5
            )
            couple(f, j, c, b, 0, 1, q, dq)
            head, dhead = ramp(x[c, 0, b] - fed - k[c, _STEERING_UNIT.spring_bar, b], 1.0)
            opening = 0.2 * k[c, _STEERING_UNIT.bypass_k, b] * shut
            root, droot = forward(x[c, 0, b] - x[c, 1, b], 1.0)
            couple(f, j, c, b, 0, 1, opening * head * root, opening * head * droot)
            steer(j, c, b, 0, 1, 0, opening * dhead * root)
            steer(j, c, b, 0, 1, 2, -opening * dhead * root * to_left)
            steer(j, c, b, 0, 1, 3, -opening * dhead * root * (1.0 - to_left))
            leak = k[c, _STEERING_UNIT.leak_lpm_per_bar, b] * NU_REF / env[0, b]
            for work in range(2, 4):
                couple(f, j, c, b, work, 1, leak * (x[c, work, b] - x[c, 1, b]), leak)
            leak = 4.0 * leak
            couple(f, j, c, b, 0, 1, leak * (x[c, 0, b] - x[c, 1, b]), leak)


class SteeringUnit(ComponentType):
    """Rotary steering unit with open centre.

    At rest P passes to T. Turned, it meters ``q = K·wheel·√Δp`` to one side, and its bypass holds
    the drop of that metering at ``spring_bar``, so what is not needed goes on to tank. Where no oil
    comes it is a pump that the driver's arm turns, out of the return through a check:
    ``q = q_hand·(1 − (p_line − p_P)/p_hand)``.
    """

    type_name = "steering_unit"
    label = "Rotary steering unit"
    words = (
        "orbital",
        "steering orbital",
        "rotary valve",
        "metering unit",
        "hand metering unit",
        "steering column unit",
    )
    roles = (
        "spool",
        "shifted by hand",
        "held by a spring",
    )
    ports = (Port("P"), Port("T"), Port("L"), Port("R"))
    passive = False
    by_hand = True

    class Parameters(ParameterSet):
        bypass_k: float = quantity(
            16, "L/min/√bar", "P to T at rest", low=0.1, high=500, tolerance=0.05
        )
        metering_k: float = quantity(
            5, "L/min/√bar", "metering at full turn", low=0.05, high=200, tolerance=0.05
        )
        return_k: float = quantity(14, "L/min/√bar", "return side", low=0.1, high=500)
        spring_bar: float = quantity(8, "bar", "drop held at the metering", low=1, high=60)
        leak_lpm_per_bar: float = quantity(
            0.001, "L/min/bar", "work port to T at 46 mm²/s", low=1e-6, high=5, tolerance=0.3
        )
        linkage_gain: float = quantity(1, "1", "sleeve travel per wheel", low=0, high=1.2)
        hand_bar: float = quantity(
            25, "bar", "what an arm presses by itself", low=1, high=120, tolerance=0.3
        )
        hand_lpm: float = quantity(
            6, "L/min", "what an arm turns by itself", low=0.1, high=40, tolerance=0.3
        )

    commands = (Command("wheel", -1, 1, by="wheel"),)
    fault_modes = (
        FaultMode(
            name="worn",
            label="steering unit worn: wheel turns on at the stop",
            parameter="leak_lpm_per_bar",
            scale="factor",
            severe=150.0,
            family="detour",
            base_rate=1.0,
            look="Wheel turns slowly on with the cylinder at its stop.",
            remedy="Exchange the steering unit.",
        ),
        FaultMode(
            name="centring_broken",
            label="centring springs broken: does not open or close its bypass",
            parameter="linkage_gain",
            scale="factor",
            severe=0.06,
            family="command",
            base_rate=0.4,
            look="Wheel does not return; no resistance at the stop.",
            remedy="Replace the springs or the unit.",
        ),
        FaultMode(
            name="bypass_dammed",
            label="bypass dammed: wrong hose, dirt, or unit put together wrong",
            parameter="bypass_k",
            scale="factor",
            severe=1 / 12,
            family="dam",
            base_rate=0.3,
            look="Idle pressure too high with the wheel at rest; hot oil.",
            remedy="Find the restriction; put the unit together by its timing marks.",
            work="clean",
        ),
    )
    symbol = valve(
        3,
        {"P": ("south", 3.2), "T": ("south", 4.0), "L": ("north", 3.2), "R": ("north", 4.0)},
        (
            "M3.2 2.4 V1.5 H4 V2.4",
            "M3.2 0 V0.55 M3.05 0.55 H3.35",
            "M4 0 V0.55 M3.85 0.55 H4.15",
            "M1.2 2.2 V0.2 M2 0.2 V2.2",
            "M5.2 2.2 L6 0.2 M6 2.2 L5.2 0.2",
            "M0.1 1.2 a0.25 0.25 0 1 0 0.5 0 a0.25 0.25 0 1 0 -0.5 0",
        ),
    )
    example = Example(
        "at rest 16·√4 with smoothing, 0.004·4 and 0.001·10 leak",
        {"P": 4.0, "T": 0.0, "L": 10.0, "R": 0.0},
        {"P": 31.891, "T": -31.901, "L": 0.01, "R": 0.0},
    )
    law = _steering_unit


_STEERING_UNIT = SteeringUnit.rows()
