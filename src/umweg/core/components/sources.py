"""Tanks, drives and pumps."""

from dataclasses import replace
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
    LOWEST_BAR,
    couple,
    law,
    saturating,
    scalar,
    sliding,
    slip,
    smooth_step,
    soft_sign,
    turbulent,
)
from umweg.core.components.storage import chambers

_ROT = ROTATION
_SEAL_NM = 0.5


@law
def _reservoir(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            q, dq = turbulent(x[c, 0, b] - x[c, 1, b], k[c, _RESERVOIR.pickup_k, b], 0.01)
            couple(f, j, c, b, 0, 1, q, dq)


class Reservoir(ComponentType):
    """Vented tank: its return side is the reference, 0 bar; the pump draws through its pick-up.

    Suction flow ``q = K·√Δp`` through the pick-up. A low level uncovers it: it draws air with the
    oil, which takes its share of every pump's chamber, while the vacuum stays about as it is; a
    high vacuum means that something is in the way. The oil in it is the machine's oil: its
    viscosity counts for every part.
    """

    type_name = "reservoir"
    label = "Tank"
    words = ("reservoir", "oil tank", "sump")
    roles = (
        "holds oil",
        "draws",
        "a way for oil",
    )
    ports = (Port("tank", boundary=True), Port("suction"))
    aerates = "air_share"
    cools = "skin_kw_per_k"

    class Parameters(ParameterSet):
        pickup_k: float = quantity(
            600, "L/min/√bar", "pick-up conductance, flow at 1 bar", low=1, high=5000
        )
        air_share: float = quantity(0, "1", "share of air in what is drawn", low=0, high=0.9)
        viscosity_share: float = quantity(
            1, "1", "viscosity of the oil in it over that of the grade named", low=0.02, high=50
        )
        skin_kw_per_k: float = quantity(
            0.02, "kW/K", "heat to the air per degree: tank, lines, cylinders", low=1e-5, high=20
        )

    fault_modes = (
        FaultMode(
            name="low_level",
            label="oil level low, pick-up draws air",
            parameter="air_share",
            scale="to",
            severe=0.85,
            family="source",
            base_rate=1.2,
            look="Level at the sight glass in the posture the level is specified for; foam.",
            remedy="Top up with the grade in use, find where the oil went, bleed.",
            work="top_up",
            oil="foamy",
        ),
        FaultMode(
            name="oil_thin",
            label="oil too thin: wrong grade, or fuel in it",
            parameter="viscosity_share",
            scale="factor",
            severe=0.2,
            family="detour",
            base_rate=0.2,
            look="Grade on the last delivery; drop test beside fresh oil; smell of fuel.",
            remedy="Drain, flush and fill the grade specified.",
            work="oil",
        ),
        FaultMode(
            name="oil_thick",
            label="oil too thick: wrong grade",
            parameter="viscosity_share",
            scale="factor",
            severe=6.0,
            family="dam",
            base_rate=0.15,
            remarks=("starts_late",),
            look="Grade on the last delivery; drop test beside fresh oil.",
            remedy="Drain, flush and fill the grade specified.",
            work="oil",
        ),
        FaultMode(
            name="water_in_oil",
            label="water in the oil",
            parameter="viscosity_share",
            scale="factor",
            severe=1.3,
            family="dam",
            base_rate=0.15,
            look="Milky oil that does not clear overnight; a drop crackles on a hot plate.",
            remedy="Find where it comes in (breather, cooler, rod); drain, flush, fill.",
            work="oil",
            oil="milky",
        ),
        FaultMode(
            name="oil_aged",
            label="oil aged by heat: dark and thickened",
            parameter="viscosity_share",
            scale="factor",
            severe=1.6,
            family="dam",
            base_rate=0.15,
            look="Dark oil with a burnt smell beside a fresh sample; varnish in the filler.",
            remedy="Find what heats it; drain, flush and fill.",
            work="oil",
            oil="dark",
        ),
        FaultMode(
            name="pickup_blocked",
            label="pick-up blocked, or the tank cannot breathe",
            parameter="pickup_k",
            scale="factor",
            severe=1 / 150,
            family="dam",
            base_rate=0.4,
            look="Open the filler: does the noise stop? Rag, sludge or sealant on the pick-up.",
            remedy="Clean pick-up and breather; find what came loose.",
            work="clean",
        ),
    )
    symbol = Symbol(
        3,
        2,
        {"tank": ("north", 0.75), "suction": ("north", 2.25)},
        ("M0 0.4 V2 H3 V0.4", "M0.75 0 V1.5", "M2.25 0 V1.5"),
    )
    example = Example(
        "square-root law: 600·√0.01 = 60, less the smoothing at Δp = Δp₀",
        {"tank": 0.0, "suction": -0.01},
        {"tank": 60 / 2**0.25, "suction": -60 / 2**0.25},
    )
    law = _reservoir


_RESERVOIR = Reservoir.rows()


@law
def _drive_coupling(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            slip = x[c, 0, b] - x[c, 1, b]
            torque, dtorque = saturating(
                k[c, _DRIVE_COUPLING.stiffness_nm_per_rpm, b] * slip,
                k[c, _DRIVE_COUPLING.torque_max_nm, b]
                * k[c, _DRIVE_COUPLING.engaged_share, b]
                * k[c, _DRIVE_COUPLING.engaged, b]
                + 0.02,
            )
            couple(
                f,
                j,
                c,
                b,
                0,
                1,
                _ROT * torque,
                _ROT * dtorque * k[c, _DRIVE_COUPLING.stiffness_nm_per_rpm, b],
            )
            drag, ddrag = sliding(x[c, 1, b], 10.0)
            f[c, 1, b] += _ROT * _SEAL_NM * drag
            j[c, 1, 1, b] += _ROT * _SEAL_NM * ddrag


class DriveCoupling(ComponentType):
    """Clutch, belt or splined coupling between engine and pump.

    Torque rises with slip, ``T = T_max·s/√(1+s²)`` with ``s = stiffness·Δn/T_max``: stiff in
    health, and never above what the friction can carry. Disengaged only 0.02 Nm drag. What it drives
    has a bearing and a seal, 0.5 Nm: a pump that is let go stands, its suction does not turn it.
    """

    type_name = "drive_coupling"
    label = "Drive coupling"
    words = (
        "PTO",
        "power take-off",
        "dog clutch",
        "belt drive",
        "spline",
        "shaft key",
        "pump drive",
        "electromagnetic clutch",
        "cardan shaft",
    )
    roles = ("carries a torque",)
    ports = (Port("driver", "rotation"), Port("driven", "rotation"))

    class Parameters(ParameterSet):
        torque_max_nm: float = quantity(
            600, "Nm", "torque at which it slips", low=0.1, high=20000, tolerance=0.05
        )
        stiffness_nm_per_rpm: float = quantity(
            50, "Nm/rpm", "torque per slip while it holds", low=1, high=5000
        )
        engaged_share: float = quantity(1, "1", "how much of it is still there", low=0, high=1)

    commands = (Command("engaged", 0, 1, 1.0),)

    fault_modes = (
        FaultMode(
            name="slips",
            label="clutch or belt slips under load",
            parameter="torque_max_nm",
            scale="factor",
            severe=1 / 60,
            family="source",
            base_rate=0.6,
            remarks=("squeals",),
            look="Pump shaft speed against engine speed under load; hot or glazed friction faces.",
            remedy="Adjust or replace the clutch or belt.",
            work="set",
        ),
        FaultMode(
            name="broken",
            label="splines stripped, key or belt gone",
            parameter="engaged_share",
            scale="switch",
            severe=0.0,
            family="source",
            base_rate=0.2,
            look="Pump shaft stands or creeps while the engine turns.",
            remedy="Replace coupling and shaft; find what blocked it.",
        ),
    )
    symbol = Symbol(
        2,
        1.2,
        {"driver": ("west", 0.6), "driven": ("east", 0.6)},
        ("M0 0.6 H0.8", "M0.8 0.1 V1.1", "M1.2 0.1 V1.1", "M1.2 0.6 H2"),
    )
    example = Example(
        "T_max·s/√(1+s²), s = 50·1/600; 0.5 Nm less to what it drives",
        {"driver": 1500.0, "driven": 1499.0},
        {"driver": 0.0628319 * 49.827, "driven": -0.0628319 * (49.827 - 0.5)},
    )
    law = _drive_coupling


_DRIVE_COUPLING = DriveCoupling.rows()


DRAWS_AIR = FaultMode(
    name="draws_air",
    label="draws air: suction joint or shaft seal",
    parameter="air_share",
    scale="to",
    severe=0.6,
    family="source",
    base_rate=1.0,
    look="Foam and a rattle that stops when oil is put on the leaking joint.",
    remedy="Tighten or reseal the joint; renew the shaft seal; bleed.",
    work="reseal",
    oil="foamy",
)


SHEARED = FaultMode(
    name="sheared",
    label="shaft key sheared or rotating group broken: it hardly pumps",
    parameter="displacement_cm3",
    scale="switch",
    severe=0.02,
    family="source",
    base_rate=0.15,
    look="Its shaft turns and no oil comes; metal in its ports; the shaft turns by hand without resistance.",
    remedy="Exchange the pump; look downstream for its pieces, and for what overloaded it.",
    oil="metal",
)


WRONG_SIZE = FaultMode(
    name="wrong_size",
    label="a smaller one than specified was fitted",
    parameter="displacement_cm3",
    scale="factor",
    severe=0.5,
    family="source",
    base_rate=0.03,
    look="Plate or stamped size against the parts list.",
    remedy="Fit the specified one.",
    work="wrong_part",
)


@scalar
def filling(inlet_bar: float, half_fill_bar: float) -> tuple[float, float]:
    """Share of a pumping chamber that fills at an inlet pressure: half of it at ``half_fill_bar``,
    next to nothing where oil parts.

    Below absolute zero the curve goes on as a straight line: no machine gets there, but an
    iteration does, and must find its way back.
    """
    width = min(0.12, (half_fill_bar - LOWEST_BAR) / 2.5)
    u = (inlet_bar - half_fill_bar) / width
    t, dt = soft_sign(max(u, -2.5))
    slope = 0.5 * dt / width
    return 0.5 * (1.0 + t) + min(u + 2.5, 0.0) * width * slope, slope


@law
def _fixed_pump(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            displacement = k[c, _FIXED_PUMP.displacement_cm3, b] * 1e-3
            p_in = x[c, 0, b]
            dp = x[c, 1, b] - p_in
            n = x[c, 2, b]
            lost, leak = slip(dp, k[c, _FIXED_PUMP.leakage_lpm_per_bar, b], env[0, b])
            oil = 1.0 - k[c, _FIXED_PUMP.air_share, b]
            fill, dfill = filling(p_in, k[c, _FIXED_PUMP.half_fill_bar, b])
            fill, dfill = fill * oil, dfill * oil
            q = displacement * n * fill - lost
            dq_in = displacement * n * dfill + leak
            f[c, 0, b] = q
            f[c, 1, b] = -q
            f[c, 2, b] = displacement * dp
            j[c, 0, 0, b] = dq_in
            j[c, 0, 1, b] = -leak
            j[c, 0, 2, b] = displacement * fill
            j[c, 1, 0, b] = -dq_in
            j[c, 1, 1, b] = leak
            j[c, 1, 2, b] = -displacement * fill
            j[c, 2, 0, b] = -displacement
            j[c, 2, 1, b] = displacement


class FixedPump(ComponentType):
    """Fixed-displacement pump with internal slip and incomplete filling.

    ``q = V·n·(1 − air)·fill(p_in) − slip(Δp, ν)``; ``T = V·Δp/(20π)``; the chambers fill less as
    the inlet falls to about −0.3 bar and below (cavitation). Air that is drawn takes its share of
    the chamber and is gone under pressure: flow is lost in proportion, the vacuum stays as it is.

    Source: volumetric model after Wilson, 1948, slip with a laminar and a turbulent part.
    """

    type_name = "fixed_pump"
    label = "Gear pump"
    words: ClassVar[tuple[str, ...]] = (
        "gear pump",
        "tandem pump",
        "double pump",
        "external gear",
        "oil pump",
        "charge pump",
        "pilot pump",
        "PTO pump",
        "stacked pump",
    )
    roles = (
        "turns oil",
        "of a size",
        "draws",
    )
    aerated = "air_share"
    ports = (Port("inlet"), Port("outlet"), Port("shaft", "rotation"))
    storage = chambers("inlet", "outlet")

    class Parameters(ParameterSet):
        displacement_cm3: float = quantity(
            32, "cm³", "displacement per revolution", low=0.2, high=500, tolerance=0.012
        )
        leakage_lpm_per_bar: float = quantity(
            0.012, "L/min/bar", "internal leakage at 46 mm²/s", low=1e-5, high=10, tolerance=0.2
        )
        half_fill_bar: float = quantity(
            -0.6, "bar", "inlet pressure at which half the chamber fills", low=-0.9, high=0.2
        )
        air_share: float = quantity(0, "1", "share of the chamber filled with air", low=0, high=0.9)

    fault_modes: ClassVar[tuple[FaultMode, ...]] = (
        FaultMode(
            name="worn",
            label="pump worn or eroded, leaks inside",
            parameter="leakage_lpm_per_bar",
            scale="factor",
            severe=80.0,
            family="detour",
            base_rate=1.5,
            look="Scored side plates and gear tips; metal in the filter. Pitted beside the inlet: cavitation, so find what starves it.",
            remedy="Exchange the pump once nothing starves its inlet; flush and change the filter first.",
            oil="metal",
        ),
        SHEARED,
        WRONG_SIZE,
        DRAWS_AIR,
    )
    passive = False
    makes_flow = True
    symbol = Symbol(
        2.4,
        2.4,
        {"inlet": ("south", 1.2), "outlet": ("north", 1.2), "shaft": ("west", 1.2)},
        ("M1.2 0.2 A1 1 0 1 1 1.2 2.2 A1 1 0 1 1 1.2 0.2", "M0 1.12 H0.2", "M0 1.28 H0.2"),
        (),
        ("M1.2 0.2 L0.8 0.8 L1.6 0.8 Z",),
    )
    example = Example(
        "32 cm³ at 1500 rpm = 48.000 L/min, less 0.012·(0.4·100 + 0.6·√150·√100) = 1.362",
        {"inlet": 0.0, "outlet": 100.0, "shaft": 1500.0},
        {"inlet": 46.638, "outlet": -46.638, "shaft": 3.2},
    )
    law = _fixed_pump


_FIXED_PUMP = FixedPump.rows()


class VanePump(FixedPump):
    """Vane pump: as the gear pump, with more leakage and poorer filling; its vanes can stick.

    ``q = V·n·(1 − air)·fill(p_in) − slip(Δp, ν)``.
    """

    type_name = "vane_pump"
    label = "Vane pump"
    words = (
        "vane pump",
        "cartridge pump",
        "steering pump",
    )

    class Parameters(FixedPump.Parameters):
        leakage_lpm_per_bar: float = quantity(
            0.02, "L/min/bar", "internal leakage at 46 mm²/s", low=1e-5, high=10, tolerance=0.25
        )
        half_fill_bar: float = quantity(
            -0.5, "bar", "inlet pressure at which half the chamber fills", low=-0.9, high=0.2
        )

    fault_modes = (
        *FixedPump.fault_modes,
        FaultMode(
            name="vanes_stick",
            label="vanes stick in the rotor",
            parameter="displacement_cm3",
            scale="factor",
            severe=0.15,
            family="source",
            base_rate=0.5,
            remarks=("rattles",),
            look="Varnish in the slots; vanes that do not fall out by themselves.",
            remedy="Exchange the cartridge; change oil that has varnished.",
        ),
    )
    example = Example(
        "32 cm³ at 1500 rpm = 48.000 L/min filled; less 0.02·(0.4·100 + 0.6·√150·√100) = 2.27",
        {"inlet": 0.0, "outlet": 100.0, "shaft": 1500.0},
        {"inlet": 45.730, "outlet": -45.730, "shaft": 3.2},
    )


class PistonPump(FixedPump):
    """Fixed piston pump: little leakage, but it needs its inlet filled.

    ``q = V·n·(1 − air)·fill(p_in) − slip(Δp, ν)``.
    """

    type_name = "piston_pump"
    label = "Piston pump"
    words = (
        "axial piston pump",
        "radial piston pump",
        "bent axis pump",
        "fixed piston pump",
    )

    class Parameters(FixedPump.Parameters):
        leakage_lpm_per_bar: float = quantity(
            0.004, "L/min/bar", "internal leakage at 46 mm²/s", low=1e-5, high=10, tolerance=0.2
        )
        half_fill_bar: float = quantity(
            -0.4, "bar", "inlet pressure at which half the chamber fills", low=-0.9, high=0.2
        )

    fault_modes = tuple(
        # It leaks a third of what a gear pump does, and comes to the same end.
        replace(mode, severe=250.0) if mode.name == "worn" else mode
        for mode in FixedPump.fault_modes
    )

    example = Example(
        "32 cm³ at 1500 rpm = 48.000 L/min, filled; less 0.004·(0.4·100 + 0.6·√150·√100) = 0.454",
        {"inlet": 0.0, "outlet": 100.0, "shaft": 1500.0},
        {"inlet": 47.546, "outlet": -47.546, "shaft": 3.2},
    )


@law
def _compensated_pump(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            full = k[c, _COMPENSATED_PUMP.displacement_cm3, b] * 1e-3
            p_out = x[c, 1, b]
            dp = p_out - x[c, 0, b]
            n = x[c, 2, b]
            over = 0.5 * k[c, _COMPENSATED_PUMP.droop_bar, b]
            back, dback = smooth_step(p_out - k[c, _COMPENSATED_PUMP.set_bar, b], -over, over)
            stroke = 1.0 - back
            dstroke = -dback
            oil = 1.0 - k[c, _COMPENSATED_PUMP.air_share, b]
            fill, dfill = filling(x[c, 0, b], -0.6)
            fill, dfill = fill * oil, dfill * oil
            lost, leak = slip(dp, k[c, _COMPENSATED_PUMP.leakage_lpm_per_bar, b], env[0, b])
            q = full * stroke * n * fill - lost
            dq_out = full * dstroke * n * fill - leak
            dq_in = full * stroke * n * dfill + leak
            f[c, 0, b] = q
            f[c, 1, b] = -q
            f[c, 2, b] = full * stroke * dp
            j[c, 0, 0, b] = dq_in
            j[c, 0, 1, b] = dq_out
            j[c, 0, 2, b] = full * stroke * fill
            j[c, 1, 0, b] = -dq_in
            j[c, 1, 1, b] = -dq_out
            j[c, 1, 2, b] = -full * stroke * fill
            j[c, 2, 0, b] = -full * stroke
            j[c, 2, 1, b] = full * (stroke + dstroke * dp)


class PressureCompensatedPump(ComponentType):
    """Piston pump that destrokes at its set pressure: stroke ``1 − S(p − p_set)``.

    S is a cubic step over the droop; the set pressure is that of half stroke. Slip and filling as
    in the fixed pump.
    """

    type_name = "pressure_compensated_pump"
    label = "Pressure-compensated pump"
    words = (
        "compensator pump",
        "destroking pump",
        "variable pump",
        "PC pump",
        "constant pressure pump",
    )
    roles = (
        "turns oil",
        "draws",
        "adjustable",
        "closes on pressure",
    )
    aerated = "air_share"
    ports = (Port("inlet"), Port("outlet"), Port("shaft", "rotation"))
    storage = chambers("inlet", "outlet")

    class Parameters(ParameterSet):
        displacement_cm3: float = quantity(
            45, "cm³", "full displacement per revolution", low=0.5, high=500, tolerance=0.012
        )
        leakage_lpm_per_bar: float = quantity(
            0.012, "L/min/bar", "internal leakage at 46 mm²/s", low=1e-5, high=10, tolerance=0.2
        )
        set_bar: float = quantity(
            200, "bar", "pressure at half stroke", low=5, high=450, tolerance=0.012
        )
        droop_bar: float = quantity(8, "bar", "pressure from full to no stroke", low=0.5, high=60)
        air_share: float = quantity(0, "1", "share of the chamber filled with air", low=0, high=0.9)

    fault_modes = (
        DRAWS_AIR,
        SHEARED,
        FaultMode(
            name="worn",
            label="pump worn or eroded, leaks inside",
            parameter="leakage_lpm_per_bar",
            scale="factor",
            severe=140.0,
            family="detour",
            base_rate=1.2,
            look="Flow from the case drain; metal in the filter.",
            remedy="Exchange the pump once nothing starves its inlet; flush and change the filter first.",
            oil="metal",
        ),
        FaultMode(
            name="set_low",
            label="compensator opens early: weak spring or backed off",
            parameter="set_bar",
            scale="factor",
            severe=0.3,
            family="source",
            base_rate=1.0,
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
            name="set_high",
            label="compensator screw turned in too far, or its spool sticks",
            parameter="set_bar",
            scale="factor",
            severe=1.9,
            family="dam",
            base_rate=0.25,
            look="Screw and lock nut; gauge against shut valves.",
            remedy="Back it off and set it with a gauge.",
            work="set",
        ),
    )
    adjustable = ("set_bar",)
    passive = False
    makes_flow = True
    limits_itself = True
    symbol = Symbol(
        2.8,
        2.4,
        {"inlet": ("south", 1.2), "outlet": ("north", 1.2), "shaft": ("west", 1.2)},
        (
            "M1.2 0.2 A1 1 0 1 1 1.2 2.2 A1 1 0 1 1 1.2 0.2",
            "M0 1.12 H0.2",
            "M0 1.28 H0.2",
            "M0.3 2.1 L2.1 0.3 M2.1 0.3 l-0.3 0.1 M2.1 0.3 l-0.1 0.3",
        ),
        ("M2.1 0.3 H2.6 V1.2",),
        ("M1.2 0.2 L0.8 0.8 L1.6 0.8 Z",),
    )
    example = Example(
        "at its set pressure: half of 45·1.5 = 67.5, less 0.012·(0.4·200 + 0.6·√150·√200) = 2.207",
        {"inlet": 0.0, "outlet": 200.0, "shaft": 1500.0},
        {"inlet": 31.541, "outlet": -31.541, "shaft": 4.5},
    )
    law = _compensated_pump


_COMPENSATED_PUMP = PressureCompensatedPump.rows()
