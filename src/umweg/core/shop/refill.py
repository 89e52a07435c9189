"""Oil: what sits where, what a drained volume says, how often to flush, what to prime, how to bleed."""

import math
from collections.abc import Mapping
from dataclasses import dataclass

from umweg.core.circuit.document import Circuit, Component
from umweg.core.components import component_type
from umweg.core.components.storage import OilVolume, Values
from umweg.core.errors import StateError
from umweg.core.fluid import viscosity_mm2_s
from umweg.core.units import sized

GRAVITY = 9.80665
MOST_CYCLES = 50
LOST_ABOVE = 0.08
"""A drained volume this share of what was expected short means that oil sits somewhere."""


@dataclass(frozen=True)
class Holding:
    """Oil that stays in a part when the tank is drained, in the posture asked for."""

    component: str
    label: str
    litres: float


@dataclass(frozen=True)
class Priming:
    """What is filled by hand before a pump turns, so that it does not run dry."""

    pump: str
    label: str
    fill: tuple[Holding, ...]


@dataclass(frozen=True)
class Bleeding:
    """A line with a rise: what the way of the oil does with the air in it."""

    component: str
    label: str
    rise_m: float
    carries_from_lpm: float
    """Flow downhill from which all air is taken along; uphill any flow does."""


@dataclass(frozen=True)
class Refill:
    """The oil of a machine in one posture, and what follows from it."""

    tank_l: float
    """In the tank at its level, every rod in."""
    stays: tuple[Holding, ...]
    stays_l: float
    cycles: tuple[float, ...]
    """Share of old oil left after each fill of the tank."""
    fresh_l: float
    """Fresh oil for all of them."""
    drawn_l: float
    """What the posture holds more than all rods in: so much less is in the tank."""
    missing_l: float | None
    """Of what should have drained; None where nobody measured it."""
    told: str
    """What the drained volume says."""
    priming: tuple[Priming, ...]
    bleeding: tuple[Bleeding, ...]


def refill(
    circuit: Circuit,
    tank_l: float,
    posture: Mapping[str, float] | None = None,
    drained_l: float | None = None,
    target: float = 0.05,
) -> Refill:
    """Plan draining, flushing and filling.

    Old oil that stays mixes with each fill of the tank: after n fills its share is
    ``(V_stays/(V_stays + V_tank))ⁿ`` (perfect mixing, every function cycled to its ends between).

    Parameters
    ----------
    posture : function to share of its stroke, in for those that are not named
    drained_l : what ran out of the tank
    target : share of old oil that is good enough

    Raises
    ------
    StateError : a volume or share is out of its range, or there is no such function.
    """
    shares = dict(posture or {})
    known = {f.id for f in circuit.functions}
    if unknown := sorted(shares.keys() - known):
        raise StateError(f"there is no function “{unknown[0]}”; it has {', '.join(sorted(known))}")
    if not 0.0 < tank_l <= 1e5:
        raise StateError("the tank holds more than 0 and at most 100,000 L")
    if not all(0.0 <= s <= 1.0 for s in shares.values()):
        raise StateError("a posture is a share of the stroke, 0 … 1")
    if not 0.0 < target < 1.0:
        raise StateError("what is good enough is a share between 0 and 1")
    if drained_l is not None and drained_l < 0.0:
        raise StateError("a drained volume is not negative")
    stays = tuple(sorted(_holdings(circuit, shares), key=lambda h: -h.litres))
    kept = sum(h.litres for h in stays)
    share = kept / (kept + tank_l)
    cycles = [share]
    while cycles[-1] > target and len(cycles) < MOST_CYCLES:
        cycles.append(cycles[-1] * share)
    # What the rods hold more than in the posture of the level is not in the tank.
    drawn = kept - sum(h.litres for h in _holdings(circuit, {}))
    expected = tank_l - drawn
    missing = None if drained_l is None else expected - drained_l
    return Refill(
        tank_l=tank_l,
        stays=stays,
        stays_l=kept,
        cycles=tuple(cycles),
        fresh_l=len(cycles) * tank_l,
        missing_l=missing,
        drawn_l=drawn,
        told=_told(expected, drained_l),
        priming=tuple(_priming(circuit)),
        bleeding=tuple(_bleeding(circuit)),
    )


def _told(expected_l: float, drained_l: float | None) -> str:
    if drained_l is None:
        return ""
    short = expected_l - drained_l
    if short > LOST_ABOVE * expected_l:
        return (
            f"{sized(short, 'volume')} less ran out than the tank should hold in this posture: it was low, or "
            "oil sits behind something that does not let it back"
        )
    if short < -LOST_ABOVE * expected_l:
        return f"{sized(-short, 'volume')} more ran out than the tank should hold in this posture: overfilled"
    return "as much ran out as the tank should hold in this posture"


