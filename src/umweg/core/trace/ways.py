"""Where the oil goes in a state: the flow at every port."""

import numpy as np

from umweg.core.components import component_type
from umweg.core.components.base import Array, evaluate
from umweg.core.network.network import Network, SolvableState


def port_flows_lpm(network: Network, state: SolvableState, across: Array) -> dict[str, float]:
    """Flow into each hydraulic port of each component, ``component.port`` to L/min.

    Parameters as :func:`port_throughs`.
    """
    oil = {
        f"{part.id}.{port.name}"
        for part in network.parts
        for port in component_type(part.type).ports
        if port.domain == "hydraulic"
    }
    return {k: v for k, v in port_throughs(network, state, across).items() if k in oil}


def port_throughs(network: Network, state: SolvableState, across: Array) -> dict[str, float]:
    """Through variable into each port of each component, scaled so that across × through is power.

    Parameters
    ----------
    across : (N_all,) solved across variables of one machine in that state

    Returns
    -------
    ``component.port`` to flow into the component [L/min], and its like in the other domains
    """
    flows: dict[str, float] = {}
    viscosity = np.array([state.viscosity_mm2_s])
    for group in network.groups:
        count, width = len(group.component_ids), group.parameter_count
        rows = state.parameters[group.first_parameter : group.first_parameter + count * width]
        through, _ = evaluate(
            group.kind, across[group.nets][:, :, None], rows.reshape(count, width, 1), viscosity
        )
        for c, component in enumerate(group.component_ids):
            for p, port in enumerate(group.kind.ports):
                flows[f"{component}.{port.name}"] = float(through[c, p, 0])
    return flows
