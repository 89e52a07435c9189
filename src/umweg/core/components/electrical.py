"""Supply voltage, switches, relays, drivers, and the motor of an electric power pack.

Across is V against the frame, through is A × 0.6, so that a coil's or a motor's power is counted
in the same unit as the oil's.
"""

from collections.abc import Mapping
from dataclasses import replace
from typing import ClassVar

from umweg.core.components.base import (
    ELECTRIC,
    ROTATION,
    Command,
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Port,
    Symbol,
    Trial,
    quantity,
)
from umweg.core.components.kernels import couple, law, regulated, smooth_step

_EL = ELECTRIC
_ROT = ROTATION
_OPEN_S = 1e-9
"""Conductance of an open contact [S]."""
BRIDGE_S = 100.0
"""Conductance of a lead with its clamps [S]."""
BRIDGED = Command("bridged", 0, 1, by="trial")
BRIDGE_OFF = "Take the bridge off again at once, whatever comes of it."
BRIDGE = Trial(
    name="bridge",
    label="bridged with a fused lead",
    command="bridged",
    minutes=4.0,
    suspected=True,
    caution=BRIDGE_OFF,
)


_FLAT_V, _FLAT_OHM = 0.65, 20.0
"""What a battery without any charge lacks of its voltage, and has more of its own resistance: with
a fifth gone it gives 11 V and five times the drop, as an old one does that still turns a light on."""


