"""A reading that somebody wants to take by themselves: what it would show, tell and risk."""

from collections.abc import Sequence
from dataclasses import dataclass

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.plan import Planner, readable
from umweg.core.diagnose.setup import setup_after
from umweg.core.diagnose.steps import Step
from umweg.core.errors import ObservationError
from umweg.core.observe.kinds.base import resolve_state
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.observations import Observation
from umweg.core.observe.quantities import Quantity, quantities_of, quantity_of


@dataclass(frozen=True)
class Offer:
    """Something that can be read, and the named states in which it can."""

    quantity: Quantity
    states: tuple[str, ...]


def could_be_read(circuit: Circuit) -> list[Offer]:
    """Everything that can be read of a machine, what is read in time last.

    A pressure is there in every state, also where nobody would read it for its own sake; what is
    specified for a state is read in it, whatever moves there.
    """
    specified = {(s.quantity, s.point, s.state) for s in circuit.specifications}
    found = []
    for quantity in quantities_of(circuit):
        states = tuple(
            name
            for name in circuit.steady
            if (quantity.kind, quantity.place, name) in specified or _could(circuit, quantity, name)
        )
        if states:
            found.append(Offer(quantity, states))
    return found + [Offer(quantity_of(t), (t.state,)) for t in circuit.timings]


def _could(circuit: Circuit, quantity: Quantity, name: str) -> bool:
    if quantity.kind == "pressure_bar":
        return "tee_gauge" in circuit.test_point(quantity.place).methods
    return readable(circuit, quantity, circuit.steady[name])


def own_step(planner: Planner, reading: Reading, observations: Sequence[Observation]) -> Step:
    """A reading judged like a step that is offered, however little it tells.

    Raises
    ------
    ObservationError : the circuit has no such place or state, or a flow is asked for without its
        meter in line.
    SolveError : the healthy machine has no steady state there.
    """
    reading.check(planner.exhibits.suspects)
    state = resolve_state(planner.circuit, reading.state)
    metered = any(i.point == reading.point and i.kind == "inline_flow" for i in state.interventions)
    if reading.quantity == "flow_lpm" and not metered:
        place = planner.circuit.test_point(reading.point).label
        raise ObservationError(f"flow at “{place}” wants the meter in line there, in that state")
    if not state.passing:
        planner.predictor.prepare([state])
    setup = setup_after(planner.circuit, observations)
    (step,) = planner.reading_steps([reading], setup, least_bits=-1.0)
    return planner.with_bands(step)
