"""Valves shifted by solenoids: spools, poppets, pilot stages, proportional spools."""

from collections.abc import Mapping
from typing import ClassVar

from umweg.core.components.base import (
    ELECTRIC,
    Command,
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Port,
    Trial,
    quantity,
)
from umweg.core.components.crossing import PLUGS_CROSSED, crossed, turn
from umweg.core.components.directional_valves import (
    NEUTRAL,
    SPOOL_SHIFTED,
    SPOOL_WORN,
    SpoolParameters,
    land,
    spool,
)
from umweg.core.components.kernels import couple, law, limited, scalar, smooth_step, turbulent
from umweg.core.components.symbols import coil, four_way, valve
from umweg.core.fluid import REFERENCE_VISCOSITY_MM2_S as NU_REF

_EL = ELECTRIC
HOT_FROM_C = 65.0
"""Oil, and what it flows through, is hot from here on."""
BY_HAND = (
    "Whatever this valve moves goes at once, and no interlock stops it: nobody near, and the way of "
    "the move clear."
)
PRESSED = Command("override", 0, 1, by="trial")
PRESS = Trial(name="override", label="hand override pressed", command="override", caution=BY_HAND)


@law
def _solenoid_spool(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            coils = (
                k[c, _SOLENOID_SPOOL.coil_a_ohm, b],
                k[c, _SOLENOID_SPOOL.coil_b_ohm, b],
                k[c, _SOLENOID_SPOOL.nominal_ohm, b],
                k[c, _SOLENOID_SPOOL.rated_v, b],
                k[c, _SOLENOID_SPOOL.start_share, b],
                k[c, _SOLENOID_SPOOL.full_share, b],
            )
            gain = k[c, _SOLENOID_SPOOL.reach, b] * turn(k[c, _SOLENOID_SPOOL.crossed, b])
            offset = k[c, _SOLENOID_SPOOL.offset, b] + k[c, _SOLENOID_SPOOL.override, b]
            travel, movers = between_coils(x, f, j, c, b, coils, gain, offset, 0.0)
            leak = k[c, _SOLENOID_SPOOL.leak_lpm_per_bar, b] * NU_REF / env[0, b]
            sizes = (
                k[c, _SOLENOID_SPOOL.work_k, b],
                k[c, _SOLENOID_SPOOL.return_k, b],
                k[c, _SOLENOID_SPOOL.centre_k, b],
                k[c, _SOLENOID_SPOOL.float_k, b],
            )
            spool(x, f, j, c, b, travel, movers, sizes[0], sizes[1], sizes[2], sizes[3], leak)


@scalar
def coil_pull(x, f, j, c, b, plus, minus, ohm, nominal_ohm, rated_v, start, full):
    """A solenoid between two ports: its current, and how far it pulls (0 … 1) with the slope.

    Travel is a cubic step, from ``start`` to ``full``, of the ampere-turns over the rated ones:
    ``U/U_rated``, less where the coil is open. Shorted turns carry more but count for nothing, so
    a shorted coil pulls with the voltage that is left.
    """
    volts = x[c, plus, b] - x[c, minus, b]
    couple(f, j, c, b, plus, minus, _EL * volts / ohm, _EL / ohm)
    scale = min(1.0, nominal_ohm / ohm) / rated_v
    pull, slope = smooth_step(volts * scale, start, full)
    return pull, slope * scale


@scalar
def between_coils(x, f, j, c, b, coils, gain, offset, held):
    """Travel of a spool between coil a (port 4) and coil b (port 5), with what moves it.

    ``held`` is where a detent keeps it while neither pulls, 0 for springs.
    """
    ohm_a, ohm_b, nominal, rated, start, full = coils
    one, up = coil_pull(x, f, j, c, b, 4, 6, ohm_a, nominal, rated, start, full)
    two, down = coil_pull(x, f, j, c, b, 5, 6, ohm_b, nominal, rated, start, full)
    travel, free = limited(gain * (one - two) + held * (1.0 - one) * (1.0 - two) + offset)
    by_a = up * (gain - held * (1.0 - two)) * free
    by_b = down * (gain + held * (1.0 - one)) * free
    return travel, ((4, by_a), (5, -by_b), (6, by_b - by_a))


class CoilParameters(ParameterSet):
    """One solenoid."""

    coil_ohm: float = quantity(7, "Ω", "coil", low=0.1, high=1e6, of_supply=2)
    nominal_ohm: float = quantity(7, "Ω", "coil in order", low=0.1, high=1e6, of_supply=2)
    rated_v: float = quantity(12, "V", "nominal voltage", low=3, high=60, of_supply=1)
    start_share: float = quantity(0.45, "1", "voltage share where it starts", low=0, high=2)
    full_share: float = quantity(0.7, "1", "voltage share for full travel", low=0.05, high=3)


def coil_faults(parameter: str, name: str, side: str) -> tuple[FaultMode, ...]:
    """How a coil fails: open, shorted, or damp and weak."""
    return (
        FaultMode(
            name=f"{name}_open",
            label=f"coil{side} open or its plug off",
            parameter=parameter,
            scale="factor",
            severe=300.0,
            family="command",
            base_rate=1.2,
            look="Plug and pins; resistance of the coil; a steel blade held at the coil.",
            remedy="Mend the plug or replace the coil.",
            work="wiring",
            goes_with=name,
            goes_surely=0.75,
        ),
        FaultMode(
            name=f"{name}_shorted",
            label=f"coil{side} shorted",
            parameter=parameter,
            scale="factor",
            severe=1 / 60,
            family="command",
            base_rate=0.3,
            look="Hot or blistered coil; resistance far too low; blown fuse.",
            remedy="Replace the coil and the fuse.",
            work="wiring",
            goes_with=name,
        ),
        FaultMode(
            name=f"{name}_drops_hot",
            label=f"coil{side} lets go once it is hot",
            parameter=parameter,
            scale="factor",
            severe=6.0,
            family="command",
            base_rate=0.25,
            look="Resistance of the coil cold, and again when the function has failed hot.",
            remedy="Replace the coil.",
            work="wiring",
            from_oil_c=HOT_FROM_C,
            goes_with=name,
        ),
        FaultMode(
            name=f"{name}_loose",
            label=f"plug of coil{side} loose: comes and goes",
            parameter=parameter,
            scale="switch",
            severe=3000.0,
            family="command",
            base_rate=0.5,
            look="Move plug and cable while it works; green or bent pins, chafed wire.",
            remedy="Renew pins and seal, secure the cable.",
            work="wiring",
            comes_and_goes=True,
        ),
    )


class SolenoidDirectionalValve(ComponentType):
    """Three-position four-way spool shifted by one solenoid at each end.

    Travel = S(U_a/U_rated) − S(U_b/U_rated), S a cubic step between start and full share; lands
    as in the lever valve. A proportional valve has a wide step.
    """

    type_name = "solenoid_directional_valve"
    label = "Solenoid directional valve"
    words: ClassVar[tuple[str, ...]] = (
        "solenoid valve",
        "electric valve",
        "CETOP valve",
        "NG6",
        "magnet valve",
        "on-off valve",
    )
    roles = (
        "spool",
        "shifted by a coil",
        "two coils",
    )
    ports = (
        Port("P"),
        Port("T"),
        Port("A"),
        Port("B"),
        Port("coil_a", "electrical"),
        Port("coil_b", "electrical"),
        Port("minus", "electrical"),
    )

    class Parameters(SpoolParameters):
        coil_a_ohm: float = quantity(7, "Ω", "coil a", low=0.1, high=1e6, of_supply=2)
        coil_b_ohm: float = quantity(7, "Ω", "coil b", low=0.1, high=1e6, of_supply=2)
        nominal_ohm: float = quantity(7, "Ω", "coil in order", low=0.1, high=1e6, of_supply=2)
        rated_v: float = quantity(12, "V", "nominal voltage", low=3, high=60, of_supply=1)
        start_share: float = quantity(0.45, "1", "voltage share where it starts", low=0, high=2)
        full_share: float = quantity(0.7, "1", "voltage share for full travel", low=0.05, high=3)
        reach: float = quantity(1, "1", "how far the spool follows", low=0, high=1)
        offset: float = quantity(0, "1", "spool position with both coils off", low=-1, high=1)
        crossed: float = crossed("the plugs of its coils are swapped")

    commands: ClassVar[tuple[Command, ...]] = (Command("override", -1, 1, by="trial"),)
    trials: ClassVar[tuple[Trial, ...]] = (
        Trial(
            name="override_a",
            label="hand override at end a pressed",
            command="override",
            caution=BY_HAND,
        ),
        Trial(
            name="override_b",
            label="hand override at end b pressed",
            command="override",
            value=-1.0,
            caution=BY_HAND,
        ),
    )
    fault_modes = (
        *coil_faults("coil_a_ohm", "coil_a", " a"),
        *coil_faults("coil_b_ohm", "coil_b", " b"),
        SPOOL_WORN,
        FaultMode(
            name="spool_sticks",
            label="spool sticks: does not follow its coils",
            parameter="reach",
            scale="to",
            severe=0.0,
            family="command",
            base_rate=0.6,
            remarks=(
                "jerky",
                "starts_late",
            ),
            look="Push the emergency pin: it does not move, or it then works.",
            remedy="Clean or replace the valve.",
            work="clean",
        ),
        SPOOL_SHIFTED,
        PLUGS_CROSSED,
    )
    symbol = four_way(
        {"coil_a": ("west", 0.8), "coil_b": ("east", 0.8), "minus": ("west", 1.8)},
        (coil(0.1), coil(6.6)),
    )
    example = Example(
        "coil a 12 V/7 Ω ×0.6; both ends at 12 V and earth: P to A 18·√40",
        {**NEUTRAL, "coil_a": 12.0, "coil_b": 0.0, "minus": 0.0},
        {
            "P": 113.847,
            "T": -0.012,
            "A": -113.832,
            "B": -0.0036,
            "coil_a": 1.02857,
            "coil_b": 0.0,
            "minus": -1.02857,
        },
    )
    law = _solenoid_spool


_SOLENOID_SPOOL = SolenoidDirectionalValve.rows()


class ProportionalDirectionalValve(SolenoidDirectionalValve):
    """Proportional spool valve: travel follows the coil over a wide range.

    Equations as the solenoid directional valve; from start to full share the spool meters.
    """

    type_name = "proportional_directional_valve"
    label = "Proportional directional valve"
    words = (
        "proportional valve",
        "prop valve",
        "PWM valve",
        "EHC valve",
    )

    class Parameters(SolenoidDirectionalValve.Parameters):
        start_share: float = quantity(0.2, "1", "voltage share where it starts", low=0, high=2)
        full_share: float = quantity(0.95, "1", "voltage share for full travel", low=0.05, high=3)


@law
def _solenoid_poppet(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            pull, slope = coil_pull(
                x,
                f,
                j,
                c,
                b,
                2,
                3,
                k[c, _SOLENOID_POPPET.coil_ohm, b],
                k[c, _SOLENOID_POPPET.nominal_ohm, b],
                k[c, _SOLENOID_POPPET.rated_v, b],
                k[c, _SOLENOID_POPPET.start_share, b],
                k[c, _SOLENOID_POPPET.full_share, b],
            )
            sign = 1.0 - 2.0 * k[c, _SOLENOID_POPPET.normally_open, b]
            moved = k[c, _SOLENOID_POPPET.reach, b] * pull
            opening = k[c, _SOLENOID_POPPET.normally_open, b] + sign * moved
            pressed = k[c, _SOLENOID_POPPET.override, b]
            held = k[c, _SOLENOID_POPPET.held_open, b]
            free = (1.0 - held) * (1.0 - pressed)
            # The pin pushes it to where its coil pulls it: open, or shut where it is open at rest.
            pulled = 1.0 - k[c, _SOLENOID_POPPET.normally_open, b]
            opening = opening * free + held * (1.0 - pressed) + pulled * pressed
            rise = sign * k[c, _SOLENOID_POPPET.reach, b] * slope * free
            movers = ((2, rise), (3, -rise))
            land(x, f, j, c, b, 0, 1, k[c, _SOLENOID_POPPET.k, b], opening, 1.0, movers)
            q, dq = turbulent(x[c, 0, b] - x[c, 1, b], k[c, _SOLENOID_POPPET.seat_k, b], 0.5)
            couple(f, j, c, b, 0, 1, q, dq)


POPPET_STICKS = FaultMode(
    name="sticks",
    label="does not shift when its coil pulls",
    parameter="reach",
    scale="to",
    severe=0.0,
    family="command",
    base_rate=0.6,
    look="Coil magnetic, no change in the oil; push its emergency pin.",
    remedy="Clean or replace the cartridge.",
    work="clean",
)


class SolenoidPoppetValve(ComponentType):
    """Two-way poppet valve by solenoid, normally closed or normally open: ``q = K·opening·√Δp``."""

    type_name = "solenoid_poppet_valve"
    label = "Solenoid poppet valve"
    words = (
        "cartridge solenoid",
        "poppet",
        "dump solenoid",
        "lock-out solenoid",
        "lowering valve",
        "NC cartridge",
        "two-way cartridge",
    )
    roles = (
        "shifted by a coil",
        "seat",
    )
    ports = (
        Port("inlet"),
        Port("outlet"),
        Port("plus", "electrical"),
        Port("minus", "electrical"),
    )

    class Parameters(CoilParameters):
        k: float = quantity(10, "L/min/√bar", "open, flow at 1 bar", low=0.01, high=500)
        seat_k: float = quantity(1e-5, "L/min/√bar", "seat leakage at 1 bar", low=1e-8, high=50)
        normally_open: float = quantity(0, "1", "1: open when it is not energised", low=0, high=1)
        reach: float = quantity(1, "1", "how far it follows its coil", low=0, high=1)
        held_open: float = quantity(0, "1", "held open by dirt or its pin", low=0, high=1)

    commands = (PRESSED,)
    trials = (PRESS,)
    fault_modes = (
        *coil_faults("coil_ohm", "coil", ""),
        POPPET_STICKS,
        FaultMode(
            name="seat_leaks",
            label="does not seat",
            parameter="seat_k",
            scale="decades",
            severe=1.5,
            family="detour",
            base_rate=0.8,
            look="Dirt or a groove on poppet and seat.",
            remedy="Clean or replace the cartridge.",
            work="clean",
        ),
        FaultMode(
            name="held_open",
            label="stays shifted: dirt under it, or its override left in",
            parameter="held_open",
            scale="switch",
            severe=1.0,
            family="detour",
            base_rate=0.25,
            look="Override knob; the poppet in hand.",
            remedy="Let the override out; clean the poppet.",
            work="clean",
        ),
    )
    symbol = valve(
        2,
        {
            "inlet": ("south", 3.6),
            "outlet": ("north", 3.6),
            "plus": ("west", 0.8),
            "minus": ("west", 1.8),
        },
        (coil(0.1), "M1.6 2.2 V0.2", "M3.6 2.4 V1.6 M3.6 0 V0.8", "M3.3 0.8 L3.6 1.2 L3.9 0.8"),
        (),
        ("M1.6 0.22 L1.5 0.55 L1.7 0.55 Z",),
    )
    example = Example(
        "not energised: the seat, 1e-5·√100",
        {"inlet": 100.0, "outlet": 0.0, "plus": 0.0, "minus": 0.0},
        {"inlet": 1e-4, "outlet": -1e-4, "plus": 0.0, "minus": 0.0},
    )
    law = _solenoid_poppet


_SOLENOID_POPPET = SolenoidPoppetValve.rows()


@law
def _solenoid_three_way(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            pull, slope = coil_pull(
                x,
                f,
                j,
                c,
                b,
                3,
                4,
                k[c, _SOLENOID_THREE_WAY.coil_ohm, b],
                k[c, _SOLENOID_THREE_WAY.nominal_ohm, b],
                k[c, _SOLENOID_THREE_WAY.rated_v, b],
                k[c, _SOLENOID_THREE_WAY.start_share, b],
                k[c, _SOLENOID_THREE_WAY.full_share, b],
            )
            position = k[c, _SOLENOID_THREE_WAY.reach, b] * pull
            free = (1.0 - k[c, _SOLENOID_THREE_WAY.held, b]) * (
                1.0 - k[c, _SOLENOID_THREE_WAY.override, b]
            )
            position = 1.0 - (1.0 - position) * free
            rise = k[c, _SOLENOID_THREE_WAY.reach, b] * slope * free
            movers = ((3, rise), (4, -rise))
            land(x, f, j, c, b, 0, 1, k[c, _SOLENOID_THREE_WAY.k, b], position, 1.0, movers)
            land(
                x,
                f,
                j,
                c,
                b,
                1,
                2,
                k[c, _SOLENOID_THREE_WAY.return_k, b],
                1.0 - position,
                -1.0,
                movers,
            )
            leak = k[c, _SOLENOID_THREE_WAY.leak_lpm_per_bar, b]
            couple(f, j, c, b, 0, 1, leak * (x[c, 0, b] - x[c, 1, b]), leak)


class SolenoidThreeWayValve(ComponentType):
    """Three-way valve by solenoid: energised P feeds A, at rest A is open to T."""

    type_name = "solenoid_three_way_valve"
    label = "Solenoid three-way valve"
    words = (
        "3/2 valve",
        "three-way solenoid",
        "brake solenoid",
        "pilot solenoid",
    )
    roles = (
        "shifted by a coil",
        "spool",
    )
    cannot: ClassVar[Mapping[str, str]] = {
        "leaks": "a seat that lets by stands a little shifted: stuck_shifted at a low severity"
    }
    ports = (
        Port("P"),
        Port("A"),
        Port("T"),
        Port("plus", "electrical"),
        Port("minus", "electrical"),
    )

    class Parameters(CoilParameters):
        k: float = quantity(3, "L/min/√bar", "P to A, flow at 1 bar", low=0.01, high=500)
        return_k: float = quantity(3, "L/min/√bar", "A to T, flow at 1 bar", low=0.01, high=500)
        leak_lpm_per_bar: float = quantity(1e-4, "L/min/bar", "P to A at rest", low=1e-8, high=5)
        reach: float = quantity(1, "1", "how far it follows its coil", low=0, high=1)
        held: float = quantity(0, "1", "held shifted by dirt or its pin", low=0, high=1)

    commands = (PRESSED,)
    trials = (PRESS,)
    fault_modes = (
        *coil_faults("coil_ohm", "coil", ""),
        POPPET_STICKS,
        FaultMode(
            name="stuck_shifted",
            label="stays shifted when its coil is off",
            parameter="held",
            scale="to",
            severe=1.0,
            family="command",
            base_rate=0.3,
            look="Emergency pin left turned in; spool does not return.",
            remedy="Turn the pin out; clean or replace the valve.",
        ),
    )
    symbol = valve(
        2,
        {
            "P": ("south", 3.3),
            "T": ("south", 3.9),
            "A": ("north", 3.3),
            "plus": ("west", 0.8),
            "minus": ("west", 1.8),
        },
        (coil(0.1), "M1.3 2.2 V0.2", "M3.3 2.4 V1.7", "M3.3 0 V0.2 L3.9 2.2 V2.4"),
        (),
        ("M1.3 0.22 L1.2 0.55 L1.4 0.55 Z",),
    )
    example = Example(
        "at rest A goes to tank: 3·√16",
        {"P": 30.0, "A": 16.0, "T": 0.0, "plus": 0.0, "minus": 0.0},
        {"P": 0.0014, "A": 11.9956, "T": -11.997, "plus": 0.0, "minus": 0.0},
    )
    law = _solenoid_three_way


_SOLENOID_THREE_WAY = SolenoidThreeWayValve.rows()