@law
def _supply(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            flat = 1.0 - k[c, _SUPPLY.charge, b]
            volts = k[c, _SUPPLY.volts, b] * (1.0 - _FLAT_V * flat)
            ohm = k[c, _SUPPLY.resistance_ohm, b] * (1.0 + _FLAT_OHM * flat)
            free = (volts - x[c, 1, b] + x[c, 0, b]) / ohm
            amps, slope = regulated(free, k[c, _SUPPLY.fuse_a, b])
            whole = 1.0 - smooth_step(k[c, _SUPPLY.blown, b], 0.35, 0.65)[0]
            gone = _OPEN_S * ohm
            amps = amps * whole + free * gone
            slope = slope * whole + gone
            f[c, 1, b] = -_EL * amps
            f[c, 0, b] = _EL * amps
            g = _EL * slope / ohm
            j[c, 1, 1, b] = g
            j[c, 1, 0, b] = -g
            j[c, 0, 1, b] = -g
            j[c, 0, 0, b] = g


class PowerSupply(ComponentType):
    """Battery with its cables and fuse: ``i = (U₀ − U)/R``, never above what the fuse carries.

    As its charge goes, U₀ goes and R grows: ``U₀·(1 − 0.65·(1 − c))``, ``R·(1 + 20·(1 − c))``.

    The fuse is a limit, so a shorted coil pulls the voltage down for all that hang on it.
    """

    type_name = "power_supply"
    label = "Supply and fuse"
    words = (
        "battery",
        "fuse",
        "supply",
        "ignition feed",
    )
    roles = ("wired",)
    for_heavy: ClassVar[Mapping[str, float]] = {"fuse_a": 250.0, "resistance_ohm": 0.006}
    ports = (Port("frame", "electrical", boundary=True), Port("plus", "electrical"))

    class Parameters(ParameterSet):
        volts: float = quantity(
            12.6,
            "V",
            "open-circuit voltage",
            low=1,
            high=60,
            tolerance=0.02,
            guessed=0.03,  # 12 or 24 V are known; how full the battery is, is not
            of_supply=1,
        )
        resistance_ohm: float = quantity(0.02, "Ω", "battery and cables", low=1e-4, high=50)
        fuse_a: float = quantity(15, "A", "current the fuse carries", low=1e-4, high=1000)
        charge: float = quantity(1, "1", "share of its charge that is left", low=0, high=1)
        blown: float = quantity(0, "1", "1: the fuse has blown", low=0, high=1)

    fault_modes = (
        FaultMode(
            name="weak",
            label="battery low or worn out",
            parameter="charge",
            scale="to",
            severe=0.0,
            family="command",
            base_rate=0.7,
            look="Voltage at the terminals under load.",
            remedy="Charge or replace the battery.",
        ),
        FaultMode(
            name="bad_contact",
            label="corroded terminal or earth strap",
            parameter="resistance_ohm",
            scale="factor",
            severe=2000.0,
            family="command",
            base_rate=1.0,
            look="Voltage drop along the cable under load; green or hot terminals.",
            remedy="Clean and tighten the terminals.",
            work="wiring",
        ),
        FaultMode(
            name="fuse_blown",
            label="fuse blown",
            parameter="blown",
            scale="switch",
            severe=1.0,
            family="command",
            base_rate=0.4,
            look="Look at the fuse.",
            remedy="Find what blew it, then fit one of the same rating.",
            work="wiring",
        ),
    )
    passive = False
    symbol = Symbol(
        2,
        1.4,
        {"frame": ("south", 1.0), "plus": ("north", 1.0)},
        ("M1 0 V0.5", "M0.4 0.5 H1.6", "M0.7 0.8 H1.3", "M1 0.8 V1.4"),
    )
    example = Example(
        "12.6 V behind 0.02 Ω at 12.5 V: 5 A, s = 1/3: 5/(1 + 1/81)^¼ = 4.9847 A, ×0.6",
        {"frame": 0.0, "plus": 12.5},
        {"frame": 2.99080, "plus": -2.99080},
    )
    law = _supply


_SUPPLY = PowerSupply.rows()


@law
def _earth(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            g = _EL * (1.0 / k[c, _EARTH.resistance_ohm, b] + k[c, _EARTH.bridged, b] * BRIDGE_S)
            couple(f, j, c, b, 0, 1, g * (x[c, 0, b] - x[c, 1, b]), g)


class EarthStrap(ComponentType):
    """The way back to the battery for all that stands on it: ``i = U/R``.

    A bad joint lifts the earth of the whole unit: its motor is slow and its coils are weak while
    every voltage against the battery's own minus looks right.
    """

    type_name = "earth_strap"
    label = "Earth strap"
    words = (
        "earth",
        "ground strap",
        "chassis ground",
        "ground",
    )
    roles = ("wired",)
    ports = (Port("inlet", "electrical"), Port("frame", "electrical", boundary=True))

    class Parameters(ParameterSet):
        resistance_ohm: float = quantity(
            0.001, "Ω", "strap, bolt and paint", low=1e-5, high=50, tolerance=0.1
        )

    commands = (BRIDGED,)
    trials = (
        Trial(
            name="jump_lead",
            label="jump lead to the battery's minus beside it",
            command="bridged",
            minutes=3.0,
            suspected=True,
        ),
    )
    fault_modes = (
        FaultMode(
            name="corroded",
            label="earth strap loose, corroded or bolted on paint",
            parameter="resistance_ohm",
            scale="factor",
            severe=3000.0,
            family="command",
            base_rate=0.9,
            look="Voltage between the unit's housing and the battery's minus under load.",
            remedy="Clean to bright metal, tighten, protect.",
            work="wiring",
        ),
    )
    symbol = Symbol(
        1,
        1.8,
        {"inlet": ("north", 0.5), "frame": ("south", 0.5)},
        (
            "M0.5 0 V0.35",
            "M0.35 0.35 H0.65 V1.1 H0.35 Z",
            "M0.5 1.1 V1.4",
            "M0.15 1.4 H0.85",
            "M0.3 1.58 H0.7",
            "M0.42 1.76 H0.58",
        ),
    )
    example = Example(
        "0.13 V over 0.001 Ω = 130 A, ×0.6",
        {"inlet": 0.13, "frame": 0.0},
        {"inlet": 78.0, "frame": -78.0},
    )
    law = _earth


_EARTH = EarthStrap.rows()


@law
def _switch(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            made, _ = smooth_step(
                k[c, _SWITCH.closed, b] * k[c, _SWITCH.reach, b] + k[c, _SWITCH.stuck, b],
                0.35,
                0.65,
            )
            bridge = k[c, _SWITCH.bridged, b] * BRIDGE_S
            g = _EL * (made / k[c, _SWITCH.contact_ohm, b] + bridge + _OPEN_S)
            couple(f, j, c, b, 0, 1, g * (x[c, 0, b] - x[c, 1, b]), g)


class Switch(ComponentType):
    """Switch or push button: ``i = made·U/R``, made = S(reach·closed + stuck), 0.35 … 0.65."""

    type_name = "switch"
    label = "Switch"
    words = (
        "toggle",
        "push button",
        "pendant",
        "rocker switch",
        "emergency stop",
        "key switch",
    )
    roles: ClassVar[tuple[str, ...]] = (
        "contact",
        "wired",
    )
    ports: ClassVar[tuple[Port, ...]] = (
        Port("inlet", "electrical"),
        Port("outlet", "electrical"),
    )

    class Parameters(ParameterSet):
        contact_ohm: float = quantity(0.05, "Ω", "closed contact and wire", low=1e-4, high=1000)
        reach: float = quantity(1, "1", "how far its actuator moves it", low=0, high=1)
        stuck: float = quantity(0, "1", "made while it should be open", low=0, high=1)

    commands: ClassVar[tuple[Command, ...]] = (Command("closed", 0, 1, by="button"), BRIDGED)
    trials: ClassVar[tuple[Trial, ...]] = (BRIDGE,)
    fault_modes = (
        FaultMode(
            name="never_makes",
            label="switch never makes: bent, out of place or wire off",
            parameter="reach",
            scale="switch",
            severe=0.0,
            family="command",
            base_rate=1.0,
            look="Voltage behind the switch while it is held.",
            remedy="Set its position, mend the wire or replace the switch.",
            work="set",
        ),
        FaultMode(
            name="burnt",
            label="contacts burnt",
            parameter="contact_ohm",
            scale="factor",
            severe=1500.0,
            family="command",
            base_rate=0.7,
            look="Voltage drop across the closed switch under load.",
            remedy="Replace the switch.",
        ),
        FaultMode(
            name="loose",
            label="its wire or contact comes and goes",
            parameter="reach",
            scale="switch",
            severe=0.0,
            family="command",
            base_rate=0.4,
            look="Voltage behind it while its cable is moved; chafed wire, loose plug.",
            remedy="Renew plug or wire and secure it.",
            work="wiring",
            comes_and_goes=True,
        ),
        FaultMode(
            name="stuck_made",
            label="switch stays made",
            parameter="stuck",
            scale="to",
            severe=1.0,
            family="command",
            base_rate=0.15,
            look="Voltage behind the switch when it is let go.",
            remedy="Replace the switch.",
        ),
    )
    symbol = Symbol(
        1,
        1.8,
        {"inlet": ("south", 0.5), "outlet": ("north", 0.5)},
        ("M0.5 1.8 V1.3", "M0.5 0.5 V0", "M0.5 1.3 L0.9 0.55", "M0.35 0.5 H0.65"),
    )
    example = Example(
        "open: 1 nS·12 V·0.6",
        {"inlet": 12.0, "outlet": 0.0},
        {"inlet": 7.2e-9, "outlet": -7.2e-9},
    )
    law = _switch


_SWITCH = Switch.rows()


class InterlockSwitch(Switch):
    """Seat, door or gear switch: made as long as nobody says it is not."""

    type_name = "interlock_switch"
    label = "Interlock switch"
    words = (
        "seat switch",
        "door switch",
        "lock-out",
        "safety bar",
        "implement lock-out",
        "dead man",
    )
    commands = (Command("closed", 0, 1, 1.0), BRIDGED)
    trials = (
        replace(
            BRIDGE,
            caution="It is there to protect people: bridged for this one try, nobody near what "
            "moves, somebody at the stop. " + BRIDGE_OFF,
        ),
    )
    example = Example(
        "made: 0.1 V over 0.05 Ω = 2 A, ×0.6",
        {"inlet": 12.0, "outlet": 11.9},
        {"inlet": 1.2, "outlet": -1.2},
    )


@law
def _relay(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            volts = x[c, 0, b] - x[c, 1, b]
            g = _EL / k[c, _RELAY.coil_ohm, b]
            couple(f, j, c, b, 0, 1, g * volts, g)
            pull, dpull = smooth_step(volts / k[c, _RELAY.nominal_v, b], 0.45, 0.65)
            sign = 1.0 - 2.0 * k[c, _RELAY.normally_closed, b]
            made = k[c, _RELAY.normally_closed, b] + sign * pull
            welded, _ = smooth_step(k[c, _RELAY.welded, b], 0.35, 0.65)
            contact = (
                _EL * (made * (1.0 - welded) + welded) / k[c, _RELAY.contact_ohm, b]
                + _EL * k[c, _RELAY.bridged, b] * BRIDGE_S
                + _EL * _OPEN_S
            )
            across = x[c, 2, b] - x[c, 3, b]
            couple(f, j, c, b, 2, 3, contact * across, contact)
            slope = (
                _EL
                * sign
                * dpull
                / k[c, _RELAY.nominal_v, b]
                * (1.0 - welded)
                / k[c, _RELAY.contact_ohm, b]
                * across
            )
            for side in range(2):
                by = slope if side == 0 else -slope
                j[c, 2, side, b] += by
                j[c, 3, side, b] -= by


class Relay(ComponentType):
    """Relay: the coil's voltage makes the contact (or opens it, if normally closed).

    The contact follows a cubic between 45 and 65 % of the nominal voltage.
    """

    type_name = "relay"
    label = "Relay"
    words = (
        "relay",
        "contactor",
        "solenoid relay",
        "starter relay",
    )
    roles = (
        "contact",
        "wired",
    )
    ports = (
        Port("plus", "electrical"),
        Port("minus", "electrical"),
        Port("inlet", "electrical"),
        Port("outlet", "electrical"),
    )

    class Parameters(ParameterSet):
        coil_ohm: float = quantity(90, "Ω", "coil", low=1, high=1e6, of_supply=2)
        nominal_v: float = quantity(12, "V", "nominal voltage", low=3, high=60, of_supply=1)
        contact_ohm: float = quantity(0.005, "Ω", "closed contact", low=1e-5, high=1000)
        welded: float = quantity(0, "1", "contact welded shut", low=0, high=1)
        normally_closed: float = quantity(0, "1", "1: the coil opens the contact", low=0, high=1)

    commands = (BRIDGED,)
    trials = (
        replace(
            BRIDGE,
            label="its contacts bridged with a fused lead",
            caution="What it feeds runs at once: nobody near what moves. " + BRIDGE_OFF,
        ),
    )
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
            goes_with="relay",
            goes_surely=0.75,
        ),
        FaultMode(
            name="contact_burnt",
            label="relay contact burnt",
            parameter="contact_ohm",
            scale="factor",
            severe=3000.0,
            family="command",
            base_rate=0.9,
            look="Voltage drop across the made contact.",
            remedy="Replace the relay.",
            goes_with="relay",
        ),
        FaultMode(
            name="contact_welded",
            label="relay contact welded",
            parameter="welded",
            scale="to",
            severe=1.0,
            family="command",
            base_rate=0.2,
            look="Voltage behind the relay with the coil off.",
            remedy="Replace the relay.",
            goes_with="relay",
        ),
    )
    symbol = Symbol(
        2.6,
        1.8,
        {
            "plus": ("south", 0.6),
            "minus": ("north", 0.6),
            "inlet": ("south", 1.9),
            "outlet": ("north", 1.9),
        },
        (
            "M0.2 0.5 H1 V1.3 H0.2 Z",
            "M0.6 0 V0.5",
            "M0.6 1.3 V1.8",
            "M1.9 1.8 V1.3 L2.3 0.6",
            "M1.9 0 V0.5",
        ),
        ("M1 0.9 H2.1",),
    )
    example = Example(
        "coil 12/90 A ×0.6 = 0.08; contact made: 0.01 V over 0.005 Ω = 2 A, ×0.6",
        {"plus": 12.0, "minus": 0.0, "inlet": 12.0, "outlet": 11.99},
        {"plus": 0.08, "minus": -0.08, "inlet": 1.2, "outlet": -1.2},
    )
    law = _relay


_RELAY = Relay.rows()


@law
def _driver(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            duty = min(max(k[c, _DRIVER.demand, b] * k[c, _DRIVER.gain, b], 0.0), 1.0)
            g = _EL / k[c, _DRIVER.resistance_ohm, b]
            i = g * (duty * (x[c, 0, b] - x[c, 1, b]) - (x[c, 2, b] - x[c, 1, b]))
            weights = (duty, 1.0 - duty, -1.0)
            for row in range(3):
                f[c, row, b] = weights[row] * i
                j[c, row, 0, b] = weights[row] * g * duty
                j[c, row, 1, b] = weights[row] * g * (1.0 - duty)
                j[c, row, 2, b] = -weights[row] * g


class ProportionalDriver(ComponentType):
    """Driver of a proportional solenoid: gives out ``demand·U`` behind a small resistance.

    Power in is power out but for that resistance: ``i_in = duty·i_out``.
    """

    type_name = "proportional_driver"
    label = "Proportional driver"
    words = (
        "amplifier",
        "driver card",
        "PWM driver",
        "ECU output",
        "joystick card",
        "controller",
    )
    roles = (
        "adjustable",
        "wired",
    )
    ports = (Port("plus", "electrical"), Port("minus", "electrical"), Port("outlet", "electrical"))

    class Parameters(ParameterSet):
        resistance_ohm: float = quantity(0.3, "Ω", "output resistance", low=0.01, high=100)
        gain: float = quantity(
            1, "1", "share of the supply given out per demand", low=0, high=1.5, tolerance=0.02
        )

    commands = (Command("demand", 0, 1, by="button"),)
    fault_modes = (
        FaultMode(
            name="no_output",
            label="driver gives no output, or its joystick no demand",
            parameter="gain",
            scale="to",
            severe=0.0,
            family="command",
            base_rate=0.5,
            look="Voltage at the solenoid while it is demanded.",
            remedy="Follow the demand from the joystick; replace the driver.",
        ),
        FaultMode(
            name="set_low",
            label="driver's largest current set too low",
            parameter="gain",
            scale="to",
            severe=0.3,
            family="command",
            base_rate=0.3,
            look="Current at full demand beside the value on the sheet.",
            remedy="Set it to the specification.",
            work="set",
        ),
        FaultMode(
            name="set_high",
            label="current set too high",
            parameter="gain",
            scale="to",
            severe=1.6,
            family="command",
            base_rate=0.15,
            look="Current at full demand against the specification.",
            remedy="Set it with a meter in the line.",
            work="set",
        ),
    )
    adjustable = ("gain",)
    symbol = Symbol(
        2,
        1.6,
        {"plus": ("south", 0.5), "minus": ("south", 1.5), "outlet": ("north", 1.0)},
        ("M0.2 0.3 H1.8 V1.3 H0.2 Z", "M0.4 1.1 L1.6 0.5", "M1 0 V0.3", "M0.5 1.3 V1.6"),
    )
    example = Example(
        "no demand: −6 V over 0.3 Ω = 20 A back to minus, ×0.6",
        {"plus": 12.0, "minus": 0.0, "outlet": 6.0},
        {"plus": 0.0, "minus": -12.0, "outlet": 12.0},
    )
    law = _driver


_DRIVER = ProportionalDriver.rows()


@law
def _dc_motor(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            n = x[c, 2, b]
            volts_per_rpm = k[c, _DC_MOTOR.torque_nm_per_a, b] * _ROT / _EL
            g = 1.0 / k[c, _DC_MOTOR.winding_ohm, b]
            amps = (x[c, 0, b] - x[c, 1, b] - volts_per_rpm * n) * g
            drag = k[c, _DC_MOTOR.drag_nm_at_1000, b] * n / 1000.0
            f[c, 0, b] = _EL * amps
            f[c, 1, b] = -_EL * amps
            f[c, 2, b] = _ROT * (drag - k[c, _DC_MOTOR.torque_nm_per_a, b] * amps)
            j[c, 0, 0, b] = _EL * g
            j[c, 0, 1, b] = -_EL * g
            j[c, 0, 2, b] = -_EL * g * volts_per_rpm
            j[c, 1, 0, b] = -_EL * g
            j[c, 1, 1, b] = _EL * g
            j[c, 1, 2, b] = _EL * g * volts_per_rpm
            j[c, 2, 0, b] = -_ROT * k[c, _DC_MOTOR.torque_nm_per_a, b] * g
            j[c, 2, 1, b] = _ROT * k[c, _DC_MOTOR.torque_nm_per_a, b] * g
            j[c, 2, 2, b] = _ROT * (
                k[c, _DC_MOTOR.drag_nm_at_1000, b] / 1000.0
                + k[c, _DC_MOTOR.torque_nm_per_a, b] * volts_per_rpm * g
            )


class DcMotor(ComponentType):
    """Direct-current motor: ``U = R·i + k·ω``, ``T = k·i − drag``; k is the same in both.

    Source: the permanent-magnet machine's equations, any text on electrical drives.
    """

    type_name = "dc_motor"
    label = "Electric motor"
    words = (
        "electric motor",
        "pump motor",
        "starter motor",
        "tilt motor",
    )
    roles = ("wired",)
    draws_heavily = True
    ports = (Port("plus", "electrical"), Port("minus", "electrical"), Port("shaft", "rotation"))

    class Parameters(ParameterSet):
        winding_ohm: float = quantity(
            0.012, "Ω", "winding and brushes", low=1e-4, high=100, of_supply=2
        )
        torque_nm_per_a: float = quantity(
            0.035,
            "Nm/A",
            "torque per current",
            low=1e-4,
            high=20,
            tolerance=0.03,
            of_supply=1,
        )
        drag_nm_at_1000: float = quantity(
            0.15, "Nm", "bearing and brush drag at 1000 rpm", low=1e-4, high=50
        )

    fault_modes = (
        FaultMode(
            name="brushes_worn",
            label="brushes worn or commutator dirty",
            parameter="winding_ohm",
            scale="factor",
            severe=40.0,
            family="source",
            base_rate=0.7,
            look="Length of the brushes; burnt commutator.",
            remedy="Replace the brushes or the motor.",
        ),
    )
    symbol = Symbol(
        2.4,
        2.4,
        {"plus": ("south", 0.8), "minus": ("south", 1.6), "shaft": ("north", 1.2)},
        (
            "M1.2 0.2 A1 1 0 1 1 1.2 2.2 A1 1 0 1 1 1.2 0.2",
            "M0.8 1.5 V0.9 L1.2 1.3 L1.6 0.9 V1.5",
            "M1.2 0 V0.2",
        ),
    )
    example = Example(
        "0.035 Nm/A is 0.0036652 V/rpm: at 3000 rpm 10.9956 V; 1.2044 V over 0.012 Ω = 100.37 A; "
        "3.5130 Nm less 0.45",
        {"plus": 12.2, "minus": 0.0, "shaft": 3000.0},
        {"plus": 60.221, "minus": -60.221, "shaft": -0.0628319 * 3.06290},
    )
    law = _dc_motor


_DC_MOTOR = DcMotor.rows()
