"""Restrictors and checks."""

from umweg.core.components.base import (
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Port,
    Symbol,
    quantity,
)
from umweg.core.components.kernels import check_flow, couple, law, turbulent


@law
def _orifice(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            q, dq = turbulent(x[c, 0, b] - x[c, 1, b], k[c, 0, b], 0.5)
            couple(f, j, c, b, 0, 1, q, dq)


class Orifice(ComponentType):
    """Fixed sharp-edged restrictor, ``q = K·√Δp``.

    ``K = Cd·A·√(2/ρ)``: 0.6, 870 kg/m³ and 1 mm² give 0.546 L/min/√bar.
    """

    type_name = "orifice"
    label = "Orifice"
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        k: float = quantity(2, "L/min/√bar", "flow at 1 bar", low=1e-4, high=2000, tolerance=0.03)

    fault_modes = (
        FaultMode(
            "plugged",
            "orifice plugged",
            "k",
            "factor",
            1 / 100,
            "dam",
            0.6,
            "Look through it against the light.",
            "Clean it; never drill it out.",
        ),
        FaultMode(
            "washed_out",
            "orifice washed out or the wrong one",
            "k",
            "factor",
            4.0,
            "detour",
            0.15,
            "Pin gauge in the bore.",
            "Fit the specified orifice.",
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


@law
def _check(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            q, dq = check_flow(x[c, 0, b] - x[c, 1, b], k[c, 0, b], k[c, 1, b], k[c, 2, b])
            couple(f, j, c, b, 0, 1, q, dq)


class CheckValve(ComponentType):
    """Spring-loaded check: ``q = K·√(Δp − p_crack)`` forward, a linear trace backward."""

    type_name = "check_valve"
    label = "Check valve"
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        k: float = quantity(35, "L/min/√bar", "flow at 1 bar above cracking", low=0.01, high=2000)
        cracking_bar: float = quantity(0.5, "bar", "opens at", low=0, high=50)
        leak_lpm_per_bar: float = quantity(1e-4, "L/min/bar", "leakage backward", low=1e-7, high=10)

    fault_modes = (
        FaultMode(
            "stuck_shut",
            "check does not open fully",
            "k",
            "factor",
            1 / 80,
            "dam",
            0.35,
            "Poppet cocked or gummed; broken spring across it.",
            "Clean or replace the check.",
        ),
        FaultMode(
            "leaks_back",
            "check does not seat",
            "leak_lpm_per_bar",
            "square",
            1.0,
            "detour",
            0.6,
            "Dirt or a groove on the seat.",
            "Clean or replace the check.",
        ),
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
