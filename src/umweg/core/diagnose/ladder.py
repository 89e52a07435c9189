"""The fixed order of the trade: standby, then stall, then loaded; at the source before the branch.

Whoever has no belief to go by takes every reading in this order. Planning uses it to part steps
that tell as good as the same in a minute, so that a plan reads as a practitioner's.
"""

from collections.abc import Iterable

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import Quantity

Rung = tuple[int, int, int, float, str, str]
"""Where a reading stands; the lower comes first."""
LOOK: Rung = (-1, 0, 0, 0.0, "", "")
"""What is seen or said before anything is connected."""
Asked = tuple[str, Quantity]
"""Name of a state, and what is read in it."""


def in_ladder(predictor: Predictor, readings: Iterable[Asked]) -> list[Asked]:
    """Readings of named states in the order of the trade."""
    return sorted(readings, key=lambda asked: rung(predictor, *asked))


def rung(predictor: Predictor, name: str, quantity: Quantity) -> Rung:
    """Where a reading in a named state stands.

    The stage of the state, the state by its place in the circuit, what needs a hand and an eye
    before what needs a gauge, then from the highest pressure of the machine in order downward.
    """
    circuit = predictor.circuit
    state = circuit.states[name]
    order = list(circuit.states).index(name)
    pressure = 0.0
    if quantity.at_point and not state.passing:
        row = predictor.network.net_index[circuit.test_point(quantity.place).net]
        pressure = float(predictor.healthy(state)[row])
    return (
        4 if quantity.timed else stage(circuit, state),
        order,
        int(quantity.at_point),
        -pressure,
        quantity.place,
        quantity.kind,
    )


def stage(circuit: Circuit, state: MachineState) -> int:
    """0 standby, 1 stalled, 2 moving, 3 with the shop's kit in the circuit."""
    if state.interventions:
        return 3
    moved = [f.id for f in circuit.functions if f.id in state.moves]
    if not moved:
        return 0
    return 1 if any(state.loads.get(f) == "stalled" for f in moved) else 2
