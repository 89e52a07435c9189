"""Where the oil goes in a state: the flow at every port."""

from umweg.core.components import component_type
from umweg.core.components.base import Array
from umweg.core.network.network import Network, SolvableState
from umweg.core.solve.power import port_throughs


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
