"""Where the power goes: what drives, what moves a load, what heats the oil."""

from dataclasses import dataclass

from umweg.core.components import component_type
from umweg.core.components.base import Array
from umweg.core.network.network import Network, SolvableState
from umweg.core.trace.ways import port_throughs

KW_PER_BAR_LPM = 1.0 / 600.0
"""1 bar·L/min in kW."""


@dataclass(frozen=True)
class PowerBalance:
    """Power of one machine in one state [kW]."""

    driven_kw: float
    """What engine, battery and arm put in."""
    load_kw: float
    """What the loads took; negative where they drive the machine."""
    heat_kw: float
    """What is left in oil, coils and clutches as heat."""
    heat_by_part_kw: dict[str, float]


def power_balance(network: Network, state: SolvableState, across: Array) -> PowerBalance:
    """Power that every part takes in at its ports, summed by what becomes of it.

    Parameters
    ----------
    across : (N_all,) solved across variables of one machine in that state

    The three sums close: what is put in is what the loads took and what became heat.
    """
    ports, flows = port_throughs(network, state, across[:, None])
    through = dict(zip(ports, flows[:, 0].tolist(), strict=True))
    movers = {m.id for m in network.circuit.prime_movers}
    driven = load = 0.0
    heat: dict[str, float] = {}
    for part in network.parts:
        kind = component_type(part.type)
        at_port = {
            p: KW_PER_BAR_LPM
            * through[f"{part.id}.{p}"]
            * float(across[network.net_index[part.connections[p]]])
            for p in kind.port_names()
        }
        power = sum(at_port.values())
        driven += sum(kw for p, kw in at_port.items() if part.connections[p] in movers)
        hydraulic = any(p.domain == "hydraulic" for p in kind.ports)
        electrical = any(p.domain == "electrical" for p in kind.ports)
        if not kind.passive and (electrical or kind.by_hand) and power < 0.0:
            driven -= power
        elif not hydraulic and not electrical and len(kind.ports) == 1:
            load += power
        else:
            heat[part.id] = power
    return PowerBalance(driven, load, sum(heat.values()), heat)
