"""Where the oil goes in a state: the flow at every port."""

import numpy as np

from umweg.core.components import component_type
from umweg.core.components.base import Array, evaluate
from umweg.core.network.network import Network, SolvableState


def port_flows_lpm(
    network: Network, state: SolvableState, across: Array, parameters: Array | None = None
) -> tuple[tuple[str, ...], Array]:
    """Flow into each hydraulic port of each component, ports (F,) and flows (F, B) [L/min].

    Parameters as :func:`port_throughs`.
    """
    oil = {
        f"{part.id}.{port.name}"
        for part in network.parts
        for port in component_type(part.type).ports
        if port.domain == "hydraulic"
    }
    ports, through = port_throughs(network, state, across, parameters)
    rows = [i for i, port in enumerate(ports) if port in oil]
    return tuple(ports[i] for i in rows), through[rows]


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
