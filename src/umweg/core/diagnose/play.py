"""Doing on a simulated machine what a planned step asks; for benchmarks, tests and teaching."""

from umweg.core.diagnose.steps import Step
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.moving import When
from umweg.core.observe.observations import Observation


def observe(machine: HiddenMachine, step: Step, identifier: str) -> Observation:
    """Make the observation that a step asks for, with the noise of its instrument.

    Raises
    ------
    SolveError : the machine has no steady state in the step's state.
    """
    seen: Observation = step.asks.witnessed(machine, step.instrument)  # type: ignore[assignment]
    return seen.model_copy(update={"id": identifier})


def complaint(machine: HiddenMachine, when: When = "warm") -> list[Observation]:
    """What the operator tells about every function."""
    return [
        Behaviour(id=f"b-{f.id}-{m}", function=f.id, move=m, how="as_usual", when=when).witnessed(
            machine
        )
        for f in machine.circuit.functions
        for m in f.moves
    ]
