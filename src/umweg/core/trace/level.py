"""What the tank's level does with the posture: extended cylinders hold oil."""

from math import pi

from umweg.core.circuit.document import Circuit, Component
from umweg.core.components import component_type


def drawn_l(circuit: Circuit, extended: dict[str, float]) -> float:
    """Oil that the cylinders draw from the tank between rods in and the given posture.

    A double-acting cylinder swaps sides and draws only its rod's volume; a single-acting one
    draws its whole bore.

    Parameters
    ----------
    extended : function id to share of its stroke, 0 … 1

    Returns
    -------
    float — volume [L]; the level falls by it

    Raises
    ------
    KeyError : a function the circuit does not have.
    """
    total = 0.0
    for function_id, share in extended.items():
        function = next((f for f in circuit.functions if f.id == function_id), None)
        if function is None:
            raise KeyError(function_id)
        net = circuit.component(function.actuator).connections[function.actuator_port]
        for part in circuit.components:
            if part.connections.get("rod") == net:
                total += _swept_cm2(part) * function.stroke_mm * share * 1e-4
    return total


def _swept_cm2(part: Component) -> float:
    """Area whose oil comes from the tank as the rod comes out [cm²]; 0 for what is no cylinder."""
    kind = component_type(part.type)
    values = kind.Parameters.model_validate(part.parameters).model_dump()
    if "bore_mm" not in values or not kind.stores_oil:
        return 0.0
    diameter = values.get("rod_mm", values["bore_mm"])
    return float(pi / 4.0 * diameter**2 / 100.0)
