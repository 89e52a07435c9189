"""Doing on a simulated machine what a planned step asks; for benchmarks, tests and teaching."""

import numpy as np

from umweg.core.diagnose.evidence import noise_sd
from umweg.core.diagnose.steps import Step
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.observations import (
    Behaviour,
    IndicatorLook,
    Look,
    Observation,
    Reading,
    When,
)
from umweg.core.observe.quantities import UNIT_OF_KIND, Quantity


def observe(machine: HiddenMachine, step: Step, identifier: str) -> Observation:
    """Make the observation that a step asks for, with the noise of its instrument.

    Raises
    ------
    SolveError : the machine has no steady state in the step's state.
    """
    circuit = machine.circuit
    if step.kind == "behaviour":
        function, _, move = step.point.partition(".")
        how = machine.behaves(function, move, "warm")
        return Behaviour(id=identifier, function=function, move=move, how=how)
    if step.kind == "indicator":
        tripped = machine.indicator(step.point, circuit.states[step.state])
        return IndicatorLook(id=identifier, component=step.point, state=step.state, tripped=tripped)
    if step.kind == "oil":
        return Look(id=identifier, look=machine.oil())
    quantity = Quantity.named(step.quantity, step.point)
    state = circuit.states[step.state]
    true = machine.value(quantity, state)
    if quantity.compressed:
        value = true * float(np.exp(0.2 * machine.draw()))
    else:
        value = true + noise_sd(quantity, true, step.instrument) * machine.draw()
    return Reading.model_validate(
        {
            "id": identifier,
            "point": step.point,
            "quantity": step.quantity,
            "state": step.state,
            "value": value,
            "unit": UNIT_OF_KIND[quantity.kind],
            "instrument": None if step.instrument is None else step.instrument.id,
        }
    )


def complaint(machine: HiddenMachine, when: When = "warm") -> list[Observation]:
    """What the operator tells about every function."""
    return [
        Behaviour(
            id=f"b-{f.id}-{m}", function=f.id, move=m, how=machine.behaves(f.id, m, when), when=when
        )
        for f in machine.circuit.functions
        for m in f.moves
    ]
