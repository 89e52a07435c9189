"""Load-sensing sections: pre-compensated and flow-sharing, and the steering unit with a demand port."""

import math
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
from umweg.core.components.crossing import WORK_HOSES_CROSSED, crossed, turn
from umweg.core.components.directional_valves import SPOOL_SHIFTED, SPOOL_WORN
from umweg.core.components.kernels import (
    couple,
    couple_either,
    forward,
    larger,
    law,
    limited,
    regulated,
    scalar,
    smooth_step,
    steer,
    turbulent,
)
from umweg.core.components.symbols import LEVER, four_way
from umweg.core.fluid import REFERENCE_VISCOSITY_MM2_S as NU_REF

_SYMBOL = four_way(
    {"LS": ("east", 0.7), "lever": ("west", 0.6)},
    (LEVER, "M6.8 1.5 h0.3 M6.85 1.35 L7.1 1.65"),
    ("M7.2 0.7 H6.6",),
)
_WHEEL = four_way(
    {"LS": ("east", 0.7)},
    ("M0.1 1.2 a0.25 0.25 0 1 0 0.5 0 a0.25 0.25 0 1 0 -0.5 0",),
    ("M7.2 0.7 H6.6",),
)


@scalar
def _section(x, f, j, c, b, size, to_a, drain_k, sense_k, fed, drained, leak, vent_k):
    """What both kinds share: return land, demand port, clearances, vents. Ports P T A B LS."""
    q, dq = turbulent(x[c, 1, b] - drained, drain_k * size, 0.5)
    couple_either(f, j, c, b, 1, (3, 2), to_a, q, dq)
    q, dq = turbulent(x[c, 4, b] - fed, sense_k * size + 1e-6, 0.5)
    couple_either(f, j, c, b, 4, (2, 3), to_a, q, dq)
    q, dq = turbulent(x[c, 4, b] - x[c, 1, b], sense_k * (1.0 - size) + 1e-6, 0.5)
    couple(f, j, c, b, 4, 1, q, dq)
    for work in range(2, 4):
        q, dq = turbulent(x[c, work, b] - x[c, 1, b], vent_k * (1.0 - size), 0.5)
        couple(f, j, c, b, work, 1, q, dq)
        couple(f, j, c, b, work, 1, leak * (x[c, work, b] - x[c, 1, b]), leak)
        half = 0.1 * leak
        couple(f, j, c, b, 0, work, half * (x[c, 0, b] - x[c, work, b]), half)


