"""Valves that share out flow: throttles, priority valves, dividers, retained checks, shut-offs."""

import math
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
from umweg.core.components.crossing import FITTED_BACKWARD
from umweg.core.components.flow_valves import CheckValve
from umweg.core.components.kernels import (
    check_flow,
    couple,
    forward,
    larger,
    law,
    ramp,
    regulated,
    steer,
    turbulent,
)
from umweg.core.components.symbols import valve

_ONE_BY: dict[str, tuple[Side, float]] = {"inlet": ("south", 0.5), "outlet": ("north", 0.5)}
_BOX = "M0.3 0.4 H2.3 V1.8 H0.3 Z"


@law
def _throttle(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            dp = x[c, 0, b] - x[c, 1, b]
            q, dq = turbulent(dp, k[c, _THROTTLE.k, b], 0.5)
            couple(f, j, c, b, 0, 1, q, dq)
            q, dq = check_flow(-dp, k[c, _THROTTLE.check_k, b], 0.4, 0.0)
            couple(f, j, c, b, 1, 0, q, dq)


class Throttle(ComponentType):
    """Adjustable throttle with free flow back through a check: ``q = K·√Δp`` forward."""

    type_name = "throttle"
    label = "Throttle"
    words = (
        "needle valve",
        "speed control",
        "one-way restrictor",
        "throttle check",
        "rate valve",
        "lowering throttle",
    )
    roles = (
        "adjustable",
        "throttled",
    )
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        k: float = quantity(
            3, "L/min/√bar", "forward, flow at 1 bar", low=1e-4, high=1000, tolerance=0.05
        )
        check_k: float = quantity(25, "L/min/√bar", "free flow back at 1 bar", low=1e-4, high=1000)

    fault_modes = (
        FaultMode(
            name="blocked",
            label="throttle fouled",
            parameter="k",
            scale="factor",
            severe=1 / 60,
            family="dam",
            base_rate=0.6,
            look="Run it open and back to its mark; look at the needle.",
            remedy="Clean it and set it again.",
            work="clean",
        ),
        FaultMode(
            name="open",
            label="throttle run open or its check does not seat",
            parameter="k",
            scale="factor",
            severe=5.0,
            family="detour",
            base_rate=0.4,
            look="Needle's mark; check ball.",
            remedy="Set it again, clean the check.",
            work="set",
        ),
    )
    adjustable = ("k",)
    symbol = Symbol(
        2,
        1.8,
        _ONE_BY,
        (
            "M0.5 0 V1.8",
            "M0.15 0.6 Q0.42 0.9 0.15 1.2",
            "M0.85 0.6 Q0.58 0.9 0.85 1.2",
            "M0.1 1.4 L0.9 0.4",
            "M0.5 0.2 H1.5 V0.7 M1.5 1.15 V1.6 H0.5",
            "M1.2 1.1 L1.5 0.7 L1.8 1.1",
        ),
    )
    example = Example("3·√100", {"inlet": 100.0, "outlet": 0.0}, {"inlet": 30.0, "outlet": -30.0})
    law = _throttle


_THROTTLE = Throttle.rows()


@law
def _opened(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            travel = min(max(k[c, _OPENED.pedal, b] * k[c, _OPENED.linkage_gain, b], 0.0), 1.0)
            size = k[c, _OPENED.k, b] * travel + k[c, _OPENED.rest_k, b]
            q, dq = turbulent(x[c, 0, b] - x[c, 1, b], size, 0.5)
            couple(f, j, c, b, 0, 1, q, dq)


class InchingValve(ComponentType):
    """Pedal valve that bleeds control pressure away as it is pressed: ``q = K·pedal·√Δp``."""

    type_name = "inching_valve"
    label = "Inching valve"
    words: ClassVar[tuple[str, ...]] = (
        "inching valve",
        "declutch valve",
        "foot inching",
    )
    roles = (
        "shifted by hand",
        "held by a spring",
    )
    ports = (Port("inlet", line="pilot"), Port("outlet", line="drain"))

    class Parameters(ParameterSet):
        k: float = quantity(6, "L/min/√bar", "pressed, flow at 1 bar", low=0.01, high=200)
        rest_k: float = quantity(1e-4, "L/min/√bar", "at rest, flow at 1 bar", low=1e-7, high=100)
        linkage_gain: float = quantity(1, "1", "travel per pedal", low=0, high=1.2)

    commands = (Command("pedal", 0, 1, by="pedal"),)
    levers: ClassVar[tuple[str, ...]] = ("pedal",)
    fault_modes: ClassVar[tuple[FaultMode, ...]] = (
        FaultMode(
            name="open_at_rest",
            label="out of adjustment: bleeds with the pedal at rest",
            parameter="rest_k",
            scale="square",
            severe=5.0,
            family="command",
            base_rate=0.7,
            look="Pedal stop and clearance of its linkage.",
            remedy="Adjust the linkage by the maker's procedure.",
            work="set",
        ),
        FaultMode(
            name="linkage_off",
            label="inching linkage off",
            parameter="linkage_gain",
            scale="to",
            severe=0.0,
            family="command",
            base_rate=0.3,
            look="Press the pedal and watch the valve's lever.",
            remedy="Refit the linkage.",
            work="refit",
            own_lever="pedal",
        ),
    )
    symbol = Symbol(
        1.6,
        1.8,
        {**_ONE_BY, "pedal": ("east", 0.7)},
        ("M0.1 0.4 h0.8 v1 h-0.8 Z", "M0.5 0 V1.8", "M0.9 0.9 L1.5 0.5 M1.3 0.4 L1.6 0.7"),
    )
    example = Example(
        "at rest 1e-4·√16",
        {"inlet": 16.0, "outlet": 0.0},
        {"inlet": 4e-4, "outlet": -4e-4},
    )
    law = _opened


_OPENED = InchingValve.rows()


class ShutOffValve(InchingValve):
    """Hand valve: ``q = K·open·√Δp``, and a trace when it is shut."""

    type_name = "shut_off_valve"
    label = "Shut-off valve"
    words: ClassVar[tuple[str, ...]] = (
        "ball valve",
        "stop cock",
        "isolating valve",
        "gate valve",
        "hand valve",
        "stop valve",
        "needle shut-off",
        "tap",
    )
    roles = (
        "a way for oil",
        "seat",
    )
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        k: float = quantity(60, "L/min/√bar", "open, flow at 1 bar", low=0.01, high=2000)
        rest_k: float = quantity(1e-5, "L/min/√bar", "shut, flow at 1 bar", low=1e-7, high=100)
        turned: float = quantity(1, "1", "how far it follows its handle", low=0, high=1.2)

    levers = ()
    commands = (Command("open", 0, 1, 1.0, by="hand_valve"),)
    fault_modes: ClassVar[tuple[FaultMode, ...]] = (
        FaultMode(
            name="left_shut",
            label="valve left shut, or its stem turns without the ball",
            parameter="turned",
            scale="to",
            severe=0.002,
            family="dam",
            base_rate=0.5,
            look="Handle across the line; a stem that turns freely.",
            remedy="Open it; secure the handle.",
            work="by_hand",
        ),
        FaultMode(
            name="leaks",
            label="does not shut tight",
            parameter="rest_k",
            scale="square",
            severe=2.0,
            family="detour",
            base_rate=0.3,
            look="Flow past the shut valve.",
            remedy="Replace it.",
        ),
    )
    symbol = Symbol(
        1,
        1.6,
        _ONE_BY,
        ("M0.5 0 V0.4 M0.5 1.2 V1.6", "M0.2 0.4 H0.8 L0.2 1.2 H0.8 Z"),
    )
    example = Example("60·√4", {"inlet": 4.0, "outlet": 0.0}, {"inlet": 119.53, "outlet": -119.53})


@law
def _retained_check(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            screen = k[c, _RETAINED_CHECK.screen_k, b]
            size = k[c, _RETAINED_CHECK.k, b]
            both = size * screen / math.sqrt(size * size + screen * screen)
            dp = x[c, 0, b] - x[c, 1, b]
            q, dq = check_flow(dp, both, k[c, _RETAINED_CHECK.cracking_bar, b], 0.0)
            couple(f, j, c, b, 0, 1, q, dq)
            lost = k[c, _RETAINED_CHECK.seat_k, b]
            back = lost * screen / math.sqrt(lost * lost + screen * screen)
            q, dq = turbulent(dp, back, 0.5)
            couple(f, j, c, b, 0, 1, q, dq)


class RetainedCheck(ComponentType):
    """Small check with a retained poppet and a screen before it.

    Both in a row: ``1/K² = 1/K_check² + 1/K_screen²``. A blocked screen dams it; a poppet that
    has left its retainer lets oil both ways, and lies downstream.
    """

    type_name = "retained_check"
    label = "Check with retained poppet and screen"
    words = (
        "screened check",
        "restrictor check",
    )
    roles = (
        "filters",
        "opens on pressure",
        "a way for oil",
    )
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        k: float = quantity(
            3, "L/min/√bar", "check, flow at 1 bar over cracking", low=0.01, high=99
        )
        cracking_bar: float = quantity(0.3, "bar", "opens at", low=0, high=20)
        seat_k: float = quantity(1e-5, "L/min/√bar", "without its poppet", low=1e-8, high=50)
        screen_k: float = quantity(5, "L/min/√bar", "screen, flow at 1 bar", low=1e-4, high=200)

    fault_modes = (
        FaultMode(
            name="screen_blocked",
            label="screen blocked: flow dammed",
            parameter="screen_k",
            scale="factor",
            severe=1 / 400,
            family="dam",
            base_rate=0.9,
            remarks=(
                "starts_late",
                "releases_late",
            ),
            look="Screen in front of the check.",
            remedy="Clean screen and line; find the dirt.",
            work="clean",
        ),
        FaultMode(
            name="poppet_sticks",
            label="poppet hangs in its retainer: opens late and little",
            parameter="k",
            scale="factor",
            severe=1 / 250,
            family="dam",
            base_rate=0.8,
            remarks=(
                "starts_late",
                "releases_late",
            ),
            look="Poppet does not drop by itself; retainer bent.",
            remedy="Replace the check complete.",
        ),
        FaultMode(
            name="poppet_lost",
            label="poppet gone: oil passes both ways, the part lies downstream",
            parameter="seat_k",
            scale="square",
            severe=3.0,
            family="detour",
            base_rate=0.5,
            look="No poppet in the retainer.",
            remedy="Find the lost part downstream before anything else; then replace the check.",
            work="clean",
        ),
    )
    one_way = True
    symbol = Symbol(
        1,
        2,
        _ONE_BY,
        (
            "M0.5 2 V1.7 M0.5 1.4 V1.1",
            "M0.5 0.45 V0",
            "M0.1 0.45 L0.5 1.05 L0.9 0.45",
            "M0.5 0.45 a0.28 0.28 0 1 0 0.01 0",
        ),
        ("M0.1 1.55 H0.9",),
    )
    example = Example(
        "in a row 3·5/√34 = 2.5725; ·√(16.3 − 0.3 − 0.15)",
        {"inlet": 16.3, "outlet": 0.0},
        {"inlet": 10.242, "outlet": -10.242},
    )
    law = _retained_check


_RETAINED_CHECK = RetainedCheck.rows()


@law
def _priority_divider(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            size = (
                2.0
                * k[c, _PRIORITY_DIVIDER.set_lpm, b]
                / math.sqrt(k[c, _PRIORITY_DIVIDER.spring_bar, b])
            )
            free, dfree = turbulent(x[c, 0, b] - x[c, 1, b], size, 0.3)
            q, dq = regulated(free, k[c, _PRIORITY_DIVIDER.set_lpm, b])
            couple(f, j, c, b, 0, 1, q, dq * dfree)
            head, dhead = ramp(x[c, 0, b] - x[c, 1, b] - k[c, _PRIORITY_DIVIDER.spring_bar, b], 0.5)
            opening = k[c, _PRIORITY_DIVIDER.bypass_k_per_bar, b] * head
            root, droot = turbulent(x[c, 0, b] - x[c, 2, b], 1.0, 0.5)
            slope = k[c, _PRIORITY_DIVIDER.bypass_k_per_bar, b] * dhead
            couple(f, j, c, b, 0, 2, opening * root, opening * droot)
            steer(j, c, b, 0, 2, 0, slope * root)
            steer(j, c, b, 0, 2, 1, -slope * root)


class PriorityDivider(ComponentType):
    """Static priority divider: a set flow to the first consumer, what is left to the second.

    Priority flow ``q = q_set·s/(1 + s⁴)^¼``, ``s = 2·√(Δp/Δp_spring)``: within 1.5 % at the spring's
    pressure, and no more whatever the second load. Above the spring's pressure the bypass opens in
    proportion. With the bypass to tank it is a three-port regulator.
    """

    type_name = "priority_divider"
    label = "Priority flow divider"
    words: ClassVar[tuple[str, ...]] = (
        "priority valve",
        "priority flow divider",
        "static priority",
        "steering priority",
    )
    roles = (
        "adjustable",
        "held by a spring",
        "spool",
    )
    cannot: ClassVar[Mapping[str, str]] = {
        "spring weak or broken": "it gives the first consumer too little: orifice_fouled shows the same, and is found in the same bore",
        "leaks": "what its spool lets by goes to the bypass, which is open anyway",
    }
    ports = (Port("inlet"), Port("priority"), Port("bypass"))

    class Parameters(ParameterSet):
        set_lpm: float = quantity(12, "L/min", "priority flow", low=0.05, high=500, tolerance=0.04)
        spring_bar: float = quantity(6, "bar", "drop at which the bypass opens", low=1, high=40)
        bypass_k_per_bar: float = quantity(
            15, "L/min/√bar/bar", "bypass opening per bar over the spring", low=0.1, high=500
        )

    fault_modes = (
        FaultMode(
            name="orifice_fouled",
            label="metering orifice fouled: too little to the first consumer",
            parameter="set_lpm",
            scale="factor",
            severe=1 / 8,
            family="dam",
            base_rate=0.6,
            look="Orifice in the spool.",
            remedy="Clean it; find the dirt.",
            work="clean",
        ),
        FaultMode(
            name="stuck_bypass_shut",
            label="spool stuck: nothing goes on to the second consumer",
            parameter="bypass_k_per_bar",
            scale="factor",
            severe=1 / 400,
            family="dam",
            base_rate=0.4,
            look="Spool does not slide.",
            remedy="Free or replace it.",
            work="clean",
        ),
        FaultMode(
            name="washed_out",
            label="its orifice washed out or the wrong one",
            parameter="set_lpm",
            scale="factor",
            severe=2.0,
            family="detour",
            base_rate=0.1,
            look="Pin gauge in the orifice.",
            remedy="Fit the specified orifice.",
        ),
    )
    symbol = Symbol(
        2.6,
        2.2,
        {"inlet": ("south", 1.3), "priority": ("north", 0.8), "bypass": ("north", 1.8)},
        (
            _BOX,
            "M1.3 2.2 V1.4",
            "M1.3 1.4 L0.8 0.8 V0",
            "M1.3 1.4 L1.8 0.8 V0",
            "M0.55 0.8 Q0.75 1 0.7 1.2",
        ),
        (),
        ("M1.8 0.5 L1.68 0.8 L1.92 0.8 Z",),
    )
    example = Example(
        "at the spring's 6 bar s = 2: 12·2/17^¼ = 11.82, bypass shut",
        {"inlet": 56.0, "priority": 50.0, "bypass": 0.0},
        {"inlet": 11.82, "priority": -11.82, "bypass": 0.0},
        rel=2e-3,
    )
    law = _priority_divider


_PRIORITY_DIVIDER = PriorityDivider.rows()


class ThreePortRegulator(PriorityDivider):
    """Three-port flow regulator: a set flow to the consumer, the surplus at its pressure to tank.

    Equations as the priority divider.
    """

    type_name = "three_port_regulator"
    label = "Three-port flow regulator"
    words = (
        "three-port flow control",
        "bypass flow control",
        "by-pass regulator",
    )
    adjustable = ("set_lpm",)


@law
def _ls_priority(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            q, dq = turbulent(x[c, 0, b] - x[c, 1, b], k[c, _LS_PRIORITY.k, b], 0.3)
            couple(f, j, c, b, 0, 1, q, dq)
            head, dhead = ramp(x[c, 1, b] - x[c, 3, b] - k[c, _LS_PRIORITY.spring_bar, b], 0.5)
            full = k[c, _LS_PRIORITY.excess_k, b]
            grown = 1.0 + head / 6.0
            opening = full * (1.0 - 1.0 / grown) * k[c, _LS_PRIORITY.travel, b]
            slope = full * dhead / 6.0 / (grown * grown) * k[c, _LS_PRIORITY.travel, b]
            root, droot = forward(x[c, 0, b] - x[c, 2, b], 1.0)
            couple(f, j, c, b, 0, 2, opening * root, opening * droot)
            steer(j, c, b, 0, 2, 1, slope * root)
            steer(j, c, b, 0, 2, 3, -slope * root)
            leak, dleak = turbulent(x[c, 0, b] - x[c, 2, b], k[c, _LS_PRIORITY.leak_k, b], 0.5)
            couple(f, j, c, b, 0, 2, leak, dleak)


class LoadSensingPriorityValve(ComponentType):
    """Priority valve with a demand signal: the excess opens once the priority side has its margin.

    Excess opening grows with ``p_CF − p_LS − spring``; with steering held hard over nothing goes
    on until its pressure stands a spring above its demand.
    """

    type_name = "ls_priority_valve"
    label = "Priority valve, load-sensing"
    words = (
        "dynamic priority",
        "LS priority",
        "priority block",
    )
    roles = (
        "held by a spring",
        "opens on pressure",
        "spool",
    )
    ports = (Port("inlet"), Port("priority"), Port("excess"), Port("LS", line="pilot"))

    class Parameters(ParameterSet):
        k: float = quantity(20, "L/min/√bar", "way to the priority side", low=0.1, high=500)
        spring_bar: float = quantity(7, "bar", "margin of the priority side", low=1, high=40)
        excess_k: float = quantity(60, "L/min/√bar", "way to the rest, open", low=0.1, high=1000)
        leak_k: float = quantity(1e-4, "L/min/√bar", "past the shut spool", low=1e-7, high=100)
        travel: float = quantity(1, "1", "how far the spool can open", low=0, high=1)

    fault_modes = (
        FaultMode(
            name="stuck_priority",
            label="spool stuck to the priority side: the rest is starved",
            parameter="travel",
            scale="to",
            severe=0.01,
            family="dam",
            base_rate=0.5,
            look="Spool does not slide.",
            remedy="Free or replace the valve.",
            work="clean",
        ),
        FaultMode(
            name="stuck_excess",
            label="spool stuck open to the rest: no priority",
            parameter="leak_k",
            scale="square",
            severe=30.0,
            family="detour",
            base_rate=0.5,
            look="Spool does not slide; broken spring.",
            remedy="Free or replace the valve.",
            work="clean",
        ),
    )
    one_way = True
    symbol = valve(
        2,
        {
            "inlet": ("south", 3.6),
            "priority": ("north", 3.2),
            "excess": ("north", 4.0),
            "LS": ("east", 1.2),
        },
        ("M3.6 2.4 L3.2 0.2", "M3.2 0 V0.2", "M1.6 2.2 L1.2 0.2", "M1.6 2.2 L2 0.2", "M4 0 V0.5"),
        ("M5.2 1.2 H4.6",),
    )
    example = Example(
        "priority 20·√1 with smoothing; excess head 6 − 0.25: 60·(1 − 1/(1 + 5.75/6))·√(60 − 0.15)",
        {"inlet": 60.0, "priority": 59.0, "excess": 0.0, "LS": 46.0},
        {"inlet": 19.58 + 227.14, "priority": -19.58, "excess": -227.14, "LS": 0.0},
        rel=3e-3,
    )
    law = _ls_priority


_LS_PRIORITY = LoadSensingPriorityValve.rows()


@law
def _flow_divider(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            top, dtop = larger(x[c, 1, b], x[c, 2, b], 0.5)
            mean = x[c, 1, b] + x[c, 2, b]
            bottom = mean - top
            out, dout = forward(x[c, 0, b] - top, k[c, _FLOW_DIVIDER.k, b])
            back, dback = forward(bottom - x[c, 0, b], k[c, _FLOW_DIVIDER.k, b])
            for side in range(2):
                share = (
                    k[c, _FLOW_DIVIDER.share, b]
                    if side == 0
                    else 1.0 - k[c, _FLOW_DIVIDER.share, b]
                )
                port = 1 + side
                couple(f, j, c, b, 0, port, share * (out - back), 0.0)
                steer(j, c, b, 0, port, 0, share * (dout + dback))
                steer(j, c, b, 0, port, 1, share * (-dout * dtop - dback * (1.0 - dtop)))
                steer(j, c, b, 0, port, 2, share * (-dout * (1.0 - dtop) - dback * dtop))
            leak = k[c, _FLOW_DIVIDER.error_lpm_per_bar, b]
            couple(f, j, c, b, 1, 2, leak * (x[c, 1, b] - x[c, 2, b]), leak)


class FlowDivider(ComponentType):
    """Flow divider and combiner: two branches get fixed shares whatever their loads.

    ``q = share·K·√(p − p_higher)`` forward and the same combining; a leak between the branches is
    its dividing error.
    """

    type_name = "flow_divider"
    label = "Flow divider"
    words = (
        "spool divider",
        "flow splitter",
        "divider combiner",
        "synchronising valve",
        "equaliser",
        "rotary flow divider",
    )
    roles = ("spool",)
    ports = (Port("inlet"), Port("A"), Port("B"))

    class Parameters(ParameterSet):
        k: float = quantity(15, "L/min/√bar", "whole flow at 1 bar", low=0.1, high=500)
        share: float = quantity(0.5, "1", "share of A", low=0.05, high=0.95, tolerance=0.02)
        error_lpm_per_bar: float = quantity(
            0.005, "L/min/bar", "between the branches", low=1e-5, high=20
        )

    fault_modes = (
        FaultMode(
            name="worn",
            label="spool worn or stuck: branches run unevenly",
            parameter="error_lpm_per_bar",
            scale="factor",
            severe=400.0,
            family="detour",
            base_rate=0.7,
            look="Spool does not slide, or slides without friction at all.",
            remedy="Clean or exchange the divider.",
            work="clean",
        ),
        FaultMode(
            name="sticks",
            label="spool sticks to one side",
            parameter="share",
            scale="to",
            severe=0.92,
            family="detour",
            base_rate=0.3,
            look="Spool does not slide by its own weight.",
            remedy="Clean it; find where the dirt came from.",
            work="clean",
        ),
    )
    symbol = Symbol(
        2.6,
        2.2,
        {"inlet": ("south", 1.3), "A": ("north", 0.8), "B": ("north", 1.8)},
        (_BOX, "M1.3 2.2 V1.3 M0.8 1.3 H1.8 M0.8 1.3 V0 M1.8 1.3 V0", "M0.55 0.6 Q0.7 0.8 0.55 1"),
    )
    example = Example(
        "p − p_higher 100 − 80.0: 15·√(20 − 0.15) in halves, 0.005·80 across",
        {"inlet": 100.0, "A": 80.0, "B": 0.0},
        {"inlet": 66.82, "A": -33.01, "B": -33.81},
    )
    law = _flow_divider


_FLOW_DIVIDER = FlowDivider.rows()


class BackPressureCheck(CheckValve):
    """Check with a strong spring that keeps a small pressure in a return or before a pilot branch.

    ``q = K·√(Δp − p_crack)``.
    """

    type_name = "back_pressure_check"
    label = "Back-pressure check"
    words = (
        "spring check",
        "back-pressure valve",
        "preload valve",
        "foot valve",
    )
    roles = (
        "opens on pressure",
        "turned round",
        "held by a spring",
    )
    adjustable = ()

    class Parameters(CheckValve.Parameters):
        cracking_bar: float = quantity(5, "bar", "opens at", low=0.5, high=50, tolerance=0.03)

    fault_modes = (
        FaultMode(
            name="spring_broken",
            label="spring broken: no back pressure",
            parameter="cracking_bar",
            scale="to",
            severe=0.5,
            family="detour",
            base_rate=0.5,
            look="Pieces of the spring.",
            remedy="Replace the check, find the pieces.",
        ),
        FaultMode(
            name="stuck_shut",
            label="does not open fully",
            parameter="k",
            scale="factor",
            severe=1 / 60,
            family="dam",
            base_rate=0.3,
            look="Poppet cocked or gummed.",
            remedy="Clean or replace the check.",
            work="clean",
        ),
        FITTED_BACKWARD,
    )
    example = Example(
        "35·√(9 − 5 − 0.15)", {"inlet": 9.0, "outlet": 0.0}, {"inlet": 68.39, "outlet": -68.39}
    )
