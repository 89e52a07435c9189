"""Where the power goes: what drives, what moves a load, what heats the oil, what cools it."""

from dataclasses import dataclass

import numpy as np

from umweg.core.components import component_type
from umweg.core.components.base import Array, evaluate
from umweg.core.network.network import Network, SolvableState

KW_PER_BAR_LPM = 1.0 / 600.0
"""1 bar·L/min in kW."""


def port_throughs(
    network: Network, state: SolvableState, across: Array, parameters: Array | None = None
) -> tuple[tuple[str, ...], Array]:
    """Through variable into each port of each component, scaled so that across × through is power.

    Parameters
    ----------
    across : (N_all, B) solved across variables of B machines in that state
    parameters : (M, B) what they are made of, default the machine as specified

    Returns
    -------
    ports (F,) as ``component.port``; (F, B) flow into the component [L/min], and its like in the
    other domains
    """
    ports: list[str] = []
    rows: list[Array] = []
    count = across.shape[1]
    if parameters is None:
        parameters = np.repeat(state.parameters[:, None], count, axis=1)
    viscosity = network.viscosity([state], np.zeros(count, dtype=np.intp), parameters)
    for group in network.groups:
        parts, width = len(group.component_ids), group.parameter_count
        own = parameters[group.first_parameter :][: parts * width].reshape(parts, width, count)
        through, _ = evaluate(group.kind, across[group.nets], own, viscosity)
        ports += [f"{c}.{port.name}" for c in group.component_ids for port in group.kind.ports]
        rows.append(through.reshape(-1, count))
    return tuple(ports), np.concatenate(rows)


@dataclass(frozen=True)
class PowerBalance:
    """Power of B machines in one state [kW]; every value (B,)."""

    driven_kw: Array
    """What engine, battery and arm put in."""
    load_kw: Array
    """What the loads took; negative where they drive the machine."""
    stored_kw: Array
    """What gas stores took in; negative where they give."""
    heat_kw: Array
    """What is left in oil, coils and clutches as heat."""
    heat_by_part_kw: dict[str, Array]


def power_balance(
    network: Network, state: SolvableState, across: Array, parameters: Array | None = None
) -> PowerBalance:
    """Power that every part takes in at its ports, summed by what becomes of it.

    Parameters as :func:`port_throughs`. The sums close: what is put in is what the loads took, what
    was stored and what became heat.
    """
    ports, flows = port_throughs(network, state, across, parameters)
    through = dict(zip(ports, flows, strict=True))
    movers = {m.id for m in network.circuit.prime_movers}
    driven, load, stored = np.zeros((3, across.shape[1]))
    heat: dict[str, Array] = {}
    for part in network.parts:
        kind = component_type(part.type)
        at_port = {
            p: KW_PER_BAR_LPM
            * through[f"{part.id}.{p}"]
            * across[network.net_index[part.connections[p]]]
            for p in kind.port_names()
        }
        power: Array = sum(at_port.values(), np.zeros(across.shape[1]))
        for p, kw in at_port.items():
            if part.connections[p] in movers:
                driven += kw
        hydraulic = any(p.domain == "hydraulic" for p in kind.ports)
        electrical = any(p.domain == "electrical" for p in kind.ports)
        if not kind.passive and (electrical or kind.by_hand):
            driven -= np.minimum(power, 0.0)
            heat[part.id] = np.maximum(power, 0.0)
        elif not hydraulic and not electrical and len(kind.ports) == 1:
            load += power
        elif kind.emptied_by:
            stored += power
        else:
            heat[part.id] = power
    total: Array = sum(heat.values(), np.zeros(across.shape[1]))
    return PowerBalance(driven, load, stored, total, heat)


def cooling_kw_per_k(
    network: Network, state: SolvableState, across: Array, parameters: Array
) -> Array:
    """(B,) heat that tank and coolers give away per degree above the air; as :func:`port_throughs`."""
    count = across.shape[1]
    viscosity = network.viscosity([state], np.zeros(count, dtype=np.intp), parameters).reshape(-1)
    total: Array = np.zeros(count)
    for part in network.parts:
        kind = component_type(part.type)
        if not kind.cools:
            continue
        k = {n: parameters[network.slot[f"{part.id}.{n}"]] for n in kind.parameter_names()}
        nets = {p: across[network.net_index[part.connections[p]]] for p in kind.port_names()}
        total = total + kind.cooling(k, nets, viscosity)
    return total
