"""Restrictors, checks, shuttles, flow regulators."""

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
from umweg.core.components.crossing import FITTED_BACKWARD, crossed, turn
from umweg.core.components.kernels import (
    check_flow,
    couple,
    law,
    ramp,
    regulated,
    saturating,
    turbulent,
)


@law
def _orifice(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            q, dq = turbulent(x[c, 0, b] - x[c, 1, b], k[c, _ORIFICE.k, b], 0.5)
            couple(f, j, c, b, 0, 1, q, dq)


class Orifice(ComponentType):
    """Fixed sharp-edged restrictor, ``q = K·√Δp``.

    ``K = Cd·A·√(2/ρ)``: 0.6, 870 kg/m³ and 1 mm² give 0.546 L/min/√bar.
    """

    type_name = "orifice"
    label = "Orifice"
    words = (
        "orifice",
        "restrictor",
        "jet",
        "choke",
        "damping nozzle",
    )
    roles = (
        "throttled",
        "of a size",
    )
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        k: float = quantity(2, "L/min/√bar", "flow at 1 bar", low=1e-4, high=2000, tolerance=0.03)

    fault_modes = (
        FaultMode(
            name="plugged",
            label="orifice plugged",
            parameter="k",
            scale="factor",
            severe=1 / 100,
            family="dam",
            base_rate=0.6,
            look="Look through it against the light.",
            remedy="Clean it; never drill it out.",
            work="clean",
        ),
        FaultMode(
            name="washed_out",
            label="orifice washed out or the wrong one",
            parameter="k",
            scale="factor",
            severe=4.0,
            family="detour",
            base_rate=0.15,
            look="Pin gauge in the bore.",
            remedy="Fit the specified orifice.",
        ),
    )
    symbol = Symbol(
        1,
        1.4,
        {"inlet": ("south", 0.5), "outlet": ("north", 0.5)},
        ("M0.5 0 V1.4", "M0.15 0.4 Q0.45 0.7 0.15 1", "M0.85 0.4 Q0.55 0.7 0.85 1"),
    )
    example = Example(
        "2·√100 = 20", {"inlet": 100.0, "outlet": 0.0}, {"inlet": 20.0, "outlet": -20.0}
    )
    law = _orifice


_ORIFICE = Orifice.rows()


@law
def _check(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            way = turn(k[c, _CHECK.crossed, b])
            dp = way * (x[c, 0, b] - x[c, 1, b])
            q, dq = check_flow(
                dp,
                k[c, _CHECK.k, b],
                k[c, _CHECK.cracking_bar, b],
                k[c, _CHECK.leak_lpm_per_bar, b],
            )
            couple(f, j, c, b, 0, 1, way * q, dq)


class CheckValve(ComponentType):
    """Spring-loaded check: ``q = K·√(Δp − p_crack)`` forward, a linear trace backward."""

    type_name = "check_valve"
    label = "Check valve"
    words: ClassVar[tuple[str, ...]] = (
        "check",
        "non-return valve",
        "one-way valve",
        "NRV",
        "suction check",
        "make-up check",
        "regeneration check",
    )
    roles: ClassVar[tuple[str, ...]] = (
        "opens on pressure",
        "seat",
        "turned round",
        "held by a spring",
    )
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        k: float = quantity(35, "L/min/√bar", "flow at 1 bar above cracking", low=0.01, high=2000)
        cracking_bar: float = quantity(0.5, "bar", "opens at", low=0, high=50)
        leak_lpm_per_bar: float = quantity(1e-4, "L/min/bar", "leakage backward", low=1e-7, high=10)
        crossed: float = crossed("it is fitted the wrong way round")

    fault_modes: ClassVar[tuple[FaultMode, ...]] = (
        FaultMode(
            name="stuck_shut",
            label="check does not open fully",
            parameter="k",
            scale="factor",
            severe=1 / 80,
            family="dam",
            base_rate=0.35,
            look="Poppet cocked or gummed; broken spring across it.",
            remedy="Clean or replace the check.",
            work="clean",
        ),
        FaultMode(
            name="leaks_back",
            label="check does not seat",
            parameter="leak_lpm_per_bar",
            scale="decades",
            severe=1.0,
            family="detour",
            base_rate=0.6,
            look="Dirt or a groove on the seat.",
            remedy="Clean or replace the check.",
            work="clean",
        ),
        FITTED_BACKWARD,
    )
    one_way = True
    symbol = Symbol(
        1,
        1.6,
        {"inlet": ("south", 0.5), "outlet": ("north", 0.5)},
        (
            "M0.5 1.6 V1.1",
            "M0.5 0.45 V0",
            "M0.1 0.45 L0.5 1.05 L0.9 0.45",
            "M0.5 0.45 a0.28 0.28 0 1 0 0.01 0",
        ),
    )
    example = Example(
        "35·√(4.5 − 0.5 − 0.15) = 68.7",
        {"inlet": 4.5, "outlet": 0.0},
        {"inlet": 68.39, "outlet": -68.39},
    )
    law = _check


_CHECK = CheckValve.rows()


@law
def _pilot_check(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            p_in = x[c, 0, b]
            p_out = x[c, 1, b]
            q, dq = check_flow(
                p_in - p_out, k[c, _PILOT_CHECK.k, b], k[c, _PILOT_CHECK.cracking_bar, b], 0.0
            )
            couple(f, j, c, b, 0, 1, q, dq)
            leak, dleak = turbulent(p_out - p_in, k[c, _PILOT_CHECK.seat_k, b], 0.5)
            couple(f, j, c, b, 1, 0, leak, dleak)
            ratio = k[c, _PILOT_CHECK.pilot_ratio, b]
            head, dhead = ramp(ratio * (x[c, 2, b] - p_in) - (p_out - p_in), 3.0)
            opening, dopening = saturating(head / 10.0, 1.0)
            gain = dopening * dhead / 10.0
            drop, ddrop = ramp(p_out - p_in, 0.3)
            root, droot = turbulent(drop, k[c, _PILOT_CHECK.k, b], 0.5)
            back = opening * root
            along = opening * droot * ddrop
            d_in = gain * (1.0 - ratio) * root - along
            d_out = -gain * root + along
            d_pilot = gain * ratio * root
            f[c, 1, b] += back
            f[c, 0, b] -= back
            j[c, 1, 0, b] += d_in
            j[c, 1, 1, b] += d_out
            j[c, 1, 2, b] += d_pilot
            j[c, 0, 0, b] -= d_in
            j[c, 0, 1, b] -= d_out
            j[c, 0, 2, b] -= d_pilot


class PilotCheckValve(ComponentType):
    """Check that a pilot pressure opens against its closing direction.

    Forward like a check. Backward ``q = K·opening·√Δp``, the opening growing over 10 bar of
    ``ratio·(p_pilot − p_inlet) − (p_outlet − p_inlet)``, the balance of pilot piston and poppet.
    """

    type_name = "pilot_check_valve"
    holds_load = "outlet"
    label = "Pilot-operated check valve"
    words = (
        "pilot check",
        "PO check",
        "lock valve",
        "double lock",
        "piloted non-return",
        "hose lock",
    )
    roles = (
        "opens on pressure",
        "seat",
        "pilot fed",
    )
    ports = (Port("inlet"), Port("outlet"), Port("pilot", line="pilot"))

    class Parameters(ParameterSet):
        k: float = quantity(30, "L/min/√bar", "flow at 1 bar, open", low=0.01, high=2000)
        cracking_bar: float = quantity(1.0, "bar", "opens forward at", low=0, high=50)
        pilot_ratio: float = quantity(3.5, "1", "pilot area over poppet area", low=0.1, high=12)
        seat_k: float = quantity(1e-5, "L/min/√bar", "seat leakage at 1 bar", low=1e-7, high=20)

    fault_modes = (
        FaultMode(
            name="seat_leaks",
            label="check does not seat",
            parameter="seat_k",
            scale="decades",
            severe=1.5,
            family="detour",
            base_rate=1.0,
            look="Dirt or a groove on the seat.",
            remedy="Lower and support the load, then clean or replace the check.",
            work="clean",
        ),
        FaultMode(
            name="pilot_weak",
            label="pilot piston leaks or sticks, does not open it",
            parameter="pilot_ratio",
            scale="factor",
            severe=1 / 12,
            family="command",
            base_rate=0.4,
            look="Pilot line pressure present, poppet does not lift.",
            remedy="Clean the pilot piston and its orifice; look for a reversed hose pair.",
            work="clean",
        ),
    )
    symbol = Symbol(
        2,
        1.6,
        {"inlet": ("south", 0.5), "outlet": ("north", 0.5), "pilot": ("east", 1.2)},
        (
            "M0.5 1.6 V1.1",
            "M0.5 0.45 V0",
            "M0.1 0.45 L0.5 1.05 L0.9 0.45",
            "M0.5 0.45 a0.28 0.28 0 1 0 0.01 0",
        ),
        ("M2 1.2 H0.6",),
    )
    example = Example(
        "backward at 40 bar against pilot 60 bar: head 3.5·60 − 40 − 1.5 = 168.5, opening "
        "16.85/√(1 + 16.85²) = 0.99824; 30·√(40 − 0.15)·0.99824 = 189.0",
        {"inlet": 0.0, "outlet": 40.0, "pilot": 60.0},
        {"inlet": -189.04, "outlet": 189.04, "pilot": 0.0},
    )
    law = _pilot_check


_PILOT_CHECK = PilotCheckValve.rows()


@law
def _shuttle(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            for side in range(2):
                size = k[c, _SHUTTLE.a_k if side == 0 else _SHUTTLE.b_k, b]
                q, dq = check_flow(
                    x[c, side, b] - x[c, 2, b], size, 0.0, k[c, _SHUTTLE.leak_lpm_per_bar, b]
                )
                couple(f, j, c, b, side, 2, q, dq)


class ShuttleValve(ComponentType):
    """Takes the higher of two pressures to its third port: two checks that share a ball."""

    type_name = "shuttle_valve"
    label = "Shuttle valve"
    words = (
        "shuttle",
        "resolver",
        "or valve",
        "load sense shuttle",
    )
    roles = (
        "opens on pressure",
        "seat",
    )
    ports = (Port("A", line="pilot"), Port("B", line="pilot"), Port("X", line="pilot"))

    class Parameters(ParameterSet):
        a_k: float = quantity(3, "L/min/√bar", "A to X, flow at 1 bar", low=1e-3, high=200)
        b_k: float = quantity(3, "L/min/√bar", "B to X, flow at 1 bar", low=1e-3, high=200)
        leak_lpm_per_bar: float = quantity(
            1e-4, "L/min/bar", "leakage past the ball", low=1e-7, high=10
        )

    fault_modes = (
        FaultMode(
            name="leaks",
            label="ball does not seat, the signal leaks to the other side",
            parameter="leak_lpm_per_bar",
            scale="square",
            severe=0.5,
            family="detour",
            base_rate=0.3,
            look="Dirt or a groove on ball and seats.",
            remedy="Clean or replace the shuttle.",
            work="clean",
        ),
        FaultMode(
            name="a_blocked",
            label="side A blocked, its signal is lost",
            parameter="a_k",
            scale="factor",
            severe=1 / 1000,
            family="command",
            base_rate=0.1,
            look="Ball stuck at A, passage plugged.",
            remedy="Clean or replace the shuttle.",
            work="clean",
        ),
        FaultMode(
            name="b_blocked",
            label="side B blocked, its signal is lost",
            parameter="b_k",
            scale="factor",
            severe=1 / 1000,
            family="command",
            base_rate=0.1,
            look="Ball stuck at B, passage plugged.",
            remedy="Clean or replace the shuttle.",
            work="clean",
        ),
    )
    symbol = Symbol(
        2,
        1.2,
        {"A": ("west", 0.8), "B": ("east", 0.8), "X": ("north", 1.0)},
        (
            "M0.3 0.4 H1.7 V1.2 H0.3 Z",
            "M0 0.8 H0.3",
            "M1.7 0.8 H2",
            "M1 0 V0.4",
            "M0.75 0.8 a0.25 0.25 0 1 0 0.5 0 a0.25 0.25 0 1 0 -0.5 0",
        ),
    )
    example = Example(
        "A 100 bar, X 96 bar: 3·√(4 − 0.15) = 5.886 and 0.0004; B 0 bar: 0.0096 back through it",
        {"A": 100.0, "B": 0.0, "X": 96.0},
        {"A": 5.862, "B": -0.0096, "X": -5.8524},
        rel=2e-3,
    )
    law = _shuttle


_SHUTTLE = ShuttleValve.rows()


@law
def _flow_regulator(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            free, dfree = turbulent(x[c, 0, b] - x[c, 1, b], k[c, _FLOW_REGULATOR.k, b], 0.5)
            q, dq = regulated(free, k[c, _FLOW_REGULATOR.set_lpm, b])
            couple(f, j, c, b, 0, 1, q, dq * dfree)


class FlowRegulator(ComponentType):
    """Two-port pressure-compensated flow regulator: ``q = q_set·s/(1 + s⁴)^¼``, ``s = K·√Δp/q_set``.

    A restrictor while the pressure difference is small, its set flow once it is not.
    """

    type_name = "flow_regulator"
    label = "Flow regulator"
    words = (
        "flow control",
        "pressure compensated flow control",
        "constant flow valve",
        "speed valve",
        "needle valve with compensator",
    )
    roles = (
        "adjustable",
        "throttled",
    )
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        set_lpm: float = quantity(
            12, "L/min", "regulated flow", low=0.01, high=1000, tolerance=0.04
        )
        k: float = quantity(9, "L/min/√bar", "wide open, flow at 1 bar", low=0.01, high=2000)

    fault_modes = (
        FaultMode(
            name="set_low",
            label="regulates too low: spool sticks or orifice fouled",
            parameter="set_lpm",
            scale="factor",
            severe=1 / 8,
            family="dam",
            base_rate=0.6,
            look="Fouled orifice, scored compensator spool.",
            remedy="Clean it; set it with a flow meter.",
            work="clean",
        ),
        FaultMode(
            name="stuck_open",
            label="does not regulate: compensator stuck open",
            parameter="set_lpm",
            scale="factor",
            severe=5.0,
            family="detour",
            base_rate=0.4,
            look="Compensator spool does not move under its spring.",
            remedy="Free or replace the compensator.",
            work="clean",
        ),
    )
    adjustable = ("set_lpm",)
    symbol = Symbol(
        2,
        2,
        {"inlet": ("south", 1.0), "outlet": ("north", 1.0)},
        (
            "M0.3 0.4 H1.7 V1.6 H0.3 Z",
            "M1 0 V2",
            "M0.65 0.7 Q0.92 1 0.65 1.3",
            "M1.35 0.7 Q1.08 1 1.35 1.3",
            "M0.4 1.5 L1.6 0.5",
        ),
    )
    example = Example(
        "s = 9·√100/12 = 7.5: 12·7.5/(1 + 3164.1)^¼ = 11.999",
        {"inlet": 100.0, "outlet": 0.0},
        {"inlet": 12.0, "outlet": -12.0},
    )
    law = _flow_regulator


_FLOW_REGULATOR = FlowRegulator.rows()


@law
def _rupture(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            q, dq = turbulent(x[c, 0, b] - x[c, 1, b], k[c, _RUPTURE.k, b], 0.5)
            if q > 0.0:
                q, slope = regulated(q, k[c, _RUPTURE.closes_lpm, b])
                dq *= slope
            couple(f, j, c, b, 0, 1, q, dq)


class HoseRuptureValve(ComponentType):
    """Hose-rupture valve in a cylinder's port: free to the cylinder, out of it up to its closing flow.

    In ``q = K·√Δp``; out at most its closing flow, ``q_c·s/(1 + s⁴)^¼`` with ``s = K·√Δp/q_c``. At
    that flow a real one slams shut: that it then stops the load is not told here, only that no more
    comes.
    """

    type_name = "hose_rupture_valve"
    label = "Hose-rupture valve"
    words = ("velocity fuse", "burst valve", "pipe break valve", "hose burst valve", "flow fuse")
    roles = ("adjustable", "a way for oil")
    ports = (Port("cylinder"), Port("valve"))

    class Parameters(ParameterSet):
        k: float = quantity(30, "L/min/√bar", "open, flow at 1 bar", low=0.1, high=2000)
        closes_lpm: float = quantity(
            90, "L/min", "closes at, out of the cylinder", low=0.1, high=2000, tolerance=0.08
        )

    fault_modes = (
        FaultMode(
            name="set_low",
            label="closes too early: set low, or dirt holds it nearly shut",
            parameter="closes_lpm",
            scale="factor",
            severe=0.05,
            family="dam",
            base_rate=0.6,
            look="The load stops as it is lowered, and goes on once it was raised a little.",
            remedy="Clean it; set its gap by the maker's table.",
            work="clean",
        ),
        FaultMode(
            name="set_high",
            label="does not close: set too high, or its spring holds it open",
            parameter="closes_lpm",
            scale="factor",
            severe=20.0,
            family="detour",
            base_rate=0.1,
            look="Its gap by the maker's table, the load put down.",
            remedy="Replace it: nothing else holds the load when a hose bursts.",
        ),
        FaultMode(
            name="stuck_shut",
            label="stays shut",
            parameter="k",
            scale="factor",
            severe=1 / 60,
            family="dam",
            base_rate=0.3,
            look="Its plate does not come back from its seat.",
            remedy="Replace it.",
        ),
    )
    symbol = Symbol(
        1.6,
        2,
        {"cylinder": ("north", 0.8), "valve": ("south", 0.8)},
        (
            "M0.2 0.3 H1.4 V1.7 H0.2 Z",
            "M0.8 0 V0.7",
            "M0.8 1.3 V2",
            "M0.5 0.7 L0.8 1.1 L1.1 0.7",
            "M0.5 1.3 H1.1",
        ),
    )
    example = Example(
        "out: s = 30·√4/90 = ⅔: 60/(1 + 0.1975)^¼",
        {"cylinder": 4.0, "valve": 0.0},
        {"cylinder": 57.246, "valve": -57.246},
        rel=5e-3,
    )
    law = _rupture


_RUPTURE = HoseRuptureValve.rows()
