"""What is not known of a faulty part itself: how much of it is left in what the machine shows."""

import numpy as np
import pytest

from tests.core.machines import solver_of
from umweg.core.components import component_type
from umweg.core.components.base import FaultMode
from umweg.core.faults.population import parse_fault, single_faults
from umweg.core.observe.machine import Machine
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import Quantity, to_scale


@pytest.mark.parametrize(
    ("circuit_id", "fault", "place", "state"),
    [
        ("chipper_lubrication", "line_4:plugged", "main_port", "cycle"),
        ("chipper_lubrication", "divider:over_torqued", "main_port", "cycle"),
        ("packer_truck", "main_relief:set_low", "pump_outlet", "blade_extend_stalled"),
        ("packer_truck", "pump:worn", "pump_outlet", "blade_extend_stalled"),
    ],
)
def test_machines_with_one_fault_differ_as_far_as_the_fault_leaves_it(
    circuit_id: str, fault: str, place: str, state: str
) -> None:
    """Every other severity played with its own parameter a little up and a little down."""
    solver = solver_of(circuit_id)
    network = solver.network
    circuit = network.circuit
    population = single_faults(network)
    predictor = Predictor(circuit, population, solver)
    known, _ = parse_fault(network, f"{fault}=1")
    named = circuit.states[state]
    quantity = Quantity.named("pressure_bar", place)
    prediction = predictor[named]
    row = prediction.row(quantity)
    unknown = predictor.unknowns.slot.tolist().index(known.slot)
    sigma = float(predictor.unknowns.sigma[unknown])
    hypothesis = [h.key for h in population.hypotheses].index(fault)
    for candidate in population.members[hypothesis][::2]:
        severity = float(population.severity[candidate, 0])

        def shown(away: float, severity: float = severity) -> float:
            drawn = known.healthy + away * sigma
            own = {known.slot: float(known.mode.value(drawn, severity))}
            value = Machine(circuit, solver, own).value(quantity, named)
            return float(to_scale(quantity, np.asarray(value)))

        told = float(prediction.slope[row][unknown, candidate])
        assert told == pytest.approx(
            (shown(0.05) - shown(-0.05)) / 0.1, rel=0.05, abs=2e-3 * abs(shown(0.0)) + 1e-6
        ), severity


def every_mode() -> list[FaultMode]:
    """One mode of each scale."""
    parts = (
        "progressive_divider",
        "grease_line",
        "grease_pump",
        "relief_valve",
        "line",
        "check_valve",
    )
    found = {m.scale: m for p in parts for m in component_type(p).fault_modes}
    return list(found.values())


@pytest.mark.parametrize("mode", every_mode(), ids=lambda m: m.scale)
def test_what_is_kept_is_the_slope_of_the_value(mode: FaultMode) -> None:
    for severity in (0.0, 0.3, 1.0):
        slope = (mode.value(1.001, severity) - mode.value(0.999, severity)) / 0.002
        assert float(mode.kept(severity)) == pytest.approx(float(slope), abs=1e-9)


def test_who_leaks_a_hundred_times_as_much_answers_no_hundred_times_as_much() -> None:
    """What is read in time, each severity played with its own parameter a little up and down."""
    solver = solver_of("turf_lift")
    network, circuit = solver.network, solver.network.circuit
    population = single_faults(network)
    predictor = Predictor(circuit, population, solver)
    known, _ = parse_fault(network, "lowering_spool:spool_worn=1")
    quantity = Quantity("moved_mm", "sink")
    state = circuit.states[circuit.timing(quantity.place).state]
    told = predictor.timed(quantity)
    unknown = predictor.unknowns.slot.tolist().index(known.slot)
    sigma = float(predictor.unknowns.sigma[unknown])
    hypothesis = [h.key for h in population.hypotheses].index("lowering_spool:spool_worn")
    seen = []
    for candidate in population.members[hypothesis]:
        severity = float(population.severity[candidate, 0])

        def shown(away: float, severity: float = severity) -> float:
            drawn = known.healthy + away * sigma
            own = {known.slot: float(known.mode.value(drawn, severity))}
            value = Machine(circuit, solver, own).value(quantity, state)
            return float(to_scale(quantity, np.asarray(value)))

        played = (shown(0.5) - shown(-0.5)) / 1.0
        assert told.slope[unknown, candidate] == pytest.approx(played, abs=0.1), severity
        seen.append(played)
    # On its scale nobody answers with more than the tolerance itself, and some do.
    assert 0.1 < max(seen) < 0.6
