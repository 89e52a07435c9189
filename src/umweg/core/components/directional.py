"""Valves that direct oil."""

from umweg.core.components.base import (
    Command,
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Port,
    Symbol,
    quantity,
)
from umweg.core.components.crossing import WORK_HOSES_CROSSED, crossed, turn
from umweg.core.components.kernels import couple, couple_either, law, smooth_step, turbulent
from umweg.core.fluid import REFERENCE_VISCOSITY_MM2_S as NU_REF

_P, _BI, _BO, _A, _B, _T = 0, 1, 2, 3, 4, 5


@law
def _six_way(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            position = turn(k[c, _SIX_WAY.crossed, b]) * (
                k[c, _SIX_WAY.linkage_gain, b] * k[c, _SIX_WAY.lever, b] + k[c, _SIX_WAY.offset, b]
            )
            travel = min(max(position, -1.0), 1.0)
            bypass = (
                k[c, _SIX_WAY.bypass_k, b] * (1.0 - smooth_step(abs(travel), 0.1, 0.75)[0]) + 1e-3
            )
            q, dq = turbulent(x[c, _BI, b] - x[c, _BO, b], bypass, 0.5)
            couple(f, j, c, b, _BI, _BO, q, dq)
            opening = k[c, _SIX_WAY.metering_k, b] * smooth_step(abs(travel), 0.12, 0.95)[0]
            to_a = 1.0 if travel >= 0.0 else 0.0
            fed = x[c, _A, b] if travel >= 0.0 else x[c, _B, b]
            drained = x[c, _B, b] if travel >= 0.0 else x[c, _A, b]
            q, dq = turbulent(x[c, _P, b] - fed, opening, 0.5)
            couple_either(f, j, c, b, _P, (_A, _B), to_a, q, dq)
            q, dq = turbulent(x[c, _T, b] - drained, opening, 0.5)
            couple_either(f, j, c, b, _T, (_B, _A), to_a, q, dq)
            vent = k[c, _SIX_WAY.vent_k, b] * (1.0 - smooth_step(abs(travel), 0.05, 0.5)[0])
            for work in range(_A, _B + 1):
                q, dq = turbulent(x[c, work, b] - x[c, _T, b], vent, 0.5)
                couple(f, j, c, b, work, _T, q, dq)
            leak = k[c, _SIX_WAY.leak_lpm_per_bar, b] * NU_REF / env[0, b]
            shared = k[c, _SIX_WAY.feed_leak_lpm_per_bar, b] * NU_REF / env[0, b]
            couple(f, j, c, b, _A, _T, leak * (x[c, _A, b] - x[c, _T, b]), leak)
            couple(f, j, c, b, _B, _T, leak * (x[c, _B, b] - x[c, _T, b]), leak)
            couple(f, j, c, b, _P, _A, shared * (x[c, _P, b] - x[c, _A, b]), shared)
            couple(f, j, c, b, _P, _B, shared * (x[c, _P, b] - x[c, _B, b]), shared)


class SixWaySection(ComponentType):
    """Section of an open-centre valve block, three positions, six ways.

    In neutral the pump's oil passes the bypass gallery; shifted, the spool closes the bypass and
    joins the parallel gallery P to one work port and the other work port to tank. Each land is
    ``q = K(position)·√Δp``; the clearances leak in proportion to Δp/ν. For a load-holding valve the
    work ports are open to tank in neutral by ``vent_k``, or that valve would not close.
    Position = linkage_gain·lever + offset, +1 feeds A.
    """

    type_name = "six_way_section"
    label = "Six-way section"
    words = (
        "open centre section",
        "mono-block valve",
        "spool section",
        "bank valve",
        "travel straight valve",
    )
    roles = (
        "spool",
        "shifted by hand",
        "two hoses alike",
    )
    ports = (
        Port("P"),
        Port("bypass_in"),
        Port("bypass_out"),
        Port("A"),
        Port("B"),
        Port("T"),
    )

    class Parameters(ParameterSet):
        bypass_k: float = quantity(
            38, "L/min/√bar", "bypass land, flow at 1 bar", low=0.1, high=1000, tolerance=0.05
        )
        metering_k: float = quantity(
            22, "L/min/√bar", "work lands fully open", low=0.1, high=1000, tolerance=0.05
        )
        leak_lpm_per_bar: float = quantity(
            0.0006, "L/min/bar", "work port to tank at 46 mm²/s", low=1e-7, high=2, tolerance=0.4
        )
        feed_leak_lpm_per_bar: float = quantity(
            0.00005, "L/min/bar", "P to work port at 46 mm²/s", low=1e-7, high=2, tolerance=0.5
        )
        vent_k: float = quantity(
            0, "L/min/√bar", "work ports to T in neutral, for a load-holding valve", low=0, high=50
        )
        linkage_gain: float = quantity(1, "1", "spool travel per lever travel", low=0, high=1.2)
        offset: float = quantity(0, "1", "spool position at lever neutral", low=-1, high=1)
        crossed: float = crossed("the hoses on its work ports are swapped")

    commands = (Command("lever", -1, 1, by="lever"),)
    levers = ("lever",)
    fault_modes = (
        FaultMode(
            name="spool_worn",
            label="spool or bore worn",
            parameter="leak_lpm_per_bar",
            scale="factor",
            severe=900.0,
            family="detour",
            base_rate=0.6,
            look="Bright bands on the lands; clearance by feel with clean oil.",
            remedy="Exchange the section; spool and bore are a pair.",
        ),
        FaultMode(
            name="linkage_off",
            label="lever linkage off or bent, spool does not travel",
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
        FaultMode(
            name="stuck_shifted",
            label="spool hangs off neutral towards A",
            parameter="offset",
            scale="to",
            severe=0.8,
            family="command",
            base_rate=0.25,
            look="Spool end does not return when the lever is let go.",
            remedy="Free the spool, check the centring spring and section bolts' torque.",
            work="clean",
        ),
        WORK_HOSES_CROSSED,
    )
    symbol = Symbol(
        6.4,
        2.2,
        {
            "P": ("south", 2.5),
            "bypass_in": ("south", 3.2),
            "T": ("south", 3.9),
            "A": ("north", 2.5),
            "bypass_out": ("north", 3.2),
            "B": ("north", 3.9),
            "lever": ("west", 0.9),
        },
        (
            "M0.2 0.2 H2.2 V2 H0.2 Z",
            "M2.2 0.2 H4.2 V2 H2.2 Z",
            "M4.2 0.2 H6.2 V2 H4.2 Z",
            "M3.2 0 V2.2",
            "M2.5 0 V0.5 M2.38 0.5 H2.62",
            "M3.9 0 V0.5 M3.78 0.5 H4.02",
            "M2.5 2.2 V1.7 M2.38 1.7 H2.62",
            "M3.9 2.2 V1.7 M3.78 1.7 H4.02",
            "M0.5 2 V0.2",
            "M1.9 0.2 V2",
            "M4.5 2 L5.9 0.2",
            "M5.9 2 L4.5 0.2",
            "M0 0.9 H0.2",
            "M6.2 0.9 H6.4",
        ),
        (),
        (
            "M0.5 0.22 L0.4 0.5 L0.6 0.5 Z",
            "M1.9 1.98 L1.8 1.7 L2 1.7 Z",
            "M5.9 0.22 L5.65 0.36 L5.83 0.5 Z",
            "M4.5 0.22 L4.75 0.36 L4.57 0.5 Z",
        ),
    )
    example = Example(
        "neutral: bypass 38·√4 = 76 with smoothing; the clearances 0.0006·20, 0.00005·(100−20)",
        {"P": 100.0, "bypass_in": 4.0, "bypass_out": 0.0, "A": 20.0, "B": 0.0, "T": 0.0},
        {
            "P": 0.009,
            "bypass_in": 75.71,
            "bypass_out": -75.71,
            "A": 0.008,
            "B": -0.005,
            "T": -0.012,
        },
    )
    law = _six_way


_SIX_WAY = SixWaySection.rows()
