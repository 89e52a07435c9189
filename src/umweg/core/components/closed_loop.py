"""Valves of a closed loop: shock and make-up, flushing, speed-dependent control."""

from umweg.core.components.base import (
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Port,
    Symbol,
    quantity,
)
from umweg.core.components.kernels import (
    check_flow,
    couple,
    cracking,
    law,
    ramp,
    smooth_step,
    steer,
    turbulent,
)
from umweg.core.components.symbols import valve


@law
def _cross_port(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            for a in range(2):
                z = 1 - a
                opens = k[c, _CROSS_PORT.a_set_bar if a == 0 else _CROSS_PORT.b_set_bar, b]
                head, dhead = cracking(x[c, a, b] - x[c, z, b] - opens, 1.0)
                gain = 1.0 / k[c, _CROSS_PORT.override_bar_per_lpm, b]
                couple(f, j, c, b, a, z, head * gain, dhead * gain)
                q, dq = check_flow(x[c, 2, b] - x[c, a, b], k[c, _CROSS_PORT.makeup_k, b], 0.2, 0.0)
                couple(f, j, c, b, 2, a, q, dq)
                leak = k[c, _CROSS_PORT.a_seat_k if a == 0 else _CROSS_PORT.b_seat_k, b]
                q, dq = turbulent(x[c, a, b] - x[c, 2, b], leak, 0.5)
                couple(f, j, c, b, a, 2, q, dq)


class CrossPortRelief(ComponentType):
    """Two reliefs across a closed loop or a motor, with two checks that make up lost oil.

    A to B ``(Δp − p_set)/override`` above the setting and the other way round; from the make-up
    port to the lower side through a check.
    """

    type_name = "cross_port_relief"
    label = "Shock and make-up valves"
    words = (
        "crossover relief",
        "cross-port relief",
        "shock valve",
        "anti-cavitation valve",
        "make-up valve",
        "anticav",
        "motor relief",
        "swing brake valve",
    )
    roles = (
        "adjustable",
        "opens on pressure",
        "held by a spring",
        "seat",
    )
    ports = (Port("A"), Port("B"), Port("makeup"))

    class Parameters(ParameterSet):
        a_set_bar: float = quantity(380, "bar", "A to B opens at", low=2, high=700, tolerance=0.015)
        b_set_bar: float = quantity(380, "bar", "B to A opens at", low=2, high=700, tolerance=0.015)
        override_bar_per_lpm: float = quantity(
            0.3, "bar/(L/min)", "rise per flow", low=0.01, high=9
        )
        makeup_k: float = quantity(30, "L/min/√bar", "make-up checks", low=0.1, high=1000)
        a_seat_k: float = quantity(1e-4, "L/min/√bar", "A back to make-up", low=1e-7, high=50)
        b_seat_k: float = quantity(1e-4, "L/min/√bar", "B back to make-up", low=1e-7, high=50)

    fault_modes = (
        FaultMode(
            name="a_low",
            label="shock valve of side A opens early",
            parameter="a_set_bar",
            scale="factor",
            severe=0.2,
            family="detour",
            base_rate=0.7,
            look="Swap the two cartridges: the fault goes to the other direction.",
            remedy="Clean or replace the cartridge.",
            work="clean",
        ),
        FaultMode(
            name="b_low",
            label="shock valve of side B opens early",
            parameter="b_set_bar",
            scale="factor",
            severe=0.2,
            family="detour",
            base_rate=0.7,
            look="Swap the two cartridges: the fault goes to the other direction.",
            remedy="Clean or replace the cartridge.",
            work="clean",
        ),
        FaultMode(
            name="a_check_open",
            label="make-up check of side A does not seat",
            parameter="a_seat_k",
            scale="square",
            severe=8.0,
            family="detour",
            base_rate=0.6,
            look="Dirt under the check; swap the cartridges.",
            remedy="Clean or replace the cartridge.",
            work="clean",
        ),
        FaultMode(
            name="b_check_open",
            label="make-up check of side B does not seat",
            parameter="b_seat_k",
            scale="square",
            severe=8.0,
            family="detour",
            base_rate=0.6,
            look="Dirt under the check; swap the cartridges.",
            remedy="Clean or replace the cartridge.",
            work="clean",
        ),
        FaultMode(
            name="a_high",
            label="relief of side A set too high",
            parameter="a_set_bar",
            scale="factor",
            severe=1.8,
            family="dam",
            base_rate=0.1,
            look="Screw turned in past its mark.",
            remedy="Set it with a gauge.",
            work="set",
        ),
        FaultMode(
            name="b_high",
            label="relief of side B set too high",
            parameter="b_set_bar",
            scale="factor",
            severe=1.8,
            family="dam",
            base_rate=0.1,
            look="Screw turned in past its mark.",
            remedy="Set it with a gauge.",
            work="set",
        ),
    )
    adjustable = ("a_set_bar", "b_set_bar")
    symbol = Symbol(
        3,
        3,
        {"A": ("south", 1.5), "B": ("north", 1.5), "makeup": ("east", 1.5)},
        (
            "M0.3 0.4 H2.7 V2.6 H0.3 Z",
            "M1.5 0 V0.4 M1.5 2.6 V3",
            "M0.6 1 h0.8 v1 h-0.8 Z M1 2.4 V2 M1 1 V0.6",
            "M2.7 1.5 H2.1",
            "M2.1 1.9 L1.85 2.2 L2.35 2.2 M2.1 1.1 L1.85 0.8 L2.35 0.8 M2.1 1.9 V1.1",
        ),
        (),
        ("M1 1 L0.9 1.3 L1.1 1.3 Z", "M1 2 L0.9 1.7 L1.1 1.7 Z"),
    )
    example = Example(
        "A 420 − 15 = 405 bar over B: 25/0.3 = 83.33; seat 1e-4·√405; make-up at B's pressure shut",
        {"A": 420.0, "B": 15.0, "makeup": 15.0},
        {"A": 83.335, "B": -83.333, "makeup": -0.0020},
        rel=1e-2,
    )
    law = _cross_port


_CROSS_PORT = CrossPortRelief.rows()


@law
def _flushing(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            for low in range(2):
                high = 1 - low
                shift, dshift = smooth_step(x[c, high, b] - x[c, low, b], 3.0, 10.0)
                head, dhead = ramp(x[c, low, b] - x[c, 2, b] - k[c, _FLUSHING.set_bar, b], 1.0)
                q = shift * head * k[c, _FLUSHING.lpm_per_bar, b]
                couple(f, j, c, b, low, 2, q, shift * dhead * k[c, _FLUSHING.lpm_per_bar, b])
                slope = dshift * head * k[c, _FLUSHING.lpm_per_bar, b]
                steer(j, c, b, low, 2, high, slope)
                steer(j, c, b, low, 2, low, -slope)


class FlushingValve(ComponentType):
    """Shuttle that opens the low side of a closed loop to a small relief: fresh oil for the loop.

    From the lower side ``q = G·(p − p_set)``, once the other stands 3 to 10 bar above it.
    """

    type_name = "flushing_valve"
    label = "Flushing valve"
    words = (
        "flushing valve",
        "hot oil shuttle",
        "purge valve",
        "loop flushing",
        "exchange valve",
    )
    roles = (
        "adjustable",
        "opens on pressure",
        "held by a spring",
    )
    ports = (Port("A"), Port("B"), Port("tank", line="drain"))

    class Parameters(ParameterSet):
        set_bar: float = quantity(13, "bar", "low-side relief opens at", low=1, high=60)
        lpm_per_bar: float = quantity(
            3, "L/min/bar", "flow per pressure above it", low=0.01, high=99
        )

    fault_modes = (
        FaultMode(
            name="relief_low",
            label="flushing relief stuck open: charge pressure falls when driving",
            parameter="set_bar",
            scale="factor",
            severe=0.1,
            family="detour",
            base_rate=0.6,
            look="Broken spring or dirt in the flushing relief.",
            remedy="Clean or replace it.",
            work="clean",
        ),
        FaultMode(
            name="blocked",
            label="flushing blocked: the loop runs hot",
            parameter="lpm_per_bar",
            scale="factor",
            severe=1 / 200,
            family="dam",
            base_rate=0.3,
            look="No flow from the motor case when driving.",
            remedy="Free the shuttle.",
            work="clean",
        ),
        FaultMode(
            name="relief_high",
            label="its relief set too high or stuck",
            parameter="set_bar",
            scale="factor",
            severe=2.2,
            family="dam",
            base_rate=0.2,
            look="Charge pressure driving against in neutral.",
            remedy="Clean it, set it or fit the specified one.",
            work="clean",
        ),
    )
    symbol = valve(
        3,
        {"A": ("south", 3.2), "B": ("south", 4.0), "tank": ("north", 3.6)},
        ("M3.2 2.4 V1.9 M4 2.4 V1.9", "M1.2 2.2 L1.6 0.2", "M6 2.2 L5.6 0.2", "M3.6 0 V0.4"),
    )
    example = Example(
        "B low at 20 bar: (20 − 13 − 0.5)·3",
        {"A": 200.0, "B": 20.0, "tank": 0.0},
        {"A": 0.0, "B": 19.5, "tank": -19.5},
    )
    law = _flushing


_FLUSHING = FlushingValve.rows()


@law
def _speed_pressure(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            gain = k[c, _SPEED_PRESSURE.gain, b]
            wanted = gain * (x[c, 0, b] - x[c, 1, b])
            band = k[c, _SPEED_PRESSURE.band_bar, b]
            a = x[c, 2, b] - x[c, 3, b]
            over, dover = smooth_step(a - wanted, -band, band)
            root, droot = turbulent(x[c, 1, b] - x[c, 2, b], k[c, _SPEED_PRESSURE.k, b], 0.5)
            couple(f, j, c, b, 1, 2, root * (1.0 - over), droot * (1.0 - over))
            relief, drelief = smooth_step(a - wanted, 0.5, 0.5 + 2.0 * band)
            drain, ddrain = turbulent(a, k[c, _SPEED_PRESSURE.relieving_k, b], 0.5)
            couple(f, j, c, b, 2, 3, drain * relief, ddrain * relief)
            by = root * -dover
            to = drain * drelief
            for port in range(4):
                share = (-gain, gain, 1.0, -1.0)[port]
                steer(j, c, b, 1, 2, port, by * share)
                steer(j, c, b, 2, 3, port, to * share)


class SpeedPressureValve(ComponentType):
    """Makes a control pressure that rises with the engine's speed, from the drop of a throttle.

    The charge pump's whole flow passes a throttle; the valve holds its outlet at
    ``gain·(p_before − p_after)``, which goes with the square of the speed.
    """

    type_name = "speed_pressure_valve"
    label = "Speed-dependent control valve"
    words = (
        "automotive control valve",
        "creep valve",
        "speed sensing valve",
        "DA valve",
    )
    roles = (
        "adjustable",
        "pilot fed",
        "held by a spring",
    )
    ports = (
        Port("before", line="pilot"),
        Port("after"),
        Port("control", line="pilot"),
        Port("tank", line="drain"),
    )

    class Parameters(ParameterSet):
        gain: float = quantity(
            3, "1", "control pressure per drop of the throttle", low=0.1, high=50, tolerance=0.03
        )
        band_bar: float = quantity(0.8, "bar", "from open to shut, each side", low=0.05, high=10)
        k: float = quantity(3, "L/min/√bar", "feed wide open", low=0.01, high=100)
        relieving_k: float = quantity(2, "L/min/√bar", "relieving wide open", low=0.01, high=100)

    fault_modes = (
        FaultMode(
            name="low",
            label="control pressure too low: spool worn or out of adjustment",
            parameter="gain",
            scale="factor",
            severe=0.2,
            family="command",
            base_rate=0.8,
            look="Control pressure at rated speed against the specification.",
            remedy="Set it, or clean and exchange the valve.",
            work="set",
        ),
        FaultMode(
            name="feed_blocked",
            label="its feed is blocked",
            parameter="k",
            scale="factor",
            severe=1 / 1000,
            family="command",
            base_rate=0.4,
            look="Screen at its inlet.",
            remedy="Clean the screen.",
            work="clean",
        ),
        FaultMode(
            name="high",
            label="gives too much: set too high",
            parameter="gain",
            scale="factor",
            severe=1.8,
            family="command",
            base_rate=0.2,
            look="Control pressure at rated speed against the specification.",
            remedy="Set it with a gauge.",
            work="set",
        ),
    )
    adjustable = ("gain",)
    symbol = valve(
        2,
        {
            "before": ("west", 1.2),
            "after": ("south", 2.2),
            "control": ("north", 2.2),
            "tank": ("south", 3.0),
        },
        ("M2.2 2.4 V1.9", "M2.2 0 V0.5", "M3 2.4 V1.9", "M1 2.2 V0.2", "M3.6 2.2 L4.2 0.2"),
        ("M0 1.2 H0.6",),
    )
    example = Example(
        "drop 5 bar asks for 15: at 15 bar half open, 3·½·√5",
        {"before": 25.0, "after": 20.0, "control": 15.0, "tank": 0.0},
        {"before": 0.0, "after": 3.346, "control": -3.346, "tank": 0.0},
        rel=2e-3,
    )
    law = _speed_pressure


_SPEED_PRESSURE = SpeedPressureValve.rows()
