"""Readings of somebody's own choice: judged like any step, in named states and in others."""

import numpy as np
import pytest

from tests.core.test_plan import SINKS, doctor_of
from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.own import could_be_read, own_step
from umweg.core.diagnose.plan import LEAST_BITS, readable
from umweg.core.diagnose.report import step_view
from umweg.core.errors import ObservationError
from umweg.core.observe.kinds.readings import blank
from umweg.core.observe.quantities import Quantity
from umweg.library import circuit_ids, load_circuit


@pytest.fixture(scope="module")
def turf() -> Diagnostician:
    return doctor_of("turf_lift")


@pytest.mark.parametrize("circuit_id", circuit_ids())
def test_everything_that_can_be_read_is_offered_once_with_its_states(circuit_id: str) -> None:
    circuit = load_circuit(circuit_id)
    offers = could_be_read(circuit)
    assert len({o.quantity for o in offers}) == len(offers)
    assert {s for o in offers for s in o.states} <= set(circuit.states)
    assert all(o.states for o in offers)
    # What the plan may propose is among it, and so is every specification.
    named = {(o.quantity, s) for o in offers for s in o.states}
    for spec in circuit.specifications:
        assert (Quantity.named(spec.quantity, spec.point), spec.state) in named
    for name, state in circuit.steady.items():
        for o in offers:
            if not o.quantity.timed and readable(circuit, o.quantity, state):
                assert name in o.states


def test_it_is_the_step_that_is_proposed(turf: Diagnostician) -> None:
    proposed = next(s for s in turf.diagnose(SINKS).steps if s.kind == "reading" and s.healthy)
    planner = turf.planner(SINKS)
    quantity = Quantity.named(proposed.quantity, proposed.point)
    mine = own_step(planner, blank(quantity, proposed.state), SINKS)
    assert mine.bits == pytest.approx(proposed.bits)
    assert mine.saving == pytest.approx(proposed.saving)
    assert (mine.healthy, mine.by_suspect) == (proposed.healthy, proposed.by_suspect)
    assert mine.cautions == proposed.cautions


def test_what_tells_nothing_is_judged_all_the_same(turf: Diagnostician) -> None:
    planner = turf.planner(SINKS)
    circuit = turf.circuit
    steps = [
        own_step(planner, blank(o.quantity, o.states[0]), SINKS)
        for o in could_be_read(circuit)
        if not o.quantity.timed
    ]
    assert min(s.bits for s in steps) < LEAST_BITS
    assert all(s.healthy is not None for s in steps)


def test_a_state_put_together_on_the_spot_has_pressures_of_its_own(turf: Diagnostician) -> None:
    circuit: Circuit = turf.circuit
    planner = turf.planner(SINKS)
    named = "raise_light" if "raise_light" in circuit.steady else next(iter(circuit.steady))
    point = circuit.test_points[0].id
    asked = blank(Quantity.named("pressure_bar", point), named)
    base = circuit.steady[named]
    cold = base.model_copy(update={"label": "the same, cold", "oil_c": base.oil_c - 35.0})
    warm = own_step(planner, asked, SINKS)
    mine = own_step(planner, asked.model_copy(update={"state": cold}), SINKS)
    assert (mine.state, mine.state_label) == ("", "the same, cold")
    assert mine.healthy is not None
    assert warm.healthy is not None
    assert (mine.healthy.low, mine.healthy.high) != (warm.healthy.low, warm.healthy.high)
    found = turf.predictor.healthy(cold)[
        turf.predictor.network.net_index[circuit.test_points[0].net]
    ]
    assert mine.healthy.low < found < mine.healthy.high
    view = step_view(circuit, mine)
    assert view.reading is not None
    assert view.reading.state == cold


def test_a_place_or_state_that_is_not_there_is_refused(turf: Diagnostician) -> None:
    planner = turf.planner(SINKS)
    point = turf.circuit.test_points[0].id
    with pytest.raises(ObservationError):
        own_step(planner, blank(Quantity.named("pressure_bar", point), "no_such_state"), SINKS)
    with pytest.raises(ObservationError):
        own_step(planner, blank(Quantity.named("pressure_bar", "nowhere"), "held"), SINKS)


def test_what_would_break_something_is_said_and_refused() -> None:
    doctor = doctor_of("packer_truck")
    planner = doctor.planner(())
    circuit = doctor.circuit
    refused = {
        (s.point, s.state) for s in doctor.diagnose(()).steps if s.refused and s.hazard is not None
    }
    assert refused
    point, state = sorted(refused)[0]
    assert own_step(planner, blank(Quantity.named("pressure_bar", point), state), ()).refused
    assert np.isfinite(circuit.test_point(point).access_min)
