"""Is a step safe: the worst pressure over all live candidates against the parts' ratings."""

from dataclasses import dataclass

import numpy as np

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components.base import Array
from umweg.core.observe.predict import Predictor

REFUSE_TEST_ABOVE = 0.002
"""A step with shop kit in the circuit is refused when this share of the belief breaks a rating."""
REFUSE_OPERATION_ABOVE = 0.5
"""Operating the machine as it is built to be operated, as its operator does every day, is refused
only above this share; below it the hazard is shown as a caution and the step is put back."""
LIVE = 1e-4


@dataclass(frozen=True)
class Hazard:
    """What could break, under whom, and how likely."""

    port: str
    pressure_bar: float
    rating_bar: float
    suspect: str
    share: float
    refused: bool
    words: str


def pressure_hazard(predictor: Predictor, state: MachineState, weight: Array) -> Hazard | None:
    """The worst rated port in a state over the live candidates; None when all stay below."""
    table = predictor[state]
    live = weight > LIVE
    over = live & table.known & (table.overload.ratio > 1.0)
    if not over.any():
        return None
    worst = int(np.where(over, table.overload.ratio, 0.0).argmax())
    port = table.rated_ports[int(table.overload.port[worst])]
    component_id, _, port_name = port.partition(".")
    component = predictor.circuit.component(component_id)
    rating = component.ratings[port_name]
    pressure = float(table.overload.pressure_bar[worst])
    share = float(weight[over].sum())
    limit = REFUSE_TEST_ABOVE if state.interventions else REFUSE_OPERATION_ABOVE
    hypothesis = predictor.population.hypotheses[int(predictor.population.hypothesis[worst])]
    cause = (
        " and ".join(
            f"{predictor.circuit.component(f.component_id).label}: {f.mode.label}"
            for f in hypothesis.faults
        )
        or "a healthy machine"
    )
    words = (
        f"{component.label} would see {pressure:.0f} bar at port {port_name}, rated "
        f"{rating:.0f} bar, with: {cause}"
    )
    return Hazard(port, pressure, rating, hypothesis.key, share, share > limit, words)


def live_line_cautions(circuit: Circuit, predictor: Predictor, state: MachineState) -> list[str]:
    """Lines that hold pressure with the engine off while what this step connects is opened."""
    opened = {i.point for i in state.interventions}
    if not opened:
        return []
    parked = MachineState(
        label="engine off, loads held",
        engine="off",
        oil_c=state.oil_c,
        loads={f.id: "held" for f in circuit.functions if "held" in f.loads},
    )
    healthy = predictor[parked].healthy
    found = []
    for point_id in sorted(opened):
        point = circuit.test_point(point_id)
        pressure = float(healthy[predictor.network.net_index[point.net]])
        if pressure > 5.0:
            found.append(
                f"{point.label}: the load keeps {pressure:.0f} bar here with the engine off; "
                "lower and support it, and read zero before opening"
            )
    return found
