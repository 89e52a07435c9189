"""Pressure regulated by a controller: the sensor it believes, and the valve it drives."""

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
from umweg.core.components.kernels import couple, law, smooth_step, steer, turbulent
from umweg.core.components.symbols import valve

_EL = ELECTRIC
_LOW_V, _SPAN_V = 0.5, 4.0
"""Signal of a sensor: so many volts at nothing, so many more at the end of its range."""


@law
def _sensor(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            supply = x[c, 1, b] - x[c, 2, b]
            g = _EL / k[c, _SENSOR.supply_ohm, b]
            couple(f, j, c, b, 1, 2, g * supply, g)
            alive, dalive = smooth_step(supply, 4.0, 8.0)
            slope = _SPAN_V * k[c, _SENSOR.gain, b] / k[c, _SENSOR.range_bar, b]
            shown = _LOW_V + k[c, _SENSOR.offset_v, b] + slope * x[c, 0, b]
            out = _EL / k[c, _SENSOR.output_ohm, b]
            i = out * (alive * shown - (x[c, 3, b] - x[c, 2, b]))
            # What it gives out at its signal it takes from its supply.
            f[c, 3, b] -= i
            f[c, 1, b] += i
            for row in range(2):
                port, sign = (3, -1.0) if row == 0 else (1, 1.0)
                j[c, port, 0, b] += sign * out * alive * slope
                j[c, port, 1, b] += sign * out * dalive * shown
                j[c, port, 2, b] += sign * out * (1.0 - dalive * shown)
                j[c, port, 3, b] -= sign * out


class PressureSensor(ComponentType):
    """Pressure sensor: ``U = 0.5 V + 4 V·p/p_range`` behind its output resistance.

    What the controller shows as the actual pressure is what this says, right or wrong.
    """

    type_name = "pressure_sensor"
    label = "Pressure sensor"
    words = (
        "transducer",
        "pressure transmitter",
        "sender",
        "pressure sensor",
    )
    roles = (
        "senses",
        "wired",
    )
    ports = (
        Port("X", line="pilot"),
        Port("plus", "electrical"),
        Port("minus", "electrical"),
        Port("signal", "electrical"),
    )
    passive = False

    class Parameters(ParameterSet):
        range_bar: float = quantity(250, "bar", "pressure at 4.5 V", low=1, high=1000)
        gain: float = quantity(1, "1", "of its signal", low=0, high=3, tolerance=0.008)
        offset_v: float = quantity(0, "V", "added to its signal", low=-3, high=3)
        output_ohm: float = quantity(100, "Ω", "of its output", low=1, high=1e7)
        supply_ohm: float = quantity(1200, "Ω", "what it draws", low=1, high=1e6)

    fault_modes = (
        FaultMode(
            name="reads_high",
            label="sensor reads too high: the controller gives less than it believes",
            parameter="offset_v",
            scale="to",
            severe=1.6,
            family="gauge",
            base_rate=0.8,
            look="A gauge beside it; its signal at zero pressure.",
            remedy="Replace the sensor.",
        ),
        FaultMode(
            name="reads_low",
            label="sensor reads too low: the controller gives more than it believes",
            parameter="gain",
            scale="factor",
            severe=0.5,
            family="gauge",
            base_rate=0.5,
            look="A gauge beside it, at working pressure.",
            remedy="Replace the sensor.",
        ),
        FaultMode(
            name="dead",
            label="sensor gives no signal: plug off, wire broken",
            parameter="output_ohm",
            scale="factor",
            severe=1e4,
            family="gauge",
            base_rate=0.8,
            look="Signal below 0.3 V; plug and wire.",
            remedy="Mend the wire or replace the sensor; clear the code.",
            work="wiring",
        ),
    )
    symbol = Symbol(
        2.2,
        1.6,
        {
            "X": ("west", 0.8),
            "plus": ("south", 0.8),
            "minus": ("south", 1.6),
            "signal": ("north", 1.2),
        },
        (
            "M0.3 0.3 H1.9 V1.3 H0.3 Z",
            "M0.8 1.6 V1.3 M1.6 1.6 V1.3 M1.2 0.3 V0",
            "M0.6 1.1 L0.9 0.7 L1.2 0.9 L1.6 0.5",
        ),
        ("M0 0.8 H0.3",),
    )
    example = Example(
        "125 bar of 250: 2.5 V; 0.01 V over 100 Ω and 12 V over 1200 Ω, each ×0.6",
        {"X": 125.0, "plus": 12.0, "minus": 0.0, "signal": 2.49},
        {"X": 0.0, "plus": 0.006 + 6e-5, "minus": -0.006, "signal": -6e-5},
    )
    law = _sensor


_SENSOR = PressureSensor.rows()


@law
def _electronic_regulator(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            volts = x[c, 4, b] - x[c, 5, b]
            coil = _EL / k[c, _ELECTRONIC.coil_ohm, b]
            couple(f, j, c, b, 4, 5, coil * volts, coil)
            pull = volts * min(
                1.0, k[c, _ELECTRONIC.nominal_ohm, b] / k[c, _ELECTRONIC.coil_ohm, b]
            )
            alive, _ = smooth_step(pull, 6.0, 8.5)
            signal = x[c, 3, b] - x[c, 5, b]
            load = _EL * 1e-6
            couple(f, j, c, b, 3, 5, load * signal, load)
            believed, _ = smooth_step(signal, 0.2, 0.4)
            bar_per_v = k[c, _ELECTRONIC.range_bar, b] / _SPAN_V
            sensed = (signal - _LOW_V) * bar_per_v
            band = k[c, _ELECTRONIC.band_bar, b]
            gap = k[c, _ELECTRONIC.demand_bar, b] - sensed
            called, dcalled = smooth_step(gap, -band, band)
            power = alive * believed * k[c, _ELECTRONIC.reach, b]
            hung = k[c, _ELECTRONIC.hung, b]
            opening = power * called * (1.0 - hung) + hung
            slope = -power * dcalled * (1.0 - hung) * bar_per_v
            size = k[c, _ELECTRONIC.k, b]
            root, droot = turbulent(x[c, 0, b] - x[c, 1, b], size, 0.5)
            couple(f, j, c, b, 0, 1, opening * root, opening * droot)
            steer(j, c, b, 0, 1, 3, slope * root)
            steer(j, c, b, 0, 1, 5, -slope * root)
            seat = k[c, _ELECTRONIC.leak_lpm_per_bar, b]
            couple(f, j, c, b, 0, 1, seat * (x[c, 0, b] - x[c, 1, b]), seat)
            # Above what is demanded, or without power, its outlet is let to tank.
            over, dover = smooth_step(-gap, band, 3.0 * band)
            let = (1.0 - alive * believed) + alive * believed * over
            dlet = alive * believed * dover * bar_per_v
            back, dback = turbulent(x[c, 1, b] - x[c, 2, b], k[c, _ELECTRONIC.relieving_k, b], 0.5)
            couple(f, j, c, b, 1, 2, let * back, let * dback)
            steer(j, c, b, 1, 2, 3, dlet * back)
            steer(j, c, b, 1, 2, 5, -dlet * back)


class ElectronicRegulator(ComponentType):
    """Reducing valve that a controller opens until its sensor says what is demanded.

    Feed ``q = K·S·√(p − p_out)``, S a cubic over ± band of ``demand − sensed``; above it, or without
    power, the outlet is let to tank. A signal below 0.3 V is no signal: the controller shuts it and
    sets a code.
    """

    type_name = "electronic_regulator"
    label = "Electronic pressure regulator"
    words = (
        "EPR",
        "proportional reducing valve",
        "electronic regulator",
    )
    roles = (
        "closes on pressure",
        "wired",
    )
    ports = (
        Port("inlet"),
        Port("outlet"),
        Port("tank", line="drain"),
        Port("signal", "electrical"),
        Port("plus", "electrical"),
        Port("minus", "electrical"),
    )

    class Parameters(ParameterSet):
        k: float = quantity(9, "L/min/√bar", "feed wide open", low=0.01, high=500)
        relieving_k: float = quantity(3, "L/min/√bar", "outlet to tank", low=1e-5, high=500)
        band_bar: float = quantity(2, "bar", "from open to shut, each side", low=0.1, high=30)
        range_bar: float = quantity(250, "bar", "of the sensor it is told", low=1, high=1000)
        coil_ohm: float = quantity(9, "Ω", "coil", low=0.1, high=1e6)
        nominal_ohm: float = quantity(9, "Ω", "coil in order", low=0.1, high=1e6)
        reach: float = quantity(1, "1", "how far its spool follows", low=0, high=1)
        hung: float = quantity(0, "1", "held open", low=0, high=1)
        leak_lpm_per_bar: float = quantity(
            2e-4, "L/min/bar", "past its shut spool", low=1e-8, high=10, tolerance=0.3
        )

    commands = (Command("demand_bar", 0, 600),)
    fault_modes = (
        FaultMode(
            name="coil_open",
            label="regulator coil open or its plug off",
            parameter="coil_ohm",
            scale="factor",
            severe=300.0,
            family="command",
            base_rate=0.8,
            look="Plug and pins; resistance of the coil.",
            remedy="Mend the plug or replace the coil; clear the code.",
            work="wiring",
        ),
        FaultMode(
            name="sticks_shut",
            label="regulator spool sticks: actual stays below commanded",
            parameter="reach",
            scale="to",
            severe=0.0,
            family="dam",
            base_rate=0.8,
            remarks=("jerky",),
            look="Spool does not slide; dirt in its screen.",
            remedy="Clean or replace the valve.",
            work="clean",
        ),
        FaultMode(
            name="hangs_open",
            label="regulator hangs open: actual stays above commanded",
            parameter="hung",
            scale="to",
            severe=0.6,
            family="detour",
            base_rate=0.5,
            look="Commanded to nothing, its outlet still has pressure.",
            remedy="Clean or replace the valve.",
            work="clean",
        ),
        FaultMode(
            name="leaks",
            label="regulator leaks past its shut spool",
            parameter="leak_lpm_per_bar",
            scale="factor",
            severe=400.0,
            family="detour",
            base_rate=0.5,
            look="Forced shut, it is heard passing by air.",
            remedy="Exchange the valve.",
        ),
    )
    symbol = valve(
        2,
        {
            "inlet": ("south", 2.6),
            "outlet": ("north", 2.6),
            "tank": ("south", 4.2),
            "signal": ("north", 4.2),
            "plus": ("west", 0.8),
            "minus": ("west", 1.8),
        },
        ("M2.6 2.4 V0.2", "M0.4 1.8 L1 0.9"),
        ("M4.2 0.2 V0.9 H3.2",),
    )
    example = Example(
        "sensed 100 of 140: open, 9·√60; coil 12/9 A, signal 1 µS·2.1 V, each ×0.6; leak 2e-4·60",
        {"inlet": 160.0, "outlet": 100.0, "tank": 0.0, "signal": 2.1, "plus": 12.0, "minus": 0.0},
        {
            "inlet": 69.7259,
            "outlet": -69.7259,
            "tank": 0.0,
            "signal": 1.26e-6,
            "plus": 0.8,
            "minus": -0.8,
        },
        {"demand_bar": 140.0},
    )
    law = _electronic_regulator


_ELECTRONIC = ElectronicRegulator.rows()
