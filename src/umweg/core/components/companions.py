"""What volumes give back within one long implicit step: the machine in time as a steady one.

``(S(x) − S(x₀))/h`` is a flow like any other: with it at every net a step of backward Euler is a
steady state of the machine, found by the same iteration (companion models; Nagel, SPICE2, 1975).
"""

from umweg.core.components.base import (
    TRANSLATION,
    Command,
    ComponentType,
    Example,
    ParameterSet,
    Port,
    Symbol,
    quantity,
)
from umweg.core.components.kernels import GAS_FOOT, compressed, law, scalar, standing_above
from umweg.core.fluid import ATMOSPHERE_BAR

STOPS = 1e6 * TRANSLATION
"""10⁶ N·s/mm: 100 kN push a rod that is held past its place by a tenth of a millimetre a second."""


@scalar
def _behind_gas(p: float, volume: float, precharge: float) -> tuple[float, float]:
    """Oil in a gas store whose gas is as warm as its wall [L], and its slope [L/bar] (Boyle)."""
    gas = precharge + ATMOSPHERE_BAR
    oil = max(p, -0.95) + ATMOSPHERE_BAR
    foot = GAS_FOOT * volume / gas
    if oil <= gas:
        return foot * oil, foot
    left = volume * gas / oil
    return foot * oil + volume - left, foot + left / oil


@law
def _held_back(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            p, was = x[c, 0, b], k[c, _BACK.was_bar, b]
            litres = k[c, _BACK.litres, b]
            now, slope = compressed(p)
            then, _ = compressed(was)
            held, per_bar = litres * (now - then), litres * slope
            volume, precharge = k[c, _BACK.gas_l, b], k[c, _BACK.precharge_bar, b]
            if volume > 0.0:
                now, slope = _behind_gas(p, volume, precharge)
                then, _ = _behind_gas(was, volume, precharge)
                held += now - then
                per_bar += slope
            volume, head = k[c, _BACK.stands_l, b], k[c, _BACK.head_bar, b]
            if volume > 0.0:
                now, slope = standing_above(p, volume, head)
                then, _ = standing_above(was, volume, head)
                held += now - then
                per_bar += slope
            per_step = 60.0 * k[c, _BACK.per_s, b]
            f[c, 0, b] = per_step * held
            j[c, 0, 0, b] = per_step * per_bar


class HeldBack(ComponentType):
    """What a net stores between two moments, as a flow out of it.

    ``q = 60·(S(p) − S(p₀))/h``: oil and its air pressed together, gas behind a bladder as warm as
    its wall, oil that stands above the net. Source: companion models (Nagel, SPICE2, 1975).
    """

    type_name = "held_back"
    label = "What a net stores in a step"
    of_machines = False
    ports = (Port("oil"),)

    class Parameters(ParameterSet):
        litres: float = quantity(1, "L", "oil at the net", low=0, high=1e5)
        gas_l: float = quantity(0, "L", "gas behind a bladder, empty of oil", low=0, high=1e3)
        precharge_bar: float = quantity(0, "bar", "pressure of that gas", low=0, high=1e3)
        stands_l: float = quantity(0, "L", "oil that stands above the net, full", low=0, high=1e4)
        head_bar: float = quantity(0, "bar", "pressure that it gives, full", low=0, high=10)

    commands = (Command("was_bar", -1, 1e4), Command("per_s", 0, 1e6, 1.0))
    fittings_l = 0.0
    stores_oil = True
    passive = False
    named_on_demand = True
    symbol = Symbol(1, 1, {"oil": ("south", 0.5)}, ("M0 0 H1 V1 H0 Z",))
    example = Example(
        "2 L of oil pressed from 0 to 120 bar in a second: 60·2·120/12000 = 1.2 L/min, and its air",
        {"oil": 120.0},
        {"oil": 1.788},
        {"litres": 2.0},
    )
    law = _held_back


_BACK = HeldBack.rows()


@law
def _stopped_rod(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            held = STOPS * k[c, _ROD.stands, b]
            f[c, 0, b] = held * (x[c, 0, b] - k[c, _ROD.goes_mm_s, b])
            j[c, 0, 0, b] = held


class StoppedRod(ComponentType):
    """A rod that goes no further than its end within a step.

    ``F = c·(v − v₀)``, ``v₀`` what takes it to its end just as the step ends; nothing until it
    would get there.
    """

    type_name = "stopped_rod"
    label = "A rod's end in a step"
    of_machines = False
    ports = (Port("rod", "translation"),)

    class Parameters(ParameterSet):
        pass

    commands = (Command("stands", 0, 1), Command("goes_mm_s", -1e5, 1e5))
    passive = False
    named_on_demand = True
    symbol = Symbol(1, 1, {"rod": ("south", 0.5)}, ("M0 0.5 H1",))
    example = Example("not there: nothing", {"rod": 100.0}, {"rod": 0.0})
    law = _stopped_rod


_ROD = StoppedRod.rows()
