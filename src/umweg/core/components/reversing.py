"""What reverses a closed loop by signals: the pump, the valve that stays, the switch at the rod."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from umweg.core.components.base import (
    ELECTRIC,
    Command,
    ComponentType,
    Example,
    FaultMode,
    Port,
    Symbol,
    quantity,
)
from umweg.core.components.crossing import PILOTS_CROSSED, PLUGS_CROSSED, crossed, turn
from umweg.core.components.directional_valves import NEUTRAL, spool
from umweg.core.components.electrical import BRIDGE_S, BRIDGED, Switch
from umweg.core.components.kernels import couple, law, limited, slip, smooth_step
from umweg.core.components.solenoid_valves import SolenoidDirectionalValve, between_coils
from umweg.core.components.storage import Level, Place, chambers
from umweg.core.components.storage import Switch as StoredSwitch
from umweg.core.components.symbols import CIRCLE, OUTWARD, OUTWARD_DOWN, VARIABLE, coil, four_way
from umweg.core.components.variable_pumps import ServoPump, SwashParameters, over_centre
from umweg.core.fluid import REFERENCE_VISCOSITY_MM2_S as NU_REF

_EL = ELECTRIC
_OPEN_S = 1e-9
_CAM = 0.02
"""Half of the way over which a rod turns its switch, as a share of the stroke."""


@law
def _reversing_pump(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            full = k[c, _REVERSING_PUMP.displacement_cm3, b] * 1e-3
            begin, end = k[c, _REVERSING_PUMP.begin_bar, b], k[c, _REVERSING_PUMP.full_bar, b]
            one, up = smooth_step(x[c, 2, b] - x[c, 4, b], begin, end)
            two, down = smooth_step(x[c, 3, b] - x[c, 4, b], begin, end)
            gain = k[c, _REVERSING_PUMP.reach, b] * turn(k[c, _REVERSING_PUMP.crossed, b])
            stroke, free = limited(gain * (one - two) + k[c, _REVERSING_PUMP.offset, b])
            up *= gain * free
            down *= gain * free
            over_centre(x, f, j, c, b, 5, full, stroke, ((2, up), (3, -down), (4, down - up)))
            lost = k[c, _REVERSING_PUMP.control_lpm_per_bar, b]
            couple(f, j, c, b, 2, 4, lost * (x[c, 2, b] - x[c, 4, b]), lost)
            couple(f, j, c, b, 3, 4, lost * (x[c, 3, b] - x[c, 4, b]), lost)
            for side in range(2):
                passed, leak = slip(
                    x[c, side, b] - x[c, 4, b],
                    k[c, _REVERSING_PUMP.leakage_lpm_per_bar, b],
                    env[0, b],
                )
                couple(f, j, c, b, side, 4, passed, leak)


class ReversingPump(ComponentType):
    """Closed-loop piston pump over centre, set by oil at one of two control ports.

    Stroke = S(p_X − p_case) − S(p_Y − p_case), S a cubic step from ``begin_bar`` to ``full_bar``:
    pressure at X drives from A to B, at Y from B to A, at both or neither it stands in the middle.
    """

    type_name = "reversing_pump"
    label = "Reversing pump"
    words = (
        "over-centre pump",
        "swing pump",
        "tram pump",
    )
    roles = (
        "turns oil",
        "pilot fed",
        "spool",
        "two hoses alike",
    )
    ports = (
        Port("A"),
        Port("B"),
        Port("X", line="pilot"),
        Port("Y", line="pilot"),
        Port("case", line="drain"),
        Port("shaft", "rotation"),
    )
    storage = chambers("A", "B")

    class Parameters(SwashParameters):
        crossed: float = crossed("its two control hoses are swapped")

    fault_modes = (
        *(m for m in ServoPump.fault_modes if m.name != "linkage_off"),
        PILOTS_CROSSED,
    )
    passive = False
    makes_flow = True
    limits_itself = True
    symbol = Symbol(
        3.2,
        2.4,
        {
            "A": ("south", 1.2),
            "B": ("north", 1.2),
            "X": ("east", 0.4),
            "Y": ("east", 1.2),
            "case": ("east", 2.0),
            "shaft": ("west", 1.2),
        },
        (
            CIRCLE,
            "M0 1.12 H0.2",
            "M0 1.28 H0.2",
            VARIABLE,
            "M2.3 0.2 h0.6 v0.4 h-0.6 Z",
            "M2.3 1 h0.6 v0.4 h-0.6 Z",
        ),
        ("M3.2 0.4 H2.9", "M3.2 1.2 H2.9", "M3.2 2 H1.8"),
        (OUTWARD, OUTWARD_DOWN),
    )
    example = Example(
        "20 bar at X is full stroke: 90 cm³ at 2000 rpm; leaks as the servo pump's, 0.02·20 from X",
        {"A": 15.0, "B": 120.0, "X": 20.0, "Y": 0.0, "case": 0.0, "shaft": 2000.0},
        {
            "A": 180.2747,
            "B": -178.9721,
            "X": 0.4,
            "Y": 0.0,
            "case": -1.7026,
            "shaft": 9.45,
        },
    )
    law = _reversing_pump


_REVERSING_PUMP = ReversingPump.rows()


@law
def _detent_spool(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            coils = (
                k[c, _DETENT.coil_a_ohm, b],
                k[c, _DETENT.coil_b_ohm, b],
                k[c, _DETENT.nominal_ohm, b],
                k[c, _DETENT.rated_v, b],
                k[c, _DETENT.start_share, b],
                k[c, _DETENT.full_share, b],
            )
            gain = k[c, _DETENT.reach, b] * turn(k[c, _DETENT.crossed, b])
            held = k[c, _DETENT.detent, b] * k[c, _DETENT.keep, b]
            travel, movers = between_coils(
                x, f, j, c, b, coils, gain, k[c, _DETENT.offset, b], held
            )
            leak = k[c, _DETENT.leak_lpm_per_bar, b] * NU_REF / env[0, b]
            sizes = (
                k[c, _DETENT.work_k, b],
                k[c, _DETENT.return_k, b],
                k[c, _DETENT.centre_k, b],
                k[c, _DETENT.float_k, b],
            )
            spool(x, f, j, c, b, travel, movers, sizes[0], sizes[1], sizes[2], sizes[3], leak)


def _pulled(coil: str) -> Callable[[Mapping[str, Any]], Any]:
    """The voltage over both coils at which one has pulled the spool half way to its end [V].

    A spool that reaches less than half way is never caught by its detent.
    """

    def volts(k: Mapping[str, Any]) -> Any:
        half = 0.5 * (k["start_share"] + k["full_share"])
        weak = np.minimum(1.0, k["nominal_ohm"] / k[coil])
        caught = np.where(np.asarray(k["reach"]) >= 0.5, 1.0, np.inf)
        return _turned(k) * half * k["rated_v"] / weak * caught

    return volts


def _turned(k: Mapping[str, Any]) -> Any:
    """−1 where the plugs are swapped: each coil pulls to the other end."""
    return np.where(np.asarray(k["crossed"]) > 0.5, -1.0, 1.0)


class DetentSolenoidValve(SolenoidDirectionalValve):
    """Four-way spool that stays where its last solenoid put it.

    A pulse of coil a or b shifts it; with both off a detent keeps it at ``detent`` (−1 or 1): in a
    steady state where it was left, where time runs at the end to which a coil pulled it last. Lands as
    in the solenoid directional valve.
    """

    type_name = "detent_solenoid_valve"
    label = "Detented solenoid valve"
    words = (
        "latching solenoid",
        "impulse valve",
        "detented solenoid",
    )

    class Parameters(SolenoidDirectionalValve.Parameters):
        keep: float = quantity(1, "1", "how well its detent keeps it", low=0, high=1)

    commands = (Command("detent", -1, 1),)
    trials = ()
    """Pushed to an end by hand it stays there: that is its lever, not a trial of it."""
    storage = (
        StoredSwitch(
            "detent",
            on=Level("coil_a", _pulled("coil_a_ohm"), _turned, "coil_b"),
            off=Level("coil_b", _pulled("coil_b_ohm"), _turned, "coil_a"),
            values=(-1.0, 1.0),
        ),
    )
    fault_modes = (
        *(m for m in SolenoidDirectionalValve.fault_modes if m is not PLUGS_CROSSED),
        FaultMode(
            name="detent_worn",
            label="detent worn: falls back to its middle",
            parameter="keep",
            scale="switch",
            severe=0.0,
            family="command",
            base_rate=0.4,
            look="Push the pin to one end: it does not stay there.",
            remedy="Renew ball and spring of the detent, or the valve.",
            work="clean",
        ),
        PLUGS_CROSSED,
    )
    symbol = four_way(
        {"coil_a": ("west", 0.8), "coil_b": ("east", 0.8), "minus": ("west", 1.8)},
        (coil(0.1), coil(6.6), "M6.6 2.2 l0.1 -0.15 l0.1 0.15 l0.1 -0.15 l0.1 0.15"),
    )
    example = Example(
        "both coils off, left at A: P to A 18·√40, B to T at no pressure",
        {**NEUTRAL, "coil_a": 0.0, "coil_b": 0.0, "minus": 0.0},
        {
            "P": 113.847,
            "T": -0.012,
            "A": -113.832,
            "B": -0.0036,
            "coil_a": 0.0,
            "coil_b": 0.0,
            "minus": 0.0,
        },
        {"detent": 1.0},
    )
    law = _detent_spool


_DETENT = DetentSolenoidValve.rows()


@law
def _position_switch(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            at = k[c, _POSITION_SWITCH.makes_at, b]
            reached, _ = smooth_step(k[c, _POSITION_SWITCH.position, b] - at, -_CAM, _CAM)
            made, _ = smooth_step(
                reached * k[c, _POSITION_SWITCH.reach, b] + k[c, _POSITION_SWITCH.stuck, b],
                0.35,
                0.65,
            )
            bridge = k[c, _POSITION_SWITCH.bridged, b] * BRIDGE_S
            g = _EL * (made / k[c, _POSITION_SWITCH.contact_ohm, b] + bridge + _OPEN_S)
            couple(f, j, c, b, 0, 1, g * (x[c, 0, b] - x[c, 1, b]), g)


class PositionSwitch(Switch):
    """Switch that a rod makes at a place of its stroke: ``i = made·U/R``.

    Made from ``makes_at`` on, a share of the stroke, over ± 2 % of it. Where time runs the rod's
    own place decides, in a steady state the command ``position``.
    """

    type_name = "position_switch"
    label = "Position switch"
    words = (
        "limit switch",
        "proximity switch",
        "prox",
        "cycle switch",
        "cam switch",
        "end switch",
    )
    roles = (
        "contact",
        "wired",
        "shifted by a cam",
    )
    ports = (
        Port("inlet", "electrical"),
        Port("outlet", "electrical"),
        Port("cam", "translation"),
    )
    storage = (Place("cam", "position"),)

    class Parameters(Switch.Parameters):
        makes_at: float = quantity(0.97, "1", "share of the stroke", low=0, high=1)

    commands = (Command("position", 0, 1), BRIDGED)
    symbol = Symbol(
        1.6,
        1.8,
        {"inlet": ("south", 0.5), "outlet": ("north", 0.5), "cam": ("east", 0.9)},
        (
            "M0.5 1.8 V1.3",
            "M0.5 0.5 V0",
            "M0.5 1.3 L0.9 0.55",
            "M0.35 0.5 H0.65",
            "M0.75 0.9 H1.1",
            "M1.1 0.9 a0.2 0.2 0 1 0 0.4 0 a0.2 0.2 0 1 0 -0.4 0",
        ),
    )
    example = Example(
        "rod out: 0.1 V over 0.05 Ω = 2 A, ×0.6",
        {"inlet": 12.0, "outlet": 11.9, "cam": 0.0},
        {"inlet": 1.2, "outlet": -1.2, "cam": 0.0},
        {"position": 1.0},
    )
    law = _position_switch


_POSITION_SWITCH = PositionSwitch.rows()
