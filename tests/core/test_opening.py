"""No gauge on a trapped load without a word; and no word where there is nothing to fear."""

from dataclasses import replace
from math import pi

import numpy as np
import pytest

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.hazards import heat_caution, pressure_hazard
from umweg.core.diagnose.opening import Openings
from umweg.core.diagnose.rest import HOLDS_ABOVE_BAR, AtRest
from umweg.core.observe.predict import Predictor, state_key
from umweg.library import load_circuit, load_jobs

KIT = load_jobs()[0].instruments


def doctor_of(circuit: Circuit | str) -> Diagnostician:
    return Diagnostician.of(load_circuit(circuit) if isinstance(circuit, str) else circuit, KIT)


def openings_of(doctor: Diagnostician, *candidates: str) -> Openings:
    """For a belief in the healthy machine and, where named, in faults at their worst."""
    population = doctor.predictor.population
    weight = np.zeros(population.count)
    weight[0] = 0.9 if candidates else 1.0
    for h, hypothesis in enumerate(population.hypotheses):
        if hypothesis.key in candidates:
            weight[population.members[h][-1]] = 0.1 / len(candidates)
    return Openings(doctor.predictor, weight)


def area_mm2(bore_mm: float) -> float:
    return pi / 4 * bore_mm**2


@pytest.mark.parametrize(
    ("circuit", "point", "held_bar"),
    [
        ("turf_lift", "outlet_port", 42_000 / area_mm2(85) * 10),
        ("loading_ramp", "bore_port", 1.6 * 16_000 / area_mm2(80) * 10),
    ],
)
def test_what_a_held_load_keeps_is_its_force_over_the_area(
    circuit: str, point: str, held_bar: float
) -> None:
    held = openings_of(doctor_of(circuit)).held(point)
    # It never keeps less than what presses on it; what was closed in before comes on top.
    doctor = doctor_of(circuit)
    row = doctor.predictor.network.net_index[doctor.circuit.test_point(point).net]
    assert AtRest(doctor.predictor).table.healthy[row] == pytest.approx(held_bar, rel=0.02)
    assert held.healthy_bar >= 0.98 * held_bar
    (words,) = openings_of(doctor_of(circuit)).cautions([point])
    assert f"keeps {held.healthy_bar:.0f} bar here with the engine off" in words
    assert "lower and support" in words
    assert words.index("lower and support") < words.index("; engine off; ")
    assert "see the gauge read zero" in words


def test_a_fault_that_locks_pressure_in_is_said_with_its_cause() -> None:
    """Oil across a leaking piston holds the load on the rod's area alone, on both sides of it."""
    doctor = doctor_of("loading_ramp")
    (sound,) = openings_of(doctor).cautions(["ring_port"])
    assert "closed in as after" in sound
    (words,) = openings_of(doctor, "cylinder:piston_bypass").cautions(["ring_port"])
    worst = openings_of(doctor, "cylinder:piston_bypass").held("ring_port")
    # The load alone; where the pump had pressed it to its stop before, that stays.
    assert worst.worst_bar > 0.95 * 1.6 * 16_000 / area_mm2(50) * 10
    assert f"up to {worst.worst_bar:.0f} bar with: Ramp cylinder: piston seal leaks" in words


def test_stored_pressure_is_emptied_and_pilot_valves_need_their_key() -> None:
    (store,) = openings_of(doctor_of("hauler_fan")).cautions(["store_port"])
    assert "keeps 155 bar" in store
    assert "empty brake accumulator" in store
    (lift,) = openings_of(doctor_of("tail_lift")).cautions(["lift_port"])
    assert "with the motor off" in lift
    assert "lower and support: platform lift" in lift
    assert "tilt" not in lift.split("motor off")[0]
    assert "key on; every switch" in lift
    assert "pilot armed" not in lift, "it has no pilot"


def test_a_load_that_needs_pilot_oil_to_come_down_is_lowered_while_the_drive_runs() -> None:
    (ramp,) = openings_of(doctor_of("loading_ramp")).cautions(["bore_port"])
    assert "lower and support while the engine still runs: ramp" in ramp
    (turf,) = openings_of(doctor_of("turf_lift")).cautions(["outlet_port"])
    assert "still runs" not in turf


