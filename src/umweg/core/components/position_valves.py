"""Valves that the machine itself moves: a cam or a rod's own travel opens the next stage."""

from umweg.core.components.base import (
    Command,
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Port,
    Symbol,
    quantity,
)
from umweg.core.components.kernels import check_flow, couple, law, smooth_step, turbulent
from umweg.core.components.storage import Place

_TRAVEL = 0.03
"""Half of the way over which the valve opens, as a share of the rod's stroke."""


@law
def _position_valve(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            at = k[c, _POSITION_VALVE.opens_at, b]
            reached, _ = smooth_step(k[c, _POSITION_VALVE.position, b] - at, -_TRAVEL, _TRAVEL)
            below = k[c, _POSITION_VALVE.opens_below, b]
            on = (reached + below * (1.0 - 2.0 * reached)) * k[c, _POSITION_VALVE.roller, b]
            stuck, _ = smooth_step(k[c, _POSITION_VALVE.stuck, b], 0.35, 0.65)
            on = on + stuck * (1.0 - on)
            size = k[c, _POSITION_VALVE.k, b] * on + k[c, _POSITION_VALVE.seat_k, b]
            dp = x[c, 0, b] - x[c, 1, b]
            q, dq = turbulent(dp, size, 0.5)
            couple(f, j, c, b, 0, 1, q, dq)
            q, dq = check_flow(-dp, k[c, _POSITION_VALVE.check_k, b], 0.5, 0.0)
            couple(f, j, c, b, 1, 0, q, dq)


class PositionValve(ComponentType):
    """Two-way valve that a rod opens at a place of its stroke, with free flow back.

    ``q = K·on·√Δp`` forward, ``on`` a cubic over ±3 % of the stroke about ``opens_at`` (with
    ``opens_below`` 1: open on the near side of it); backward through a check. Where time runs the
    rod's own place decides, in a steady state the command ``position``.
    """

    type_name = "position_valve"
    label = "Position-operated valve"
    words = (
        "cam valve",
        "stage valve",
        "roller valve",
        "plunger valve",
        "stop valve at the end",
        "kick-out valve",
    )
    roles = (
        "shifted by a cam",
        "held by a spring",
    )
    ports = (Port("inlet"), Port("outlet"), Port("cam", "translation"))
    storage = (Place("cam", "position"),)

    class Parameters(ParameterSet):
        k: float = quantity(9, "L/min/√bar", "open, flow at 1 bar", low=0.01, high=1000)
        check_k: float = quantity(14, "L/min/√bar", "free flow back at 1 bar", low=0.01, high=1000)
        opens_at: float = quantity(0.92, "1", "share of the stroke where it opens", low=0, high=1)
        opens_below: float = quantity(0, "1", "1: open before that place", low=0, high=1)
        seat_k: float = quantity(1e-5, "L/min/√bar", "shut, flow at 1 bar", low=1e-7, high=20)
        roller: float = quantity(1, "1", "how far its roller is followed", low=0, high=1)
        stuck: float = quantity(0, "1", "held open", low=0, high=1)

    commands = (Command("position", 0, 1),)
    fault_modes = (
        FaultMode(
            name="not_reached",
            label="never pressed: roller off, cam bent or out of adjustment",
            parameter="roller",
            scale="switch",
            severe=0.0,
            family="command",
            base_rate=1.0,
            look="With the stage at its end, see whether the cam presses the roller home.",
            remedy="Straighten and set the cam; renew the roller.",
            work="set",
        ),
        FaultMode(
            name="stays_open",
            label="plunger hangs: open before its stage is reached",
            parameter="stuck",
            scale="switch",
            severe=1.0,
            family="command",
            base_rate=0.4,
            look="Plunger does not come back by itself; both stages move at once.",
            remedy="Clean or replace the valve.",
            work="clean",
        ),
        FaultMode(
            name="sticks",
            label="does not open fully: plunger gummed, passage fouled",
            parameter="k",
            scale="factor",
            severe=1 / 80,
            family="dam",
            base_rate=0.5,
            look="Pressure before and behind it with the plunger pressed.",
            remedy="Clean or replace the valve.",
            work="clean",
        ),
    )
    symbol = Symbol(
        2.2,
        1.8,
        {"inlet": ("south", 0.7), "outlet": ("north", 0.7), "cam": ("east", 0.9)},
        (
            "M0.2 0.4 H1.2 V1.4 H0.2 Z",
            "M0.7 1.8 V1.4 M0.7 0.4 V0",
            "M0.7 1.3 V0.5 M0.55 0.75 L0.7 0.5 L0.85 0.75",
            "M1.2 0.9 H1.6",
            "M1.6 0.9 a0.2 0.2 0 1 0 0.4 0 a0.2 0.2 0 1 0 -0.4 0",
        ),
    )
    example = Example(
        "pressed: 9·√16 = 36",
        {"inlet": 20.0, "outlet": 4.0, "cam": 0.0},
        {"inlet": 36.0, "outlet": -36.0, "cam": 0.0},
        {"position": 1.0},
    )
    law = _position_valve


_POSITION_VALVE = PositionValve.rows()
