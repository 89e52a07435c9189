"""Where the oil goes in a state: the flow at every hydraulic port."""

import numpy as np

from umweg.core.components.base import Array, evaluate
from umweg.core.network.network import Network, SolvableState


def port_flows_lpm(network: Network, state: SolvableState, across: Array) -> dict[str, float]:
    """Flow into each hydraulic port of each component.

    Parameters
    ----------
    across : (N_all,) solved across variables of one machine in that state

    Returns
    -------
    ``component.port`` to flow into the component [L/min]
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
                if port.domain == "hydraulic":
                    flows[f"{component}.{port.name}"] = float(through[c, p, 0])
    return flows
