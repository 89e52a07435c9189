"""Adjusting: which value of a screw or shim pack makes a reading what it should be."""

from collections.abc import Sequence
from dataclasses import dataclass

from umweg.core.circuit.document import Adjuster, MachineState
from umweg.core.errors import StateError
from umweg.core.observe.machine import Machine
from umweg.core.observe.quantities import Quantity
from umweg.core.solve.steady import SteadySolver


@dataclass(frozen=True)
class Difference:
    """What is set by: one reading, or the difference of two at the same moment."""

    upper: Quantity
    lower: Quantity | None = None


@dataclass(frozen=True)
class Adjustment:
    """The value to set, and how far the adjuster has to go from where it is."""

    value: float
    change: float
    turns: float | None
    shims: int | None
    within_limit: bool


def adjustment_for(
    solver: SteadySolver,
    state: MachineState,
    parameter: str,
    reading: Difference,
    target: float,
    as_found: Sequence[tuple[str, float]] = (),
) -> Adjustment:
    """The value of a parameter at which a reading becomes ``target``.

    Parameters
    ----------
    solver : of the machine's circuit
    state : how the machine stands while it is set
    parameter : ``component.name`` of what is adjusted
    reading : a quantity, or the difference of two (outlet less demand signal)
    target : in the reading's base unit
    as_found : other parameters that are known to differ on this machine

    Raises
    ------
    StateError : no adjuster at that parameter, or no value within its range reaches the target.
    """
    # Nobody else needs it, and it takes longer to load than most questions to answer.
    from scipy.optimize import brentq

    network = solver.network
    component_id, _, name = parameter.partition(".")
    if parameter not in network.slot:
        raise StateError(f"there is no parameter “{parameter}”")
    part = network.circuit.component(component_id)
    adjuster = part.service.adjuster
    if adjuster is None or adjuster.parameter != name:
        raise StateError(f"“{part.label}” has no adjuster for {name}")
    found = dict(as_found)
    now = found.pop(parameter, network.base_parameters[network.slot[parameter]])

    def error(value: float) -> float:
        return _read(solver, state, {**found, parameter: value}, reading) - target

    low, high = 0.2 * adjuster.limit, 1.6 * adjuster.limit
    if error(low) * error(high) > 0.0:
        raise StateError(
            f"no setting of “{part.label}” between {low:.3g} and {high:.3g} brings the reading to "
            f"{target:.4g}: something else is wrong"
        )
    value = float(brentq(error, low, high, xtol=1e-4))
    return _adjustment(adjuster, value, now)


def _adjustment(adjuster: Adjuster, value: float, now: float) -> Adjustment:
    change = value - now
    per_turn, per_shim = adjuster.bar_per_turn, adjuster.bar_per_shim
    return Adjustment(
        value,
        change,
        None if per_turn is None else change / per_turn,
        None if per_shim is None else round(change / per_shim),
        value <= adjuster.limit,
    )


def _read(
    solver: SteadySolver, state: MachineState, values: dict[str, float], reading: Difference
) -> float:
    own = {solver.network.slot[key]: value for key, value in values.items()}
    machine = Machine(solver.network.circuit, solver, own)
    upper = machine.value(reading.upper, state)
    return upper if reading.lower is None else upper - machine.value(reading.lower, state)