def test_wires_are_not_opened(packer_predictor: Predictor) -> None:
    doctor = doctor_of("tail_lift")
    wires = [p.id for p in doctor.circuit.test_points if p.electrical]
    assert wires
    assert openings_of(doctor).cautions(wires) == []


def test_who_found_no_rest_counts_as_unknown() -> None:
    doctor = doctor_of("turf_lift")
    openings = openings_of(doctor, *(h.key for h in doctor.predictor.population.hypotheses[1:]))
    point = next(p.id for p in reversed(doctor.circuit.test_points) if p.hydraulic)
    table = openings._rest.table
    lost = table.known.copy()
    lost[1:] = False
    vars(openings._rest)["table"] = replace(table, known=lost)
    share = float(openings._weight[1:].sum())
    assert share > 0.05
    (words,) = openings.cautions([point])
    assert f"for {share:.1%} of the belief it is not known" in words


def test_a_test_is_refused_where_it_is_not_known_what_it_does(packer_predictor: Predictor) -> None:
    state = packer_predictor.circuit.states["tailgate_a_blocked"]
    weight = np.zeros(packer_predictor.population.count)
    weight[[0, 5]] = 0.99, 0.01
    packer_predictor.prepare([state])
    key = state_key(state)
    table = packer_predictor._done[key]
    known = table.known.copy()
    known[5] = False
    try:
        packer_predictor._done[key] = replace(table, known=known)
        hazard = pressure_hazard(packer_predictor, state, weight)
    finally:
        packer_predictor._done[key] = table
    assert hazard is not None
    assert hazard.refused
    assert "for 1.0% of the belief it is not known" in hazard.words


def test_ordinary_operation_cries_wolf_from_two_percent_on(packer_predictor: Predictor) -> None:
    state = packer_predictor.circuit.states["blade_extend_stalled"]
    table = packer_predictor[state]
    over = int(np.flatnonzero(table.known & (table.overload.ratio > 1.0))[0])
    for share, said in ((0.019, False), (0.021, True)):
        weight = np.zeros(packer_predictor.population.count)
        weight[[0, over]] = 1.0 - share, share
        assert (pressure_hazard(packer_predictor, state, weight) is not None) == said


def test_how_long_a_stall_may_last_follows_from_its_heat() -> None:
    """Everything the pump gives goes over the relief: p·Q/600 kW, 150 kJ at a time."""
    doctor = doctor_of("packer_truck")
    states = doctor.circuit.states
    words = heat_caution(doctor.predictor, states["blade_extend_stalled"])
    assert words is not None
    kw = float(words.split(": ")[1].split(" kW")[0])
    relief, flow = 190.0, 51 * 1.2
    assert kw == pytest.approx(relief * flow / 600, rel=0.25)
    assert words.startswith(f"{max(3, 5 * round(150 / kw / 5))} seconds")
    assert heat_caution(doctor.predictor, states["neutral_rated"]) is None
    crane = doctor_of("forwarder_crane")
    assert heat_caution(crane.predictor, crane.circuit.states["lift_stall"]) is None, (
        "a pump that destrokes at the stop makes little heat"
    )


@pytest.mark.parametrize("circuit", ["turf_lift", "tail_lift", "hauler_fan"])
def test_every_step_at_a_line_under_pressure_says_so(circuit: str) -> None:
    doctor = doctor_of(circuit)
    steps = doctor.diagnose([]).steps
    ranking, predictor = doctor.rank([])
    openings = Openings(predictor, ranking.inside)
    connected = [s for s in steps if s.kind == "reading" and s.quantity == "pressure_bar"]
    held = [s for s in connected if openings.held(s.point).healthy_bar > HOLDS_ABOVE_BAR]
    assert held
    for step in held:
        (said,) = (c for c in step.cautions if c.startswith(f"{step.point_label}: "))
        assert "engine off" in said or "motor off" in said