@law
def _pre_compensated(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            travel, _ = limited(
                k[c, _PRE_COMPENSATED.lever, b] * k[c, _PRE_COMPENSATED.linkage_gain, b]
                + k[c, _PRE_COMPENSATED.offset, b]
            )
            size, _ = smooth_step(abs(travel), 0.1, 0.95)
            way = turn(k[c, _PRE_COMPENSATED.crossed, b]) * travel
            to_a = 1.0 if way >= 0.0 else 0.0
            fed = x[c, 2, b] if way >= 0.0 else x[c, 3, b]
            drained = x[c, 3, b] if way >= 0.0 else x[c, 2, b]
            most = (
                k[c, _PRE_COMPENSATED.a_lpm, b]
                if travel >= 0.0
                else k[c, _PRE_COMPENSATED.b_lpm, b]
            )
            free, dfree = forward(x[c, 0, b] - fed, k[c, _PRE_COMPENSATED.open_k, b])
            q, dq = regulated(free, most * size + 1e-9)
            couple_either(f, j, c, b, 0, (2, 3), to_a, q, dq * dfree)
            leak = k[c, _PRE_COMPENSATED.leak_lpm_per_bar, b] * NU_REF / env[0, b]
            _section(
                x,
                f,
                j,
                c,
                b,
                size,
                to_a,
                k[c, _PRE_COMPENSATED.return_k, b],
                k[c, _PRE_COMPENSATED.sense_k, b],
                fed,
                drained,
                leak,
                k[c, _PRE_COMPENSATED.vent_k, b],
            )


@law
def _flow_sharing(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            travel, _ = limited(
                k[c, _FLOW_SHARING.lever, b] * k[c, _FLOW_SHARING.linkage_gain, b]
                + k[c, _FLOW_SHARING.offset, b]
            )
            size, _ = smooth_step(abs(travel), 0.1, 0.95)
            way = turn(k[c, _FLOW_SHARING.crossed, b]) * travel
            to_a = 1.0 if way >= 0.0 else 0.0
            fed = x[c, 2, b] if way >= 0.0 else x[c, 3, b]
            drained = x[c, 3, b] if way >= 0.0 else x[c, 2, b]
            most = k[c, _FLOW_SHARING.a_lpm, b] if travel >= 0.0 else k[c, _FLOW_SHARING.b_lpm, b]
            top, dtop = larger(x[c, 4, b], fed, 0.4)
            metering = most * size / math.sqrt(k[c, _FLOW_SHARING.drop_bar, b])
            q, dq = forward(x[c, 0, b] - top, metering)
            couple_either(f, j, c, b, 0, (2, 3), to_a, q, dq * (1.0 - dtop))
            # The rest of the drop's answer is to the demand gallery, not to the port that is fed.
            for work in range(2):
                share = to_a if work == 0 else 1.0 - to_a
                steer(j, c, b, 0, 2 + work, 0, dq * dtop * share)
                steer(j, c, b, 0, 2 + work, 4, -dq * dtop * share)
            leak = k[c, _FLOW_SHARING.leak_lpm_per_bar, b] * NU_REF / env[0, b]
            _section(
                x,
                f,
                j,
                c,
                b,
                size,
                to_a,
                k[c, _FLOW_SHARING.return_k, b],
                k[c, _FLOW_SHARING.sense_k, b],
                fed,
                drained,
                leak,
                k[c, _FLOW_SHARING.vent_k, b],
            )


class SectionParameters(ParameterSet):
    """What both kinds of section have."""

    a_lpm: float = quantity(
        60, "L/min", "regulated flow to A, full travel", low=0.1, high=500, tolerance=0.04
    )
    b_lpm: float = quantity(
        60, "L/min", "regulated flow to B, full travel", low=0.1, high=500, tolerance=0.04
    )
    return_k: float = quantity(24, "L/min/√bar", "work port to T, open", low=0.05, high=500)
    sense_k: float = quantity(1.2, "L/min/√bar", "demand port", low=0.01, high=50)
    leak_lpm_per_bar: float = quantity(
        0.0006, "L/min/bar", "work port to T at 46 mm²/s", low=1e-7, high=2, tolerance=0.4
    )
    vent_k: float = quantity(
        0, "L/min/√bar", "work ports to T in neutral, for a load-holding valve", low=0, high=50
    )
    linkage_gain: float = quantity(1, "1", "spool travel per lever travel", low=0, high=1.2)
    offset: float = quantity(0, "1", "spool position at lever neutral", low=-1, high=1)
    crossed: float = crossed("the hoses on its work ports are swapped")


class LoadSensingSection(ComponentType):
    """Closed-centre section with its own compensator before the spool.

    Flow to the work port is regulated: ``q_set(travel)`` as long as ``K·√(p − p_load)`` offers
    more; a load check keeps it from flowing back. Shifted, its demand port sees the load; in
    neutral it is open to tank, and so are the work ports by ``vent_k`` where a load-holding valve
    behind them has to close.
    """

    type_name = "ls_section"
    label = "Load-sensing section"
    words: ClassVar[tuple[str, ...]] = (
        "LS section",
        "pre-compensated section",
        "mobile valve section",
        "working section",
    )
    roles: ClassVar[tuple[str, ...]] = (
        "spool",
        "shifted by hand",
        "two hoses alike",
        "pilot fed",
    )
    ports = (
        Port("P"),
        Port("T"),
        Port("A"),
        Port("B"),
        Port("LS", line="pilot"),
    )

    class Parameters(SectionParameters):
        open_k: float = quantity(24, "L/min/√bar", "compensator wide open", low=0.05, high=500)

    commands = (Command("lever", -1, 1, by="lever"),)
    levers: ClassVar[tuple[str, ...]] = ("lever",)
    fault_modes: ClassVar[tuple[FaultMode, ...]] = (
        SPOOL_WORN,
        FaultMode(
            name="compensator_stuck",
            label="section compensator stuck nearly shut",
            parameter="open_k",
            scale="factor",
            severe=1 / 40,
            family="dam",
            base_rate=0.5,
            look="Compensator spool does not slide.",
            remedy="Clean or replace the compensator.",
            work="clean",
        ),
        FaultMode(
            name="demand_blocked",
            label="demand port of the section blocked",
            parameter="sense_k",
            scale="factor",
            severe=1 / 2000,
            family="command",
            base_rate=0.5,
            look="Drillings to the demand gallery.",
            remedy="Clean the drillings; find the dirt.",
            work="clean",
        ),
        FaultMode(
            name="linkage_off",
            label="lever linkage off or bent, spool does not travel",
            parameter="linkage_gain",
            scale="to",
            severe=0.0,
            family="command",
            base_rate=0.8,
            look="Move the lever and watch the spool's end.",
            remedy="Refit or adjust the linkage.",
            work="refit",
            own_lever="lever",
        ),
        SPOOL_SHIFTED,
        WORK_HOSES_CROSSED,
    )
    symbol = _SYMBOL
    example = Example(
        "neutral: 0.0006·20 to tank, 0.00006·(120 − 20) and ·120 in",
        {"P": 120.0, "T": 0.0, "A": 20.0, "B": 0.0, "LS": 0.0},
        {"P": 0.0132, "T": -0.012, "A": 0.006004, "B": -0.0072, "LS": 0.0},
    )
    law = _pre_compensated


_PRE_COMPENSATED = LoadSensingSection.rows()


class FlowSharingSection(LoadSensingSection):
    """Closed-centre section with its compensator behind the spool: all share when oil is short.

    ``q = q_set·travel·√((p − max(p_LS, p_load))/Δp_ref)``: every section meters over the same
    drop, from the pump to the highest load.
    """

    type_name = "flow_sharing_section"
    label = "Flow-sharing section"
    words = (
        "post-compensated section",
        "flow sharing section",
        "anti-saturation section",
    )

    class Parameters(SectionParameters):
        drop_bar: float = quantity(
            20, "bar", "drop at which the stated flows pass", low=1, high=80, tolerance=0.03
        )

    fault_modes = (
        SPOOL_WORN,
        LoadSensingSection.fault_modes[2],
        LoadSensingSection.fault_modes[3],
        SPOOL_SHIFTED,
        WORK_HOSES_CROSSED,
    )
    law = _flow_sharing


_FLOW_SHARING = FlowSharingSection.rows()


class LoadSensingSteeringUnit(LoadSensingSection):
    """Rotary steering unit with a demand port, closed centre.

    It meters like a load-sensing section: regulated flow with the wheel, demand to the priority
    valve; at rest its demand port is open to tank.
    """

    type_name = "ls_steering_unit"
    label = "Steering unit, load-sensing"
    words = (
        "LS orbital",
        "dynamic steering unit",
        "load sensing steering",
    )
    roles = (
        "spool",
        "shifted by hand",
        "pilot fed",
    )
    commands = (Command("wheel", -1, 1, by="wheel"),)
    levers = ()
    symbol = _WHEEL
    fault_modes = (
        FaultMode(
            name="worn",
            label="steering unit worn: wheel turns on at the stop",
            parameter="leak_lpm_per_bar",
            scale="factor",
            severe=900.0,
            family="detour",
            base_rate=0.9,
            look="Wheel turns slowly on with the cylinder at its stop.",
            remedy="Exchange the steering unit.",
        ),
        LoadSensingSection.fault_modes[2],
        FaultMode(
            name="column_off",
            label="steering column spline off",
            parameter="linkage_gain",
            scale="to",
            severe=0.0,
            family="command",
            base_rate=0.3,
            look="Wheel turns without resistance.",
            remedy="Refit the column; secure it.",
            work="refit",
        ),
    )
