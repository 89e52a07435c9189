"""May I do this: what a state would do to the parts, what it would show, and the gentler way."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from umweg.core.circuit.document import MachineState
from umweg.core.diagnose.hazards import Hazard, heat_caution, pressure_hazard
from umweg.core.diagnose.plan import Planner
from umweg.core.diagnose.ranking import Band
from umweg.core.errors import ObservationError, SolveError
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.quantities import Quantity, at_point
from umweg.core.observe.weights import noise_at


@dataclass(frozen=True)
class Shows:
    """What a reading would show, with what instrument."""

    quantity: Quantity
    instrument: Instrument | None
    highest_bar: float | None
    healthy: Band | None
    by_suspect: tuple[Band, ...]


@dataclass(frozen=True)
class Permission:
    """The answer: the machine's own parts come first, a healthy machine before any suspect."""

    allowed: bool
    healthy_breaks: str
    """What breaks on the healthy machine already; nothing where nothing does."""
    hazard: Hazard | None
    cautions: tuple[str, ...]
    shows: Shows | None
    gentler: tuple[str, ...]
    """Ways that show the same and are allowed."""


def may(planner: Planner, state: MachineState, point: str | None = None) -> Permission:
    """Judge a state, and a pressure or voltage read in it, before anybody does it.

    Raises
    ------
    ObservationError : the circuit has no such test point.
    StateError : the circuit cannot be in this state.
    SolveError : the healthy machine has no steady state there.
    """
    circuit = planner.circuit
    if point is not None and all(p.id != point for p in circuit.test_points):
        known = ", ".join(p.id for p in circuit.test_points)
        raise ObservationError(f"there is no test point “{point}”; the machine has {known}")
    hazard = pressure_hazard(planner.predictor, state, planner.weight)
    healthy = _healthy_breaks(planner, state)
    opened = {i.point for i in state.interventions} | ({point} if point else set())
    heat = heat_caution(planner.predictor, state)
    allowed = not healthy and not (hazard is not None and hazard.refused)
    return Permission(
        allowed,
        healthy,
        hazard,
        (*planner.openings.cautions(opened), *state.cautions, *([heat] if heat else [])),
        None if point is None else _shows(planner, state, point),
        () if allowed else tuple(_gentler(planner, state)),
    )


def _healthy_breaks(planner: Planner, state: MachineState) -> str:
    table = planner.predictor[state]
    if table.overload.ratio[0] <= 1.0:
        return ""
    port = table.rated_ports[int(table.overload.port[0])]
    component_id, _, port_name = port.partition(".")
    part = planner.circuit.component(component_id)
    return (
        f"the healthy machine itself would put {table.overload.pressure_bar[0]:.0f} bar on port "
        f"{port_name} of {part.label}, rated {part.ratings[port_name]:.0f} bar"
    )


def _shows(planner: Planner, state: MachineState, point: str) -> Shows:
    place = planner.circuit.test_point(point)
    quantity = at_point(place)
    table = planner.predictor[state]
    row = table.row(quantity)
    instrument, highest = planner.instrument_for(quantity, state)
    mean, variance = planner.belief.posterior(table.mean[row], table.slope[row])
    typical = float(np.average(mean[planner.live], weights=planner.weight[planner.live]))
    variance = variance + noise_at(quantity, typical, instrument) ** 2
    suspects = (k for k in planner.ranking.keys if k != "healthy")
    bands = [planner.band(key, quantity, mean, variance) for key in suspects]
    return Shows(
        quantity,
        instrument,
        highest,
        planner.band("healthy", quantity, mean, variance),
        tuple(b for b in bands if b is not None),
    )


def _gentler(planner: Planner, state: MachineState) -> list[str]:
    """The same at idle, at half the load on the meter, or without shop kit, where that is safe."""
    found = []
    for words, changes in _milder(state):
        milder = state.model_copy(update=changes)
        try:
            hazard = pressure_hazard(planner.predictor, milder, planner.weight)
            if not _healthy_breaks(planner, milder) and not (hazard and hazard.refused):
                found.append(words)
        except SolveError:
            continue
    return found


def _milder(state: MachineState) -> Sequence[tuple[str, dict[str, object]]]:
    ways: list[tuple[str, dict[str, object]]] = []
    if state.engine not in ("off", "idle"):
        ways.append(("the same with the engine at idle", {"engine": "idle"}))
    loaded = [i for i in state.interventions if i.load_bar > 0]
    if loaded:
        halved = [i.model_copy(update={"load_bar": 0.5 * i.load_bar}) for i in state.interventions]
        top = max(i.load_bar for i in halved)
        ways.append((f"the same with the load valve at {top:.0f} bar", {"interventions": halved}))
    if state.interventions:
        ways.append(
            ("a gauge at a coupling in the same state, nothing opened", {"interventions": []})
        )
    return ways
