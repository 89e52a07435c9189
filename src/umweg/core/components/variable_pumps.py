"""Pumps that change their displacement: load sensing, closed-loop servo; and the hand pump."""

from typing import ClassVar

from umweg.core.components.base import (
    ROTATION,
    Command,
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Port,
    Symbol,
    quantity,
)
from umweg.core.components.kernels import (
    couple,
    law,
    limited,
    scalar,
    slip,
    smooth_step,
    steer,
    turbulent,
)
from umweg.core.components.sources import DRAWS_AIR, SHEARED, filling
from umweg.core.components.storage import chambers
from umweg.core.components.symbols import CIRCLE, OUTWARD, OUTWARD_DOWN, VARIABLE

_ROT = ROTATION
_HALF_FILL_BAR = -0.6
"""Inlet pressure at which half of a chamber fills."""


@law
def _load_sensing_pump(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            full = k[c, _LOAD_SENSING_PUMP.displacement_cm3, b] * 1e-3
            droop = k[c, _LOAD_SENSING_PUMP.droop_bar, b]
            p_in = x[c, 0, b]
            p_out = x[c, 1, b]
            n = x[c, 4, b]
            over = 0.5 * droop
            margin = p_out - x[c, 2, b] - k[c, _LOAD_SENSING_PUMP.margin_bar, b]
            back, dback = smooth_step(margin, -over, over)
            cut, dcut = smooth_step(
                p_out - x[c, 3, b] - k[c, _LOAD_SENSING_PUMP.set_bar, b], -over, over
            )
            oil = 1.0 - k[c, _LOAD_SENSING_PUMP.air_share, b]
            fill, dfill = filling(p_in, _HALF_FILL_BAR)
            fill, dfill = fill * oil, dfill * oil
            least = k[c, _LOAD_SENSING_PUMP.least_stroke, b]
            free = (1.0 - back) * (1.0 - cut)
            stroke = least + (1.0 - least) * free
            d_margin = -(1.0 - least) * dback * (1.0 - cut)
            d_cut = -(1.0 - least) * dcut * (1.0 - back)
            q = full * stroke * n * fill
            d_out = full * n * fill * (d_margin + d_cut)
            f[c, 0, b] += q
            f[c, 1, b] -= q
            dp = p_out - p_in
            f[c, 4, b] += full * stroke * dp
            j[c, 0, 0, b] += full * stroke * n * dfill
            j[c, 1, 0, b] -= full * stroke * n * dfill
            j[c, 0, 1, b] += d_out
            j[c, 1, 1, b] -= d_out
            j[c, 0, 2, b] -= full * n * fill * d_margin
            j[c, 1, 2, b] += full * n * fill * d_margin
            j[c, 0, 3, b] -= full * n * fill * d_cut
            j[c, 1, 3, b] += full * n * fill * d_cut
            j[c, 0, 4, b] += full * stroke * fill
            j[c, 1, 4, b] -= full * stroke * fill
            j[c, 4, 0, b] -= full * stroke
            j[c, 4, 1, b] += full * (stroke + (d_margin + d_cut) * dp)
            j[c, 4, 2, b] -= full * d_margin * dp
            j[c, 4, 3, b] -= full * d_cut * dp
            lost, leak = slip(
                p_out - x[c, 3, b], k[c, _LOAD_SENSING_PUMP.leakage_lpm_per_bar, b], env[0, b]
            )
            couple(f, j, c, b, 1, 3, lost, leak)
            q, dq = turbulent(x[c, 2, b] - x[c, 3, b], k[c, _LOAD_SENSING_PUMP.bleed_k, b], 0.5)
            couple(f, j, c, b, 2, 3, q, dq)


class LoadSensingPump(ComponentType):
    """Piston pump that holds its outlet a margin above the demand signal, up to its set pressure.

    Stroke = (1 − S(p − p_LS − margin))·(1 − S(p − p_max)), S a cubic step over the droop, so that
    margin and setting are those of half stroke; a destroked pump stands half a droop above. The
    case drain takes the leakage and the bleed of the signal, ``q = K·√p_LS``.
    Source: two-spool (differential and pressure) compensator, any text on mobile hydraulics.
    """

    type_name = "load_sensing_pump"
    label = "Load-sensing pump"
    words = (
        "LS pump",
        "demand pump",
        "variable displacement pump",
        "flow compensator",
        "margin pump",
    )
    roles = (
        "turns oil",
        "draws",
        "adjustable",
        "closes on pressure",
        "throttled",
    )
    aerated = "air_share"
    ports = (
        Port("inlet"),
        Port("outlet"),
        Port("LS", line="pilot"),
        Port("case", line="drain"),
        Port("shaft", "rotation"),
    )
    storage = chambers("inlet", "outlet")

    class Parameters(ParameterSet):
        displacement_cm3: float = quantity(
            63, "cm³", "full displacement per revolution", low=0.5, high=500, tolerance=0.012
        )
        leakage_lpm_per_bar: float = quantity(
            0.012, "L/min/bar", "outlet to case at 46 mm²/s", low=1e-5, high=10, tolerance=0.2
        )
        margin_bar: float = quantity(
            22, "bar", "outlet above demand, half stroke", low=2, high=80, tolerance=0.03
        )
        set_bar: float = quantity(
            210, "bar", "compensator, half stroke", low=5, high=450, tolerance=0.012
        )
        droop_bar: float = quantity(6, "bar", "pressure from full to no stroke", low=0.5, high=60)
        bleed_k: float = quantity(
            0.05, "L/min/√bar", "bleed of the signal to case", low=1e-5, high=20, tolerance=0.1
        )
        least_stroke: float = quantity(0, "1", "stroke it cannot go below", low=0, high=1)
        air_share: float = quantity(0, "1", "share of the chamber filled with air", low=0, high=0.9)

    fault_modes = (
        DRAWS_AIR,
        SHEARED,
        FaultMode(
            name="worn",
            label="pump worn or eroded, leaks inside",
            parameter="leakage_lpm_per_bar",
            scale="factor",
            severe=170.0,
            family="detour",
            base_rate=1.2,
            look="Flow from the case drain; metal in the filter.",
            remedy="Exchange the pump once nothing starves its inlet; flush and change the filter first.",
            oil="metal",
        ),
        FaultMode(
            name="margin_low",
            label="differential spring weak or set low",
            parameter="margin_bar",
            scale="factor",
            severe=0.2,
            family="source",
            base_rate=1.0,
            look="Standby pressure against the specification; length of the spring.",
            remedy="Set by the machine's own procedure; replace a weak spring.",
            work="set",
        ),
        FaultMode(
            name="margin_high",
            label="differential spring set high",
            parameter="margin_bar",
            scale="factor",
            severe=2.4,
            family="source",
            base_rate=0.3,
            look="Standby pressure against the specification; screw run in.",
            remedy="Set by the machine's own procedure.",
            work="set",
        ),
        FaultMode(
            name="set_low",
            label="pressure compensator weak or set low",
            parameter="set_bar",
            scale="factor",
            severe=0.3,
            family="source",
            base_rate=0.8,
            look="Screw and lock nut; spring length.",
            remedy="Set to the specification with a gauge.",
            work="set",
        ),
        FaultMode(
            name="stuck_back",
            label="swash plate stuck back",
            parameter="displacement_cm3",
            scale="factor",
            severe=1 / 12,
            family="source",
            base_rate=0.4,
            look="Swash plate does not follow its spring.",
            remedy="Free the servo piston; find the dirt.",
            work="clean",
        ),
        FaultMode(
            name="stuck_on_stroke",
            label="compensator spool or swash plate stuck on stroke",
            parameter="least_stroke",
            scale="to",
            severe=0.8,
            family="source",
            base_rate=0.3,
            look="Standby runs up to the safety relief; compensator spool does not slide.",
            remedy="Free or replace the compensator.",
            work="clean",
        ),
        FaultMode(
            name="bleed_open",
            label="signal lost to case: bleed washed out or plug missing",
            parameter="bleed_k",
            scale="factor",
            severe=180.0,
            family="command",
            base_rate=0.4,
            look="Demand signal at the pump against the signal at the valve block.",
            remedy="Fit the specified bleed orifice or plug.",
        ),
        FaultMode(
            name="set_high",
            label="pressure compensator set too high",
            parameter="set_bar",
            scale="factor",
            severe=1.6,
            family="dam",
            base_rate=0.2,
            look="Screw and lock nut; gauge at stall.",
            remedy="Back it off and set it with a gauge.",
            work="set",
        ),
        FaultMode(
            name="bleed_plugged",
            label="bleed of the signal plugged: it stays up",
            parameter="bleed_k",
            scale="factor",
            severe=0.01,
            family="command",
            base_rate=0.2,
            look="Standby stays high and falls slowly; look through the bleed.",
            remedy="Clean the bleed; never drill it out.",
            work="clean",
        ),
    )
    adjustable = ("margin_bar", "set_bar")
    passive = False
    makes_flow = True
    limits_itself = True
    symbol = Symbol(
        3.2,
        2.4,
        {
            "inlet": ("south", 1.2),
            "outlet": ("north", 1.2),
            "LS": ("east", 0.6),
            "case": ("east", 1.8),
            "shaft": ("west", 1.2),
        },
        (CIRCLE, "M0 1.12 H0.2", "M0 1.28 H0.2", VARIABLE, "M2.3 0.3 h0.6 v0.6 h-0.6 Z"),
        ("M3.2 0.6 H2.9", "M3.2 1.8 H2"),
        (OUTWARD,),
    )
    example = Example(
        "½·63·1.5 = 47.25; 0.012·(0.4·122 + 0.6·√150·√122) = 1.560 to case; bleed 0.05·√100",
        {"inlet": 0.0, "outlet": 122.0, "LS": 100.0, "case": 0.0, "shaft": 1500.0},
        {"inlet": 47.248, "outlet": -45.688, "LS": 0.5, "case": -2.060, "shaft": 3.843},
    )
    law = _load_sensing_pump


_LOAD_SENSING_PUMP = LoadSensingPump.rows()


@scalar
def over_centre(x, f, j, c, b, shaft, full, stroke, movers):
    """What a swash plate moves from port A (0) to port B (1), and the torque it asks for.

    ``full`` is its displacement in litres, ``stroke`` −1 … 1; ``movers`` are the ports that set
    it, each with the stroke per its across variable. The side that it draws from has to fill it.
    """
    n, dp = x[c, shaft, b], x[c, 1, b] - x[c, 0, b]
    volume = full * stroke
    drawn = 0 if volume * n >= 0.0 else 1
    fill, dfill = filling(x[c, drawn, b], _HALF_FILL_BAR)
    q = volume * n * fill
    f[c, 0, b] += q
    f[c, 1, b] -= q
    f[c, shaft, b] += volume * dp
    j[c, 0, shaft, b] += volume * fill
    j[c, 1, shaft, b] -= volume * fill
    j[c, 0, drawn, b] += volume * n * dfill
    j[c, 1, drawn, b] -= volume * n * dfill
    j[c, shaft, 0, b] -= volume
    j[c, shaft, 1, b] += volume
    for by, slope in movers:
        steer(j, c, b, 0, 1, by, full * n * slope * fill)
        j[c, shaft, by, b] += full * slope * dp


@law
def _servo_pump(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            full = k[c, _SERVO_PUMP.displacement_cm3, b] * 1e-3
            lever = k[c, _SERVO_PUMP.lever, b] * k[c, _SERVO_PUMP.reach, b]
            control = x[c, 2, b] - x[c, 3, b]
            reach, dreach = smooth_step(
                control, k[c, _SERVO_PUMP.begin_bar, b], k[c, _SERVO_PUMP.full_bar, b]
            )
            wanted = lever * reach * k[c, _SERVO_PUMP.linkage, b] + k[c, _SERVO_PUMP.offset, b]
            stroke, dwanted = limited(wanted)
            dstroke = dwanted * lever * dreach * k[c, _SERVO_PUMP.linkage, b]
            over_centre(x, f, j, c, b, 4, full, stroke, ((2, dstroke), (3, -dstroke)))
            lost = k[c, _SERVO_PUMP.control_lpm_per_bar, b]
            couple(f, j, c, b, 2, 3, lost * control, lost)
            for side in range(2):
                lost, leak = slip(
                    x[c, side, b] - x[c, 3, b],
                    k[c, _SERVO_PUMP.leakage_lpm_per_bar, b],
                    env[0, b],
                )
                couple(f, j, c, b, side, 3, lost, leak)


class SwashParameters(ParameterSet):
    """What every closed-loop pump over centre has."""

    displacement_cm3: float = quantity(
        90, "cm³", "full displacement per revolution", low=1, high=1000, tolerance=0.012
    )
    leakage_lpm_per_bar: float = quantity(
        0.008, "L/min/bar", "each side to case at 46 mm²/s", low=1e-5, high=10, tolerance=0.2
    )
    begin_bar: float = quantity(
        6, "bar", "control pressure where it begins to stroke", low=0.5, high=50
    )
    full_bar: float = quantity(
        18, "bar", "control pressure for full stroke", low=1, high=60, tolerance=0.03
    )
    control_lpm_per_bar: float = quantity(
        0.02, "L/min/bar", "control spool and servo piston to case", low=1e-6, high=2
    )
    offset: float = quantity(0, "1", "stroke at lever neutral", low=-1, high=1)
    reach: float = quantity(1, "1", "how far the servo piston follows", low=0, high=1)


class ServoPump(ComponentType):
    """Closed-loop piston pump over centre: the lever chooses the side, control pressure the stroke.

    Stroke = lever·S(p_control − p_case), S a cubic step from ``begin_bar`` to ``full_bar``;
    ``q = V·n·stroke`` from A to B, and both sides leak into the case; so does the control, a
    little: a control line that is fed too little does not fill up in the end.
    """

    type_name = "servo_pump"
    label = "Servo pump"
    words = (
        "hydrostatic pump",
        "closed loop pump",
        "hydrostat",
        "swash plate pump",
        "drive pump",
        "propel pump",
        "HST",
    )
    roles = (
        "turns oil",
        "pilot fed",
        "spool",
        "shifted by hand",
    )
    ports: ClassVar[tuple[Port, ...]] = (
        Port("A"),
        Port("B"),
        Port("control", line="pilot"),
        Port("case", line="drain"),
        Port("shaft", "rotation"),
    )
    storage = chambers("A", "B")

    class Parameters(SwashParameters):
        linkage: float = quantity(1, "1", "travel of its control per lever", low=0, high=1.2)

    commands: ClassVar[tuple[Command, ...]] = (Command("lever", -1, 1, by="lever"),)
    levers: ClassVar[tuple[str, ...]] = ("lever",)
    fault_modes: ClassVar[tuple[FaultMode, ...]] = (
        SHEARED,
        FaultMode(
            name="worn",
            label="pump worn or eroded, leaks inside",
            parameter="leakage_lpm_per_bar",
            scale="factor",
            severe=180.0,
            family="detour",
            base_rate=1.2,
            look="Flow from the case drain; metal in the filter.",
            remedy="Exchange the pump; flush the loop first.",
            oil="metal",
        ),
        FaultMode(
            name="servo_sticks",
            label="servo piston sticks part-way",
            parameter="reach",
            scale="to",
            severe=0.1,
            family="command",
            base_rate=0.5,
            remarks=("jerky",),
            look="Control pressure good, pump does not stroke out.",
            remedy="Free the servo piston and its orifices.",
            work="clean",
        ),
        FaultMode(
            name="creeps",
            label="neutral position off: creeps with the lever in neutral",
            parameter="offset",
            scale="to",
            severe=0.12,
            family="command",
            base_rate=0.4,
            look="Pressure difference between the loop's sides with the lever in neutral.",
            remedy="Set mechanical and hydraulic neutral by the maker's procedure.",
            work="set",
        ),
        FaultMode(
            name="linkage_off",
            label="control linkage off or out of adjustment",
            parameter="linkage",
            scale="to",
            severe=0.0,
            family="command",
            base_rate=0.7,
            look="Move the lever and watch the control shaft.",
            remedy="Refit and adjust the linkage.",
            work="refit",
            own_lever="lever",
        ),
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
            "control": ("east", 0.6),
            "case": ("east", 1.8),
            "shaft": ("west", 1.2),
            "lever": ("north", 2.6),
        },
        (
            CIRCLE,
            "M0 1.12 H0.2",
            "M0 1.28 H0.2",
            VARIABLE,
            "M2.3 0.3 h0.6 v0.6 h-0.6 Z",
            "M2.6 0 V0.3",
        ),
        ("M3.2 0.6 H2.9", "M3.2 1.8 H2"),
        (OUTWARD, OUTWARD_DOWN),
    )
    example = Example(
        "lever neutral: only 0.008·(0.4·p + 0.6·√150·√p) of 120 and of 15 bar, and 0.02·20, to case",
        {"A": 15.0, "B": 120.0, "control": 20.0, "case": 0.0, "shaft": 2000.0},
        {"A": 0.2747, "B": 1.0279, "control": 0.4, "case": -1.7026, "shaft": 0.0},
    )
    law = _servo_pump


_SERVO_PUMP = ServoPump.rows()


@law
def _hand_pump(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            swept = k[c, _HAND_PUMP.stroke_cm3, b] * 1e-3 * k[c, _HAND_PUMP.strokes_per_min, b]
            fill, dfill = filling(x[c, 0, b], _HALF_FILL_BAR)
            f[c, 0, b] = swept * fill
            f[c, 1, b] = -swept * fill
            j[c, 0, 0, b] = swept * dfill
            j[c, 1, 0, b] = -swept * dfill
            leak = k[c, _HAND_PUMP.valve_lpm_per_bar, b]
            couple(f, j, c, b, 1, 0, leak * (x[c, 1, b] - x[c, 0, b]), leak)


class HandPump(ComponentType):
    """Hand pump: ``q = V·strokes·fill(p_in)`` from inlet to outlet, less what its valves let back.

    It draws against the air's pressure alone: behind a suction check that is shut it fills no more.
    """

    type_name = "hand_pump"
    by_hand = True
    label = "Hand pump"
    words = (
        "hand pump",
        "emergency pump",
        "tilt hand pump",
        "lever pump",
    )
    roles = (
        "draws",
        "turned round",
        "seat",
    )
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        stroke_cm3: float = quantity(12, "cm³", "per stroke", low=0.2, high=500, tolerance=0.03)
        valve_lpm_per_bar: float = quantity(
            1e-5, "L/min/bar", "back through its valves", low=1e-8, high=10
        )

    commands = (Command("strokes_per_min", 0, 120, by="hand_pump"),)
    fault_modes = (
        FaultMode(
            name="valve_leaks",
            label="its check does not seat, the lever comes back",
            parameter="valve_lpm_per_bar",
            scale="square",
            severe=0.5,
            family="detour",
            base_rate=0.8,
            look="No resistance at the lever, or it is pushed back.",
            remedy="Clean or replace its checks.",
            work="clean",
        ),
        FaultMode(
            name="suction_shut",
            label="its suction check stays shut, or was fitted backward",
            parameter="stroke_cm3",
            scale="switch",
            severe=0.02,
            family="dam",
            base_rate=0.4,
            look="The lever goes light and nothing comes.",
            remedy="Clean the check or turn it round.",
            work="clean",
        ),
    )
    passive = False
    makes_flow = True
    symbol = Symbol(
        2.4,
        2.4,
        {"inlet": ("south", 1.2), "outlet": ("north", 1.2)},
        (CIRCLE, "M0.2 1.2 L0 0.2 M0 0.2 l0.25 0.05"),
        (),
        (OUTWARD,),
    )
    example = Example(
        "at rest: 1e-5·100 back",
        {"inlet": 0.0, "outlet": 100.0},
        {"inlet": -0.001, "outlet": 0.001},
    )
    law = _hand_pump


_HAND_PUMP = HandPump.rows()