def _values(part: Component) -> Values:
    kind = component_type(part.type)
    found: dict[str, float] = kind.Parameters.model_validate(part.parameters).model_dump()
    return found


def _holdings(circuit: Circuit, shares: Mapping[str, float]) -> list[Holding]:
    strokes: dict[str, tuple[float, float]] = {}
    for f in circuit.functions:
        net = circuit.component(f.actuator).connections[f.actuator_port]
        # Two functions may move one rod: the one that is out says where it is.
        _, out = strokes.get(net, (0.0, 0.0))
        strokes[net] = (f.stroke_mm, max(out, shares.get(f.id, 0.0)))
    found = []
    for part in circuit.components:
        kind, k = component_type(part.type), _values(part)
        if kind.cools and kind.aerates:
            continue  # the tank itself is what is drained
        litres = 0.0
        for store in kind.storage:
            if not isinstance(store, OilVolume):
                continue
            litres += store.litres(k)
            if store.rod and store.litres_per_mm is not None:
                stroke, share = strokes.get(part.connections[store.rod], (0.0, 0.0))
                litres += (
                    store.litres_per_mm(k) * stroke * ((1 - share) if store.shrinks else share)
                )
        litres += kind.fittings_l * sum(p.domain == "hydraulic" for p in kind.ports)
        if litres > 0.0:
            found.append(Holding(part.id, part.label, litres))
    return found


def _priming(circuit: Circuit) -> list[Priming]:
    """Pumps, and what lies between each and the tank."""
    tanks = {
        part.connections["suction"]
        for part in circuit.components
        if component_type(part.type).aerates
    }
    held = {h.component: h for h in _holdings(circuit, {})}
    found = []
    for pump in circuit.components:
        kind = component_type(pump.type)
        if not kind.aerated:
            continue
        way, net, seen = [pump.id], pump.connections[kind.port_names()[0]], set()
        while net not in tanks and net not in seen:
            seen.add(net)
            before = next(
                (p for p in circuit.components if p.connections.get("outlet") == net), None
            )
            if before is None or "inlet" not in before.connections:
                break
            way.append(before.id)
            net = before.connections["inlet"]
        found.append(Priming(pump.id, pump.label, tuple(held[p] for p in way if p in held)))
    return found


def _bleeding(circuit: Circuit) -> list[Bleeding]:
    fluid = circuit.fluid
    cold = viscosity_mm2_s(20.0, fluid.viscosity_40_c_mm2_s, fluid.viscosity_100_c_mm2_s)
    return [
        Bleeding(
            part.id,
            part.label,
            k["rise_m"],
            0.0 if k["rise_m"] >= 0.0 else carries_from_lpm(k["bore_mm"], cold),
        )
        for part in circuit.components
        if (k := dict(_values(part))).get("rise_m")
    ]


def slug_m_s(bore_mm: float) -> float:
    """How fast a bubble that fills a pipe rises in it, ``0.345·√(g·d)``.

    Source: Davies & Taylor, Proc. R. Soc. A 200, 1950; Dumitrescu, Z. angew. Math. Mech. 23, 1943.
    """
    return 0.345 * math.sqrt(GRAVITY * bore_mm * 1e-3)


def bubble_m_s(diameter_mm: float, bore_mm: float, viscosity_mm2_s: float) -> float:
    """How fast a bubble rises: Stokes' ``g·d²/(18ν)``, no faster than one that fills the pipe."""
    stokes = GRAVITY * (diameter_mm * 1e-3) ** 2 / (18.0 * viscosity_mm2_s * 1e-6)
    return min(stokes, slug_m_s(bore_mm))


def carries_from_lpm(bore_mm: float, viscosity_mm2_s: float) -> float:
    """Flow downhill that takes every bubble along: as fast as the largest of them rises."""
    area_m2 = 0.25 * math.pi * (bore_mm * 1e-3) ** 2
    return bubble_m_s(bore_mm, bore_mm, viscosity_mm2_s) * area_m2 * 6e4


def air_left(bore_mm: float, rise_m: float, flow_lpm: float, viscosity_mm2_s: float) -> float:
    """Share of the air in a line that a steady flow through it leaves behind.

    Uphill none. Downhill bubbles stay that rise faster than the oil goes; bubbles of every size up
    to the bore are taken to be there, so what is carried is ``(d/d_bore)⁴`` of the volume.
    """
    if rise_m >= 0.0:
        return 0.0
    speed = flow_lpm / 6e4 / (0.25 * math.pi * (bore_mm * 1e-3) ** 2)
    if speed >= bubble_m_s(bore_mm, bore_mm, viscosity_mm2_s):
        return 0.0
    carried_mm = 1e3 * math.sqrt(18.0 * viscosity_mm2_s * 1e-6 * speed / GRAVITY)
    return 1.0 - min(carried_mm / bore_mm, 1.0) ** 4
