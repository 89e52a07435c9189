"""Valves that act on pressure."""

from typing import ClassVar

from umweg.core.components.base import (
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Port,
    Symbol,
    quantity,
)
from umweg.core.components.kernels import check_flow, couple, cracking, law, ramp, turbulent

RELIEF_BOX = (
    "M0.2 0.7 H1.8 V2.3 H0.2 Z",
    "M1 0 V0.7",
    "M1 2.3 V3",
    "M1.35 2.2 V0.85",
    "M1.8 1.2 l0.2 0.15 l-0.15 0.15 l0.3 0.15 l-0.3 0.15 l0.15 0.15",
)


@law
def _relief(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            dp = x[c, 0, b] - x[c, 1, b]
            head, dhead = cracking(dp - k[c, _RELIEF.set_bar, b], 1.0)
            seat, dseat = turbulent(dp, k[c, _RELIEF.seat_k, b], 0.5)
            gain = 1.0 / k[c, _RELIEF.override_bar_per_lpm, b]
            couple(f, j, c, b, 0, 1, head * gain + seat, dhead * gain + dseat)


class ReliefValve(ComponentType):
    """Direct-operated relief: opens in proportion to the pressure above its setting.

    ``q = (Δp − p_set)/override`` above the setting (corner rounded over 1 bar), plus the
    leakage of its seat, ``K·√Δp``.
    """

    type_name = "relief_valve"
    label = "Relief valve"
    words: ClassVar[tuple[str, ...]] = (
        "relief",
        "main relief",
        "port relief",
        "pressure limiter",
        "overload valve",
        "safety valve",
        "circuit relief",
    )
    roles = (
        "adjustable",
        "opens on pressure",
        "held by a spring",
        "of a size",
        "seat",
    )
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        set_bar: float = quantity(180, "bar", "cracking pressure", low=1, high=700, tolerance=0.012)
        override_bar_per_lpm: float = quantity(
            0.25, "bar/(L/min)", "rise above the setting per flow", low=0.005, high=10
        )
        seat_k: float = quantity(
            0.005, "L/min/√bar", "seat leakage, flow at 1 bar", low=1e-6, high=50
        )

    fault_modes: ClassVar[tuple[FaultMode, ...]] = (
        FaultMode(
            name="set_low",
            label="opens early: weak spring or backed off",
            parameter="set_bar",
            scale="factor",
            severe=0.25,
            family="detour",
            base_rate=1.3,
            look="Spring length, lock nut and paint mark on the screw.",
            remedy="Set to the specification with a gauge; replace a weak spring.",
            work="set",
        ),
        FaultMode(
            name="seat_leaks",
            label="seat worn or held open by dirt",
            parameter="seat_k",
            scale="square",
            severe=9.0,
            family="detour",
            base_rate=1.0,
            look="Dirt or a ring on poppet and seat.",
            remedy="Clean or replace the cartridge.",
            work="clean",
        ),
        FaultMode(
            name="set_high",
            label="set too high or stuck shut",
            parameter="set_bar",
            scale="factor",
            severe=1.9,
            family="dam",
            base_rate=0.25,
            look="Screw run in, shims added, poppet that does not move.",
            remedy="Set to the specification with a gauge; never above the limit.",
            work="set",
        ),
        FaultMode(
            name="wrong_spring",
            label="wrong cartridge or spring fitted: opens too early",
            parameter="set_bar",
            scale="factor",
            severe=0.35,
            family="detour",
            base_rate=0.06,
            look="Number on the cartridge, wire and colour of the spring beside the parts list.",
            remedy="Fit the cartridge of the parts list and set it with a gauge.",
            work="wrong_part",
        ),
    )
    adjustable = ("set_bar",)
    relieves = True
    one_way = True
    symbol = Symbol(
        2.2,
        3,
        {"inlet": ("south", 1.0), "outlet": ("north", 1.0)},
        RELIEF_BOX,
        ("M1 2.6 H0.1 V1.5 H0.2",),
        ("M1.35 0.75 L1.25 1.05 L1.45 1.05 Z",),
    )
    example = Example(
        "(190 − 180)/0.25 = 40, seat 0.005·√190 = 0.069",
        {"inlet": 190.0, "outlet": 0.0},
        {"inlet": 40.069, "outlet": -40.069},
    )
    law = _relief


_RELIEF = ReliefValve.rows()


@law
def _counterbalance(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            dp = x[c, 1, b] - x[c, 0, b]
            free, dfree = check_flow(-dp, k[c, _COUNTERBALANCE.check_k, b], 0.5, 0.0)
            couple(f, j, c, b, 0, 1, free, dfree)
            leak, dleak = turbulent(dp, k[c, _COUNTERBALANCE.seat_k, b], 0.5)
            couple(f, j, c, b, 1, 0, leak, dleak)
            excess = (
                x[c, 1, b]
                + k[c, _COUNTERBALANCE.pilot_ratio, b] * x[c, 2, b]
                - k[c, _COUNTERBALANCE.set_bar, b]
            )
            head, dhead = cracking(excess, 1.0)
            opening = head / k[c, _COUNTERBALANCE.span_bar_per_k, b]
            dopening = dhead / k[c, _COUNTERBALANCE.span_bar_per_k, b]
            drop, ddrop = ramp(dp, 0.3)
            root, droot = turbulent(drop, 1.0, 0.5)
            q = opening * root
            f[c, 1, b] += q
            f[c, 0, b] -= q
            along = opening * droot * ddrop
            d_cyl = dopening * root + along
            d_pilot = k[c, _COUNTERBALANCE.pilot_ratio, b] * dopening * root
            j[c, 1, 1, b] += d_cyl
            j[c, 1, 0, b] -= along
            j[c, 1, 2, b] += d_pilot
            j[c, 0, 1, b] -= d_cyl
            j[c, 0, 0, b] += along
            j[c, 0, 2, b] -= d_pilot


class CounterbalanceValve(ComponentType):
    """Load-holding valve: free flow to the cylinder, back only when load and pilot open it.

    From the cylinder ``q = K(opening)·√Δp`` with the opening in proportion to
    ``p_cylinder + ratio·p_pilot − p_set``.
    """

    type_name = "counterbalance_valve"
    holds_load = "cylinder"
    label = "Load-holding valve"
    words = (
        "overcenter",
        "over-centre valve",
        "counterbalance",
        "load holding valve",
        "motion control valve",
        "holding valve",
        "lowering brake valve",
        "winch brake valve",
    )
    roles = (
        "adjustable",
        "opens on pressure",
        "held by a spring",
        "pilot fed",
        "seat",
    )
    ports = (Port("valve"), Port("cylinder"), Port("pilot", line="pilot"))

    class Parameters(ParameterSet):
        set_bar: float = quantity(
            210, "bar", "opens at, without pilot", low=5, high=700, tolerance=0.03
        )
        pilot_ratio: float = quantity(4, "1", "pilot area over load area", low=0, high=12)
        span_bar_per_k: float = quantity(
            6, "bar/(L/min/√bar)", "excess pressure per opening", low=0.1, high=200
        )
        check_k: float = quantity(35, "L/min/√bar", "free flow at 1 bar", low=0.1, high=1000)
        seat_k: float = quantity(1e-5, "L/min/√bar", "seat leakage at 1 bar", low=1e-7, high=20)

    fault_modes = (
        FaultMode(
            name="seat_leaks",
            label="load-holding seat leaks",
            parameter="seat_k",
            scale="decades",
            severe=1.2,
            family="detour",
            base_rate=1.2,
            look="Scratched seat or dirt under the poppet.",
            remedy="Lower and support the load, then clean or replace the cartridge.",
            work="clean",
        ),
        FaultMode(
            name="check_stuck",
            label="free-flow check does not open fully",
            parameter="check_k",
            scale="factor",
            severe=1 / 60,
            family="dam",
            base_rate=0.4,
            look="Poppet gummed or cocked in its bore.",
            remedy="Lower and support the load, then clean or replace the cartridge.",
            work="clean",
        ),
        FaultMode(
            name="stuck_shut",
            label="does not open to lower",
            parameter="set_bar",
            scale="factor",
            severe=4.0,
            family="dam",
            base_rate=0.3,
            look="Pilot orifice plugged, or set far too high.",
            remedy="Lower and support the load by the maker's way, then clean the pilot orifice.",
            work="clean",
        ),
        FaultMode(
            name="set_low",
            label="set too low: lets go early",
            parameter="set_bar",
            scale="factor",
            severe=0.35,
            family="detour",
            base_rate=0.4,
            look="Screw backed off; its spring's length.",
            remedy="Set by the machine's own procedure, the load put down.",
            work="set",
        ),
    )
    adjustable = ("set_bar",)
    symbol = Symbol(
        3,
        3,
        {"valve": ("south", 1.0), "cylinder": ("north", 1.0), "pilot": ("east", 1.5)},
        (
            "M0.2 0.7 H1.8 V2.3 H0.2 Z",
            "M1 0 V0.7",
            "M1 2.3 V3",
            "M1.35 0.8 V2.2",
            "M1 2.6 H2.5 V1.9",
            "M2.2 1.85 L2.5 1.55 L2.8 1.85",
            "M2.5 1.3 V0.4 H1",
        ),
        ("M3 1.5 H1.8",),
        ("M1.35 2.25 L1.25 1.95 L1.45 1.95 Z",),
    )
    example = Example(
        "free flow: head 10 − 0.5 − 0.15 = 9.35 bar, 35·√9.35 = 107.0",
        {"valve": 60.0, "cylinder": 50.0, "pilot": 0.0},
        {"valve": 106.95, "cylinder": -106.95, "pilot": 0.0},
    )
    law = _counterbalance


_COUNTERBALANCE = CounterbalanceValve.rows()
